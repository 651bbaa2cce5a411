#include <algorithm>
#include <cmath>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/field/contact_shape.hpp>

namespace hopcoil {

namespace {

ShapeDistance from_core(const Vector3& way, double radius) noexcept {
    const double length = std::sqrt(dot(way, way));
    const bool has_direction = length > 1e-12 && length < 1e150;
    return {length - radius, has_direction ? way * (1 / length) : Vector3{0, 1, 0}};
}

/// The distance from a box about the origin; inside, to its nearest face.
ShapeDistance box_distance(const ContactShape& shape, const Vector3& p) noexcept {
    const Vector3& half = shape.half_size_m;
    const Vector3 nearest{std::clamp(p.x, -half.x, half.x), std::clamp(p.y, -half.y, half.y),
                          std::clamp(p.z, -half.z, half.z)};
    if (!(nearest == p)) return from_core(p - nearest, shape.radius_m);
    const double depths[]{half.x - std::abs(p.x), half.y - std::abs(p.y), half.z - std::abs(p.z)};
    ShapeDistance face{-depths[1], {0, p.y < 0 ? -1.0 : 1.0, 0}};
    if (depths[0] < -face.metres) face = {-depths[0], {p.x < 0 ? -1.0 : 1.0, 0, 0}};
    if (depths[2] < -face.metres) face = {-depths[2], {0, 0, p.z < 0 ? -1.0 : 1.0}};
    face.metres -= shape.radius_m;
    return face;
}

ShapeDistance local_distance(const ContactShape& shape, const Vector3& p) noexcept {
    switch (shape.type) {
        case ContactShape::Type::sphere:
            return from_core(p, shape.radius_m);
        case ContactShape::Type::capsule: {
            const double along = std::clamp(p.y, -shape.half_size_m.y, shape.half_size_m.y);
            return from_core({p.x, p.y - along, p.z}, shape.radius_m);
        }
        case ContactShape::Type::box:
            return box_distance(shape, p);
        case ContactShape::Type::plane:
            break;
    }
    return {p.y, {0, 1, 0}};
}

}  // namespace

ShapeDistance distance_to(const ContactShape& shape, const Vector3& place) noexcept {
    const Vector3 way = place - shape.position;
    if (shape.type == ContactShape::Type::sphere) return from_core(way, shape.radius_m);
    ShapeDistance found = local_distance(shape, rotated(conjugate(shape.rotation), way));
    found.normal = rotated(shape.rotation, found.normal);
    return found;
}

Vector3 velocity_at(const ContactShape& shape, const Vector3& place) noexcept {
    return shape.velocity + cross(shape.angular_velocity, place - shape.position);
}

void require_valid(const ContactShape& shape) {
    for (const Vector3& each :
         {shape.position, shape.velocity, shape.angular_velocity, shape.half_size_m}) {
        for (const double number : {each.x, each.y, each.z})
            require_finite("shape", number);
    }
    for (const double number : {shape.half_size_m.x, shape.half_size_m.y, shape.half_size_m.z})
        require_at_least_zero("half_size_m", number);
    require_at_least_zero("radius_m", shape.radius_m);
    require_at_least_zero("friction", shape.friction);
    if (!(normalized(shape.rotation).w == normalized(shape.rotation).w))
        throw InvalidValue{"rotation", length_of(shape.rotation), "a rotation"};
}

}  // namespace hopcoil
