#pragma once

#include <string>
#include <string_view>

namespace hopcoil::io {

/// Parses a finite number; blanks around it are ignored, anything else is refused.
[[nodiscard]] bool parse_number(std::string_view field, double& number);

/// A text as a field: in quotes where it needs them (RFC 4180).
[[nodiscard]] std::string csv_field(std::string_view text);

}  // namespace hopcoil::io
