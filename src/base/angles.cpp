#include <cmath>

#include <hopcoil/base/angles.hpp>
#include <hopcoil/base/math.hpp>

namespace hopcoil {

double wrapped_rad(double angle_rad) noexcept {
    // IEEE demands the remainder exact, so it has the same bits everywhere.
    const double rest = std::remainder(angle_rad, 2 * math::pi);
    return rest <= -math::pi ? math::pi : rest;
}

double shorter_turn_rad(double from_rad, double to_rad) noexcept {
    return wrapped_rad(to_rad - from_rad);
}

double whole_turns(double angle_rad) noexcept {
    return std::floor(angle_rad / (2 * math::pi));
}

}  // namespace hopcoil
