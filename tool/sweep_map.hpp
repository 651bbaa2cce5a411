#pragma once

#include <cstddef>
#include <filesystem>
#include <optional>
#include <vector>

#include <hopcoil/tune/sweep.hpp>

namespace hopcoil::tool {

/// One figure over two varied numbers (or one) as a map: a cell for each run, the number in it, and
/// those that are kept framed; the first of them is the best.
/// Errors  UsageProblem for more than two varied numbers, a table without figures, or another ending
///         than .png or .svg.
void draw_sweep_map(const std::filesystem::path& file, const tune::SweepTable& table,
                    const std::vector<const tune::SweepRow*>& kept,
                    std::optional<std::size_t> figure);

}  // namespace hopcoil::tool
