#pragma once

#include <vector>

#include <hopcoil/scene/keys.hpp>

namespace hopcoil::scene {

/// Two lists of keys as one.
[[nodiscard]] std::vector<KeyFacts> joined(std::vector<KeyFacts> first,
                                           const std::vector<KeyFacts>& second);

/// The facts about bodies and pictures.
[[nodiscard]] std::vector<TableFacts> picture_tables();

}  // namespace hopcoil::scene
