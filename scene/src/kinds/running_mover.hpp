#pragma once

#include <algorithm>
#include <cmath>
#include <concepts>
#include <limits>
#include <memory>
#include <optional>
#include <type_traits>
#include <utility>
#include <vector>

#include <fmt/format.h>

#include <hopcoil/base/angles.hpp>
#include <hopcoil/base/math.hpp>
#include <hopcoil/base/quaternion.hpp>
#include <hopcoil/follow/watcher.hpp>
#include <hopcoil/scene/kinds/movers.hpp>
#include <hopcoil/stepping/divergence_watch.hpp>
#include <hopcoil/stepping/guard.hpp>

#include "../run/step_length.hpp"
#include "mover_spec.hpp"
#include "row.hpp"

namespace hopcoil::scene {

// Values of movers from the arrays of a scene, and back.
template <class T>
[[nodiscard]] T from_array(const ValueArray& array) {
    if constexpr (std::same_as<T, double>) {
        return array[0];
    } else if constexpr (std::same_as<T, Quaternion>) {
        return {array[0], array[1], array[2], array[3]};
    } else if constexpr (std::same_as<T, Vector3>) {
        return {array[0], array[1], array[2]};
    } else {
        T row;
        for (std::size_t i = 0; i < row.numbers.size(); ++i)
            row.numbers[i] = array[i];
        return row;
    }
}
[[nodiscard]] inline ValueArray to_array(double value) {
    return value;
}
[[nodiscard]] inline ValueArray to_array(const Quaternion& q) {
    return ValueArray{{q.w, q.x, q.y, q.z}};
}
[[nodiscard]] inline ValueArray to_array(const Vector3& v) {
    return ValueArray{{v.x, v.y, v.z, 0}};
}
template <std::size_t n>
[[nodiscard]] ValueArray to_array(const Row<n>& row) {
    ValueArray array;
    for (std::size_t i = 0; i < n; ++i)
        array[i] = row.numbers[i];
    return array;
}

template <class T>
using VelocityOf = std::conditional_t<std::same_as<T, Quaternion>, Vector3, T>;

template <class M, class T>
concept FollowsKnownVelocity = requires(M& m, const T& value, const VelocityOf<T>& velocity) {
    m.step(value, velocity, 0.0);
};
template <class M>
concept HasNoTarget = requires(M& m) {
    m.step(0.0);
    m.time_to_rest_s();
};

/// Watches a mover of one number, with limits of rest relative to the motion under way.
template <class M>
class MoverWatch {
  public:
    explicit MoverWatch(M mover) : watcher_{std::move(mover), {}, {0, 0}} {}

    [[nodiscard]] M& mover() { return watcher_.mover(); }
    [[nodiscard]] const M& mover() const { return watcher_.mover(); }

    StepStatus step(const typename M::Inputs& target, double dt) {
        return noticed([&] { return watcher_.step(target, dt); });
    }
    /// A mover that cannot be looked into along a cubic is, along the straight line: its steps are
    /// short.
    StepStatus step(double target, double velocity, double dt) {
        if constexpr (requires { watcher_.step(target, velocity, dt); })
            return noticed([&] { return watcher_.step(target, velocity, dt); });
        return noticed([&] { return watcher_.step(target, dt); });
    }
    /// At rest, then how often it reached its target, turned and settled since the last call.
    void read(std::span<double> numbers) {
        // A jump or a kick of this moment ends its rest at once.
        const bool moves = std::abs(mover().motion().gap) > visible * furthest_ ||
                           std::abs(mover().velocity()) > visible * fastest_;
        numbers[0] = watcher_.is_at_rest() && !moves ? 1 : 0;
        numbers[1] = reached_;
        numbers[2] = turned_;
        numbers[3] = settled_;
        reached_ = turned_ = settled_ = 0;
    }

    template <class Fields>
    void visit_state(Fields& fields) {
        fields(watcher_, furthest_, fastest_, reached_, turned_, settled_);
    }

  private:
    /// Motion smaller than this part of its largest distance or speed cannot be seen.
    static constexpr double visible = 1e-3;

