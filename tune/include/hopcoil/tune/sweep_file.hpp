#pragma once

#include <filesystem>
#include <string>
#include <string_view>
#include <vector>

#include <hopcoil/tune/sweep_table.hpp>

namespace hopcoil::tune {

/// A table as CSV: `run`, the paths, the figures by name, `failure`; and `sweep`, which is the same
/// for all runs of one sweep and different for any other.
[[nodiscard]] std::string csv_of(const SweepTable& table, std::string_view sweep_id);

/// A table as it was written, whole or in part.
struct SweepFile {
    SweepTable table{};
    std::string sweep_id{};
};
/// Errors  FileProblem; InputProblems for a file that no sweep has written.
[[nodiscard]] SweepFile read_sweep(const std::filesystem::path& file);

/// Merges the parts of one sweep into one table.
/// Errors  std::invalid_argument for parts of different sweeps, or one run that two parts have
///         differently.
[[nodiscard]] SweepFile merged(const std::vector<SweepFile>& parts);

}  // namespace hopcoil::tune
