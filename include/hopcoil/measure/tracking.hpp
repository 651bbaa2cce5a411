#pragma once

#include <span>

namespace hopcoil {

/// How closely a value kept to its target over a take.
///
/// Units   those of the value, and seconds. Read off the samples: between two of them a peak may
///         be higher by up to a quarter of what the curve bends there in one sample.
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

}  // namespace hopcoil
