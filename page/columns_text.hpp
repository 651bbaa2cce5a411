#pragma once

#include <string>
#include <string_view>
#include <vector>

#include <hopcoil/take/take.hpp>

namespace hopcoil::page {

/// Columns of a take as a JSON object: "times_s", and "columns" by their names; at most so many
/// rows, evenly chosen, first and last among them. Numbers have the digits of a float: they are
/// for drawing.
[[nodiscard]] std::string columns_text(const Take& take, const std::vector<std::string>& patterns,
                                       std::size_t most_rows);

/// "[0,0.5,1]"
[[nodiscard]] std::string list_text(const std::vector<double>& numbers);

/// An object as text, with one more key whose value is text already.
[[nodiscard]] std::string with_key(std::string object, std::string_view key,
                                   std::string_view value);

}  // namespace hopcoil::page
