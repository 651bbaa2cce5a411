#pragma once

#include <string_view>

namespace hopcoil {

/// Version of the library and of the command; the build reads it from this line.
inline constexpr std::string_view version = "0.1.0";

}  // namespace hopcoil
