#pragma once

#include <hopcoil/base/build.hpp>
#include <hopcoil/base/components.hpp>

namespace hopcoil {
inline namespace HOPCOIL_BITS {

/// The cubic between two places with given velocities there.
template <LinearSpace T>
struct CubicWay {
    T from;
    T from_velocity;
    T to;
    T to_velocity;
    double duration_s = 1.0;

    [[nodiscard]] T place(double time_s) const noexcept {
        const double u = time_s / duration_s;
        const double v = 1 - u;
        return part(from, v * v * (1 + 2 * u)) + part(from_velocity, duration_s * u * v * v) +
               part(to, u * u * (3 - 2 * u)) - part(to_velocity, duration_s * u * u * v);
    }
    [[nodiscard]] T velocity(double time_s) const noexcept {
        const double u = time_s / duration_s;
        const double v = 1 - u;
        return part(T{to - from}, 6 * u * v / duration_s) + part(from_velocity, v * (1 - 3 * u)) -
               part(to_velocity, u * (2 - 3 * u));
    }

  private:
    static T part(const T& x, double by) noexcept {
        return scaled(x, static_cast<ScalarIn<T>>(by));
    }
};

}  // namespace HOPCOIL_BITS
}  // namespace hopcoil
