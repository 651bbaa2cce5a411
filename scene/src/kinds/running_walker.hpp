#pragma once

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <span>
#include <string>
#include <vector>

#include <fmt/format.h>

#include <hopcoil/base/components.hpp>
#include <hopcoil/base/math.hpp>
#include <hopcoil/field/ground.hpp>
#include <hopcoil/follow/intent.hpp>
#include <hopcoil/gait/walker.hpp>
#include <hopcoil/measure/foot_watch.hpp>
#include <hopcoil/scene/system.hpp>

#include "events.hpp"
#include "mounts.hpp"
#include "timed.hpp"
#include "vectors.hpp"
#include "walker_parts.hpp"

namespace hopcoil::scene {

inline const Ground& ground_of(const SystemInputs& inputs) {
    static const FlatGround flat;
    if (inputs.fields.empty() || inputs.fields[0] == nullptr) return flat;
    const auto* const ground = inputs.fields[0]->as_field<Ground>();
    return ground == nullptr ? flat : *ground;
}

inline Vector3 place_of(const SystemInputs& inputs) {
    return vector_of(inputs.targets[0].point.value);
}

class RunningWalker final : public RunningSystem, public EventSource {
  public:
    RunningWalker(const WalkerParts& parts, const SystemInputs& inputs)
        : parts_{parts},
          walker_{parts.settings, ground_of(inputs), place_of(inputs), yaw_at_start(parts, inputs)},
          targets_{inputs},
          time_s_{inputs.time_s},
          yaw_{walker_.yaw_rad()},
          watch_{walker_},
          head_{{.frequency_hz = 3, .damping_ratio = 1}, eye(), walker_.attention()} {
        hop_if_due(ground_of(inputs));
        pose_skeleton();
    }

    bool advance(double time_s, const SystemInputs& inputs) override {
        events_.clear();
        if (!walk(inputs)) return false;
        targets_.note(inputs, time_s);
        time_s_ = time_s;
        hop_if_due(ground_of(inputs));
        pose_skeleton();
        return true;
    }
    [[nodiscard]] double next_event_s(double time_s) const override {
        return next_at_s(parts_.hops.at, time_s);
    }
    bool push(std::size_t port, const ValueArray& delta_velocity) override {
        if (port != 0) return false;
        return walker_.push({delta_velocity[0], delta_velocity[1], delta_velocity[2]}) ==
               StepStatus::stepped;
    }
    [[nodiscard]] ValueAndVelocity output(std::size_t port, std::size_t index) const override {
        if (port == 0) return {array_of(walker_.position()), array_of(walker_.velocity())};
        if (port == facing_port) {
            const Quaternion q = walker_.rotation();
            return {ValueArray{{q.w, q.x, q.y, q.z}}, array_of(walker_.angular_velocity())};
        }
        if (port == gaze_port) {
            const Quaternion q = head_.value();
            return {ValueArray{{q.w, q.x, q.y, q.z}}, array_of(head_.head().velocity())};
        }
        if (port == wanted_port) return {array_of(walker_.feet()[index].wanted), {}};
        const std::size_t leg = port - first_leg_port;
        const std::size_t legs = walker_.feet().size();
        if (leg == 2 * legs) return {array_of(joints_[index].position), {}};
        if (leg > 2 * legs) {
            const Quaternion& q = joints_[index].rotation;
            return {ValueArray{{q.w, q.x, q.y, q.z}}, {}};
        }
        if (leg >= legs) {
            const WalkerSole sole = walker_.sole(leg - legs);
            return {array_of(index == 0 ? sole.heel : sole.toe), {}};
        }
        const Vector3 point = index == 0   ? walker_.hip(leg)
                              : index == 1 ? walker_.knee(leg)
                                           : walker_.feet()[leg].position;
        return {array_of(point), {}};
    }
    void read_signals(std::span<double> numbers) override {
        const std::size_t legs = walker_.feet().size();
        for (std::size_t i = 0; i < legs; ++i) {
            numbers[i] = walker_.feet()[i].planted ? 1 : 0;
            numbers[legs + i] = static_cast<double>(walker_.feet()[i].reason);
        }
        const std::span<double> own = numbers.subspan(2 * legs);
        const double l = parts_.settings.leg_length_m;
        const FootFigures& now = watch_.now();
        own[walker_signal::flies] = walker_.hop_phase() == HopPhase::flies ? 1 : 0;
        own[walker_signal::support] = std::clamp(now.support_m, -l, l);
        own[walker_signal::clearance] = std::min(now.clearance_m, l);
        own[walker_signal::apart] = std::min(now.legs_apart_m, l);
        own[walker_signal::slip] = now.slip_m;
        own[walker_signal::acceleration] = now.foot_acceleration;
        own[walker_signal::slowed] = walker_.log().slowed_s;
    }
    bool retune(const SystemSpec& spec) override;
    void change(const SystemInputs& inputs) override { targets_.note(inputs, time_s_); }
    void save(StateWriter& out) override { visit_state(out); }
    void load(StateReader& in) override {
        visit_state(in);
        events_.clear();
        pose_skeleton();
    }
    [[nodiscard]] std::span<const SceneEvent> events() const override { return events_; }
    [[nodiscard]] std::vector<std::string> warnings(const std::string& name,
                                                    double /*rate_hz*/) const override {
        std::vector<std::string> all;
        const WalkerLog& log = walker_.log();
        if (log.slowed_s > 0.05) {
            all.push_back(fmt::format(
                "{}: was held back for {:.3g} s, so that no leg is asked for more than its length",
                name, log.slowed_s));
        }
        if (log.no_foothold > 0) {
            all.push_back(fmt::format("{}: {} of {} steps found no good foothold", name,
                                      log.no_foothold, log.steps));
        }
        if (refused_hops_ > 0) {
            all.push_back(
                fmt::format("{}: {} of its hops had no ground to land on, and were left out", name,
                            refused_hops_));
        }
        return all;
    }

