#pragma once

#include <string_view>

#include <hopcoil/io/file_problems.hpp>

/// @file
/// What both readers of CSV files take fields for.

namespace hopcoil::io {

/// Without the blanks around it.
[[nodiscard]] std::string_view trimmed(std::string_view field) noexcept;
/// Without the quotes around it, where it has none inside.
[[nodiscard]] std::string_view unquoted(std::string_view field) noexcept;
/// Errors  InputProblems for a header that is separated by semicolons or tabs.
void require_commas(std::string_view header, const FilePosition& position);

}  // namespace hopcoil::io
