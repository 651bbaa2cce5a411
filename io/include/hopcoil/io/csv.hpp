#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include <hopcoil/follow/key_curve.hpp>
#include <hopcoil/io/file_problems.hpp>

namespace hopcoil::io {

/// A table of text with a header row.
///
/// Source  RFC 4180: fields in quotes may hold commas, quotes doubled, and line ends; lines end in
///         LF or CRLF. A byte order mark and empty last lines are ignored.
struct CsvTable {
    std::string file{};
    std::vector<std::string> header{};
    std::vector<std::vector<std::string>> rows{};
    std::vector<std::vector<FilePosition>> positions{};  ///< of every field, header row first
};

/// Errors  FileProblem; InputProblems for a quote left open, text behind a closing quote, a row
///         longer or shorter than the header, no header, or two columns of one name.
[[nodiscard]] CsvTable read_csv(const std::filesystem::path& path);

/// One column as numbers, named by its header.
/// Errors  InputProblems for a column that is not there, and for each of the first ten fields that
///         are not finite numbers.
[[nodiscard]] std::vector<double> number_column(const CsvTable& table, const std::string& name);

/// Points of a table as a smooth curve (KeyCurve::through), or, where it has columns slope_before
/// and slope_after (per second), as keys with those slopes.
/// Errors  InputProblems for a column that is not there, fields that are not numbers, times that
///         do not rise.
[[nodiscard]] KeyCurve key_curve_from(const CsvTable& table, const std::string& time_column,
                                      const std::string& value_column);

}  // namespace hopcoil::io
