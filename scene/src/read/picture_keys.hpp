#pragma once

#include <vector>

#include <hopcoil/scene/keys.hpp>

namespace hopcoil::scene {

/// The key `order` of whatever is drawn.
[[nodiscard]] KeyFacts order_key();

/// What is asked of whatever is seen.
[[nodiscard]] std::vector<KeyFacts> look_keys();

/// The facts about bodies and pictures.
[[nodiscard]] std::vector<TableFacts> picture_tables();

}  // namespace hopcoil::scene
