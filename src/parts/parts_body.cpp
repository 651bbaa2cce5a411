#include "parts_body.hpp"

#include <algorithm>

namespace hopcoil::parts {
namespace {

double radius_of(const PartShape& shape) {
    const Vector3& half = shape.half_size_m;
    double radius = shape.radius_m;
    if (shape.type == PartShape::Type::capsule) radius += half.y;
    if (shape.type == PartShape::Type::box) radius = norm(half);
    if (shape.type == PartShape::Type::outline) {
        radius = 0;
        for (const Vector3& corner : shape.outline)
            radius = std::max(radius, norm({corner.x, corner.y, half.z}));
    }
    return radius + norm(shape.placement.position);
}

MassProperties mass_of(const Part& part) {
    if (part.given.mass_kg > 0) return part.given;
    if (part.shapes.empty()) return {1, {}, {}, {1, 1, 1}};  // driven: it only stands for a place
    const MassProperties made = mass_properties(part.shapes);
    return part.mass_kg > 0 ? with_mass(made, part.mass_kg) : made;
}

Body body_of(const Part& part, bool is_flat) {
    Body body;
    const MassProperties mass = mass_of(part);
    body.own = {mass.centre, normalized(mass.axes)};
    body.mass = mass.mass_kg;
    body.inertia = mass.inertia;
    if (!part.is_driven) {
        body.inverse_mass = 1 / mass.mass_kg;
        body.inverse_inertia = {1 / mass.inertia.x, 1 / mass.inertia.y, 1 / mass.inertia.z};
        if (is_flat) {
            // Its own z is the world's, or what turns about that would leave the plane.
            const Placement place{part.placement.position, normalized(part.placement.rotation)};
            const Axes axes = axes_of((place * body.own).rotation);
            const Vector3 z{axes.x.z, axes.y.z, axes.z.z};
            const double about_z = (z.x * z.x * body.inertia.x + z.y * z.y * body.inertia.y) +
                                   z.z * z.z * body.inertia.z;
            body.inertia = {about_z, about_z, about_z};
            body.inverse_inertia = {1 / about_z, 1 / about_z, 1 / about_z};
        }
    }
    body.is_flat = is_flat;
    body.drag_per_s = part.drag_per_s;
    body.turning_drag_per_s = part.turning_drag_per_s;
    body.friction = part.friction;
    body.restitution = part.restitution;
    body.rolling_m = part.rolling_m;
    for (const PartShape& shape : part.shapes)
        body.radius = std::max(body.radius, radius_of(shape));
    place(body, {part.placement.position, normalized(part.placement.rotation)});
    return body;
}

/// What is joined far from its centre by comparison with its size would turn on rounding errors: a
/// millionth of what it is as a pendulum is added.
void stiffen(std::vector<Body>& bodies, std::uint32_t part, const Vector3& place) {
    if (part == no_part || bodies[part].inverse_mass == 0) return;
    Body& body = bodies[part];
    const Vector3 arm = place - body.position;
    const double least = 1e-6 * body.mass * dot(arm, arm);
    for (double Vector3::*axis : {&Vector3::x, &Vector3::y, &Vector3::z}) {
        body.inertia.*axis = std::max(body.inertia.*axis, least);
        body.inverse_inertia.*axis = 1 / (body.inertia.*axis);
    }
}

}  // namespace

Vector3 Body::angular_velocity() const noexcept {
    if (inverse_mass == 0) return momentum;
    const Axes axes = axes_of(rotation);
    const Vector3 own_momentum = into(axes, momentum);
    return along(axes, {own_momentum.x * inverse_inertia.x, own_momentum.y * inverse_inertia.y,
                        own_momentum.z * inverse_inertia.z});
}

Vector3 Body::momentum_of(const Vector3& spin) const noexcept {
    const Axes axes = axes_of(rotation);
    const Vector3 s = into(axes, spin);
    return along(axes, {s.x * inertia.x, s.y * inertia.y, s.z * inertia.z});
}

void Body::change(const Vector3& impulse, const Vector3& turning, double h) noexcept {
    if (!moves()) return;
    if (is_flat) {
        velocity = velocity + Vector3{impulse.x, impulse.y, 0} * inverse_now;
        momentum = momentum + Vector3{0, 0, turning.z};
    } else {
        velocity = velocity + impulse * inverse_now;
        momentum = momentum + turning;
    }
    impulse_s = impulse_s + impulse * h;
    turning_s = turning_s + turning * h;
}

void Body::catch_up() noexcept {
    if (impulse_s == Vector3{} && turning_s == Vector3{}) return;
    shift(impulse_s, turning_s);
    impulse_s = {};
    turning_s = {};
}

void Body::begin() noexcept {
    from = position;
    velocity_from = velocity;
    momentum_from = momentum;
    impulse_s = {};
    turning_s = {};
    inverse_now = is_asleep ? 0 : inverse_mass;
    inverse = {};
    if (inverse_now == 0) return;
    if (is_flat) {
        inverse.z.z = inverse_inertia.z;
    } else {
        inverse = scaled_axes(axes_of(rotation), inverse_inertia);
    }
}

/// Free rotation in five turns about the body's own axes, the same forward and backward: the
/// angular momentum is kept to rounding, the energy within a narrow band.
void Body::move(double h) noexcept {
    position = position + velocity * h;
    const Vector3& i = inverse_inertia;
    if (is_flat || (i.x == i.y && i.y == i.z)) {
        rotation = normalized(turned_by(spin() * h) * rotation);
        return;
    }
    const auto turn = [&](double share, double Vector3::*axis) {
        const Vector3 own_momentum = into(axes_of(rotation), momentum);
        Vector3 way{};
        way.*axis = share * h * own_momentum.*axis * inverse_inertia.*axis;
        rotation = rotation * turned_by(way);
    };
    turn(0.5, &Vector3::x);
    turn(0.5, &Vector3::y);
    turn(1, &Vector3::z);
    turn(0.5, &Vector3::y);
    turn(0.5, &Vector3::x);
    rotation = normalized(rotation);
}

void Body::shift(const Vector3& impulse, const Vector3& turning) noexcept {
    if (!moves()) return;
    const Vector3 way = impulse * inverse_now;
    position = position + (is_flat ? Vector3{way.x, way.y, 0} : way);
    rotation = turned_by(inverse * turning) * rotation;
}

double Body::kinetic_energy() const noexcept {
    return 0.5 * (mass * dot(velocity, velocity) + dot(momentum, angular_velocity()));
}

double Body::kinetic_energy_of_mean() const noexcept {
    const Vector3 mean_velocity = (velocity_from + velocity) * 0.5;
    const Vector3 mean_momentum = (momentum_from + momentum) * 0.5;
    return 0.5 *
           (mass * dot(mean_velocity, mean_velocity) + dot(mean_momentum, inverse * mean_momentum));
}

double Body::mean_kinetic_energy() const noexcept {
    const double before =
        mass * dot(velocity_from, velocity_from) + dot(momentum_from, inverse * momentum_from);
    const double after = mass * dot(velocity, velocity) + dot(momentum, inverse * momentum);
    return 0.25 * (before + after);
}

std::vector<Body> bodies_of(const PartsStructure& structure) {
    std::vector<Body> bodies;
    bodies.reserve(structure.parts.size() + 1);
    for (const Part& part : structure.parts)
        bodies.push_back(body_of(part, structure.is_flat));
    for (const PartJoint& joint : structure.joints) {
        stiffen(bodies, joint.a, joint.frame.position);
        stiffen(bodies, joint.b, joint.frame.position);
    }
    bodies.emplace_back();
    return bodies;
}

std::vector<MassProperties> masses_of(const PartsStructure& structure) {
    std::vector<MassProperties> masses;
    masses.reserve(structure.parts.size());
    for (const Part& part : structure.parts)
        masses.push_back(mass_of(part));
    return masses;
}

Placement placement_of(const Body& body) noexcept {
    return Placement{body.position, body.rotation} * inverse(body.own);
}

void place(Body& body, const Placement& part) noexcept {
    const Placement at = part * body.own;
    body.position = at.position;
    body.rotation = at.rotation;
}

}  // namespace hopcoil::parts
