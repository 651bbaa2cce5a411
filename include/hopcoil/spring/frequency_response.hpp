#pragma once

#include <span>
#include <vector>

#include <hopcoil/spring/step_response.hpp>
#include <hopcoil/spring/tuning.hpp>

namespace hopcoil {

/// The steady response to a sine of one frequency, after the transient has decayed.
struct FrequencyPoint {
    double frequency_hz = 0.0;
    double gain = 0.0;           ///< the value's amplitude over the target's
    double phase_lag_rad = 0.0;  ///< behind the target; continuous over all frequencies
};

/// Of a follower, or of several in a row, in closed form.
///
/// Model   each gives (1 + 2 z L i s) / (1 - s^2 + 2 z i s), s = frequency over its own; gains
///         multiply, phases add up.
/// Errors  InvalidValue for an invalid tuning, or a frequency that is not above 0. Undamped at its
///         own frequency the gain is infinite.
[[nodiscard]] std::vector<FrequencyPoint> frequency_response(
    std::span<const Tuning> links, std::span<const double> frequencies_hz);

struct FrequencyFigures {
    Figure resonance_hz{0.0};    ///< where it swings the widest
    Figure resonance_gain{0.0};  ///< how much wider than the target there
    Figure bandwidth_hz{0.0};    ///< where the amplitude first falls to 0.707 of the target's
    Figure lag_s{0.0};           ///< behind a slowly moving target, in seconds of its travel
};
/// Errors  as frequency_response.
[[nodiscard]] FrequencyFigures frequency_figures(std::span<const Tuning> links);

}  // namespace hopcoil
