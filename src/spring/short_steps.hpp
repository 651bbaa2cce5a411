#pragma once

// What a spring does by itself in a short step, from a few products: of one spring where T is
// double, of several side by side where it is a vector of them, by the same operations in the same
// order. Files compiled for newer processors include this: nothing in it may be an inline function
// that is not made for their own vectors.

#include <cstddef>

#include "short_series.hpp"

namespace hopcoil::short_steps {

/// The free answers over powers of u = w dt, which both tend to constants as u goes to 0.
template <class T>
struct FreeRatios {
    T kick;      ///< q/u
    T approach;  ///< A/u^2
};

/// c0 + c1 x + c2 x^2 + ...
template <class T, std::size_t count>
T polynomial(const T& x, const double (&c)[count]) {
    T sum = T{} + c[count - 1];
    for (std::size_t k = count - 1; k > 0; --k)
        sum = sum * x + c[k - 1];
    return sum;
}

/// Up to u = 1/2 and z u = 1/2, for any damping (equations (16), (17)).
template <class T>
FreeRatios<T> short_ratios(const T& z, const T& u) {
    const T decay = z * u;
    const T z2_less_1 = (z - 1.0) * (z + 1.0);
    const T x = z2_less_1 * (u * u);
    const T decay2 = decay * decay;
    const T g = polynomial(decay2, ShortSeries::decay_odd) * decay +
                polynomial(decay2, ShortSeries::decay_even);
    const T c = polynomial(x, ShortSeries::cosh);
    const T s = polynomial(x, ShortSeries::sinh);
    const T shortfall = 1.0 - decay * g;
    const T e = 1.0 - decay * shortfall;
    const T slow = shortfall - g;
    return {.kick = e * (1.0 + x * s), .approach = slow + z2_less_1 * (slow - e * (c + decay * s))};
}

/// From the phase u to 2 u (equation (18)).
template <class T>
FreeRatios<T> doubled(const FreeRatios<T>& half, const T& z, const T& u) {
    const T approach = half.approach * (u * u);
    return {.kick = half.kick * (1.0 - approach - z * u * half.kick),
            .approach = 0.25 * (half.approach * (2.0 - approach) + half.kick * half.kick)};
}

/// A spring as equations (2) and (3) take it.
template <class T>
struct SpringNumbers {
    T w;     ///< angular frequency, rad/s
    T z;     ///< damping ratio
    T lag;   ///< 2 z (L - 1)
    T hold;  ///< 2 z L
};

/// As StraightRows.
template <class T>
struct Rows {
    T gap_of_gap;
    T gap_of_velocity;
    T gap_of_travel;
    T velocity_of_gap;
    T velocity_of_velocity;
    T velocity_of_travel;
};

/// Equations (2) and (3).
template <class T>
Rows<T> rows_of(const FreeRatios<T>& free, const SpringNumbers<T>& spring, double dt) {
    const T u = spring.w * dt;
    const T approach_ratio = u * free.approach;
    const T kick = u * free.kick;
    const T gap_left = 1.0 - u * approach_ratio;
    return {.gap_of_gap = gap_left,
            .gap_of_velocity = dt * free.kick,
            .gap_of_travel = spring.lag * approach_ratio - free.kick,
            .velocity_of_gap = -spring.w * kick,
            .velocity_of_velocity = gap_left - 2.0 * spring.z * kick,
            .velocity_of_travel = spring.w * (approach_ratio + spring.hold * free.kick)};
}

/// So often is a phase halved at most for short_ratios to hold.
inline constexpr int most_halvings = 3;
/// Where the series are quicker than elementary functions, and as exact: not far beyond a radian,
/// and not where the two terms of A/u^2 cancel. These bound z, u and z u.
inline constexpr double most_damping = 4;
inline constexpr double longest_phase = (1 << most_halvings) * ShortSeries::longest_phase;

}  // namespace hopcoil::short_steps
