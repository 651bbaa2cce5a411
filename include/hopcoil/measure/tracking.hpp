#pragma once

#include <cstddef>
#include <optional>
#include <span>
#include <vector>

namespace hopcoil {

/// How closely a value followed its target over a take.
///
/// Units   those of the value, and seconds. Read off the samples: between two of them a peak may
///         be higher by up to a quarter of the change of slope there in one sample.
struct Tracking {
    double largest_gap = 0.0;  ///< in size
    double largest_gap_time_s = 0.0;
    double rms_gap = 0.0;  ///< root of the mean square, over time
    double peak_velocity = 0.0;
    double peak_velocity_time_s = 0.0;
    double sample_spacing_s = 0.0;  ///< the widest
};

/// Shapes  one number for each time, times never going back, at least one. The gap of angles is
///         the shorter way round.
/// Errors  std::invalid_argument for empty or unequal lengths.
[[nodiscard]] Tracking measure_tracking(std::span<const double> times_s,
                                        std::span<const double> values,
                                        std::span<const double> velocities,
                                        std::span<const double> targets, bool angles = false);

/// A number over time for each component of a value.
using ComponentRows = std::span<const std::vector<double>>;

/// How a value responded to the jumps of its target: each time that leapt and then stood still.
///
/// Units   percent of the jump, along the jump's own direction; seconds from the jump. A peak
///         between two samples is read off the parabola through three of them, a crossing off the
///         line between two: to a few hundredths of the change of slope in a sample.
struct JumpsMet {
    std::size_t jumps = 0;
    double largest_overshoot_percent = 0.0;
    double largest_overshoot_jump_s = 0.0;  ///< when that jump was
    /// Until it stayed within 2 % of the jump; nothing when it never did before the next one.
    std::optional<double> longest_settling_s{};
    std::size_t unsettled = 0;  ///< how many ended before it had
};

/// Shapes  for each component a row of numbers, one for each time; numbers, not angles that may
///         cross their seam.
[[nodiscard]] JumpsMet measure_jumps(std::span<const double> times_s, ComponentRows values,
                                     ComponentRows targets);

/// How far in time a value runs behind its target (ahead of it: below 0): the shift at which the
/// two agree best. Nothing when the target never moves, or leaps so that no shift says anything.
///
/// Shapes  as measure_jumps.
/// Units   seconds, at most a quarter of the take and 2 s either way, within a tenth of a sample.
[[nodiscard]] std::optional<double> measure_lag_s(std::span<const double> times_s,
                                                  ComponentRows values, ComponentRows targets);

}  // namespace hopcoil
