#include <cmath>

#include <hopcoil/base/components.hpp>
#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/follow/intent.hpp>

namespace hopcoil {

void require_valid(const Lean& lean) {
    require_finite("per_gap", lean.per_gap);
    require_finite("per_acceleration", lean.per_acceleration);
    if (!(lean.most_rad >= 0 && lean.most_rad <= 0.5 * math::pi)) {
        throw InvalidValue{"most_rad", lean.most_rad, "0 to pi / 2"};
    }
}

Quaternion lean_of(const Lean& lean, const Vector3& gap, const Vector3& acceleration) {
    require_valid(lean);
    const Vector3 drive = acceleration * lean.per_acceleration - gap * lean.per_gap;
    const Vector3 level{drive.x, 0, drive.z};
    const double size = length_of(level);
    if (!(size > 0) || !std::isfinite(size)) return {};
    // Near its own size while small, never more than the most: s / sqrt(1 + (s / most)^2).
    const double ratio = lean.most_rad > 0 ? size / lean.most_rad : 0;
    const double angle = lean.most_rad > 0 ? size / math::sqrt(1 + ratio * ratio) : 0;
    return turned_by(cross({0, 1, 0}, level) * (angle / size));
}

Vector3 acceleration_of(const Tuning& tuning, const Vector3& gap,
                        const Vector3& velocity) noexcept {
    const double w = angular_frequency_rad_per_s(tuning);
    return gap * (-w * w) - velocity * (2 * tuning.damping_ratio * w);
}

Vector3 ahead_of(const Vector3& place, const Vector3& velocity, double time_s,
                 const Vector3& acceleration) noexcept {
    return place + velocity * time_s + acceleration * (0.5 * time_s * time_s);
}

Vector3 Flight::at(double time_s) const noexcept {
    return ahead_of(place, velocity, time_s, {0, -gravity, 0});
}

Vector3 Flight::velocity_at(double time_s) const noexcept {
    return velocity - Vector3{0, gravity * time_s, 0};
}

std::optional<Landing> landing_on_plane(const Flight& flight, double height) {
    const double above = flight.place.y - height;
    const double rise = flight.velocity.y;
    double time_s = 0;
    if (flight.gravity == 0) {
        if (!(rise < 0) || above < 0) return std::nullopt;
        time_s = above / -rise;
    } else {
        // above + rise t - g t^2 / 2 = 0, the later root, from the form that does not cancel.
        const double inside = rise * rise + 2 * flight.gravity * above;
        if (!(inside >= 0)) return std::nullopt;
        const double root = math::sqrt(inside);
        time_s = rise >= 0 ? (rise + root) / flight.gravity : 2 * above / (root - rise);
        if (!(time_s >= 0)) return std::nullopt;
    }
    Landing landing{time_s, flight.at(time_s), flight.velocity_at(time_s)};
    landing.place.y = height;
    return landing;
}

void require_valid_looks(double most_s, double look_s) {
    require_above_zero("most_s", most_s);
    require_above_zero("look_s", look_s);
    constexpr double most_looks = 1e7;
    if (most_s / look_s > most_looks) {
        throw InvalidValue{"look_s", look_s, "at least a ten-millionth of most_s"};
    }
}

Vector3 launch_to(const Vector3& from, const Vector3& to, double time_s, double gravity) {
    require_above_zero("time_s", time_s);
    require_at_least_zero("gravity", gravity);
    return (to - from) * (1 / time_s) + Vector3{0, 0.5 * gravity * time_s, 0};
}

GentlestLaunch gentlest_launch(const Vector3& from, const Vector3& to, double gravity) {
    require_above_zero("gravity", gravity);
    const double distance = length_of(to - from);
    require_above_zero("distance", distance);
    // |v|^2 over the time of flight is least at t^2 = 2 distance / gravity.
    const double time_s = math::sqrt(2 * distance / gravity);
    return {launch_to(from, to, time_s, gravity), time_s};
}

}  // namespace hopcoil
