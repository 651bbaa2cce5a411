#include "running_mover.hpp"

#include <utility>

#include <hopcoil/base/angles.hpp>

namespace hopcoil::scene {
namespace {

using Stepped = SteppedFollower<double>;

template <class M>
concept FollowsKnownVelocity = requires(M& m) {
    m.step(0.0, 0.0, 0.0);
};
template <class M>
concept HasNoTarget = requires(M& m) {
    m.step(0.0);
    m.launch(0.0);
};
template <class M>
concept HasPush = requires(M& m) {
    m.push(0.0);
};

struct Maker {
    double start;
    bool angle;

    AnyMover operator()(const Tuning& tuning) const {
        if (angle) return AngleFollower<double>{tuning, wrapped_rad(start)};
        return Follower<double>{tuning, start};
    }
    AnyMover operator()(const GlideTuning& tuning) const { return Glide<double>{tuning, start}; }
    AnyMover operator()(const PursuitTuning& tuning) const {
        return Pursuit<double>{tuning, start};
    }
    AnyMover operator()(const SettleNumbers& numbers) const {
        SettleCurve settle{numbers.tuning, start};
        settle.set_stops(numbers.stops);
        return settle;
    }
    AnyMover operator()(const CurveMoveTuning& tuning) const {
        return CurveMove<double>{tuning, start};
    }
    AnyMover operator()(const RelayNumbers& numbers) const {
        return Relay<double>{numbers.tunings, start};
    }
    AnyMover operator()(const CoastTuning& tuning) const { return Coast<double>{tuning, start}; }
    AnyMover operator()(const SteppedNumbers& numbers) const {
        return SteppedFollower<double>{numbers.tuning, numbers.stepping, start};
    }
};

}  // namespace

AnyMover make_mover(const SceneMover& item, bool angle) {
    AnyMover made = std::visit(Maker{item.start, angle}, item.numbers);
    if (item.start_velocity != 0) {
        std::visit(
            [&](auto& mover) {
                if constexpr (HasPush<std::remove_reference_t<decltype(mover)>>) {
                    mover.push(item.start_velocity);
                } else if constexpr (requires { mover.push(0U, 0.0); }) {
                    mover.push(0, item.start_velocity);
                }
            },
            made);
    }
    return made;
}

RunningMover::RunningMover(const SceneMover& item, const SceneTarget& target)
    : target_{&target.path},
      is_led_{target.leader.has_value()},
      angle_{target.is_angle},
      mover_{make_mover(item, target.is_angle)} {
    const double first = as_target(target_->before(0).value);
    std::visit(
        [&](auto& mover) {
            if constexpr (!HasNoTarget<std::remove_reference_t<decltype(mover)>>) mover.cut(first);
        },
        mover_);
    take_up(target_->after(0));
}

void RunningMover::begin_to_lead(std::size_t parts) {
    for (std::size_t part = 0; part < parts; ++part)
        arrivals_.push_back({value(part), velocity(part)});
}

TargetPoint RunningMover::output_after(std::size_t part) const {
    const double here = value(part);
    const double before = arrivals_.at(part).value;
    return {angle_ ? before + wrapped_rad(here - before) : here, velocity(part)};
}

double RunningMover::as_target(double value) const {
    if (std::holds_alternative<AngleFollower<double>>(mover_)) return wrapped_rad(value);
    const auto* stepped = std::get_if<Stepped>(&mover_);
    if (stepped == nullptr || !angle_) return value;
    // The short way from where the target was.
    return stepped->target() + wrapped_rad(value - stepped->target());
}

StepStatus RunningMover::step_to(const TargetPoint& point, double dt) {
    const double value = as_target(point.value);
    return std::visit(
        [&](auto& mover) {
            if constexpr (FollowsKnownVelocity<std::remove_reference_t<decltype(mover)>>) {
                if (is_led_ || !target_->is_straight())
                    return mover.step(value, point.velocity, dt);
            }
            if constexpr (HasNoTarget<std::remove_reference_t<decltype(mover)>>) {
                return mover.step(dt);
            } else {
                return mover.step(value, dt);
            }
        },

        mover_);
}

void RunningMover::take_up(const TargetPoint& point) {
    std::visit(
        [&](auto& mover) {
            if constexpr (FollowsKnownVelocity<std::remove_reference_t<decltype(mover)>>) {
                if (is_led_ || !target_->is_straight()) {
                    mover.step(as_target(point.value), point.velocity, 0.0);
                    return;
                }
            }
            if constexpr (!HasNoTarget<std::remove_reference_t<decltype(mover)>>) {
                if (point.value != mover.target()) mover.jump(as_target(point.value));
            }
        },
        mover_);
}

bool RunningMover::advance(double frame_end_s) {
    while (time_s_ < frame_end_s) {
        const double knot_s = target_->next_knot_s(time_s_);
        const bool at_knot = knot_s <= frame_end_s + same_time_s;
        const double end_s = at_knot ? knot_s : frame_end_s;
        const TargetPoint end = target_->before(end_s);
        if (!go_on(end, end_s)) return false;
        if (!at_knot) continue;
        // What the target does in no time: a jump, or a new velocity.
        const TargetPoint after = target_->after(end_s);
        if (after.value != end.value || after.velocity != end.velocity) take_up(after);
    }
    return true;
}

bool RunningMover::advance_led(double end_s, const TargetPoint& before, const TargetPoint& after) {
    if (!go_on(before, end_s)) return false;
    if (after.value != before.value || after.velocity != before.velocity) take_up(after);
    return true;
}

bool RunningMover::go_on(const TargetPoint& point, double end_s) {
    const StepStatus status = step_to(point, end_s - time_s_);
    if (status == StepStatus::diverged) return false;
    if (status == StepStatus::rejected && !was_refused()) return false;
    time_s_ = end_s;
    for (std::size_t part = 0; part < arrivals_.size(); ++part)
        arrivals_[part] = output_after(part);
    return true;
}

bool RunningMover::was_refused() const {
    const auto* stepped = std::get_if<Stepped>(&mover_);
    return stepped != nullptr && stepped->last_plan().used == Guard::refuse;
}

std::optional<Divergence> RunningMover::divergence() const {
    const auto* stepped = std::get_if<Stepped>(&mover_);
    return stepped == nullptr ? std::nullopt : stepped->divergence();
}

GuardLog RunningMover::guard_log() const {
    const auto* stepped = std::get_if<Stepped>(&mover_);
    return stepped == nullptr ? GuardLog{} : stepped->guard_log();
}

double RunningMover::value(std::size_t part) const {
    const double value = std::visit(
        [part](const auto& mover) {
            if constexpr (requires { mover.value(part); }) {
                return mover.value(part);
            } else {
                return mover.value();
            }
        },
        mover_);
    return angle_ ? wrapped_rad(value) : value;
}

double RunningMover::velocity(std::size_t part) const {
    return std::visit(
        [part](const auto& mover) {
            if constexpr (requires { mover.velocity(part); }) {
                return mover.velocity(part);
            } else {
                return mover.velocity();
            }
        },
        mover_);
}

}  // namespace hopcoil::scene
