#pragma once

#include <concepts>
#include <ranges>

#include <hopcoil/base/build.hpp>
#include <hopcoil/base/components.hpp>
#include <hopcoil/base/system.hpp>
#include <hopcoil/follow/motion.hpp>

namespace hopcoil {

/// When nothing visible is left to happen.
///
/// Model   at rest when the gap is at most max(distance, of_excursion x the largest gap since it
///         woke), and the velocity would cover no more than that in `within_s`.
/// Units   distance as the value; within_s seconds.
struct RestRule {
    double distance = 0.0;
    double of_excursion = 1e-3;
    double within_s = 0.1;
};
/// Errors  InvalidValue for a number that is not finite and >= 0.
void require_valid(const RestRule& rule);

inline namespace HOPCOIL_BITS {

/// A mover that falls asleep when nothing visible is left to happen: it snaps onto its target, does
/// no more work, and wakes on a new target, a push, a jump.
///
///     Sleeper lamp{Follower<float>{tuning, 0.f}};
///     lamp.step(hook, dt);
///     if (is_anything_moving(lamps)) draw();
///
/// Errors  InvalidValue for an invalid rule.
/// Cost    asleep, one comparison of targets a step.
template <class M>
class Sleeper {
  public:
    using Value = decltype(std::declval<const M&>().value());
    using Inputs = Value;

    explicit Sleeper(M mover, const RestRule& rule = {}) : mover_{std::move(mover)}, rule_{rule} {
        require_valid(rule);
        asleep_ = mover_.still();
    }

    StepStatus step(const Value& target, double dt) noexcept {
        const bool held = target == mover_.target();
        if (asleep_ && held) return StepStatus::stepped;
        wake();
        const StepStatus status = mover_.step(target, dt);
        const double excursion = length_of(mover_.motion().gap);
        largest_ = excursion > largest_ ? excursion : largest_;
        if (held && status == StepStatus::stepped && is_over()) {
            mover_.reset(target);
            asleep_ = true;
            largest_ = 0;
        }
        return status;
    }
    StepStatus jump(const Value& target) noexcept {
        wake();
        return mover_.jump(target);
    }
    StepStatus cut(const Value& target) noexcept {
        wake();
        return mover_.cut(target);
    }
    StepStatus push(const Value& delta_velocity) noexcept requires requires(M& m) {
        m.push(delta_velocity);
    }
    {
        wake();
        return mover_.push(delta_velocity);
    }

    void wake() noexcept { asleep_ = false; }
    [[nodiscard]] bool is_asleep() const noexcept { return asleep_; }
    [[nodiscard]] bool still() const noexcept { return asleep_ || mover_.still(); }

    [[nodiscard]] Value value() const noexcept { return mover_.value(); }
    [[nodiscard]] Value velocity() const noexcept { return mover_.velocity(); }
    [[nodiscard]] Value target() const noexcept { return mover_.target(); }
    [[nodiscard]] const M& mover() const noexcept { return mover_; }

    /// For save_state and load_state (base/state.hpp).
    template <class Fields>
    void each_state(Fields& fields) {
        fields.begins("sleeper 1");
        fields(mover_, largest_, asleep_);
    }

  private:
    [[nodiscard]] bool is_over() const noexcept {
        const double relative = rule_.of_excursion * largest_;
        const double distance = relative > rule_.distance ? relative : rule_.distance;
        const double speed = rule_.within_s > 0 ? distance / rule_.within_s : 0;
        return mover_.at_rest(distance, speed);
    }

    M mover_;
    RestRule rule_;
    double largest_ = 0;
    bool asleep_ = false;
};

/// Whether any of them, sleepers or plain movers, is not exactly at rest.
template <std::ranges::input_range Movers>
[[nodiscard]] bool is_anything_moving(const Movers& movers) noexcept {
    for (const auto& each : movers) {
        if (!each.still()) return true;
    }
    return false;
}

}  // namespace HOPCOIL_BITS
}  // namespace hopcoil
