#pragma once

#include <array>
#include <cstddef>
#include <span>

#include <hopcoil/base/build.hpp>

namespace hopcoil {
inline namespace HOPCOIL_BITS {

/// A spring toward a target that goes from 0 to `travel` in `dt`, as a scheme is given it.
///
/// Model   the follower's equation without its x': with c = 2 z w L and x = travel t / dt, for
///         Y = y - c x t / 2 it reads Y'' = w^2 (x - Y - c x t / 2) - 2 z w (Y' + c x).
///         A target that goes a long way in a short step is then nothing sudden for the scheme.
/// Source  docs/math/stepping.md (12)
template <std::size_t count>
struct SpringToTarget {
    using Numbers = std::array<double, count>;

    double stiffness;  ///< w^2
    double damping;    ///< 2 z w
    double lead;
    double dt;
    Numbers travel;

    void operator()(double time_s, std::span<const double> x, std::span<const double> v,
                    std::span<double> a) const noexcept {
        const double carry = damping * lead;
        for (std::size_t i = 0; i < count; ++i) {
            const double target = travel[i] * (time_s / dt);
            const double gap = x[i] + carry * target * time_s / 2 - target;
            a[i] = -stiffness * gap - damping * (v[i] + carry * target);
        }
    }
    void jacobian(double /*time_s*/, std::span<const double> /*x*/, std::span<const double> /*v*/,
                  std::span<double> by_x, std::span<double> by_v) const noexcept {
        for (std::size_t i = 0; i < count * count; ++i) {
            const bool diagonal = i % (count + 1) == 0;
            by_x[i] = diagonal ? -stiffness : 0.0;
            by_v[i] = diagonal ? -damping : 0.0;
        }
    }

    /// From Y at the end to the gap there, and from Y' to the velocity.
    [[nodiscard]] Numbers to_gap() const noexcept {
        return scaled_travel(damping * lead * dt / 2 - 1);
    }
    [[nodiscard]] Numbers to_velocity() const noexcept { return scaled_travel(damping * lead); }

    [[nodiscard]] Numbers scaled_travel(double by) const noexcept {
        Numbers numbers = travel;
        for (double& each : numbers)
            each *= by;
        return numbers;
    }
};

}  // namespace HOPCOIL_BITS
}  // namespace hopcoil
