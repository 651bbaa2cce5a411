#pragma once

#include <array>
#include <span>

#include <hopcoil/base/build.hpp>
#include <hopcoil/base/quaternion.hpp>
#include <hopcoil/follow/follower.hpp>
#include <hopcoil/follow/pose.hpp>
#include <hopcoil/follow/rotation_mover.hpp>
#include <hopcoil/follow/size_follower.hpp>

namespace hopcoil {
inline namespace HOPCOIL_BITS {

/// A Follower of a whole pose.
///
///     PoseFollower sign{{.position = lively}, Pose{.position = {0, 2, 0}}};
///     sign.step(bracket, dt);
///
/// Model   position as Follower, rotation as RotationFollower, scale as SizeFollower.
/// Shapes  a Pose; its velocity a PoseVelocity.
/// Units   metres, radians, ratios.
/// Errors  as Follower; a target with a part that cannot be used is rejected as a whole.
class PoseFollower {
  public:
    using Inputs = Pose;
    using Parameters = PoseTuning;

    /// Errors  InvalidValue for an invalid tuning or a start that is no pose.
    PoseFollower(const PoseTuning& tuning, const Pose& start)
        : position_{tuning.position, checked(start).position},
          rotation_{tuning.rotation, start.rotation},
          scale_{tuning.scale, start.scale} {}

    StepStatus step(const Pose& target, double dt) noexcept {
        return whole([&](PoseFollower& next) {
            return all_stepped(next.position_.step(target.position, dt),
                               next.rotation_.step(target.rotation, dt),
                               next.scale_.step(target.scale, dt));
        });
    }
    /// The target's velocity at the end of the step is known.
    StepStatus step(const Pose& target, const PoseVelocity& target_velocity, double dt) noexcept {
        return whole([&](PoseFollower& next) {
            return all_stepped(next.position_.step(target.position, target_velocity.position, dt),
                               next.rotation_.step(target.rotation, target_velocity.rotation, dt),
                               next.scale_.step(target.scale, target_velocity.scale, dt));
        });
    }
    StepStatus jump(const Pose& target) noexcept {
        return whole([&](PoseFollower& next) {
            return all_stepped(next.position_.jump(target.position),
                               next.rotation_.jump(target.rotation),
                               next.scale_.jump(target.scale));
        });
    }
    StepStatus cut(const Pose& target) noexcept {
        return whole([&](PoseFollower& next) {
            return all_stepped(next.position_.cut(target.position),
                               next.rotation_.cut(target.rotation), next.scale_.cut(target.scale));
        });
    }
    StepStatus push(const PoseVelocity& delta) noexcept {
        return whole([&](PoseFollower& next) {
            return all_stepped(next.position_.push(delta.position),
                               next.rotation_.push(delta.rotation), next.scale_.push(delta.scale));
        });
    }
    StepStatus reset(const Pose& value) noexcept {
        return whole([&](PoseFollower& next) {
            return all_stepped(next.position_.reset(value.position),
                               next.rotation_.reset(value.rotation),
                               next.scale_.reset(value.scale));
        });
    }
    /// Puts it at rest on its present target.
    StepStatus snap() noexcept {
        return whole([](PoseFollower& next) {
            return all_stepped(next.position_.snap(), next.rotation_.snap(), next.scale_.snap());
        });
    }
    /// Takes over from another mover of a pose: value, velocity and target are as they were there.
    StepStatus resume(const PoseMotion& motion) noexcept {
        return whole([&](PoseFollower& next) {
            return all_stepped(next.position_.resume(motion.position),
                               next.rotation_.resume(motion.rotation),
                               next.scale_.resume(motion.scale));
        });
    }
    [[nodiscard]] PoseMotion motion() const noexcept {
        return {position_.motion(), rotation_.motion(), scale_.motion()};
    }

    /// Errors  InvalidValue, with nothing changed.
    void retune(const PoseTuning& tuning) {
        require_valid(tuning.position);
        require_valid(tuning.rotation);
        require_valid(tuning.scale);
        try_retune(tuning);
    }
    bool try_retune(const PoseTuning& tuning) noexcept {
        if (!is_valid(tuning.position) || !is_valid(tuning.rotation) || !is_valid(tuning.scale)) {
            ++rejected_inputs_;
            return false;
        }
        return position_.try_retune(tuning.position) && rotation_.try_retune(tuning.rotation) &&
               scale_.try_retune(tuning.scale);
    }
    [[nodiscard]] PoseTuning tuning() const noexcept {
        return {position_.tuning(), rotation_.tuning(), scale_.tuning()};
    }

    [[nodiscard]] Pose value() const noexcept {
        return {position_.value(), rotation_.value(), scale_.value()};
    }
    [[nodiscard]] PoseVelocity velocity() const noexcept {
        return {position_.velocity(), rotation_.velocity(), scale_.velocity()};
    }
    [[nodiscard]] Pose target() const noexcept {
        return {position_.target(), rotation_.target(), scale_.target()};
    }
    /// Where the target is when `part` (0 to 1) of the time of a step to `target` has passed.
    [[nodiscard]] Pose target_on_way(const Pose& target, double part) const noexcept {
        return {position_.target_on_way(target.position, part),
                rotation_.target_on_way(target.rotation, part),
                scale_.target_on_way(target.scale, part)};
    }

    /// The position within `distance` and no faster than `speed`; the rotation within as many
    /// radians, the scale within as large a part of itself.
    [[nodiscard]] bool at_rest(double distance, double speed) const noexcept {
        return position_.at_rest(distance, speed) && rotation_.at_rest(distance, speed) &&
               scale_.at_rest(distance, speed);
    }
    [[nodiscard]] bool still() const noexcept { return at_rest(0, 0); }
    /// The largest of what `at_rest` sets against `distance`.
    [[nodiscard]] double distance_to_target() const noexcept {
        double most = position_.distance_to_target();
        for (const double part : {rotation_.distance_to_target(), scale_.distance_to_target()})
            most = part > most ? part : most;
        return most;
    }
    [[nodiscard]] std::uint64_t rejected_inputs() const noexcept { return rejected_inputs_; }

    [[nodiscard]] static std::span<const Channel> channels() noexcept {
        static constexpr std::array<Channel, 3> all{
            {{.name = "position", .kind = ChannelKind::vector, .components = 3, .unit = "m"},
             {.name = "rotation", .kind = ChannelKind::rotation, .components = 4},
             {.name = "scale", .kind = ChannelKind::vector, .components = 3}}};
        return all;
    }
    void read(std::span<double> numbers) const noexcept {
        const Pose p = value();
        const std::array<double, 10> all{p.position.x, p.position.y, p.position.z, p.rotation.w,
                                         p.rotation.x, p.rotation.y, p.rotation.z, p.scale.x,
                                         p.scale.y,    p.scale.z};
        for (std::size_t i = 0; i < all.size() && i < numbers.size(); ++i)
            numbers[i] = all[i];
    }

    [[nodiscard]] static std::span<const Dial<PoseFollower>> dials() noexcept {
        return dials_through_tuning<PoseFollower>();
    }

    /// For save_state and load_state (base/state.hpp).
    template <class Fields>
    void visit_state(Fields& fields) {
        fields.begins("pose 2");
        fields(position_, rotation_, scale_, rejected_inputs_);
    }

  private:
    static const Pose& checked(const Pose& pose) {
        require_valid(pose);
        return pose;
    }
    static StepStatus all_stepped(StepStatus a, StepStatus b, StepStatus c) noexcept {
        const bool all = a == StepStatus::stepped && b == a && c == a;
        return all ? StepStatus::stepped : StepStatus::rejected;
    }

    /// All parts move, or none.
    template <class Change>
    StepStatus whole(const Change& change) noexcept {
        PoseFollower next = *this;
        const StepStatus status = change(next);
        if (status == StepStatus::stepped) {
            *this = next;
        } else {
            ++rejected_inputs_;
        }
        return status;
    }

    Follower<Vector3> position_;
    RotationFollower rotation_;
    SizeFollower<Vector3> scale_;
    std::uint64_t rejected_inputs_ = 0;
};

}  // namespace HOPCOIL_BITS
}  // namespace hopcoil
