#pragma once

#include <hopcoil/spring/tuning.hpp>

#include "short_steps.hpp"

namespace hopcoil::short_steps {

inline SpringNumbers<double> numbers_of(const Tuning& tuning) noexcept {
    const double z = tuning.damping_ratio;
    return {.w = angular_frequency_rad_per_s(tuning),
            .z = z,
            .lag = 2 * z * (tuning.lead - 1),
            .hold = 2 * z * tuning.lead};
}

}  // namespace hopcoil::short_steps
