#pragma once

#include <algorithm>
#include <cmath>
#include <limits>
#include <stdexcept>
#include <type_traits>
#include <utility>
#include <variant>
#include <vector>

#include <fmt/format.h>

#include <hopcoil/base/angles.hpp>
#include <hopcoil/base/math.hpp>

#include "kit.hpp"
#include "running_mover.hpp"
#include "step_length.hpp"

namespace hopcoil::scene {

template <class M, class T, class V>
concept FollowsKnownVelocity = requires(M& m, const T& value, const V& velocity) {
    m.step(value, velocity, 0.0);
};
template <class M>
concept HasNoTarget = requires(M& m) {
    m.step(0.0);
    m.time_to_rest_s();
};

/// Makes the mover that some numbers ask for, of a T.
template <class T>
class MoverMaker {
    using Movers = typename Kit<T>::Movers;

  public:
    MoverMaker(const SceneMover& item, bool angle)
        : start_{Kit<T>::value_from(item.start)}, angle_{angle} {}

    Movers operator()(const Tuning& tuning) const {
        if constexpr (std::is_same_v<T, double>) {
            if (angle_) return AngleFollower<double>{tuning, wrapped_rad(start_)};
        }
        return Follower<T>{tuning, start_};
    }
    Movers operator()(const GlideTuning& tuning) const { return Glide<T>{tuning, start_}; }
    Movers operator()(const PursuitTuning& tuning) const { return Pursuit<T>{tuning, start_}; }
    Movers operator()(const CurveMoveTuning& tuning) const { return CurveMove<T>{tuning, start_}; }
    Movers operator()(const SettleParameters& numbers) const {
        return Kit<T>::settle(numbers, start_);
    }
    Movers operator()(const CascadeParameters& numbers) const {
        return Cascade<T>{numbers.tunings, start_};
    }
    Movers operator()(const CoastParameters& numbers) const {
        Coast<T> coast{numbers.tuning, start_};
        coast.set_bounds(Kit<T>::value_from(numbers.low), Kit<T>::value_from(numbers.high));
        return coast;
    }
    Movers operator()(const SteppedParameters& numbers) const {
        return SteppedFollower<T>{numbers.tuning, numbers.stepping, start_};
    }
    Movers operator()(const BoundedParameters& numbers) const {
        return BoundedFollower<T>{
            numbers.tuning,
            {Kit<T>::value_from(numbers.low), Kit<T>::value_from(numbers.high), numbers.margin},
            start_};
    }
    Movers operator()(const SizeParameters& numbers) const {
        return SizeFollower<T>{numbers.tuning, start_};
    }

  private:
    T start_;
    bool angle_;
};

/// Of a rotation: only some movers turn.
template <>
class MoverMaker<Quaternion> {
    using Movers = Kit<Quaternion>::Movers;

  public:
    MoverMaker(const SceneMover& item, bool /*angle*/)
        : item_{item}, start_{Kit<Quaternion>::value_from(item.start)} {}

    Movers operator()(const Tuning& tuning) const { return RotationFollower{tuning, start_}; }
    Movers operator()(const GlideTuning& tuning) const { return RotationGlide{tuning, start_}; }
    Movers operator()(const PursuitTuning& tuning) const { return RotationPursuit{tuning, start_}; }
    Movers operator()(const CurveMoveTuning& tuning) const { return RotationCurve{tuning, start_}; }
    template <class Other>
    Movers operator()(const Other&) const {
        throw std::invalid_argument{
            fmt::format("{}.{}: such a mover cannot turn; a rotation takes a follower (exact), a "
                        "glide, a pursuit or a curve",
                        kind_of(item_.numbers), item_.name)};
    }

  private:
    const SceneMover& item_;
    Quaternion start_;
};

template <class T>
class RunningMoverOf final : public RunningMover {
    using Velocity = typename Kit<T>::Velocity;
    struct Point {
        T value{};
        Velocity velocity{};
        friend bool operator==(const Point&, const Point&) = default;
    };

  public:
    RunningMoverOf(const SceneMover& item, const SceneTarget& target)
        : item_{&item},
          target_{&target},
          is_led_{target.is_led()},
          angle_{target.is_angle()},
          has_bent_course_{std::holds_alternative<BoundedParameters>(item.numbers) ||
                           std::holds_alternative<SizeParameters>(item.numbers)},
          knows_velocity_{is_led_ || !target.path.is_straight()},
          mover_{std::visit(MoverMaker<T>{item, target.is_angle()}, item.numbers)} {
        if (!(item.initial_velocity == ValueArray{}))
            push(Kit<T>::velocity_from(item.initial_velocity));
        const T begin = point_at(0, false).value;
        go_shorter_way(begin);
        const T first = as_target(begin);
        std::visit(
            [&](auto& mover) {
                if constexpr (!HasNoTarget<std::remove_reference_t<decltype(mover)>>)
                    mover.cut(first);
            },
            mover_);
        if (!is_led_) take_up(point_at(0, true));
        kick_now();
    }

