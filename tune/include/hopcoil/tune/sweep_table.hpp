#pragma once

#include <cstddef>
#include <filesystem>
#include <string>
#include <string_view>
#include <vector>

#include <hopcoil/tune/sweep.hpp>

namespace hopcoil::tune {

/// A table as CSV: `run`, the paths, the figures, `failure`; and `sweep`, which is the same for all
/// runs of one sweep and different for any other.
[[nodiscard]] std::string csv_of(const SweepTable& table, std::string_view sweep_id);

/// A table as it was written, whole or in part.
struct SweepFile {
    SweepTable table{};
    std::string sweep_id{};
};
/// Errors  FileProblem; InputProblems for what no sweep has written.
[[nodiscard]] SweepFile read_sweep(const std::filesystem::path& file);

/// The parts of one sweep in one table.
/// Errors  std::invalid_argument for parts of different sweeps, or one run that two parts have
///         differently.
[[nodiscard]] SweepFile merged(const std::vector<SweepFile>& parts);

/// What a figure has to be.
struct SweepCondition {
    std::size_t figure = 0;  ///< of the table's
    bool is_below = true;
    double bound = 0.0;

    [[nodiscard]] bool holds(const SweepRow& row) const {
        const double value = row.figures[figure];
        return is_below ? value < bound : value > bound;
    }
};
/// Of "lamp.overshoot_percent<15" or "...>1". The end of a name will do where only one ends so.
/// Errors  std::invalid_argument names the figures there are.
[[nodiscard]] SweepCondition condition_from(std::string_view text, const SweepTable& table);
[[nodiscard]] std::size_t figure_named(std::string_view name, const SweepTable& table);

/// The runs that meet all conditions, the least of a figure first: those without it last.
[[nodiscard]] std::vector<const SweepRow*> best_of(const SweepTable& table,
                                                   const std::vector<SweepCondition>& conditions,
                                                   const std::size_t* rank_by);

}  // namespace hopcoil::tune
