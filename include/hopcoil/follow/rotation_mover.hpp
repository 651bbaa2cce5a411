#pragma once

#include <array>
#include <concepts>
#include <span>

#include <hopcoil/base/build.hpp>
#include <hopcoil/base/quaternion.hpp>
#include <hopcoil/follow/curve_move.hpp>
#include <hopcoil/follow/follower.hpp>
#include <hopcoil/follow/glide.hpp>
#include <hopcoil/follow/pursuit.hpp>

namespace hopcoil {

/// Made unit. Errors: InvalidValue for a rotation that is zero or not finite.
[[nodiscard]] Quaternion require_rotation(const char* field, const Quaternion& rotation);

/// The motion of a rotation: what one mover of a rotation takes over from another.
struct RotationMotion {
    Quaternion target{};
    Vector3 gap_rad{};  ///< from the target to the value, the way round that the value has come
    Vector3 gap_rate_rad_per_s{};

    [[nodiscard]] Quaternion value() const noexcept { return turned_by(gap_rad) * target; }
    [[nodiscard]] Vector3 velocity() const noexcept {
        return angular_velocity_from(gap_rad, gap_rate_rad_per_s);
    }
};

inline namespace HOPCOIL_BITS {

/// A mover of a rotation: a Follower, Glide or Pursuit of the rotation vector.
///
///     RotationFollower head{{.frequency_hz = 2, .damping_ratio = 1}, Quaternion{}};
///     head.step(facing(fish - eye), dt);
///
/// Model   that of the mover, for the rotation vector from the target to the value. The way round
///         is remembered: a target that turns past 180 degrees makes no flip. A target moves (step,
///         jump) the shorter way; after a `cut` the follower takes the shorter way itself.
/// Shapes  a unit quaternion; targets of any length but zero are made unit, and q and -q are one.
/// Units   angular velocity in radians per second about fixed axes.
/// Source  docs/math/rotations.md. Exact while the target is held, from any motion, and while all
///         turns are about one axis; otherwise first order in how far the target turns in a step.
/// Errors  as Follower; a target that is zero or not finite is rejected.
template <class Base>
class RotationMover : private Base {
  public:
    using Inputs = Quaternion;
    using Parameters = typename Base::Parameters;
    using Base::at_rest;  ///< radians, radians per second
    using Base::distance_to_target;
    using Base::rejected_inputs;
    using Base::retune;
    using Base::still;
    using Base::try_retune;

    /// Errors  InvalidValue for an invalid tuning, or a start that is zero or not finite.
    RotationMover(const Parameters& tuning, const Quaternion& start)
        : Base{tuning, Vector3{}}, target_{require_rotation("start", start)} {}

    StepStatus step(const Quaternion& target, double dt) noexcept {
        if constexpr (!Base::takes_target_at_once) {
            return moved(target, [&](const Vector3& travel) { return Base::step(travel, dt); });
        }
        if (!is_time_step(dt)) return Base::reject();
        const Quaternion from = target_;
        const Motion<Vector3> before = Base::motion();
        if (const StepStatus sent = send(target); sent != StepStatus::stepped) return sent;
        const StepStatus status = kept_if_finite(Base::step(Vector3{}, dt), before);
        if (status == StepStatus::stepped) return status;
        this->express(before);
        target_ = from;
        return status;
    }
    StepStatus step(const Quaternion& target, const StepCoefficients& coefficients) noexcept
        requires std::same_as<Parameters, Tuning> {
        return moved(target,
                     [&](const Vector3& travel) { return Base::step(travel, coefficients); });
    }
    /// The target's angular velocity at the end of the step is known.
    StepStatus step(const Quaternion& target, const Vector3& target_velocity,
                    double dt) noexcept requires std::same_as<Parameters, Tuning> {
        const StepStatus status = moved(target, [&](const Vector3& travel) {
            return Base::step(travel, rate_from(travel, target_velocity), dt);
        });
        if (status == StepStatus::stepped) Base::express_target_velocity(target_velocity);

        return status;
    }
    StepStatus jump(const Quaternion& target) noexcept {
        if constexpr (Base::takes_target_at_once) return send(target);
        return moved(target, [&](const Vector3& travel) { return Base::jump(travel); });
    }
    StepStatus cut(const Quaternion& target) noexcept {
        return resume(value(), velocity(), target);
    }
    StepStatus push(const Vector3& delta_velocity) noexcept requires requires(Base& base) {
        base.push(Vector3{});
    }
    {
        const Motion<Vector3> before = Base::motion();
        const StepStatus status =
            Base::push(rate_from(gap_rad(), velocity() + delta_velocity) - Base::motion().velocity);
        return kept_if_finite(status, before);
    }
    StepStatus reset(const Quaternion& value) noexcept { return resume(value, Vector3{}, value); }
    /// Puts it at rest on its present target.
    StepStatus snap() noexcept { return Base::snap(); }

    /// Takes over a value, its angular velocity and a target, the shorter way.
    StepStatus resume(const Quaternion& value, const Vector3& angular_velocity,
                      const Quaternion& target) noexcept {
        const Quaternion to = normalized(target);
        const Vector3 gap = rotation_vector(normalized(value) * conjugate(to));
        return resume(RotationMotion{to, gap, rate_from(gap, angular_velocity)});
    }
    /// Takes over from another mover of a rotation, on the way round that it was going.
    StepStatus resume(const RotationMotion& motion) noexcept {
        const Quaternion to = normalized(motion.target);
        if (!is_finite(Vector3{to.x, to.y, to.z})) return Base::reject();
        const Motion<Vector3> before = Base::motion();
        const StepStatus status = kept_if_finite(
            Base::resume({Vector3{}, motion.gap_rad, motion.gap_rate_rad_per_s}), before);
        if (status == StepStatus::stepped) target_ = to;
        return status;
    }

    [[nodiscard]] Quaternion value() const noexcept { return turned_by(gap_rad()) * target_; }
    [[nodiscard]] Vector3 velocity() const noexcept {
        return angular_velocity_from(gap_rad(), Base::motion().velocity);
    }
    [[nodiscard]] Quaternion target() const noexcept { return target_; }
    /// From the target to the value, direction times angle; longer than pi where it came that way.
    [[nodiscard]] Vector3 gap_rad() const noexcept { return Base::motion().gap; }
    [[nodiscard]] RotationMotion motion() const noexcept {
        return {target_, gap_rad(), Base::motion().velocity};
    }
    /// Where the target is when `part` (0 to 1) of the time of a step to `target` has passed.
    [[nodiscard]] Quaternion target_on_way(const Quaternion& target, double part) const noexcept {
        if constexpr (Base::takes_target_at_once) return target;
        const Vector3 travel = rotation_vector(normalized(target) * conjugate(target_));
        return turned_by(Base::target_on_way(travel, part)) * target_;
    }

    [[nodiscard]] const Parameters& tuning() const noexcept { return Base::tuning(); }

    [[nodiscard]] static std::span<const Channel> channels() noexcept {
        static constexpr std::array<Channel, 3> all{
            {{.name = "value", .kind = ChannelKind::rotation, .components = 4},
             {.name = "velocity",
              .kind = ChannelKind::vector,
              .components = 3,
              .unit = "rad_per_s"},
             {.name = "target", .kind = ChannelKind::rotation, .components = 4}}};
        return all;
    }
    void read(std::span<double> numbers) const noexcept {
        const Quaternion v = value();
        const Vector3 w = velocity();
        const std::array<double, 11> all{v.w, v.x,       v.y,       v.z,       w.x,      w.y,
                                         w.z, target_.w, target_.x, target_.y, target_.z};
        for (std::size_t i = 0; i < all.size() && i < numbers.size(); ++i)
            numbers[i] = all[i];
    }
    [[nodiscard]] static std::span<const Dial<RotationMover>> dials() noexcept {
        return dials_through_tuning<RotationMover>();
    }

    /// For save_state and load_state (base/state.hpp).
    template <class Fields>
    void visit_state(Fields& fields) {
        fields.begins("rotation 1");
        Base::visit_state(fields);
        fields(target_);
        const double size = target_.w * target_.w + target_.x * target_.x + target_.y * target_.y +
                            target_.z * target_.z;
        constexpr double rounding = 1e-9;
        fields.require(size > 1 - rounding && size < 1 + rounding);
    }

  private:
    /// Moves in the chart of rotation vectors about the old target, then goes on in the new one's.
    template <class Move>
    StepStatus moved(const Quaternion& target, const Move& move) noexcept {
        const Quaternion to = normalized(target);
        const Vector3 travel = rotation_vector(to * conjugate(target_));
        const Motion<Vector3> before = Base::motion();
        const StepStatus status = kept_if_finite(move(travel), before);
        if (status != StepStatus::stepped || travel == Vector3{}) return status;
        return seen_from(to, travel, before);
    }

    /// Changes the target; it has moved there the shorter way.
    StepStatus send(const Quaternion& target) noexcept {
        const Quaternion to = normalized(target);
        const Vector3 travel = rotation_vector(to * conjugate(target_));
        if (!is_finite(travel)) return Base::reject();
        return travel == Vector3{} ? StepStatus::stepped : seen_from(to, travel, Base::motion());
    }

    /// The same rotation in the chart about another target, `travel` from the old one.
    StepStatus seen_from(const Quaternion& to, const Vector3& travel,
                         const Motion<Vector3>& before) noexcept {
        const Vector3 turned = Base::value();
        const Vector3 angular_velocity = angular_velocity_from(turned, Base::motion().velocity);
        const Vector3 gap =
            rotation_vector_near(turned_by(turned) * target_ * conjugate(to), turned - travel);
        this->express({Vector3{}, gap, rate_from(gap, angular_velocity)});
        const StepStatus expressed = kept_if_finite(StepStatus::stepped, before);
        if (expressed == StepStatus::stepped) target_ = to;
        return expressed;
    }

    /// Restores the motion before where a finite rate gives an angular velocity that is not.
    StepStatus kept_if_finite(StepStatus status, const Motion<Vector3>& before) noexcept {
        const bool finite = is_finite(gap_rad()) && is_finite(velocity());
        if (status != StepStatus::stepped || finite) return status;
        this->express(before);
        return this->reject();
    }

    Quaternion target_;
};

using RotationFollower = RotationMover<Follower<Vector3>>;
/// Covers half of the angle to its target in every half-life.
using RotationGlide = RotationMover<Glide<Vector3>>;
/// Turns toward its target under caps on the rate of turning and on its change.
using RotationPursuit = RotationMover<Pursuit<Vector3>>;
/// Turns toward its target along a given curve.
using RotationCurve = RotationMover<CurveMove<Vector3>>;

}  // namespace HOPCOIL_BITS
}  // namespace hopcoil
