#pragma once

#include <string_view>

namespace hopcoil::scene {

/// Whether a text fits a pattern in which '*' stands for any letters.
[[nodiscard]] bool matches(std::string_view pattern, std::string_view text);

}  // namespace hopcoil::scene
