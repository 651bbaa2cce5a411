#include <algorithm>

#include <hopcoil/base/components.hpp>
#include <hopcoil/base/math.hpp>
#include <hopcoil/field/ground.hpp>

namespace hopcoil {

Vector3 GroundFrame::to_world(const Vector3& local) const noexcept {
    return position + rotated(rotation, local);
}

Vector3 GroundFrame::to_local(const Vector3& world) const noexcept {
    return rotated(conjugate(rotation), world - position);
}

Vector3 GroundFrame::velocity_at(const Vector3& world) const noexcept {
    return velocity + cross(angular_velocity, world - position);
}

GroundFrame GroundFrame::ahead(double time_s) const noexcept {
    GroundFrame later = *this;
    if (time_s == 0) return later;
    const double changed_s = std::min(time_s, 0.0);
    later.velocity = velocity + acceleration * changed_s;
    later.angular_velocity = angular_velocity + angular_acceleration * changed_s;
    // Over the time it moves at the mean of its first and last velocity.
    later.position = position + (velocity + later.velocity) * (0.5 * time_s);
    const Vector3 turn = (angular_velocity + later.angular_velocity) * (0.5 * time_s);
    if (!(turn == Vector3{})) later.rotation = normalized(turned_by(turn) * rotation);
    return later;
}

GroundDistance Ground::surface_distance(const Vector3& place, double above,
                                        double ahead_s) const noexcept {
    const GroundPoint under = surface_under(place.x, place.z, place.y + above, ahead_s);
    if (!under.exists) return {};
    return {(place.y - under.height) * under.normal.y, under.normal, under.part};
}

Vector3 normal_of_slopes(double along_x, double along_z) noexcept {
    const double length = math::sqrt(along_x * along_x + along_z * along_z + 1);
    return {-along_x / length, 1 / length, -along_z / length};
}

}  // namespace hopcoil