    bool advance(double frame_end_s) override {
        while (time_s_ < frame_end_s) {
            const double breakpoint_s = next_breakpoint_s();
            const bool at_breakpoint = breakpoint_s <= frame_end_s + same_time_s;
            const double end_s = at_breakpoint ? breakpoint_s : frame_end_s;
            const Point end = point_at(end_s, false);
            if (!go_on(end, end_s)) return false;
            if (!at_breakpoint) continue;
            // What the target does in no time: a jump, or a new velocity.
            const Point after = point_at(end_s, true);
            if (!(after == end)) take_up(after);
            kick_now();
        }
        return true;
    }

    void meet(const ValueAndVelocity& point) override { take_up(point_from(point)); }

    bool advance_led(double end_s, const ValueAndVelocity& before,
                     const ValueAndVelocity& after) override {
        if (!go_on(point_from(before), end_s)) return false;
        if (!(after.value == before.value && after.velocity == before.velocity)) {
            take_up(point_from(after));
        }
        kick_now();
        return true;
    }

    bool advance_straight(double end_s, const ValueArray& place) override {
        const Point end{Kit<T>::value_from(place), {}};
        if (!go_on(end, end_s, Along::chord)) return false;
        kick_now();
        return true;
    }

    void save(StateWriter& out) override { visit_state(out); }
    void load(StateReader& in) override { visit_state(in); }

    void begin_to_lead(std::size_t parts) override {
        for (std::size_t part = 0; part < parts; ++part)
            arrivals_.push_back(shown(part));
    }
    [[nodiscard]] ValueAndVelocity output_before(std::size_t part) const override {
        return arrivals_.at(part);
    }
    [[nodiscard]] ValueAndVelocity output_after(std::size_t part) const override {
        ValueAndVelocity here = shown(part);
        if (angle_) {
            const double before = arrivals_.at(part).value[0];
            here.value[0] = before + wrapped_rad(here.value[0] - before);
        }
        return here;
    }

    [[nodiscard]] ValueAndVelocity shown(std::size_t part) const override {
        ValueAndVelocity point = std::visit(
            [part](const auto& mover) -> ValueAndVelocity {
                if constexpr (requires { mover.value(part); }) {
                    return {Kit<T>::place_of(mover.value(part)),
                            Kit<T>::place_of(mover.velocity(part))};
                } else {
                    return {Kit<T>::place_of(mover.value()), Kit<T>::place_of(mover.velocity())};
                }
            },
            mover_);
        if (angle_) point.value[0] = wrapped_rad(point.value[0]);
        return point;
    }
    [[nodiscard]] ValueArray target() const override {
        return std::visit([](const auto& mover) { return Kit<T>::place_of(mover.target()); },
                          mover_);
    }

    [[nodiscard]] double next_kick_s(double time_s) const override {
        for (const Kick& kick : item_->kicks) {
            if (kick.at_s > time_s) return kick.at_s;
        }
        return std::numeric_limits<double>::infinity();
    }

    [[nodiscard]] std::optional<Divergence> divergence() const override {
        return std::visit(
            [](const auto& mover) -> std::optional<Divergence> {
                if constexpr (requires { mover.divergence(); }) return mover.divergence();
                return std::nullopt;
            },
            mover_);
    }
    [[nodiscard]] GuardLog guard_log() const override {
        return std::visit(
            [](const auto& mover) -> GuardLog {
                if constexpr (requires { mover.guard_log(); }) return mover.guard_log();
                return {};
            },
            mover_);
    }

  private:
    /// How the target goes in a step: as its course does, or straight.
    enum class Along : unsigned char { course, chord };

    template <class Fields>
    void visit_state(Fields& fields) {
        std::visit([&](auto& mover) { fields(mover); }, mover_);
        for (ValueAndVelocity& arrival : arrivals_)
            fields(arrival.value.numbers, arrival.velocity.numbers);
        fields(time_s_, step_length_, turns_rad_);
        fields.require(time_s_ >= 0);
    }

    static Point point_from(const ValueAndVelocity& point) {
        return {Kit<T>::value_from(point.value), Kit<T>::velocity_from(point.velocity)};
    }

    [[nodiscard]] Point point_at(double time_s, bool after) const {
        if constexpr (std::is_same_v<T, double>) {
            const Target& lane = target_->path.component();
            const TargetPoint point = after ? lane.after(time_s) : lane.before(time_s);
            return {point.value, point.velocity};
        } else {
            return point_from(after ? target_->path.after(time_s) : target_->path.before(time_s));
        }
    }

