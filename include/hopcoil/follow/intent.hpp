#pragma once

#include <optional>

#include <hopcoil/base/build.hpp>
#include <hopcoil/base/quaternion.hpp>
#include <hopcoil/base/vector3.hpp>
#include <hopcoil/follow/follower.hpp>
#include <hopcoil/follow/rotation_mover.hpp>

/// @file
/// Motion that shows what something is about to do: leaning, looking ahead, turning to where it
/// will land.

namespace hopcoil {

/// Standard gravity, downward, in metres per second squared.
inline constexpr double standard_gravity = 9.80665;

/// How far something leans for what it does.
///
/// Units   radians per metre of gap, radians per metre per second squared; most_rad 0 to pi / 2.
struct Lean {
    double per_gap = 0.0;
    double per_acceleration = 0.05;
    double most_rad = 0.6;
};
/// Errors  InvalidValue for a number that is not finite, or most_rad outside 0 to pi / 2.
void require_valid(const Lean& lean);

/// The turn that leans +Y toward the target (the opposite of the gap) and along the acceleration,
/// the parts along +Y aside. Bent so that it comes near most_rad without ever passing it: as smooth
/// as what drives it.
[[nodiscard]] Quaternion lean_of(const Lean& lean, const Vector3& gap, const Vector3& acceleration);

/// y'' of a follower whose target stands still: w^2 (x - y) - 2 z w y'.
[[nodiscard]] Vector3 acceleration_of(const Tuning& tuning, const Vector3& gap,
                                      const Vector3& velocity) noexcept;

/// Leans as a follower of its position does, from the follower's own state.
template <class Mover>
[[nodiscard]] Quaternion lean_of(const Lean& lean, const Mover& mover) {
    const Vector3 gap = vector3_from(mover.value()) - vector3_from(mover.target());
    return lean_of(lean, gap, acceleration_of(mover.tuning(), gap, vector3_from(mover.velocity())));
}

/// Where something will be after a time, from where it is, its velocity and its acceleration.
[[nodiscard]] Vector3 ahead_of(const Vector3& place, const Vector3& velocity, double time_s,
                               const Vector3& acceleration = {}) noexcept;

/// A thrown thing.
struct Flight {
    Vector3 place{};
    Vector3 velocity{};
    double gravity = standard_gravity;  ///< downward, >= 0

    [[nodiscard]] Vector3 at(double time_s) const noexcept;
    [[nodiscard]] Vector3 velocity_at(double time_s) const noexcept;
};

struct Landing {
    double time_s = 0.0;
    Vector3 place{};
    Vector3 velocity{};
};

/// Where and when a flight comes down on the plane at this height, in closed form; nothing when it
/// never does. A flight that starts on the plane and rises lands when it comes back.
[[nodiscard]] std::optional<Landing> landing_on_plane(const Flight& flight, double height);

/// The same on a ground given as a height function, `double height(double x, double z)`: found in
/// steps of `look_s` up to `most_s`, then refined to the last bit. A rise narrower than the
/// distance flown in one such step may be missed.
/// Errors  InvalidValue for a look_s or most_s that is not finite and above 0.
template <class Height>
[[nodiscard]] std::optional<Landing> landing_on(const Flight& flight, const Height& height,
                                                double most_s = 10.0, double look_s = 1.0 / 120);

/// The velocity that brings a thing from one spot to another in this time.
/// Errors  InvalidValue unless time_s is finite and above 0, gravity finite and >= 0.
[[nodiscard]] Vector3 launch_to(const Vector3& from, const Vector3& to, double time_s,
                                double gravity = standard_gravity);

/// The gentlest launch that reaches it at all, and how long it flies.
struct GentlestLaunch {
    Vector3 velocity{};
    double time_s = 0.0;
};
/// Errors  InvalidValue unless gravity is finite and above 0, or when from and to are one spot.
[[nodiscard]] GentlestLaunch gentlest_launch(const Vector3& from, const Vector3& to,
                                             double gravity = standard_gravity);

void require_valid_looks(double most_s, double look_s);

inline namespace HOPCOIL_BITS {

/// A head, or eyes, that look where they mean to go: a RotationFollower aimed at a spot.
///
///     LookAt head{{.frequency_hz = 3, .damping_ratio = 1}, eye, spot};
///     head.step(eye, landing->place, dt);
///
/// Model   the target is `facing(spot - eye, forward, up)`; a spot at the eye itself changes
///         nothing.
/// Errors  as RotationFollower.
class LookAt {
  public:
    LookAt(const Tuning& tuning, const Vector3& eye, const Vector3& spot,
           const Vector3& forward = {0, 0, 1}, const Vector3& up = {0, 1, 0})
        : forward_{forward}, up_{up}, head_{tuning, facing(spot - eye, forward, up)} {}

    StepStatus step(const Vector3& eye, const Vector3& spot, double dt) noexcept {
        const Vector3 direction = spot - eye;
        const bool news = length_of(direction) > 0;
        return head_.step(news ? facing(direction, forward_, up_) : head_.target(), dt);
    }
    /// Looks at another spot from now on. (A spot that differs between two calls of `step` is
    /// taken to have moved there in that step, and a lead responds to its speed.)
    StepStatus turn_to(const Vector3& eye, const Vector3& spot) noexcept {
        const Vector3 direction = spot - eye;
        if (!(length_of(direction) > 0)) return StepStatus::stepped;
        return head_.cut(facing(direction, forward_, up_));
    }
    [[nodiscard]] Quaternion value() const noexcept { return head_.value(); }
    [[nodiscard]] const RotationFollower& head() const noexcept { return head_; }
    [[nodiscard]] RotationFollower& head() noexcept { return head_; }

  private:
    Vector3 forward_;
    Vector3 up_;
    RotationFollower head_;
};

}  // namespace HOPCOIL_BITS

template <class Height>
std::optional<Landing> landing_on(const Flight& flight, const Height& height, double most_s,
                                  double look_s) {
    require_valid_looks(most_s, look_s);
    const auto clearance = [&](double time_s) -> double {
        const Vector3 place = flight.at(time_s);
        return place.y - height(place.x, place.z);
    };
    double low = 0;
    bool above = clearance(0) > 0;
    for (int look = 1; low < most_s; ++look) {
        double high = look * look_s;
        const double clear = clearance(high);
        if (above && !(clear > 0)) {
            while (true) {
                const double middle = low + 0.5 * (high - low);
                if (!(middle > low && middle < high)) break;
                (clearance(middle) > 0 ? low : high) = middle;
            }
            return Landing{high, flight.at(high), flight.velocity_at(high)};
        }
        above = clear > 0;
        low = high;
    }
    return std::nullopt;
}

}  // namespace hopcoil
