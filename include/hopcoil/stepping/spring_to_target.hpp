#pragma once

#include <array>
#include <cstddef>
#include <span>

#include <hopcoil/base/build.hpp>

namespace hopcoil {
inline namespace HOPCOIL_BITS {

/// A spring toward a target, taken to its end: what a scheme is given to step, from 0 to `dt`.
template <std::size_t count>
struct SpringToTarget {
    double stiffness;  ///< w^2
    double damping;    ///< 2 z w
    double lead;
    double dt;  ///< of the whole way
    std::array<double, count> from;
    std::array<double, count> to;

    void operator()(double time_s, std::span<const double> x, std::span<const double> v,
                    std::span<double> a) const noexcept {
        const double part = time_s / dt;
        for (std::size_t i = 0; i < count; ++i) {
            const double travel = to[i] - from[i];
            const double gap = (x[i] - from[i]) - travel * part;
            a[i] = -stiffness * gap - damping * (v[i] - lead * travel / dt);
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
};

}  // namespace HOPCOIL_BITS
}  // namespace hopcoil
