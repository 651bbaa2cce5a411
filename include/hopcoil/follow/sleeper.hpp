#pragma once

#include <concepts>
#include <cstdint>
#include <ranges>
#include <span>
#include <utility>

#include <hopcoil/base/build.hpp>
#include <hopcoil/base/channel.hpp>
#include <hopcoil/base/components.hpp>
#include <hopcoil/base/dial.hpp>
#include <hopcoil/base/system.hpp>
#include <hopcoil/base/time_step.hpp>
#include <hopcoil/follow/mover.hpp>

namespace hopcoil {

/// When a motion counts as finished.
///
/// Model   at rest when the gap is at most max(distance, of_excursion x the largest gap since it
///         woke), and the velocity would cover no more than that in `within_s`.
/// Units   distance as the mover's own `at_rest`; within_s seconds.
struct RestRule {
    double distance = 0.0;
    double of_excursion = 1e-3;
    double within_s = 0.1;
};
/// Errors  InvalidValue for a number that is not finite and >= 0.
void require_valid(const RestRule& rule);

inline namespace HOPCOIL_BITS {

/// A mover that falls asleep when no visible motion is left: it snaps onto its target, costs
/// nothing, and wakes on a new target, a push, a jump.
///
///     Sleeper lamp{Follower<float>{tuning, 0.f}};
///     lamp.step(hook, dt);
///     if (is_anything_moving(lamps)) draw();
///
/// Shapes  any mover that takes a target: of numbers, angles, rotations, poses.
/// Errors  InvalidValue for an invalid rule; else those of the mover.
/// Cost    asleep, one comparison of targets a step.
template <class M>
class Sleeper {
  public:
    using Value = decltype(std::declval<const M&>().value());
    using Velocity = decltype(std::declval<const M&>().velocity());
    using Moving = decltype(std::declval<const M&>().motion());
    using Inputs = typename M::Inputs;
    using Parameters = typename M::Parameters;

    explicit Sleeper(M mover, const RestRule& rule = {})
        : mover_{std::move(mover)}, rule_{rule}, aim_{mover_.target()} {
        require_valid(rule);
        asleep_ = mover_.still();
    }

    StepStatus step(const Inputs& target, double dt) noexcept {
        const bool held = is_same(target, aim_);
        if (asleep_ && held && is_time_step(dt)) return StepStatus::stepped;
        const StepStatus status = mover_.step(target, dt);
        if (status == StepStatus::rejected || status == StepStatus::diverged) return status;
        wake_for(target);
        const double excursion = mover_.distance_to_target();
        largest_ = excursion > largest_ ? excursion : largest_;
        if (held && is_over()) fall_asleep();
        return status;
    }
    StepStatus jump(const Inputs& target) noexcept {
        return woken(target, [&] { return mover_.jump(target); });
    }
    StepStatus cut(const Inputs& target) noexcept {
        return woken(target, [&] { return mover_.cut(target); });
    }
    /// Puts it to sleep there.
    StepStatus reset(const Inputs& value) noexcept {
        const StepStatus status = woken(value, [&] { return mover_.reset(value); });
        if (status == StepStatus::stepped) fall_asleep();
        return status;
    }
    /// Asleep on its target, as that stands.
    StepStatus snap() noexcept {
        fall_asleep();
        return StepStatus::stepped;
    }
    StepStatus push(const Velocity& delta_velocity) noexcept requires requires(M& m) {
        m.push(delta_velocity);
    }
    {
        return woken(aim_, [&] { return mover_.push(delta_velocity); });
    }
    /// Takes over from another mover.
    StepStatus resume(const Moving& motion) noexcept {
        const StepStatus status = mover_.resume(motion);
        if (status == StepStatus::stepped) wake_for(mover_.target());
        return status;
    }

    /// New numbers; they do not wake it, since a mover at rest on its target stays there.
    /// Errors  as the mover's.
    void retune(const Parameters& tuning) { mover_.retune(tuning); }
    bool try_retune(const Parameters& tuning) { return mover_.try_retune(tuning); }

    void wake() noexcept { asleep_ = false; }
    /// The mover, woken, for functions that only it has, such as those of a cascade's links.
    [[nodiscard]] M& woken_mover() noexcept {
        wake();
        return mover_;
    }
    [[nodiscard]] bool is_asleep() const noexcept { return asleep_; }
    [[nodiscard]] bool still() const noexcept { return asleep_ || mover_.still(); }
    [[nodiscard]] bool at_rest(double distance, double speed) const noexcept {
        return mover_.at_rest(distance, speed);
    }

    [[nodiscard]] Value value() const noexcept { return mover_.value(); }
    [[nodiscard]] Velocity velocity() const noexcept { return mover_.velocity(); }
    [[nodiscard]] Value target() const noexcept { return mover_.target(); }
    [[nodiscard]] Moving motion() const noexcept { return mover_.motion(); }
    /// The angle with every turn it has made.
    [[nodiscard]] double turned() const noexcept requires requires(const M& m) { m.turned(); }
    { return mover_.turned(); }
    [[nodiscard]] Parameters tuning() const { return mover_.tuning(); }
    [[nodiscard]] std::uint64_t rejected_inputs() const noexcept {
        return mover_.rejected_inputs();
    }
    [[nodiscard]] double distance_to_target() const noexcept { return mover_.distance_to_target(); }
    [[nodiscard]] Inputs target_on_way(const Inputs& target, double part) const noexcept {
        return mover_.target_on_way(target, part);
    }
    [[nodiscard]] const M& mover() const noexcept { return mover_; }

    [[nodiscard]] static std::span<const Channel> channels() noexcept requires System<M> {
        return M::channels();
    }
    void read(std::span<double> numbers) const noexcept requires System<M> { mover_.read(numbers); }
    [[nodiscard]] static std::span<const Dial<Sleeper>> dials() noexcept requires System<M> {
        return dials_through_tuning<Sleeper>();
    }

    /// For save_state and load_state (base/state.hpp).
    template <class Fields>
    void visit_state(Fields& fields) {
        fields.begins("sleeper 2");
        fields(mover_, aim_, largest_, asleep_);
    }

  private:
    void wake_for(const Inputs& target) noexcept {
        aim_ = target;
        asleep_ = false;
    }
    template <class Change>
    StepStatus woken(const Inputs& target, const Change& change) noexcept {
        const StepStatus status = change();
        if (status == StepStatus::stepped) wake_for(target);
        return status;
    }
    void fall_asleep() noexcept {
        mover_.snap();
        asleep_ = true;
        largest_ = 0;
    }

    [[nodiscard]] bool is_over() const noexcept {
        const double relative = rule_.of_excursion * largest_;
        const double distance = relative > rule_.distance ? relative : rule_.distance;
        const double speed = rule_.within_s > 0 ? distance / rule_.within_s : 0;
        return mover_.at_rest(distance, speed);
    }

    M mover_;
    RestRule rule_;
    Inputs aim_;  ///< the target as it was last given
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
