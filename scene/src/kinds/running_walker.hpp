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

#include "../run/step_length.hpp"
#include "events.hpp"
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
          place_{place_of(inputs)},
          time_s_{inputs.time_s},
          yaw_{walker_.yaw_rad()},
          watch_{walker_},
          head_{{.frequency_hz = 3, .damping_ratio = 1}, eye(), walker_.attention()} {
        hop_if_due(ground_of(inputs));
        pose_skeleton();
    }

    bool advance(double time_s, const SystemInputs& inputs) override {
        const double dt = step_length_.from_to(time_s_, time_s);
        events_.clear();
        const ValueArray& v = inputs.targets[0].point.velocity;
        const Vector3 place = place_of(inputs);
        const Vector3 velocity{v[0], 0, v[2]};
        if (parts_.facing != Facing::its_way) yaw_ = yaw_of(parts_, inputs);
        if (!walk(place, velocity, ground_of(inputs), dt)) return false;
        place_ = place;
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
    void change(const SystemInputs& inputs) override { place_ = place_of(inputs); }
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
        if (parts.facing == Facing::angle) return value[0];
        const Vector3 ahead = rotated({value[0], value[1], value[2], value[3]}, {0, 0, 1});
        return math::atan2(ahead.x, ahead.z);
    }
    static double yaw_at_start(const WalkerParts& parts, const SystemInputs& inputs) {
        if (parts.facing != Facing::its_way) return yaw_of(parts, inputs);
        const ValueArray& v = inputs.targets[0].point.velocity;
        return v[0] == 0 && v[2] == 0 ? 0 : math::atan2(v[0], v[2]);
    }
    /// In steps of a tick, each told anew: the same at every frame rate.
    bool walk(const Vector3& place, const Vector3& velocity, const Ground& ground, double dt) {
        const int parts = std::max(1, static_cast<int>(std::lround(dt / Walker::tick_s)));
        for (int i = 1; i <= parts; ++i) {
            const double part = static_cast<double>(i) / parts;
            // Where its target is while the body is still where this tick finds it.
            const Vector3 now = place_ + (place - place_) * (part - 1.0 / parts);
            const EarlierGround then{ground, dt * (1 - part)};
            const Vector3 over_ground = velocity - velocity_of(then);
            if (parts_.facing == Facing::its_way) face_the_way(now, over_ground);
            WalkCommand command = walker_.toward(now, yaw_, velocity, parts_.catch_up_s);
            const bool means_to_hop = prepare_hop(now, over_ground, then, dt / parts);
            if (means_to_hop) command.ahead = command.left = 0;
            stood_.clear();
            for (const WalkerFoot& foot : walker_.feet())
                stood_.push_back(foot.planted);
            if (walker_.step(command, then, dt / parts) == StepStatus::rejected) return false;
            note_events();
            watch_.look(walker_, then);
            head_.step(eye(), means_to_hop ? hop_to(now) : walker_.attention(), dt / parts);
        }
        return true;
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
    /// Whether it stands and looks at where it is about to hop. It goes when it has done so for
    /// long enough, and has turned there.
    bool prepare_hop(const Vector3& place, const Vector3& velocity, const Ground& ground,
                     double dt) {
        const HopHabit& habit = parts_.hops;
        const Vector3 from = walker_.position();
        const double distance = length_of(Vector3{place.x - from.x, 0, place.z - from.z});
        const bool far = habit.over_m > 0 && distance > habit.over_m && length_of(velocity) < 0.05;
        if (!far || walker_.hop_phase() != HopPhase::none) {
            waited_s_ = 0;
            return false;
        }
        waited_s_ += dt;
        constexpr double turned = 0.1;
        const double off = std::remainder(yaw_ - walker_.yaw_rad(), 2 * math::pi);
        if (waited_s_ < habit.wait_s || std::abs(off) > turned) return true;
        waited_s_ = 0;
        const HopWish wish{.place = hop_to(place), .apex_m = habit.apex_m};
        if (walker_.hop(wish, ground) != StepStatus::stepped) ++refused_hops_;
        return true;
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
        fields(walker_, watch_, place_, time_s_, yaw_, waited_s_, refused_hops_, head_.head(),
               step_length_);
        fields.require(time_s_ >= 0);
    }

    WalkerParts parts_;
    Walker walker_;
    Vector3 place_;  ///< of its target, at the last step
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
    StepLength step_length_;
};

}  // namespace hopcoil::scene