    template <class Step>
    StepStatus noticed(const Step& step) {
        notice_size();
        bool rests = watcher_.is_at_rest();
        const StepStatus status = step();
        for (const Event& event : watcher_.events()) {
            if (event.kind == EventKind::started) {  // a new motion, however small beside the last
                furthest_ = fastest_ = 0;
                rests = false;
            }
            // Events within the limits of rest cannot be seen.
            if (event.kind == EventKind::reached && !rests) ++reached_;
            if (event.kind == EventKind::turned && !rests) ++turned_;
            if (event.kind == EventKind::settled) {
                ++settled_;
                rests = true;
            }
        }
        notice_size();
        return status;
    }
    void notice_size() {
        furthest_ = std::max(furthest_, std::abs(mover().motion().gap));
        fastest_ = std::max(fastest_, std::abs(mover().velocity()));
        watcher_.set_rest_limits({visible * furthest_, visible * fastest_});
    }

    Watcher<M> watcher_;
    double furthest_ = 0;  ///< in this motion
    double fastest_ = 0;
    double reached_ = 0;
    double turned_ = 0;
    double settled_ = 0;
};

/// A sudden change of velocity, of a cascade that of one link; false for a mover that has none.
template <class M, class Velocity>
bool push_mover(M& mover, const Velocity& velocity, std::size_t port = 0) {
    if constexpr (requires { mover.push(velocity); }) {
        return mover.push(velocity) == StepStatus::stepped;
    } else if constexpr (requires { mover.push(port, velocity); }) {
        return mover.push(port, velocity) == StepStatus::stepped;
    }
    return false;
}

/// Gives a mover new numbers, where it can take them as it moves.
template <class M, class Parameters>
bool retune_mover(M& mover, const Parameters& parameters) {
    if constexpr (requires { mover.try_retune(parameters); }) {
        return mover.try_retune(parameters);
    } else if constexpr (requires { mover.try_retune(parameters.tuning); }) {
        return mover.try_retune(parameters.tuning);
    } else if constexpr (requires { mover.try_retune(0U, parameters.tunings[0]); }) {
        for (std::size_t link = 0; link < mover.size(); ++link)
            mover.try_retune(link, parameters.tunings[link]);
        return true;
    }
    return false;
}

/// A mover M of a T, made with such parameters, in a running scene.
template <class Parameters, class M, class T>
class RunningMover final : public RunningSystem {
    using Traits = MoverTraits<Parameters>;
    using Velocity = VelocityOf<T>;
    static constexpr bool is_number = std::same_as<T, double>;
    static constexpr bool has_motion = requires(const M& m) { m.motion(); };
    static constexpr bool can_watch = is_number && has_motion;

  public:
    RunningMover(Parameters parameters, MoverShape shape, MoverStart start, M mover,
                 const SystemInputs& inputs)
        : parameters_{std::move(parameters)},
          shape_{std::move(shape)},
          start_{std::move(start)},
          mover_{std::move(mover)},
          time_s_{inputs.time_s} {
        if (!(start_.initial_velocity == ValueArray{}))
            push(from_array<Velocity>(start_.initial_velocity));
        if constexpr (!HasNoTarget<M>) {
            const T begin = from_array<T>(inputs.targets[0].point.value);
            go_shorter_way(begin);
            mover_.cut(as_target(begin));
        }
        if constexpr (can_watch) {
            if (start_.watch) watch_.emplace(mover_);
        }
    }

    bool advance(double time_s, const SystemInputs& inputs) override {
        const StepStatus status = step(step_length_.from_to(time_s_, time_s), inputs);
        if (status == StepStatus::diverged) return false;
        if (status == StepStatus::rejected && !was_refused()) return false;
        time_s_ = time_s;
        return true;
    }

