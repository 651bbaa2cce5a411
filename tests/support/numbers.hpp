#pragma once

#include <cmath>
#include <cstring>
#include <limits>

// Parameters that everything is tried with, and what says that two are the same.

inline constexpr double pi = 3.14159265358979323846;
inline constexpr double infinity = std::numeric_limits<double>::infinity();
inline constexpr double not_a_number = std::numeric_limits<double>::quiet_NaN();

template <class T>
[[nodiscard]] bool same_bits(const T& a, const T& b) {
    return std::memcmp(&a, &b, sizeof(T)) == 0;
}

/// Between two directions: whole turns are none.
inline double turn_between(double a_rad, double b_rad) {
    return std::fabs(std::remainder(a_rad - b_rad, 2 * pi));
}