    [[nodiscard]] double next_breakpoint_s() const {
        double breakpoint_s = target_->path.next_breakpoint_s(time_s_);
        if (!item_->kicks.empty()) breakpoint_s = std::min(breakpoint_s, next_kick_s(time_s_));
        // What is bent in the mover's own coordinate is straight in short steps.
        constexpr double steps_per_s = 480;
        if (has_bent_course_ && !(point_at(time_s_, true).velocity == Velocity{})) {
            breakpoint_s = std::min(breakpoint_s,
                                    (std::floor(time_s_ * steps_per_s + 1e-6) + 1) / steps_per_s);
        }
        return breakpoint_s;
    }

    [[nodiscard]] T as_target(const T& value) const {
        if constexpr (std::is_same_v<T, double>) {
            if (!angle_) return value;
            if (std::holds_alternative<AngleFollower<double>>(mover_)) return wrapped_rad(value);
            return value + turns_rad_;
        }
        return value;
    }

    /// A direction that leaps elsewhere has gone there the shorter way; between stops there is one
    /// way alone.
    void go_shorter_way(const T& value) {
        if constexpr (std::is_same_v<T, double>) {
            const auto* settle = std::get_if<SettleParameters>(&item_->numbers);
            if (!angle_ || (settle != nullptr && settle->stops[0] != Stops{})) return;
            const double from =
                std::visit([](const auto& mover) -> double { return mover.target(); }, mover_);
            const double way = value + turns_rad_ - from;
            if (std::abs(way) > math::pi) turns_rad_ += wrapped_rad(way) - way;
        }
    }

    StepStatus step_to(const Point& point, double dt, Along along) {
        const T value = as_target(point.value);
        return std::visit(
            [&](auto& mover) {
                using M = std::remove_reference_t<decltype(mover)>;
                if constexpr (FollowsKnownVelocity<M, T, Velocity>) {
                    if (knows_velocity_ && along == Along::course)
                        return mover.step(value, point.velocity, dt);
                }
                if constexpr (HasNoTarget<M>) {
                    return mover.step(dt);
                } else {
                    return mover.step(value, dt);
                }
            },
            mover_);
    }

    void take_up(const Point& point) {
        go_shorter_way(point.value);
        const T value = as_target(point.value);
        std::visit(
            [&](auto& mover) {
                using M = std::remove_reference_t<decltype(mover)>;
                if constexpr (FollowsKnownVelocity<M, T, Velocity>) {
                    if (knows_velocity_) {
                        mover.step(value, point.velocity, 0.0);
                        return;
                    }
                }
                if constexpr (!HasNoTarget<M>) {
                    if (!(value == mover.target())) mover.jump(value);
                }
            },
            mover_);
    }

    bool go_on(const Point& point, double end_s, Along along = Along::course) {
        const StepStatus status = step_to(point, step_length_.from_to(time_s_, end_s), along);
        if (status == StepStatus::diverged) return false;
        if (status == StepStatus::rejected && !was_refused()) return false;
        time_s_ = end_s;
        for (std::size_t part = 0; part < arrivals_.size(); ++part)
            arrivals_[part] = output_after(part);
        return true;
    }

    [[nodiscard]] bool was_refused() const {
        return std::visit(
            [](const auto& mover) {
                if constexpr (requires { mover.last_plan(); }) {
                    return mover.last_plan().used == Guard::refuse;
                } else {
                    return false;
                }
            },
            mover_);
    }

    /// The kicks of this moment.
    void kick_now() {
        for (const Kick& kick : item_->kicks) {
            if (kick.at_s == time_s_) push(Kit<T>::velocity_from(kick.velocity));
        }
    }

    void push(const Velocity& velocity) {
        std::visit(
            [&](auto& mover) {
                if constexpr (HasNoTarget<std::remove_reference_t<decltype(mover)>>) {
                    launch(mover, velocity);
                } else if constexpr (requires { mover.push(velocity); }) {
                    mover.push(velocity);
                } else if constexpr (requires { mover.push(0U, velocity); }) {
                    mover.push(0, velocity);
                }
            },
            mover_);
    }

    template <class Coasting>
    void launch(Coasting& coast, const Velocity& velocity) const {
        const auto& numbers = std::get<CoastParameters>(item_->numbers);
        if (numbers.snap_points.empty()) {
            coast.launch(velocity);
            return;
        }
        std::vector<T> points;
        points.reserve(numbers.snap_points.size());
        for (const ValueArray& point : numbers.snap_points)
            points.push_back(Kit<T>::value_from(point));
        coast.launch(velocity, std::span<const T>{points});
    }

    const SceneMover* item_;
    const SceneTarget* target_;
    bool is_led_;
    bool angle_;
    bool has_bent_course_;
    bool knows_velocity_;  ///< its target is a cubic between breakpoints, with its velocity
    typename Kit<T>::Movers mover_;
    std::vector<ValueAndVelocity>
        arrivals_;  ///< of each part that may lead, before the events of now
    double time_s_ = 0.0;
    double turns_rad_ = 0.0;  ///< whole ones, between its course and what it is told of it
    StepLength step_length_;
};

}  // namespace hopcoil::scene
