#include <algorithm>
#include <array>
#include <cmath>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/parts/part_shape.hpp>

#include "outline.hpp"
#include "parts_math.hpp"

namespace hopcoil {
namespace {

using parts::Axes;
using parts::Matrix3;

/// Of one solid: about its centre of mass, along the axes of its own frame.
struct Solid {
    double mass = 0;
    Vector3 centre{};
    Matrix3 inertia{};
};

Matrix3 diagonal(double x, double y, double z) {
    return {{x, 0, 0}, {0, y, 0}, {0, 0, z}};
}

Solid solid_sphere(const PartShape& shape) {
    const double r = shape.radius_m;
    const double mass = shape.density_kg_per_m3 * (4.0 / 3) * math::pi * r * r * r;
    const double inertia = 0.4 * mass * r * r;
    return {mass, {}, diagonal(inertia, inertia, inertia)};
}

Solid solid_capsule(const PartShape& shape) {
    const double r = shape.radius_m;
    const double half = shape.half_size_m.y;
    const double middle = shape.density_kg_per_m3 * math::pi * r * r * 2 * half;
    const double ends = shape.density_kg_per_m3 * (4.0 / 3) * math::pi * r * r * r;
    const double along = middle * r * r / 2 + 0.4 * ends * r * r;
    // Half a ball's own inertia is about 3/8 of its radius from its flat side.
    const double across = middle * (r * r / 4 + half * half / 3) +
                          ends * (0.4 * r * r + half * half + 0.75 * half * r);
    return {middle + ends, {}, diagonal(across, along, across)};
}

Solid solid_box(const PartShape& shape) {
    const Vector3& h = shape.half_size_m;
    const double mass = shape.density_kg_per_m3 * 8 * h.x * h.y * h.z;
    return {mass,
            {},
            diagonal(mass * (h.y * h.y + h.z * h.z) / 3, mass * (h.x * h.x + h.z * h.z) / 3,
                     mass * (h.x * h.x + h.y * h.y) / 3)};
}

Solid solid_outline(const PartShape& shape) {
    const parts::Area area = parts::area_of(shape.outline);
    const double thickness = 2 * shape.half_size_m.z;
    const double sheet = shape.density_kg_per_m3 * thickness;
    const double mass = sheet * area.area;
    const double depth = mass * thickness * thickness / 12;
    const Matrix3 inertia{{sheet * area.yy + depth, -sheet * area.xy, 0},
                          {-sheet * area.xy, sheet * area.xx + depth, 0},
                          {0, 0, sheet * (area.xx + area.yy)}};
    return {mass, area.centre, inertia};
}

Solid solid_of(const PartShape& shape) {
    switch (shape.type) {
        case PartShape::Type::sphere:
            return solid_sphere(shape);
        case PartShape::Type::capsule:
            return solid_capsule(shape);
        case PartShape::Type::box:
            return solid_box(shape);
        case PartShape::Type::outline:
            break;
    }
    return solid_outline(shape);
}

Matrix3 sum(const Matrix3& a, const Matrix3& b) {
    return {a.x + b.x, a.y + b.y, a.z + b.z};
}

/// R M R^T.
Matrix3 turned(const Quaternion& q, const Matrix3& m) {
    const Axes axes = parts::axes_of(q);
    const auto row = [&](const Vector3& local) {
        return parts::along(axes, {dot(m.x, local), dot(m.y, local), dot(m.z, local)});
    };
    // The world's axes in the frame of the solid.
    return {row({axes.x.x, axes.y.x, axes.z.x}), row({axes.x.y, axes.y.y, axes.z.y}),
            row({axes.x.z, axes.y.z, axes.z.z})};
}

/// m (|d|^2 1 - d d^T).
Matrix3 offset_inertia(double mass, const Vector3& d) {
    const double square = dot(d, d);
    return {(Vector3{square, 0, 0} - d * d.x) * mass, (Vector3{0, square, 0} - d * d.y) * mass,
            (Vector3{0, 0, square} - d * d.z) * mass};
}

/// Turns one pair of axes so that what ties them is gone.
void turn_pair(std::array<std::array<double, 3>, 3>& m, std::array<Vector3, 3>& axes, std::size_t p,
               std::size_t q) {
    if (std::abs(m[p][q]) <= 1e-300) return;
    const double theta = (m[q][q] - m[p][p]) / (2 * m[p][q]);
    const double sign = theta < 0 ? -1 : 1;
    const double t = sign / (std::abs(theta) + std::sqrt(theta * theta + 1));
    const double c = 1 / std::sqrt(t * t + 1);
    const double s = t * c;
    for (std::size_t k = 0; k < 3; ++k) {
        const double kp = m[k][p];
        const double kq = m[k][q];
        m[k][p] = c * kp - s * kq;
        m[k][q] = s * kp + c * kq;
    }
    for (std::size_t k = 0; k < 3; ++k) {
        const double pk = m[p][k];
        const double qk = m[q][k];
        m[p][k] = c * pk - s * qk;
        m[q][k] = s * pk + c * qk;
    }
    const Vector3 a = axes[p];
    axes[p] = a * c - axes[q] * s;
    axes[q] = a * s + axes[q] * c;
}

/// The rotation that has these axes.
Quaternion rotation_to(const std::array<Vector3, 3>& axes) {
    const Quaternion forward = facing(axes[2]);
    const Vector3 x = rotated(forward, {1, 0, 0});
    const Vector3 y = rotated(forward, {0, 1, 0});
    return normalized(forward * turned_by({0, 0, math::atan2(dot(axes[0], y), dot(axes[0], x))}));
}

/// Jacobi's method; what is diagonal already stays as it is.
MassProperties along_principal_axes(const Solid& whole) {
    const Matrix3& own = whole.inertia;
    std::array<std::array<double, 3>, 3> m{
        {{own.x.x, own.x.y, own.x.z}, {own.y.x, own.y.y, own.y.z}, {own.z.x, own.z.y, own.z.z}}};
    std::array<Vector3, 3> axes{{{1, 0, 0}, {0, 1, 0}, {0, 0, 1}}};
    for (int sweep = 0; sweep < 12; ++sweep) {
        turn_pair(m, axes, 0, 1);
        turn_pair(m, axes, 0, 2);
        turn_pair(m, axes, 1, 2);
    }
    return {whole.mass, whole.centre, rotation_to(axes), {m[0][0], m[1][1], m[2][2]}};
}

}  // namespace

void require_valid(const PartShape& shape) {
    const auto require_vector = [](const char* name, const Vector3& v) {
        for (const double number : {v.x, v.y, v.z})
            require_finite(name, number);
    };
    require_vector("at", shape.placement.position);
    const Quaternion& q = shape.placement.rotation;
    for (const double number : {q.w, q.x, q.y, q.z})
        require_finite("rotation", number);
    if (!(length_of(q) > 0.1)) throw InvalidValue{"rotation", length_of(q), "a rotation"};
    require_above_zero("density_kg_per_m3", shape.density_kg_per_m3);
    using Type = PartShape::Type;
    if (shape.type == Type::sphere || shape.type == Type::capsule)
        require_above_zero("radius_m", shape.radius_m);
    const Vector3& half = shape.half_size_m;
    if (shape.type == Type::box) require_above_zero("half_size_m", half.x);
    if (shape.type == Type::box || shape.type == Type::capsule)
        require_above_zero("half_size_m", half.y);
    if (shape.type == Type::box || shape.type == Type::outline)
        require_above_zero("half_size_m", half.z);
    if (shape.type == Type::outline) static_cast<void>(convex_pieces(shape.outline));
}

MassProperties mass_properties(std::span<const PartShape> shapes) {
    Solid whole;
    for (const PartShape& shape : shapes) {
        require_valid(shape);
        const Solid own = solid_of(shape);
        const Placement place{shape.placement.position, normalized(shape.placement.rotation)};
        const Vector3 centre = parts::to_world(place, own.centre);
        whole.mass += own.mass;
        whole.centre = whole.centre + centre * own.mass;
        whole.inertia = sum(whole.inertia, sum(turned(place.rotation, own.inertia),
                                               offset_inertia(own.mass, centre)));
    }
    if (!(whole.mass > 0)) throw InvalidValue{"mass_kg", whole.mass, "shapes, or a mass"};
    whole.centre = whole.centre * (1 / whole.mass);
    const Matrix3 moved = offset_inertia(-whole.mass, whole.centre);
    whole.inertia = sum(whole.inertia, moved);
    return along_principal_axes(whole);
}

MassProperties with_mass(const MassProperties& properties, double mass_kg) {
    require_above_zero("mass_kg", mass_kg);
    MassProperties changed = properties;
    changed.mass_kg = mass_kg;
    changed.inertia = properties.inertia * (mass_kg / properties.mass_kg);
    return changed;
}

}  // namespace hopcoil
