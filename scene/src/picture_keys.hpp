#pragma once

#include <vector>

#include <hopcoil/scene/keys.hpp>

namespace hopcoil::scene {

/// The facts about bodies and pictures.
[[nodiscard]] std::vector<TableFacts> picture_tables();

}  // namespace hopcoil::scene
