#include <cmath>
#include <cstddef>
#include <stdexcept>

#include <hopcoil/base/angles.hpp>
#include <hopcoil/measure/tracking.hpp>

namespace hopcoil {

Tracking measure_tracking(std::span<const double> times_s, std::span<const double> values,
                          std::span<const double> velocities, std::span<const double> targets,
                          bool angles) {
    const std::size_t count = times_s.size();
    if (count == 0 || values.size() != count || velocities.size() != count ||
        targets.size() != count) {
        throw std::invalid_argument{
            "measure_tracking: expected as many values, velocities and targets as times, at least "
            "one"};
    }
    Tracking result;
    double square_time = 0;
    double square_before = 0;
    for (std::size_t i = 0; i < count; ++i) {
        const double apart = values[i] - targets[i];
        const double gap = std::abs(angles ? wrapped_rad(apart) : apart);
        const double speed = std::abs(velocities[i]);
        if (gap > result.largest_gap) {
            result.largest_gap = gap;
            result.largest_gap_time_s = times_s[i];
        }
        if (speed > result.peak_velocity) {
            result.peak_velocity = speed;
            result.peak_velocity_time_s = times_s[i];
        }
        if (i > 0) {
            const double spacing_s = times_s[i] - times_s[i - 1];
            square_time += 0.5 * (square_before + gap * gap) * spacing_s;
            result.sample_spacing_s = std::fmax(result.sample_spacing_s, spacing_s);
        }
        square_before = gap * gap;
    }
    const double length_s = times_s[count - 1] - times_s[0];
    result.rms_gap = std::sqrt(length_s > 0 ? square_time / length_s : square_before);
    return result;
}

}  // namespace hopcoil
