#pragma once

#include <algorithm>
#include <cmath>

#include <hopcoil/follow/intent.hpp>

namespace hopcoil::detail {

inline constexpr double g = standard_gravity;

/// Of the way that a quintic goes from rest to its last velocity: it does not turn back on it.
inline constexpr double part_of_launch = 0.42;

/// A time as whole ticks of a length, at least one, rounded up.
[[nodiscard]] inline double in_ticks(double time_s, double tick_s) noexcept {
    return std::max(1.0, std::ceil(time_s / tick_s - 1e-9)) * tick_s;
}

}  // namespace hopcoil::detail
