#pragma once

#include <cstdint>
#include <optional>
#include <span>

#include <hopcoil/base/build.hpp>
#include <hopcoil/base/components.hpp>
#include <hopcoil/base/system.hpp>
#include <hopcoil/follow/motion.hpp>
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
/// Source  docs/math/follower.md (2)-(12); exact while the target moves straight, so any dt is
///         stable, and a step of a + b seconds equals a step of a, then of b.
/// Errors  none while stepping: a non-finite target or a bad dt is ignored and counted.
/// Cost    at an unchanged dt, two short linear combinations.
template <LinearSpace T>
class Follower : public Mover<T> {
    using Base = Mover<T>;

  public:
    using Scalar = ScalarIn<T>;
    using Parameters = Tuning;

    /// At `start`, its target there too, at rest.
    /// Errors  InvalidValue for an invalid tuning.
    Follower(const Tuning& tuning, T start) : Base{start}, target_velocity_{start - start} {
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
        return step_to(target, straight_);
    }

    /// The same, with numbers shared among followers; they replace this one's tuning for the step.
    StepStatus step(T target, const StepCoefficients& coefficients) noexcept {
        return step_to(target, coefficients.rows<Scalar>());
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
        return step_to(target, target_velocity, cubic_);
    }
    StepStatus step(T target, T target_velocity,
                    const CubicStepCoefficients& coefficients) noexcept {
        return step_to(target, target_velocity, coefficients.rows<Scalar>());
    }

    /// The target really moves there in no time, so the lead acts: the velocity changes by
    /// 2 z w L times the target's travel.
    StepStatus jump(T target) noexcept {
        return leap_to(target, StraightRows<Scalar>{.velocity_of_travel = jump_gain_});
    }

    /// The target is elsewhere from now on; nothing is read into that. The velocity stays.
    StepStatus cut(T target) noexcept { return leap_to(target, StraightRows<Scalar>{}); }

    /// New numbers from here on; value and velocity carry over.
    /// Errors  InvalidValue, with nothing changed.
    void retune(const Tuning& tuning) {
        require_valid(tuning);
        adopt(tuning);
    }

    /// The same without the throw: false, counted and unchanged, for an invalid tuning.
    bool try_retune(const Tuning& tuning) noexcept {
        if (!is_valid(tuning)) {
            reject();
            return false;
        }
        adopt(tuning);
        return true;
    }

    /// A sudden change of velocity.
    StepStatus push(T delta_velocity) noexcept {
        Motion<T> pushed = this->motion();
        pushed.velocity = pushed.velocity + delta_velocity;
        return arrive(pushed);
    }

    /// At `value`, its target there too, at rest.
    StepStatus reset(T value) noexcept { return resume(resting_at(value)); }

    /// Puts it at rest on its present target.
    StepStatus snap() noexcept { return reset(this->target()); }

    /// Takes over from another mover: value, velocity and target are as they were there.
    StepStatus resume(const Motion<T>& motion) noexcept { return settle_into(motion, nullptr); }

    [[nodiscard]] const Tuning& tuning() const noexcept { return tuning_; }
    /// The target's velocity, where the step just before was given it.
    [[nodiscard]] std::optional<T> target_velocity() const noexcept {
        return knows_target_velocity_ ? std::optional<T>{target_velocity_} : std::nullopt;
    }

    [[nodiscard]] static std::span<const Dial<Follower>> dials() noexcept {
        return dials_through_tuning<Follower>();
    }

    /// Kinetic energy and the spring's, per kilogram (per unit of mass).
    [[nodiscard]] double energy() const noexcept requires HasComponents<T> {
        const double w = angular_frequency_rad_per_s(tuning_);
        double sum = 0;
        for (const double each : components_of(this->motion().velocity))
            sum += 0.5 * each * each;
        for (const double each : components_of(this->motion().gap))
            sum += 0.5 * (w * each) * (w * each);
        return sum;
    }

    /// For save_state and load_state (base/state.hpp).
    template <class Fields>
    void visit_state(Fields& fields) {
        fields.begins("follower 2");
        Mover<T>::visit_state(fields);
        fields(knows_target_velocity_, steps_since_look_);
        fields.require(steps_since_look_ < steps_per_look);
        if (!knows_target_velocity_) target_velocity_ = this->velocity() - this->velocity();
        fields(target_velocity_);
    }

  protected:
    using Base::arrive;
    using Base::reject;

    /// A target's velocity expressed anew, where it is known.
    void express_target_velocity(const T& velocity) noexcept { target_velocity_ = velocity; }

  private:
    void adopt(const Tuning& tuning) noexcept {
        tuning_ = tuning;
        jump_gain_ = rounded<Scalar>(jump_rows(tuning)).velocity_of_travel;
        least_velocity_ =
            static_cast<Scalar>(least_gap<Scalar> * angular_frequency_rad_per_s(tuning));
        straight_dt_ = cubic_dt_ = -1;
    }

    StepStatus leap_to(const T& target, const StraightRows<Scalar>& rows) noexcept {
        return settle_into(after(this->motion(), target, rows), nullptr);
    }

    StepStatus step_to(const T& target, const StraightRows<Scalar>& rows) noexcept {
        return step_into(after(this->motion(), target, rows), nullptr);
    }

    StepStatus step_to(const T& target, const T& target_velocity,
                       const CubicRows<Scalar>& rows) noexcept {
        if (!is_finite(target_velocity)) return reject();
        const T* const first = knows_target_velocity_ ? &target_velocity_ : nullptr;
        return step_into(after(this->motion(), target, first, target_velocity, rows),
                         &target_velocity);
    }

    /// A step refused for its target counts as well: so a bank can count for all its followers.
    StepStatus step_into(const Motion<T>& motion, const T* target_velocity) noexcept {
        steps_since_look_ = static_cast<std::uint8_t>((steps_since_look_ + 1) % steps_per_look);
        return steps_since_look_ == 0 ? settle_into(motion, target_velocity)
                                      : go_on_from(motion, target_velocity);
    }

    StepStatus settle_into(Motion<T> motion, const T* target_velocity) noexcept {
        drop_below(motion.gap, static_cast<Scalar>(least_gap<Scalar>));
        drop_below(motion.velocity, least_velocity_);
        return go_on_from(motion, target_velocity);
    }

    /// Arrives there, and remembers the target's velocity or that it is not known.
    StepStatus go_on_from(const Motion<T>& motion, const T* target_velocity) noexcept {
        const StepStatus status = arrive(motion);
        if (status != StepStatus::stepped) return status;
        knows_target_velocity_ = target_velocity != nullptr;
        if (knows_target_velocity_) target_velocity_ = *target_velocity;
        return status;
    }

    T target_velocity_;
    Tuning tuning_;
    StraightRows<Scalar> straight_;
    CubicRows<Scalar> cubic_;
    Scalar jump_gain_ = 0;
    Scalar least_velocity_ = 0;
    bool knows_target_velocity_ = false;
    std::uint8_t steps_since_look_ = 0;
    double straight_dt_ = -1;
    double cubic_dt_ = -1;
};

}  // namespace HOPCOIL_BITS
}  // namespace hopcoil
