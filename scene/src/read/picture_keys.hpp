#pragma once

#include <vector>

#include <hopcoil/scene/keys.hpp>

namespace hopcoil::scene {

/// What is asked of whatever is seen.
[[nodiscard]] std::vector<KeyFacts> look_keys();

/// The facts about bodies and pictures.
[[nodiscard]] std::vector<TableFacts> picture_tables();

}  // namespace hopcoil::scene
