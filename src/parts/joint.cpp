#include "joint.hpp"

#include <algorithm>
#include <cmath>

#include <hopcoil/base/angles.hpp>
#include <hopcoil/base/math.hpp>

namespace hopcoil::parts {
namespace {

constexpr std::array<Vector3, 3> world_axes{{{1, 0, 0}, {0, 1, 0}, {0, 0, 1}}};

Placement placed(const Body& body) {
    return {body.position, body.rotation};
}

double acos_of(double cosine, double sine) {
    return math::atan2(sine, cosine);
}

/// Of a force along a direction from a's spot to b's.
Row pulling(const Body& a, const Body& b, const Vector3& on_a, const Vector3& on_b,
            const Vector3& direction) {
    Row row;
    row.direction = direction;
    row.on_a = cross(on_a - a.position, direction) * -1;
    row.on_b = cross(on_b - b.position, direction);
    return row;
}

Row turning(const Vector3& axis) {
    Row row;
    row.on_a = axis * -1;
    row.on_b = axis;
    return row;
}

}  // namespace

Connection::Connection(const PartJoint& joint, std::span<const Body> bodies)
    : a_{joint.a == no_part ? static_cast<std::uint32_t>(bodies.size() - 1) : joint.a},
      b_{joint.b},
      lowest_{joint.lowest},
      highest_{joint.highest},
      most_lean_{joint.most_lean_rad},
      most_twist_{joint.most_twist_rad} {
    set_spring(joint.spring);
    using Joint = PartJoint::Type;
    type_ = joint.type == Joint::hinge   ? Type::hinge
            : joint.type == Joint::ball  ? Type::ball
            : joint.type == Joint::slide ? Type::slide
                                         : Type::fixed;
    const Placement frame{joint.frame.position, normalized(joint.frame.rotation)};
    frame_a_ = inverse(placed(bodies[a_])) * frame;
    frame_b_ = inverse(placed(bodies[b_])) * frame;
}

Connection::Connection(const PartLink& link, std::span<const Body> bodies)
    : type_{Type::link},
      is_link_{true},
      a_{link.a == no_part ? static_cast<std::uint32_t>(bodies.size() - 1) : link.a},
      b_{link.b},
      stiffness_{link.stiffness_n_per_m},
      damping_{link.damping_n_s_per_m},
      shortest_{link.shortest_m},
      longest_{link.longest_m} {
    frame_a_.position = to_world(inverse(bodies[a_].own), link.point_a);
    frame_b_.position = to_world(inverse(bodies[b_].own), link.point_b);
}

void Connection::set_spring(const JointSpring& spring) noexcept {
    stiffness_ = spring.stiffness;
    damping_ = spring.damping;
    most_ = spring.most;
    motor_rate_ = spring.wanted_rate;
    own_wanted_ = spring.wanted;
    own_turn_ = turned_by(spring.wanted_rad);
    aim_at(0);
}

bool Connection::aim(const JointTarget& target, double dt) noexcept {
    const Quaternion turn = normalized(target.wanted_turn);
    const bool leaps = target.leaps || !is_aimed_;
    aimed_per_s_ = {};
    if (!leaps) {
        const double way = target.wanted - aim_;
        if (type_ == Type::ball) {
            aimed_per_s_ = rotation_vector(conjugate(aim_turn_) * turn) * (1 / dt);
        } else {
            aimed_per_s_.x = (type_ == Type::hinge ? wrapped_rad(way) : way) / dt;
        }
    }
    is_aimed_ = true;
    aim_ = target.wanted;
    aim_turn_ = turn;
    aim_at(dt);
    return leaps;
}

void Connection::aim_at(double remaining_s) noexcept {
    wanted_ = is_aimed_ ? aim_ - aimed_per_s_.x * remaining_s : own_wanted_;
    wanted_turn_ = is_aimed_ ? aim_turn_ * turned_by(aimed_per_s_ * -remaining_s) : own_turn_;
}

void Connection::aim_like(const Connection& other) noexcept {
    is_aimed_ = other.is_aimed_;
    aim_ = other.aim_;
    aim_turn_ = other.aim_turn_;
    aim_at(0);
}

Vector3 Connection::aimed_rates(const Frames& at) const noexcept {
    if (type_ != Type::ball) return aimed_per_s_;
    const Vector3 own = rotated(wanted_turn_, aimed_per_s_);
    return at.axes_a.x * own.x + at.axes_a.y * own.y + at.axes_a.z * own.z;
}

Vector3 Connection::motor_rates(const Frames& at) const noexcept {
    return type_ == Type::ball ? at.axes_a.x * motor_rate_ : Vector3{motor_rate_, 0, 0};
}

void Connection::hold_here(std::span<const Body> bodies) noexcept {
    const Placement frame = placed(bodies[b_]) * frame_b_;
    frame_a_ = inverse(placed(bodies[a_])) * frame;
}

Connection::Frames Connection::frames(std::span<const Body> bodies) const noexcept {
    const Body& a = bodies[a_];
    const Body& b = bodies[b_];
    Frames at;
    at.on_a = a.position + rotated(a.rotation, frame_a_.position);
    at.on_b = b.position + rotated(b.rotation, frame_b_.position);
    if (is_link_) return at;
    at.axes_a = axes_of(a.rotation * frame_a_.rotation);
    at.axes_b = axes_of(b.rotation * frame_b_.rotation);
    return at;
}

double Connection::angle_about_x(const Frames& at) noexcept {
    return math::atan2(dot(at.axes_b.y, at.axes_a.z), dot(at.axes_b.y, at.axes_a.y));
}

Vector3 Connection::lean_axis(const Frames& at) noexcept {
    return unit(cross(at.axes_a.x, at.axes_b.x), at.axes_a.y);
}

double Connection::lean(const Frames& at) noexcept {
    return acos_of(dot(at.axes_a.x, at.axes_b.x), norm(cross(at.axes_a.x, at.axes_b.x)));
}

double Connection::twist(const Frames& at) noexcept {
    const Quaternion shortest = turned_by(lean_axis(at) * lean(at));
    const Vector3 y = rotated(shortest, at.axes_a.y);
    const Vector3 z = rotated(shortest, at.axes_a.z);
    return math::atan2(dot(at.axes_b.y, z), dot(at.axes_b.y, y));
}

/// About the world's axes: how b is turned beyond what its spring wants.
Quaternion Connection::turn_beyond(std::span<const Body> bodies) const noexcept {
    const Quaternion from = bodies[a_].rotation * frame_a_.rotation * wanted_turn_;
    const Quaternion to = bodies[b_].rotation * frame_b_.rotation;
    return to * conjugate(from);
}

std::size_t Connection::held_count() const noexcept {
    switch (type_) {
        case Type::hinge:
            return 5;
        case Type::ball:
            return 3;
        case Type::slide:
            return 5;
        case Type::fixed:
            return 6;
        case Type::link:
            break;
    }
    return 0;
}

bool Connection::has_limit(std::size_t component) const noexcept {
    constexpr double none = 1e8;
    const bool has_positions = type_ == Type::hinge || type_ == Type::slide;
    switch (component) {
        case first_limit:
            return has_positions && lowest_ > -none;
        case first_limit + 1:
            return has_positions && highest_ < none;
        case first_limit + 2:
            return type_ == Type::ball && most_lean_ < none;
        default:
            return type_ == Type::ball && most_twist_ < none;
    }
}

std::size_t Connection::spring_count() const noexcept {
    if (stiffness_ == 0 && damping_ == 0) return 0;
    if (type_ == Type::fixed) return 0;
    return type_ == Type::ball ? 3 : 1;
}

double Connection::link_excess(double length) const noexcept {
    if (length > longest_) return length - longest_;
    return length < shortest_ ? length - shortest_ : 0;
}

double Connection::length(std::span<const Body> bodies) const noexcept {
    const Frames at = frames(bodies);
    return norm(at.on_b - at.on_a);
}

double Connection::position(std::span<const Body> bodies) const noexcept {
    const Frames at = frames(bodies);
    if (type_ == Type::slide) return dot(at.on_b - at.on_a, at.axes_a.x);
    return type_ == Type::ball ? lean(at) : angle_about_x(at);
}

double Connection::gap(std::span<const Body> bodies) const noexcept {
    if (is_link_) return 0;
    const Frames at = frames(bodies);
    const Vector3 way = at.on_b - at.on_a;
    if (type_ != Type::slide) return norm(way);
    return norm(way - at.axes_a.x * dot(way, at.axes_a.x));
}

/// Of a link its length, of a slide how far it is from where it is wanted.
double Connection::along(const Frames& at) const noexcept {
    const Vector3 way = at.on_b - at.on_a;
    return is_link_ ? norm(way) : dot(way, at.axes_a.x) - wanted_;
}

void Connection::begin(std::span<const Body> bodies, SpringStart& start) const noexcept {
    const Frames at = frames(bodies);
    Values& values = start.values;
    measure_held(at, values);
    if (spring_count() == 0 && !is_link_) return;
    if (type_ == Type::ball) {
        start.turn = turn_beyond(bodies);
        const Vector3 offset = rotation_vector(start.turn);
        values[first_spring] = offset.x;
        values[first_spring + 1] = offset.y;
        values[first_spring + 2] = offset.z;
    } else if (type_ == Type::hinge) {
        values[first_spring] = wrapped_rad(angle_about_x(at) - wanted_);
    } else {
        values[first_spring] = along(at);
    }
}

void Connection::measure(std::span<const Body> bodies, const SpringStart& start,
                         Values& values) const noexcept {
    const Frames at = frames(bodies);
    measure_held(at, values);
    if (spring_count() == 0 && !is_link_) return;
    if (type_ == Type::ball) {
        const Vector3 turned = rotation_vector(turn_beyond(bodies) * conjugate(start.turn));
        values[first_spring] = start.values[first_spring] + turned.x;
        values[first_spring + 1] = start.values[first_spring + 1] + turned.y;
        values[first_spring + 2] = start.values[first_spring + 2] + turned.z;
    } else if (type_ == Type::hinge) {
        const double before = start.values[first_spring];
        values[first_spring] = before + wrapped_rad(angle_about_x(at) - wanted_ - before);
    } else {
        values[first_spring] = along(at);
    }
}

void Connection::measure_held(const Frames& at, Values& values) const noexcept {
    if (is_link_) return;
    const Vector3 way = at.on_b - at.on_a;
    values[0] = way.x;
    values[1] = way.y;
    values[2] = way.z;
    if (type_ == Type::slide) {
        values[0] = dot(way, at.axes_a.y);
        values[1] = dot(way, at.axes_a.z);
        values[2] = dot(at.axes_a.y, at.axes_b.x);
        values[3] = dot(at.axes_a.z, at.axes_b.x);
        values[4] = dot(at.axes_a.z, at.axes_b.y);
    } else if (type_ != Type::ball) {
        values[3] = dot(at.axes_a.y, at.axes_b.x);
        values[4] = dot(at.axes_a.z, at.axes_b.x);
        values[5] = dot(at.axes_a.z, at.axes_b.y);
    }
    if (has_limit(first_limit) || has_limit(first_limit + 1)) {
        const double position = type_ == Type::slide ? dot(way, at.axes_a.x) : angle_about_x(at);
        values[first_limit] = position - lowest_;
        values[first_limit + 1] = highest_ - position;
    }
    if (has_limit(first_limit + 2)) values[first_limit + 2] = most_lean_ - lean(at);
    if (has_limit(first_limit + 3)) {
        const double turned = twist(at);
        values[first_limit + 3] = turned + most_twist_;
        values[first_limit + 4] = most_twist_ - turned;
    }
}

Row Connection::row(std::span<const Body> bodies, const Frames& at,
                    std::size_t component) const noexcept {
    const Body& a = bodies[a_];
    const Body& b = bodies[b_];
    const Vector3 way = at.on_b - at.on_a;
    // What turns with a: the lever on a ends where b's spot is.
    const auto across = [&](const Vector3& direction) {
        return pulling(a, b, at.on_b, at.on_b, direction);
    };
    const auto crossed = [](const Vector3& of_a, const Vector3& of_b) {
        return turning(cross(of_b, of_a));
    };
    Row row;
    if (is_link_) {
        row = pulling(a, b, at.on_a, at.on_b, unit(way, {0, 1, 0}));
    } else if (component < first_limit) {
        const bool slides = type_ == Type::slide;
        if (slides && component < 2) {
            row = across(component == 0 ? at.axes_a.y : at.axes_a.z);
        } else if (component < 3 && !slides) {
            row = pulling(a, b, at.on_a, at.on_b, world_axes[component]);
        } else {
            const std::size_t which = component - (slides ? 2 : 3);
            row = which == 0   ? crossed(at.axes_a.y, at.axes_b.x)
                  : which == 1 ? crossed(at.axes_a.z, at.axes_b.x)
                               : crossed(at.axes_a.z, at.axes_b.y);
        }
    } else if (component < first_spring) {
        const bool is_upper = component == first_limit + 1 || component == first_limit + 4;
        const double sign = is_upper ? -1 : 1;
        if (component == first_limit + 2) {
            row = turning(lean_axis(at) * -1);
        } else if (component > first_limit + 2) {
            const double both = std::max(1 + dot(at.axes_a.x, at.axes_b.x), 0.05);
            row = turning((at.axes_a.x + at.axes_b.x) * (sign / both));
        } else {
            row = type_ == Type::slide ? across(at.axes_a.x * sign) : turning(at.axes_a.x * sign);
        }
        row.pushes_only = true;
    } else if (type_ == Type::ball) {
        row = turning(world_axes[component - first_spring]);
    } else {
        row = type_ == Type::slide ? across(at.axes_a.x) : turning(at.axes_a.x);
    }
    row.a = a_;
    row.b = b_;
    row.component = static_cast<std::uint32_t>(component);
    row.finish(a, b);
    return row;
}

}  // namespace hopcoil::parts
