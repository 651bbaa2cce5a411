#pragma once

#include <hopcoil/base/build.hpp>
#include <hopcoil/base/components.hpp>
#include <hopcoil/spring/step_coefficients.hpp>

namespace hopcoil {
inline namespace HOPCOIL_BITS {

/// A target, the value's distance from it, and its velocity: what one mover takes over from
/// another.
///
/// The gap is kept rather than the value: a value kept as such stops short of a target far from the
/// origin by half of its last digit, for ever.
template <LinearSpace T>
struct Motion {
    T target;
    T gap;  ///< value minus target
    T velocity;

    [[nodiscard]] T value() const noexcept { return target + gap; }
};

/// At rest on its target.
template <LinearSpace T>
[[nodiscard]] Motion<T> resting_at(const T& value) noexcept {
    const T nothing = value - value;
    return {value, nothing, nothing};
}

/// False when the value is beyond the range of numbers, or anything is not a number.
template <LinearSpace T>
[[nodiscard]] bool is_finite(const Motion<T>& motion) noexcept {
    return is_finite(motion.value()) && is_finite(motion.velocity);
}

template <LinearSpace T, class Rows>
[[nodiscard]] T free_gap_after(const Motion<T>& motion, const Rows& rows) noexcept {
    return scaled(motion.gap, rows.gap_of_gap) + scaled(motion.velocity, rows.gap_of_velocity);
}
template <LinearSpace T, class Rows>
[[nodiscard]] T free_velocity_after(const Motion<T>& motion, const Rows& rows) noexcept {
    return scaled(motion.gap, rows.velocity_of_gap) +
           scaled(motion.velocity, rows.velocity_of_velocity);
}

/// The motion after a step in which the target went straight to `target`.
template <LinearSpace T>
[[nodiscard]] Motion<T> after(const Motion<T>& motion, const T& target,
                              const StraightRows<ScalarIn<T>>& rows) noexcept {
    const T travel = target - motion.target;
    return {target, free_gap_after(motion, rows) + scaled(travel, rows.gap_of_travel),
            free_velocity_after(motion, rows) + scaled(travel, rows.velocity_of_travel)};
}

/// The motion after a step in which the target went to `target` along a cubic: from velocity
/// `first` (nullptr: that of the straight line) to velocity `last`.
template <LinearSpace T>
[[nodiscard]] Motion<T> after(const Motion<T>& motion, const T& target, const T* first,
                              const T& last, const CubicRows<ScalarIn<T>>& rows) noexcept {
    const T travel = target - motion.target;
    const bool known = first != nullptr;
    const T& start = known ? *first : travel;
    return {target,
            free_gap_after(motion, rows) +
                combined(travel, rows.gap_of_travel,                            //
                         start, known ? rows.gap_of_first : rows.gap_of_chord,  //
                         last, rows.gap_of_last),
            free_velocity_after(motion, rows) +
                combined(travel, rows.velocity_of_travel,                                 //
                         start, known ? rows.velocity_of_first : rows.velocity_of_chord,  //
                         last, rows.velocity_of_last)};
}

}  // namespace HOPCOIL_BITS
}  // namespace hopcoil
