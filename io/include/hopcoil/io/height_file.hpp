#pragma once

#include <string>

#include <hopcoil/field/height_field.hpp>
#include <hopcoil/io/file_problems.hpp>

namespace hopcoil::io {

/// A height field from a CSV: columns x_m, z_m and height_m, a row for each corner of an even grid,
/// in any order.
/// Errors  FileProblem; InputProblems for a column that is not there, fields that are not numbers,
///         and places that do not form an even grid.
[[nodiscard]] HeightField read_height_field(const std::string& path);

}  // namespace hopcoil::io
