#pragma once

#include <cstddef>
#include <filesystem>
#include <functional>
#include <optional>
#include <string>
#include <vector>

#include <hopcoil/tune/sweep.hpp>

#include "draw/picture.hpp"

namespace hopcoil::tool {

/// One figure over two varied numbers (or one) as a map: a cell for each run, the number in it, and
/// those that are kept framed; the first of them is the best.
/// Errors  UsageProblem for a table without figures; std::invalid_argument for another ending than
///         .png or .svg.
void draw_sweep_map(const std::filesystem::path& file, const tune::SweepTable& table,
                    const std::vector<const tune::SweepRow*>& kept,
                    std::optional<std::size_t> figure);

/// The motion with these values of what is varied.
using SweepCurveOf = std::function<tune::TrialCurve(const std::vector<double>&)>;

/// The motion of every run, small and on one scale, in a grid; a figure beside each, if one ranks.
/// Errors  those of `curve_of`; std::invalid_argument for another ending than .png or .svg.
void draw_sweep_sheet(const std::filesystem::path& file, const tune::SweepTable& table,
                      const std::vector<const tune::SweepRow*>& kept,
                      std::optional<std::size_t> figure, const std::string& title,
                      const SweepCurveOf& curve_of);

/// A run with these values of what is varied, as a picture shows it.
using SweepPictureOf = std::function<draw::Picture(const std::vector<double>&)>;

/// Moments of every run, on one scale, in a grid; a figure beside each, if one ranks.
/// Errors  the same.
void draw_sweep_moments(const std::filesystem::path& file, const tune::SweepTable& table,
                        const std::vector<const tune::SweepRow*>& kept,
                        std::optional<std::size_t> figure, const std::string& title,
                        const std::vector<double>& times_s, const SweepPictureOf& picture_of);

}  // namespace hopcoil::tool
