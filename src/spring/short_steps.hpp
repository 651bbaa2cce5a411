#pragma once

// A spring's free motion over a short step, from a few products.

#include <cstddef>

#include <hopcoil/spring/step_coefficients.hpp>
#include <hopcoil/spring/tuning.hpp>

#include "short_series.hpp"

namespace hopcoil::short_steps {

/// The free responses over powers of u = w dt, both of which tend to constants as u goes to 0.
struct FreeRatios {
    double kick;      ///< q/u
    double approach;  ///< A/u^2
};

/// c0 + c1 x + c2 x^2 + ...
template <std::size_t count>
double polynomial(double x, const double (&c)[count]) {
    double sum = c[count - 1];
    for (std::size_t k = count - 1; k > 0; --k)
        sum = sum * x + c[k - 1];
    return sum;
}

/// Up to u = 1/2 and z u = 1/2, for any damping (equations (16), (17)).
inline FreeRatios short_ratios(double z, double u) {
    const double decay = z * u;
    const double z2_less_1 = (z - 1.0) * (z + 1.0);
    const double x = z2_less_1 * (u * u);
    const double decay2 = decay * decay;
    const double g = polynomial(decay2, ShortSeries::decay_odd) * decay +
                     polynomial(decay2, ShortSeries::decay_even);
    const double c = polynomial(x, ShortSeries::cosh);
    const double s = polynomial(x, ShortSeries::sinh);
    const double shortfall = 1.0 - decay * g;
    const double e = 1.0 - decay * shortfall;
    const double slow = shortfall - g;
    return {.kick = e * (1.0 + x * s), .approach = slow + z2_less_1 * (slow - e * (c + decay * s))};
}

/// From the phase u to 2 u (equation (18)).
inline FreeRatios doubled(const FreeRatios& half, double z, double u) {
    const double approach = half.approach * (u * u);
    return {.kick = half.kick * (1.0 - approach - z * u * half.kick),
            .approach = 0.25 * (half.approach * (2.0 - approach) + half.kick * half.kick)};
}

/// A spring as equations (2) and (3) take it.
struct SpringNumbers {
    double w;     ///< angular frequency, rad/s
    double z;     ///< damping ratio
    double lag;   ///< 2 z (L - 1)
    double hold;  ///< 2 z L
};
inline SpringNumbers numbers_of(const Tuning& tuning) noexcept {
    const double z = tuning.damping_ratio;
    return {.w = angular_frequency_rad_per_s(tuning),
            .z = z,
            .lag = 2 * z * (tuning.lead - 1),
            .hold = 2 * z * tuning.lead};
}

/// Equations (2) and (3).
inline StraightRows<double> rows_of(const FreeRatios& free, const SpringNumbers& spring,
                                    double dt) {
    const double u = spring.w * dt;
    const double approach_ratio = u * free.approach;
    const double kick = u * free.kick;
    const double gap_left = 1.0 - u * approach_ratio;
    return {.gap_of_gap = gap_left,
            .gap_of_velocity = dt * free.kick,
            .gap_of_travel = spring.lag * approach_ratio - free.kick,
            .velocity_of_gap = -spring.w * kick,
            .velocity_of_velocity = gap_left - 2.0 * spring.z * kick,
            .velocity_of_travel = spring.w * (approach_ratio + spring.hold * free.kick)};
}

/// The most halvings of a phase for which short_ratios is accurate.
inline constexpr int most_halvings = 3;
/// Where the series are quicker than elementary functions, and as exact: not far beyond a radian,
/// and not where the two terms of A/u^2 cancel. These bound z, u and z u.
inline constexpr double most_damping = 4;
inline constexpr double longest_phase = (1 << most_halvings) * ShortSeries::longest_phase;

}  // namespace hopcoil::short_steps
