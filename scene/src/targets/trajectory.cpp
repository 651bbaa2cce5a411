#include <algorithm>
#include <cmath>
#include <limits>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/scene/trajectory.hpp>

namespace hopcoil::scene {
namespace {

constexpr Vector3 x_axis{1, 0, 0};
constexpr Vector3 y_axis{0, 1, 0};
constexpr Vector3 z_axis{0, 0, 1};

/// Hand-overs of a rotation under way: between two of them a cubic with its velocity is near
/// enough.
constexpr double turning_steps_per_s = 480;

ValueAndVelocity point_of(const Quaternion& turn, const Vector3& velocity) {
    return {ValueArray{{turn.w, turn.x, turn.y, turn.z}},
            ValueArray{{velocity.x, velocity.y, velocity.z, 0}}};
}

ValueAndVelocity from_turns(const ValueAndVelocity& components) {
    const Vector3 turns{components.value[0], components.value[1], components.value[2]};
    const Vector3 rates{components.velocity[0], components.velocity[1], components.velocity[2]};
    return point_of(turned_in_order(turns), angular_velocity_in_order(turns, rates));
}

/// The parts of a quaternion of any length, and how fast they change.
ValueAndVelocity from_parts(const ValueAndVelocity& components) {
    const Quaternion q{components.value[0], components.value[1], components.value[2],
                       components.value[3]};
    const Quaternion rate{components.velocity[0], components.velocity[1], components.velocity[2],
                          components.velocity[3]};
    const double length = length_of(q);
    const Quaternion turning = rate * conjugate(q);
    const double factor = length > 0 ? 2 / (length * length) : 0;
    const Quaternion unit = normalized(q);
    return point_of(length > 0 ? unit : Quaternion{},
                    Vector3{turning.x, turning.y, turning.z} * factor);
}

}  // namespace

Quaternion turned_in_order(const Vector3& turns_rad) noexcept {
    return turned_by(y_axis * turns_rad.y) * turned_by(x_axis * turns_rad.x) *
           turned_by(z_axis * turns_rad.z);
}

Vector3 angular_velocity_in_order(const Vector3& turns_rad, const Vector3& rates) noexcept {
    const Quaternion heading = turned_by(y_axis * turns_rad.y);
    const Quaternion pitched = heading * turned_by(x_axis * turns_rad.x);
    return y_axis * rates.y + rotated(heading, x_axis) * rates.x +
           rotated(pitched, z_axis) * rates.z;
}

Trajectory::Trajectory(ValueKind kind, std::vector<Target> components)
    : kind_{kind}, components_{std::move(components)} {
    const std::size_t count = components_.size();
    const bool is_vector = kind == ValueKind::vector;
    const bool is_rotation = kind == ValueKind::rotation;
    const std::size_t least = is_rotation ? 3 : is_vector ? 2 : 1;
    const std::size_t most = is_rotation || is_vector ? most_numbers : 1;
    if (count < least || count > most) {
        throw InvalidValue{
            "components", static_cast<double>(count),
            "1 for a number or an angle, 2 to 4 for a vector, 3 or 4 for a rotation"};
    }
}

ValueAndVelocity Trajectory::assembled(double time_s, bool after) const noexcept {
    ValueAndVelocity point;
    for (std::size_t i = 0; i < components_.size(); ++i) {
        const TargetPoint component =
            after ? components_[i].after(time_s) : components_[i].before(time_s);
        point.value[i] = component.value;
        point.velocity[i] = component.velocity;
    }
    if (kind_ != ValueKind::rotation) return point;
    return components_.size() == 3 ? from_turns(point) : from_parts(point);
}

ValueAndVelocity Trajectory::before(double time_s) const noexcept {
    return assembled(time_s, false);
}

ValueAndVelocity Trajectory::after(double time_s) const noexcept {
    return assembled(time_s, true);
}

double Trajectory::next_breakpoint_s(double time_s) const noexcept {
    double breakpoint_s = std::numeric_limits<double>::infinity();
    for (const Target& component : components_)
        breakpoint_s = std::min(breakpoint_s, component.next_breakpoint_s(time_s));
    if (kind_ != ValueKind::rotation) return breakpoint_s;
    const ValueArray turning = after(time_s).velocity;
    if (turning == ValueArray{}) return breakpoint_s;
    return std::min(breakpoint_s,
                    (std::floor(time_s * turning_steps_per_s + 1e-6) + 1) / turning_steps_per_s);
}

bool Trajectory::is_straight() const noexcept {
    return kind_ != ValueKind::rotation &&
           std::all_of(components_.begin(), components_.end(),
                       [](const Target& component) { return component.is_straight(); });
}

double Trajectory::last_event_s() const noexcept {
    double last_s = 0;
    for (const Target& component : components_)
        last_s = std::max(last_s, component.last_event_s());
    return last_s;
}

}  // namespace hopcoil::scene
