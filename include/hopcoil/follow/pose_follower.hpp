#pragma once

#include <array>
#include <span>

#include <hopcoil/base/build.hpp>
#include <hopcoil/base/quaternion.hpp>
#include <hopcoil/follow/follower.hpp>
#include <hopcoil/follow/rotation_mover.hpp>

namespace hopcoil {

/// Where something is, how it is turned, how large it is.
struct Pose {
    Vector3 position{};
    Quaternion rotation{};
    Vector3 scale{1, 1, 1};  ///< each above 0
};

/// How a pose changes: per second; the rotation in radians about fixed axes.
struct PoseVelocity {
    Vector3 position{};
    Vector3 rotation{};
    Vector3 scale{};
};

/// A tuning for each part; what turns or grows does not swing unless asked to.
struct PoseTuning {
    Tuning position{.frequency_hz = 2, .damping_ratio = 0.5};
    Tuning rotation{.frequency_hz = 2, .damping_ratio = 1};
    Tuning scale{.frequency_hz = 2, .damping_ratio = 1};

    static constexpr std::size_t dial_count = 9;
    /// "position.frequency_hz", ..., "scale.lead".
    [[nodiscard]] static std::span<const Dial<PoseTuning>> dials() noexcept;

    [[nodiscard]] static PoseTuning shared(const Tuning& tuning) noexcept {
        return {tuning, tuning, tuning};
    }
};

/// Errors  InvalidValue for a position that is not finite, a rotation that is zero or not finite, a
///         scale that is not finite and above 0.
void require_valid(const Pose& pose);

/// Natural logarithms and their inverse, number by number; NaN for a scale that is not above 0.
[[nodiscard]] Vector3 log_scale(const Vector3& scale) noexcept;
[[nodiscard]] Vector3 scale_from_log(const Vector3& log_scale) noexcept;

inline namespace HOPCOIL_BITS {

/// A Follower of a whole pose.
///
///     PoseFollower sign{{.position = lively}, Pose{.position = {0, 2, 0}}};
///     sign.step(bracket, dt);
///
/// Model   position as Follower, rotation as RotationFollower, scale as Follower of its logarithm:
///         it never reaches zero however far it swings, and doubling feels like halving.
/// Shapes  a Pose; its velocity a PoseVelocity.
/// Units   metres, radians, ratios.
/// Errors  as Follower; a target with a part that cannot be used is rejected as a whole.
class PoseFollower {
  public:
    using Inputs = Pose;
    using Numbers = PoseTuning;

    /// Errors  InvalidValue for an invalid tuning or a start that is no pose.
    PoseFollower(const PoseTuning& tuning, const Pose& start)
        : position_{tuning.position, start.position},
          rotation_{tuning.rotation, start.rotation},
          log_scale_{tuning.scale, log_scale(start.scale)} {
        require_valid(start);
    }

    StepStatus step(const Pose& target, double dt) noexcept {
        return whole([&](PoseFollower& next) {
            return all_stepped(next.position_.step(target.position, dt),
                               next.rotation_.step(target.rotation, dt),
                               next.log_scale_.step(log_scale(target.scale), dt));
        });
    }
    StepStatus jump(const Pose& target) noexcept {
        return whole([&](PoseFollower& next) {
            return all_stepped(next.position_.jump(target.position),
                               next.rotation_.jump(target.rotation),
                               next.log_scale_.jump(log_scale(target.scale)));
        });
    }
    StepStatus cut(const Pose& target) noexcept {
        return whole([&](PoseFollower& next) {
            return all_stepped(next.position_.cut(target.position),
                               next.rotation_.cut(target.rotation),
                               next.log_scale_.cut(log_scale(target.scale)));
        });
    }
    StepStatus push(const PoseVelocity& delta) noexcept {
        const Vector3 scale = value().scale;
        return whole([&](PoseFollower& next) {
            return all_stepped(
                next.position_.push(delta.position), next.rotation_.push(delta.rotation),
                next.log_scale_.push(
                    {delta.scale.x / scale.x, delta.scale.y / scale.y, delta.scale.z / scale.z}));
        });
    }
    StepStatus reset(const Pose& value) noexcept {
        return whole([&](PoseFollower& next) {
            return all_stepped(next.position_.reset(value.position),
                               next.rotation_.reset(value.rotation),
                               next.log_scale_.reset(log_scale(value.scale)));
        });
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
               log_scale_.try_retune(tuning.scale);
    }
    [[nodiscard]] PoseTuning tuning() const noexcept {
        return {position_.tuning(), rotation_.tuning(), log_scale_.tuning()};
    }

    [[nodiscard]] Pose value() const noexcept {
        return {position_.value(), rotation_.value(), scale_from_log(log_scale_.value())};
    }
    [[nodiscard]] PoseVelocity velocity() const noexcept {
        const Vector3 scale = scale_from_log(log_scale_.value());
        const Vector3 rate = log_scale_.velocity();
        return {position_.velocity(),
                rotation_.velocity(),
                {scale.x * rate.x, scale.y * rate.y, scale.z * rate.z}};
    }
    [[nodiscard]] Pose target() const noexcept {
        return {position_.target(), rotation_.target(), scale_from_log(log_scale_.target())};
    }

    /// The position within `distance` and no faster than `speed`; the rotation within as many
    /// radians, the scale within as large a part of itself.
    [[nodiscard]] bool at_rest(double distance, double speed) const noexcept {
        return position_.at_rest(distance, speed) && rotation_.at_rest(distance, speed) &&
               log_scale_.at_rest(distance, speed);
    }
    [[nodiscard]] bool still() const noexcept { return at_rest(0, 0); }
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
    void each_state(Fields& fields) {
        fields.begins("pose 1");
        fields(position_, rotation_, log_scale_, rejected_inputs_);
    }

  private:
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
    Follower<Vector3> log_scale_;
    std::uint64_t rejected_inputs_ = 0;
};

}  // namespace HOPCOIL_BITS
}  // namespace hopcoil