    void change(const SystemInputs& inputs) override {
        if constexpr (!HasNoTarget<M>) {
            const InputSample& input = inputs.targets[0];
            const T begin = from_array<T>(input.point.value);
            go_shorter_way(begin);
            const T value = as_target(begin);
            is_target_moving_ = !(input.point.velocity == ValueArray{});
            if constexpr (FollowsKnownVelocity<M, T>) {
                if (input.knows_velocity) {
                    mover().step(value, from_array<Velocity>(input.point.velocity), 0.0);
                    return;
                }
            }
            if (!(value == mover().target())) mover().jump(value);
        }
    }

    void act() override {
        for (const Kick& kick : start_.kicks) {
            if (kick.at_s == time_s_) push(from_array<Velocity>(kick.velocity));
        }
    }

    bool push(std::size_t port, const ValueArray& delta_velocity) override {
        return push(from_array<Velocity>(delta_velocity), port);
    }

    [[nodiscard]] double next_event_s(double time_s) const override {
        double event_s = std::numeric_limits<double>::infinity();
        for (const Kick& kick : start_.kicks) {
            if (kick.at_s > time_s) {
                event_s = kick.at_s;
                break;
            }
        }
        // What is bent in the mover's own coordinate is straight in short steps.
        constexpr double steps_per_s = 480;
        if (Traits::bends_target && is_target_moving_) {
            event_s =
                std::min(event_s, (std::floor(time_s * steps_per_s + 1e-6) + 1) / steps_per_s);
        }
        return event_s;
    }

    [[nodiscard]] ValueAndVelocity output(std::size_t port, std::size_t /*index*/) const override {
        ValueAndVelocity point;
        if constexpr (requires(const M& m) { m.value(port); }) {
            point = {to_array(mover().value(port)), to_array(mover().velocity(port))};
        } else {
            point = {to_array(mover().value()), to_array(mover().velocity())};
        }
        if (is_angle()) point.value[0] = wrapped_rad(point.value[0]);
        return point;
    }
    [[nodiscard]] std::optional<ValueArray> resting_place() const override {
        if constexpr (HasNoTarget<M>) return to_array(mover().target());
        return std::nullopt;
    }
    void read_signals(std::span<double> numbers) override {
        if constexpr (can_watch) {
            if (watch_) watch_->read(numbers);
        }
    }

    void save(StateWriter& out) override { visit_state(out); }
    void load(StateReader& in) override { visit_state(in); }

    bool retune(const SystemSpec& spec) override {
        const Parameters& parameters =
            dynamic_cast<const MoverSpec<Parameters>&>(spec).parameters();
        if (!retune_mover(mover(), parameters)) return false;
        parameters_ = parameters;
        return true;
    }

    [[nodiscard]] std::string failure(const std::string& name) const override {
        if constexpr (requires(const M& m) { m.divergence(); }) {
            if (const auto divergence = mover().divergence()) {
                return in_words(name, *divergence, parameters_.tuning, parameters_.stepping.scheme);
            }
        }
        return fmt::format(
            "{} diverged after {:.4g} s; its numbers are {}: damp it, or keep its target within "
            "reach",
            name, time_s_, Traits::in_words(parameters_, 0));
    }
    [[nodiscard]] std::vector<std::string> warnings(const std::string& name,
                                                    double rate_hz) const override {
        if constexpr (requires(const M& m) { m.guard_log(); })
            return Traits::warnings(parameters_, mover().guard_log(), name, rate_hz);
        if constexpr (requires(const M& m) { m.throw_log(); })
            return Traits::warnings(mover().throw_log(), name);
        if constexpr (HasNoTarget<M>) {
            if (hurried_ > 0) return Traits::warnings(parameters_, hurried_, name);
        }
        return {};
    }

  private:
    template <class Fields>
    void visit_state(Fields& fields) {
        if constexpr (can_watch) {
            if (watch_) {
                fields(*watch_);
            } else {
                fields(mover_);
            }
        } else {
            fields(mover_);
        }
        fields(time_s_, step_length_, turns_rad_, is_target_moving_);
        fields.require(time_s_ >= 0);
    }