  private:
    /// Its joints in space, where it has some.
    void pose_skeleton() {
        if (parts_.rig == nullptr) return;
        const Rig& rig = parts_.rig->rig;
        const std::size_t count = parts_.rig->joint_count();
        base_.resize(count);
        local_.resize(count);
        joints_.resize(count);
        if (parts_.rig->clip) parts_.rig->clip->pose(time_s_, base_);
        const std::span<const Pose> base{base_.data(), parts_.rig->clip ? count : 0};
        rig.pose(walker_, base, local_);
        to_model(rig.skeleton(), local_, joints_);
    }
    [[nodiscard]] Vector3 eye() const {
        return walker_.position() + Vector3{0, 0.3 * parts_.settings.leg_length_m, 0};
    }
    /// What it is told to face: a rotation, or an angle about Y.
    static double yaw_of(const WalkerParts& parts, const SystemInputs& inputs) {
        const ValueArray& value = inputs.targets[1].point.value;
        return parts.facing == Facing::angle ? value[0]
                                             : yaw_of({value[0], value[1], value[2], value[3]});
    }
    static double yaw_of(const Quaternion& rotation) {
        const Vector3 ahead = rotated(rotation, {0, 0, 1});
        return math::atan2(ahead.x, ahead.z);
    }
    static double yaw_at_start(const WalkerParts& parts, const SystemInputs& inputs) {
        if (parts.facing != Facing::its_way) return yaw_of(parts, inputs);
        const ValueArray& v = inputs.targets[0].point.velocity;
        return v[0] == 0 && v[2] == 0 ? 0 : math::atan2(v[0], v[2]);
    }
    /// The command is found anew for each tick, so that it walks the same at every frame rate.
    bool walk(const SystemInputs& inputs) {
        return step_to_each_tick(
            walker_, time_s_, inputs.time_s, [&](double end_s, double dt, bool ticks) {
                if (is_at_tick(walker_)) decide(inputs, end_s - dt);
                const EarlierGround then{ground_of(inputs), std::max(0.0, inputs.time_s - end_s)};
                note_who_stands();
                if (walker_.step(command_, then, dt) == StepStatus::rejected) return false;
                if (ticks) {
                    note_events();
                    watch_.look(walker_, then);
                }
                head_.step(eye(), waited_s_ > 0 ? looks_at_ : walker_.attention(), dt);
                return true;
            });
    }
    /// What it does in the tick that begins at a time.
    void decide(const SystemInputs& inputs, double time_s) {
        const EarlierGround then{ground_of(inputs), std::max(0.0, inputs.time_s - time_s)};
        const Passage target = targets_.passage(0, inputs, time_s);
        const Vector3 velocity{target.velocity.x, 0, target.velocity.z};
        const Vector3 over_ground = velocity - velocity_of(then);
        turn(inputs, time_s, target.place, over_ground);
        command_ = walker_.toward(target.place, yaw_, velocity, parts_.catch_up_s);
        prepare_hop(target.place, over_ground, then);
    }
    /// The way that it should face.
    void turn(const SystemInputs& inputs, double time_s, const Vector3& place,
              const Vector3& over_ground) {
        if (parts_.facing == Facing::its_way) {
            face_the_way(place, over_ground);
        } else if (parts_.facing == Facing::angle) {
            yaw_ = targets_.number_at(1, inputs, time_s, true);
        } else {
            yaw_ = yaw_of(targets_.at({.rotation = 1}, inputs, time_s).rotation);
        }
    }
    /// Over the plane, of what its feet stand on.
    [[nodiscard]] Vector3 velocity_of(const Ground& ground) const {
        Vector3 sum{};
        double planted = 0;
        for (const WalkerFoot& foot : walker_.feet()) {
            if (!foot.planted) continue;
            sum = sum + ground.velocity_at(foot.position, foot.part, 0);
            planted += 1;
        }
        return planted > 0 ? Vector3{sum.x / planted, 0, sum.z / planted} : Vector3{};
    }
    void note_who_stands() {
        stood_.clear();
        for (const WalkerFoot& foot : walker_.feet())
            stood_.push_back(foot.planted);
    }
    void note_events() {
        for (std::size_t i = 0; i < stood_.size(); ++i) {
            const WalkerFoot& foot = walker_.feet()[i];
            if (foot.planted == stood_[i]) continue;
            events_.push_back({foot.planted ? SceneEvent::Type::landed : SceneEvent::Type::lifted,
                               foot.position});
        }
    }
    [[nodiscard]] const void* field(const std::type_info& type) const override {
        return type == typeid(EventSource) ? static_cast<const EventSource*>(this) : nullptr;
    }
    /// Where it would hop to: its target, or as far on the way there as it hops.
    [[nodiscard]] Vector3 hop_to(const Vector3& place) const {
        const Vector3 from = walker_.position();
        const Vector3 way{place.x - from.x, 0, place.z - from.z};
        const double longest = parts_.hops.longest_m;
        const double distance = length_of(way);
        if (distance <= longest) return place;
        const Vector3 spot = from + way * (longest / distance);
        return {spot.x, place.y, spot.z};
    }
    /// Far from its target it stands and looks at where it is about to hop. It goes when it has
    /// done so for long enough, and has turned there.
    void prepare_hop(const Vector3& place, const Vector3& velocity, const Ground& ground) {
        const HopHabit& habit = parts_.hops;
        const Vector3 from = walker_.position();
        const double distance = length_of(Vector3{place.x - from.x, 0, place.z - from.z});
        const bool far = habit.over_m > 0 && distance > habit.over_m && length_of(velocity) < 0.05;
        if (!far || walker_.hop_phase() != HopPhase::none) {
            waited_s_ = 0;
            return;
        }
        command_.ahead = command_.left = 0;
        looks_at_ = hop_to(place);
        waited_s_ += Walker::tick_s;
        constexpr double turned = 0.1;
        const double off = std::remainder(yaw_ - walker_.yaw_rad(), 2 * math::pi);
        if (waited_s_ < habit.wait_s || std::abs(off) > turned) return;
        waited_s_ = 0;
        if (walker_.hop({.place = looks_at_, .apex_m = habit.apex_m}, ground) !=
            StepStatus::stepped)
            ++refused_hops_;
    }
    void hop_if_due(const Ground& ground) {
        for (const HopAt& hop : parts_.hops.at) {
            if (!is_due(hop.at_s, time_s_)) continue;
            const HopWish wish{
                .place = hop.to.value_or(Vector3{}), .apex_m = hop.apex_m, .keeps_on = !hop.to};
            if (walker_.hop(wish, ground) != StepStatus::stepped) ++refused_hops_;
        }
    }
    /// Along its way, where there is one.
    void face_the_way(const Vector3& place, const Vector3& velocity) {
        constexpr double least_speed = 0.15;
        const Vector3 way = place - walker_.position();
        const Vector3 wanted = velocity + Vector3{way.x, 0, way.z} * (1 / parts_.catch_up_s);
        const double near = 0.3 * parts_.settings.leg_length_m;
        const bool is_there =
            std::sqrt(way.x * way.x + way.z * way.z) < near && length_of(velocity) < least_speed;
        if (length_of(wanted) > least_speed && !is_there) yaw_ = math::atan2(wanted.x, wanted.z);
    }
    template <class Fields>
    void visit_state(Fields& fields) {
        fields(walker_, watch_, targets_, command_.ahead, command_.left, command_.turn_rate,
               time_s_, yaw_, waited_s_, looks_at_, refused_hops_, head_.head());
        fields.require(time_s_ >= 0);
    }

    WalkerParts parts_;
    Walker walker_;
    MountHistory targets_;
    double time_s_;
    double yaw_;
    double waited_s_ = 0.0;  ///< since it means to hop
    std::uint64_t refused_hops_ = 0;
    std::vector<Pose> base_{};
    std::vector<Pose> local_{};
    std::vector<Pose> joints_{};
    std::vector<SceneEvent> events_{};
    std::vector<bool> stood_{};  ///< each foot, before a tick
    FootWatch watch_;
    LookAt head_;
    WalkCommand command_{};  ///< of the last tick
    Vector3 looks_at_{};     ///< while it means to hop there
};

}  // namespace hopcoil::scene
