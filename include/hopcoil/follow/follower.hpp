#pragma once

#include <cstdint>
#include <span>
#include <type_traits>

#include <hopcoil/base/build.hpp>
#include <hopcoil/base/linear_space.hpp>
#include <hopcoil/base/system.hpp>
#include <hopcoil/follow/mover.hpp>
#include <hopcoil/spring/step_coefficients.hpp>
#include <hopcoil/spring/tuning.hpp>

namespace hopcoil {
inline namespace HOPCOIL_BITS {

/// A value drawn towards a moving target by a damped spring.
///
///     Follower<Vector3f> lamp{{.frequency_hz = 2, .damping_ratio = 0.4}, start};
///     lamp.step(hook, dt);
///
/// Model   y'' = w^2 (x - y) - 2 z w y' + 2 z w L x';  w = 2 pi frequency_hz, z = damping_ratio,
///         L = lead.
/// Shapes  value, velocity and target are one T each: a number, a vector, a colour.
/// Units   seconds; lengths as in T. Behind a target of speed s it trails by (2 z / w)(1 - L) s.
/// Source  docs/math/follower.md (3)-(12); exact while the target moves straight, so any dt is
///         stable, and a step of a + b seconds equals a step of a, then of b.
/// Errors  none while stepping: a non-finite target or a bad dt is ignored and counted.
/// Cost    at an unchanged dt, two short linear combinations.
template <LinearSpace T>
class Follower {
  public:
    using Scalar = ScalarIn<T>;
    using Inputs = T;  ///< of a step, as a System: the target

    /// At `start`, its target there too, at rest.
    /// Errors  InvalidValue for an invalid tuning.
    explicit Follower(const Tuning& tuning, T start)
        : target_{start}, gap_{start - start}, velocity_{start - start}, target_velocity_{gap_} {
        retune(tuning);
    }

    /// The target has moved to `target` in a straight line during the `dt` seconds that pass.
    /// A `dt` of 0 is a jump.
    StepStatus step(T target, double dt) noexcept {
        if (!is_time_step(dt)) return reject();
        if (dt != straight_dt_) {
            straight_ = rounded<Scalar>(straight_rows(tuning_, dt));
            straight_dt_ = dt;
        }
        return move(target, straight_);
    }

    /// The same, with numbers shared among followers; they replace this one's tuning for the step.
    StepStatus step(T target, const StepCoefficients& coefficients) noexcept {
        return move(target, coefficients.rows<Scalar>());
    }

    /// The target has moved to `target` during `dt` and its velocity there is known: it has gone
    /// along the cubic that begins with the velocity given to the step just before (if that gave
    /// none, with that of the straight line). A `dt` of 0 is a jump that makes the velocity known.
    StepStatus step(T target, T target_velocity, double dt) noexcept {
        if (!is_time_step(dt)) return reject();
        if (dt != cubic_dt_) {
            cubic_ = rounded<Scalar>(cubic_rows(tuning_, dt));
            cubic_dt_ = dt;
        }
        return move(target, target_velocity, cubic_);
    }
    StepStatus step(T target, T target_velocity,
                    const CubicStepCoefficients& coefficients) noexcept {
        return move(target, target_velocity, coefficients.rows<Scalar>());
    }

    /// The target really moves there in no time, so the lead acts: the velocity changes by
    /// 2 z w L times the target's travel.
    StepStatus jump(T target) noexcept {
        return move(target, StraightRows<Scalar>{.velocity_of_travel = jump_gain_});
    }

    /// The target is elsewhere from now on; nothing is read into that. The velocity stays.
    StepStatus cut(T target) noexcept { return move(target, StraightRows<Scalar>{}); }

    /// New numbers from here on; value and velocity carry over.
    /// Errors  InvalidValue, with nothing changed.
    void retune(const Tuning& tuning) {
        require_valid(tuning);
        adopt(tuning);
    }

    /// The same without the throw: false, counted and unchanged, for an invalid tuning.
    bool try_retune(const Tuning& tuning) noexcept {
        if (!is_valid(tuning)) {
            ++rejected_inputs_;
            return false;
        }
        adopt(tuning);
        return true;
    }

    /// A sudden change of velocity.
    StepStatus push(T delta_velocity) noexcept {
        const T velocity = velocity_ + delta_velocity;
        if (!is_finite(velocity)) return reject();
        velocity_ = velocity;
        return StepStatus::stepped;
    }

    /// At `value`, its target there too, at rest.
    StepStatus reset(T value) noexcept {
        if (!is_finite(value)) return reject();
        const T nothing = value - value;
        target_ = value;
        gap_ = nothing;
        velocity_ = nothing;
        knows_target_velocity_ = false;
        return StepStatus::stepped;
    }

    [[nodiscard]] T value() const noexcept { return target_ + gap_; }
    [[nodiscard]] T velocity() const noexcept { return velocity_; }
    [[nodiscard]] T target() const noexcept { return target_; }
    [[nodiscard]] const Tuning& tuning() const noexcept { return tuning_; }

    /// Within `distance` of the target and no faster than `speed`.
    [[nodiscard]] bool at_rest(double distance, double speed) const noexcept requires HasLength<T> {
        return is_within(gap_, distance) && is_within(velocity_, speed);
    }

    /// How many calls were ignored because an argument, or what would have come of it, was not
    /// finite, or the time step negative.
    [[nodiscard]] std::uint64_t rejected_inputs() const noexcept { return rejected_inputs_; }

    // What makes it a System (base/system.hpp).

    [[nodiscard]] static std::span<const Channel> channels() noexcept requires HasComponents<T> {
        return mover_channels<T>;
    }
    void read(std::span<double> numbers) const noexcept requires HasComponents<T> {
        read_components<T>({value(), velocity_, target_}, numbers);
    }
    [[nodiscard]] static std::span<const Dial<Follower>> dials() noexcept {
        return dials_through_tuning<Follower>();
    }

    /// Exactly at rest on its target: a step toward the same target would change no bit.
    [[nodiscard]] bool still() const noexcept requires HasLength<T> { return at_rest(0, 0); }

    /// Kinetic energy and the spring's, per kilogram (per unit of mass).
    [[nodiscard]] double energy() const noexcept requires HasComponents<T> {
        const double w = angular_frequency_rad_per_s(tuning_);
        double sum = 0;
        for (const double each : components_of(velocity_))
            sum += 0.5 * each * each;
        for (const double each : components_of(gap_))
            sum += 0.5 * (w * each) * (w * each);
        return sum;
    }

  private:
    /// A smaller gap is none: a settled follower must not crawl through subnormal numbers.
    static constexpr double least_gap = std::is_same_v<Scalar, float> ? 0x1p-100 : 0x1p-963;

    [[nodiscard]] static bool is_time_step(double dt) noexcept { return dt >= 0 && is_finite(dt); }

    void adopt(const Tuning& tuning) noexcept {
        tuning_ = tuning;
        jump_gain_ = rounded<Scalar>(jump_rows(tuning)).velocity_of_travel;
        least_velocity_ = static_cast<Scalar>(least_gap * angular_frequency_rad_per_s(tuning));
        straight_dt_ = cubic_dt_ = -1;
    }

    StepStatus reject() noexcept {
        ++rejected_inputs_;
        return StepStatus::rejected;
    }

    StepStatus move(const T& target, const StraightRows<Scalar>& rows) noexcept {
        const T travel = target - target_;
        const T gap = free_gap_after(rows) + scaled(travel, rows.gap_of_travel);
        const T velocity = free_velocity_after(rows) + scaled(travel, rows.velocity_of_travel);
        const StepStatus status = arrive(target, gap, velocity);
        if (status == StepStatus::stepped) knows_target_velocity_ = false;
        return status;
    }

    StepStatus move(const T& target, const T& target_velocity,
                    const CubicRows<Scalar>& rows) noexcept {
        if (!is_finite(target_velocity)) return reject();
        const bool known = knows_target_velocity_;
        const T travel = target - target_;
        const T& first = known ? target_velocity_ : travel;
        const T gap =
            free_gap_after(rows) + combined(travel, rows.gap_of_travel,  //
                                            first, known ? rows.gap_of_first : rows.gap_of_chord,
                                            target_velocity, rows.gap_of_last);
        const T velocity = free_velocity_after(rows) +
                           combined(travel, rows.velocity_of_travel,  //
                                    first, known ? rows.velocity_of_first : rows.velocity_of_chord,
                                    target_velocity, rows.velocity_of_last);
        const StepStatus status = arrive(target, gap, velocity);
        if (status == StepStatus::stepped) {
            target_velocity_ = target_velocity;
            knows_target_velocity_ = true;
        }
        return status;
    }

    template <class Rows>
    [[nodiscard]] T free_gap_after(const Rows& rows) const noexcept {
        return scaled(gap_, rows.gap_of_gap) + scaled(velocity_, rows.gap_of_velocity);
    }
    template <class Rows>
    [[nodiscard]] T free_velocity_after(const Rows& rows) const noexcept {
        return scaled(gap_, rows.velocity_of_gap) + scaled(velocity_, rows.velocity_of_velocity);
    }

    StepStatus arrive(const T& target, T gap, T velocity) noexcept {
        drop_below(gap, static_cast<Scalar>(least_gap));
        drop_below(velocity, least_velocity_);
        // A value beyond the range, or a gap that is not finite, makes this sum infinite or NaN.
        if (!is_finite(T{target + gap}) || !is_finite(velocity)) return reject();
        target_ = target;
        gap_ = gap;
        velocity_ = velocity;
        return StepStatus::stepped;
    }

    // The gap y - x is what is kept: a value kept as such stops short of a target far from the
    // origin by half of its last digit, for ever.
    T target_;
    T gap_;
    T velocity_;
    T target_velocity_;
    Tuning tuning_;
    StraightRows<Scalar> straight_;
    CubicRows<Scalar> cubic_;
    Scalar jump_gain_ = 0;
    Scalar least_velocity_ = 0;
    bool knows_target_velocity_ = false;
    double straight_dt_ = -1;
    double cubic_dt_ = -1;
    std::uint64_t rejected_inputs_ = 0;
};

}  // namespace HOPCOIL_BITS
}  // namespace hopcoil