    template <class Self>
    [[nodiscard]] static auto& mover_in(Self& self) {
        if constexpr (can_watch) {
            if (self.watch_) return self.watch_->mover();
        }
        return self.mover_;
    }
    [[nodiscard]] M& mover() { return mover_in(*this); }
    [[nodiscard]] const M& mover() const { return mover_in(*this); }
    [[nodiscard]] bool is_angle() const { return shape_.kind == ValueKind::angle; }

    /// A mover of angles takes a direction as it is; another one is led round past the seam.
    [[nodiscard]] T as_target(const T& value) const {
        if constexpr (is_number) {
            if (!is_angle()) return value;
            if constexpr (requires(const M& m) { m.turned(); }) return wrapped_rad(value);
            return value + turns_rad_;
        }
        return value;
    }
    /// A direction that leaps elsewhere has gone there the shorter way.
    void go_shorter_way(const T& value) {
        if constexpr (is_number && !HasNoTarget<M>) {
            if (!is_angle() || Traits::keeps_way(parameters_)) return;
            const double way = value + turns_rad_ - mover().target();
            if (std::abs(way) > math::pi) turns_rad_ += wrapped_rad(way) - way;
        }
    }

    template <class... Step>
    StepStatus step_mover(const Step&... step) {
        if constexpr (can_watch) {
            if (watch_) return watch_->step(step...);
        }
        return mover_.step(step...);
    }
    StepStatus step(double dt, const SystemInputs& inputs) {
        if constexpr (HasNoTarget<M>) {
            if constexpr (can_watch) {
                if (watch_) return watch_->step(typename M::Inputs{}, dt);
            }
            return mover_.step(dt);
        } else {
            const InputSample& input = inputs.targets[0];
            const T value = as_target(from_array<T>(input.point.value));
            is_target_moving_ = !(input.point.velocity == ValueArray{});
            if constexpr (FollowsKnownVelocity<M, T>) {
                if (input.knows_velocity)
                    return step_mover(value, from_array<Velocity>(input.point.velocity), dt);
            }
            return step_mover(value, dt);
        }
    }

    [[nodiscard]] bool was_refused() const {
        if constexpr (requires(const M& m) { m.last_plan(); }) {
            return mover().last_plan().used == Guard::refuse;
        }
        return false;
    }

    bool push(const Velocity& velocity, std::size_t port = 0) {
        if constexpr (HasNoTarget<M>) {
            launch(mover(), velocity);
            return true;
        } else {
            return push_mover(mover(), velocity, port);
        }
    }
    void launch(M& coast, const Velocity& velocity) {
        std::vector<T> points;
        for (const ValueArray& point : parameters_.snap_points)
            points.push_back(from_array<T>(point));
        if (points.empty()) {
            coast.launch(velocity);
        } else {
            coast.launch(velocity, std::span<const T>{points});
            note_half_life(to_array(coast.slowing_half_life_s()));
        }
    }
    /// Of a throw at snap points: the half-life that is furthest from the one asked for.
    void note_half_life(const ValueArray& half_lives_s) {
        if constexpr (HasNoTarget<M>) {
            constexpr double visible = 0.01;
            const double asked_s = parameters_.tuning.slowing_half_life_s;
            const auto off = [asked_s](double half_life_s) {
                return std::abs(math::log(half_life_s / asked_s));
            };
            for (std::size_t i = 0; i < shape_.size; ++i) {
                const double used_s = half_lives_s[i];
                if (!(used_s > 0) || off(used_s) < visible) continue;
                if (hurried_ == 0 || off(used_s) > off(hurried_)) hurried_ = used_s;
            }
        }
    }

    Parameters parameters_;
    MoverShape shape_;
    MoverStart start_;
    M mover_;
    struct Nothing {};
    std::conditional_t<can_watch, std::optional<MoverWatch<M>>, Nothing> watch_{};
    bool is_target_moving_ = false;
    double hurried_ = 0.0;  ///< a half-life that a snap point asked for, in seconds; 0 for none
    double time_s_;
    double turns_rad_ = 0.0;  ///< whole ones, between its target's path and what it is given
    StepLength step_length_;
};

}  // namespace hopcoil::scene
