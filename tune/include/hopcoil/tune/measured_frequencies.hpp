#pragma once

#include <vector>

#include <hopcoil/spring/frequency_response.hpp>

namespace hopcoil::scene {
class SystemSpec;
}

namespace hopcoil::tune {

/// The same as frequency_response, measured: any mover of one number runs after a sine of each
/// frequency until its start is forgotten, and its last two periods are compared with the target.
///
/// Model   of what is not linear, the part at the sine's own frequency, at this amplitude.
/// Shapes  frequencies rise.
/// Errors  std::invalid_argument for frequencies that do not rise from above 0; those of a run.
/// Cost    some milliseconds a frequency, on all threads.
[[nodiscard]] std::vector<FrequencyPoint> measured_frequencies(
    const scene::SystemSpec& mover, const std::vector<double>& frequencies_hz,
    double amplitude = 1.0);

}  // namespace hopcoil::tune
