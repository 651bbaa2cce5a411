#pragma once

#include <cstddef>
#include <limits>
#include <span>

#include <hopcoil/base/build.hpp>
#include <hopcoil/base/components.hpp>
#include <hopcoil/base/dial.hpp>
#include <hopcoil/follow/detail/stop_profile.hpp>
#include <hopcoil/follow/mover.hpp>

namespace hopcoil {

/// The caps a Pursuit keeps.
///
/// Units   lengths of the value per second, and per second squared; above 0. An infinite
///         acceleration caps the speed alone.
struct PursuitTuning {
    double max_speed = 1.0;
    double max_acceleration = std::numeric_limits<double>::infinity();

    static constexpr std::size_t dial_count = 2;
    [[nodiscard]] static std::span<const Dial<PursuitTuning>> dials() noexcept;
    friend bool operator==(const PursuitTuning&, const PursuitTuning&) = default;
};
/// Errors  InvalidValue for a number that is not above 0, or a speed that is not finite.
void require_valid(const PursuitTuning& tuning);
[[nodiscard]] bool is_valid(const PursuitTuning& tuning) noexcept;

/// Stops along the line to the target and across it, both in the same time, each under its share
/// of the caps.
struct PursuitPlan {
    StopProfile along;
    StopProfile across;
};
[[nodiscard]] PursuitPlan plan_pursuit(double way, double speed_along, double speed_across,
                                       const PursuitTuning& tuning) noexcept;

inline namespace HOPCOIL_BITS {

/// A value that goes to its target as fast as two caps allow, and stops there.
///
///     Pursuit<Vector3f> boom{{.max_speed = 2, .max_acceleration = 5}, here};
///     boom.step(berth, dt);
///
/// Model   for a target that stands still, the quickest way to stop on it under caps on speed and
///         acceleration; it passes the target only if it arrives too fast, and then by the least
///         possible. A motion not straight at the target is stopped along and across in the same
///         time, each with a share of the caps. Planned anew whenever the target moves, as if it
///         then stood still: behind one of steady speed s it trails by s^2 / (2 max_acceleration);
///         sent `ahead_of` it (intent.hpp) by s / (2 max_acceleration) seconds it does not.
/// Shapes  any value whose numbers can be reached; the caps apply to its length, whatever the
///         target does. Only what began too fast, or was pushed, is above the cap on speed until it
///         has slowed down to it.
/// Units   seconds, lengths as in T.
/// Source  docs/math/pursuit.md. Exact for a held target: the motion is the same at every rate.
/// Errors  as Follower.
/// Cost    to a held target, two short combinations; some square roots when the target has moved.
///
/// With the speed capped alone only the value is continuous, and there is nothing to `push`.
template <HasComponents T>
class Pursuit : public Mover<T> {
    using Base = Mover<T>;

  public:
    using Scalar = ScalarIn<T>;
    static constexpr bool takes_target_at_once = true;
    using Parameters = PursuitTuning;

    /// Errors  InvalidValue for invalid caps.
    Pursuit(const PursuitTuning& tuning, T start)
        : Base{start}, along_{start - start}, across_{start - start} {
        retune(tuning);
    }

    /// The target is at `target`, and `dt` seconds pass.
    StepStatus step(T target, double dt) noexcept {
        if (!is_time_step(dt)) return this->reject();
        if (const StepStatus cut_there = cut(target); cut_there != StepStatus::stepped) {
            return cut_there;
        }
        if (!planned_) plan();
        const double time_s = elapsed_s_ + dt;
        const StopProfile::State along = plan_.along.at(time_s);
        const StopProfile::State across = plan_.across.at(time_s);
        const StepStatus status = this->arrive({target, together(along.place, across.place),
                                                together(along.velocity, across.velocity)});
        if (status == StepStatus::stepped) elapsed_s_ = time_s;
        return status;
    }

    /// The target is elsewhere at once; the velocity stays.
    StepStatus jump(T target) noexcept { return cut(target); }
    StepStatus cut(T target) noexcept {
        const Motion<T>& now = this->motion();
        const T travel = target - now.target;
        if (is_within(travel, 0)) return StepStatus::stepped;
        return resume({target, now.gap - travel, now.velocity});
    }

    /// New caps from here on; value and velocity carry over.
    /// Errors  InvalidValue, with nothing changed.
    void retune(const PursuitTuning& tuning) {
        require_valid(tuning);
        tuning_ = tuning;
        planned_ = false;
    }
    bool try_retune(const PursuitTuning& tuning) noexcept {
        if (!is_valid(tuning)) {
            this->reject();
            return false;
        }
        tuning_ = tuning;
        planned_ = false;
        return true;
    }

    StepStatus push(T delta_velocity) noexcept {
        Motion<T> pushed = this->motion();
        pushed.velocity = pushed.velocity + delta_velocity;
        return resume(pushed);
    }
    StepStatus reset(T value) noexcept { return resume(resting_at(value)); }
    /// Puts it at rest on its present target.
    StepStatus snap() noexcept { return reset(this->target()); }
    StepStatus resume(const Motion<T>& motion) noexcept {
        const StepStatus status = this->arrive(motion);
        if (status == StepStatus::stepped) planned_ = false;
        return status;
    }

    /// How long until it stops on the target as it stands.
    [[nodiscard]] double time_left_s() const noexcept {
        Pursuit ahead = *this;
        if (!ahead.planned_) ahead.plan();
        const double along = ahead.plan_.along.duration_s();
        const double across = ahead.plan_.across.duration_s();
        const double left = (along > across ? along : across) - ahead.elapsed_s_;
        return left > 0 ? left : 0;
    }

    [[nodiscard]] T target_on_way(const T& target, double /*part*/) const noexcept {
        return target;
    }

    [[nodiscard]] const PursuitTuning& tuning() const noexcept { return tuning_; }
    [[nodiscard]] static std::span<const Dial<Pursuit>> dials() noexcept {
        return dials_through_tuning<Pursuit>();
    }

    /// For save_state and load_state (base/state.hpp).
    template <class Fields>
    void visit_state(Fields& fields) {
        fields.begins("pursuit 2");
        Mover<T>::visit_state(fields);
        fields(planned_);
        if (!planned_) along_ = across_ = this->velocity() - this->velocity();
        fields(plan_.along, plan_.across, along_, across_, elapsed_s_);
    }

  protected:
    void express(const Motion<T>& motion) noexcept {
        Base::express(motion);
        planned_ = false;
    }

  private:
    [[nodiscard]] T together(double along, double across) const noexcept {
        return scaled(along_, static_cast<Scalar>(along)) +
               scaled(across_, static_cast<Scalar>(across));
    }

    [[nodiscard]] static double dot(const T& a, const T& b) noexcept {
        const auto x = components_of(a);
        const auto y = components_of(b);
        double sum = 0;
        for (std::size_t i = 0; i < x.size(); ++i)
            sum += static_cast<double>(x[i]) * static_cast<double>(y[i]);
        return sum;
    }

    /// Along the line to the target, and across it as the velocity goes.
    void plan() noexcept {
        const Motion<T>& now = this->motion();
        const double way = length_of(now.gap);
        const double speed = length_of(now.velocity);
        const T nothing = now.gap - now.gap;
        // What is smaller has no direction: it could not be divided by its size.
        constexpr double least_size = least_gap<Scalar>;
        along_ = way > least_size     ? scaled(now.gap, static_cast<Scalar>(1 / way))
                 : speed > least_size ? scaled(now.velocity, static_cast<Scalar>(1 / speed))
                                      : nothing;
        const double speed_along = dot(now.velocity, along_);
        across_ = now.velocity - scaled(along_, static_cast<Scalar>(speed_along));
        double speed_across = length_of(across_);
        // What rounding leaves of a straight approach is none.
        constexpr double least = 16 * static_cast<double>(std::numeric_limits<Scalar>::epsilon());
        if (speed_across > least * speed && speed_across > least_size) {
            across_ = scaled(across_, static_cast<Scalar>(1 / speed_across));
        } else {
            across_ = nothing;
            speed_across = 0;
        }
        plan_ = plan_pursuit(way, speed_along, speed_across, tuning_);
        elapsed_s_ = 0;
        planned_ = true;
    }

    PursuitTuning tuning_;
    PursuitPlan plan_;
    T along_;
    T across_;
    double elapsed_s_ = 0;
    bool planned_ = false;
};

}  // namespace HOPCOIL_BITS
}  // namespace hopcoil
