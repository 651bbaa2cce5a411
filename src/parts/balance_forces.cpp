// The forces of the ground on a body that stands on it.

#include <algorithm>
#include <cmath>

#include <hopcoil/base/components.hpp>
#include <hopcoil/base/math.hpp>
#include <hopcoil/gait/support.hpp>

#include "balance_tick.hpp"

namespace hopcoil {

using parts::BodyJoint;
using parts::index_of;
using parts::way_of;

namespace {

constexpr double friction = 0.8;
/// How strongly the capture point is drawn back to the middle of the feet.
constexpr double draws_back = 1.5;

Vector3 capped(const Vector3& v, double most) {
    const double length = length_of(v);
    return length > most ? v * (most / length) : v;
}

}  // namespace

double BalanceTick::standing_height() const noexcept {
    const BalanceBuild& build = set_.build;
    return set_.ride_height * build.leg_length_m + 0.35 * build.torso_length_m;
}

double BalanceTick::rate() const noexcept {
    const double h = std::max(b_.centre_.y - b_.ground_, 0.35 * standing_height());
    return math::sqrt(parts::gravity / h);
}

/// The mean height under the feet; a foot in the air counts more as it lands.
void BalanceTick::follow_ground() noexcept {
    double sum = 0;
    double weight = 0;
    V velocity{};
    double planted = 0;
    for (const BalanceFoot& foot : b_.feet_) {
        const double share = foot.planted ? 1 : foot.phase;
        sum += share * (foot.planted ? foot.position.y : foot.landing.y);
        weight += share;
        if (!foot.planted) continue;
        velocity = velocity + ground_.frame(foot.part, 0).velocity_at(foot.position);
        ++planted;
    }
    if (planted > 0) b_.ground_velocity_ = velocity * (1 / planted);
    if (weight == 0) return;
    constexpr double follows_per_s = 16;
    const double pull = follows_per_s * follows_per_s * (sum / weight - b_.ground_) -
                        2 * follows_per_s * (b_.ground_rate_ - b_.ground_velocity_.y);
    b_.ground_rate_ += pull * Balance::tick_s;
    b_.ground_ += b_.ground_rate_ * Balance::tick_s;
}

/// The part of the ground it lies on, or is carried over.
void BalanceTick::find_ground_below() noexcept {
    const V& c = b_.centre_;
    const GroundPoint under = ground_.under(c.x, c.z, c.y + 0.3 * set_.build.leg_length_m, 0);
    if (under.exists) {
        b_.ground_ = under.height;
        b_.ground_velocity_ = ground_.velocity_at({c.x, under.height, c.z}, under.part, 0);
    }
    b_.ground_rate_ = 0;
    b_.pressure_ = {c.x, b_.ground_, c.z};
}

/// The rhythm of its height goes with its steps, and adapts gradually to one that comes early or
/// late.
void BalanceTick::follow_bob() noexcept {
    constexpr double catches_up_per_s = 8;
    constexpr double grows_per_s = 4;
    constexpr double part_of_drop = 0.4;  ///< of a body on two straight legs
    const double period_s = set_.walk_step_s;
    const double is_at = (b_.landed_s_ - 0.5 * both_down * period_s) / period_s;
    const double ahead = is_at - b_.bob_phase_;
    const double late = ahead - std::floor(ahead + 0.5);
    b_.bob_phase_ += Balance::tick_s * (1 / period_s + catches_up_per_s * late);
    b_.bob_phase_ -= std::floor(b_.bob_phase_);
    const double leg = set_.build.leg_length_m;
    const double half_m = std::min(0.5 * length_of(b_.wanted_velocity_) * period_s, 0.5 * leg);
    const double wanted =
        b_.walks_ ? 0.5 * part_of_drop * (leg - math::sqrt(leg * leg - half_m * half_m)) : 0;
    b_.bob_m_ += (wanted - b_.bob_m_) * grows_per_s * Balance::tick_s;
}

BalanceTick::Height BalanceTick::bobbing(double metres) const noexcept {
    const double w = 2 * math::pi / set_.walk_step_s;
    const math::SinCos turn = math::sincos(2 * math::pi * b_.bob_phase_);
    const double m = b_.bob_m_;
    return {metres - m * turn.cos, m * w * turn.sin, m * w * w * turn.cos};
}

/// As low as both ankles need it when a foot lands, which is when it is lowest.
double BalanceTick::walking_height(double most_m) const noexcept {
    const double leg = set_.build.leg_length_m;
    const double reach = 0.99 * (at_.thigh_m + at_.shin_m);
    const V stride = b_.wanted_velocity_ * set_.walk_step_s;
    const double aside_m = 1.15 * dot(stride, left());
    const double ahead_m = 0.62 * dot(stride, cross(left(), {0, 1, 0}));
    const double stride_m = math::sqrt(ahead_m * ahead_m + aside_m * aside_m);
    const double apart_m = std::min(stride_m + 0.04 * leg, 0.6 * reach);
    const double up = math::sqrt(reach * reach - apart_m * apart_m);
    return std::min(most_m, set_.build.ankle_height_m + up + b_.bob_m_);
}

/// Upward, to hold the hips at their height; no leg is stretched beyond its length.
double BalanceTick::lift_force() const noexcept {
    const double above = set_.ride_height * set_.build.leg_length_m;
    double wanted = b_.ground_ + above;
    const double reach = 0.99 * (at_.thigh_m + at_.shin_m);
    for (std::size_t side = 0; side < 2; ++side) {
        const BalanceFoot& foot = b_.feet_[side];
        if (b_.walks_ || !foot.planted || !reaches(side, 0.05)) continue;
        const V ankle = ankle_over(foot);
        const V way = flat(ankle - hip_of(side));
        const double up = math::sqrt(std::max(reach * reach - dot(way, way), 0.0));
        wanted = std::min(wanted, ankle.y + up);
    }
    if (b_.walks_) wanted = b_.ground_ + walking_height(above);
    if (b_.state_ == BalanceState::rises) {
        const double s = std::clamp(b_.state_s_ / set_.rise_s, 0.0, 1.0);
        const double part = s * s * (3 - 2 * s);
        wanted = b_.rise_from_ + (wanted - b_.rise_from_) * part;
    }
    const Height height = bobbing(wanted);
    const double w = 2 * math::pi * set_.ride_hz;
    const double gap = height.metres - hips_middle().y;
    const double speed = b_.velocity_.y - b_.ground_rate_ - height.rate;
    const double force = mass_ * (parts::gravity + height.acceleration + w * w * gap -
                                  2 * set_.ride_damping * w * speed);
    return std::clamp(force, 0.0, 2 * mass_ * parts::gravity);
}

/// While it walks: so that the capture point is where the next step needs it.
Vector3 BalanceTick::walk_pressure() const noexcept {
    const bool all_down = b_.feet_[0].planted && b_.feet_[1].planted;
    const std::size_t stance = all_down ? b_.last_step_ : (b_.feet_[0].planted ? 0 : 1);
    const std::size_t swing = 1 - stance;
    const double step_s = set_.walk_step_s;
    const double rest_s = all_down ? step_s - b_.landed_s_ : b_.steps_[swing].land_s - now_s_;
    const double grown = math::exp(rate() * step_s);
    const V stands = b_.feet_[stance].position;
    const V at_end = b_.wanted_velocity_ * (step_s * grown / (grown - 1)) +
                     left() * (way_of(swing) * walk_width() * grown / (1 + grown));
    // Near the end of a step this would be too late: from there on with a minimum of time left.
    constexpr double least_s = 0.12;
    const double later_s = std::max(least_s - rest_s, 0.0);
    const V there = stands + at_end * math::exp(rate() * later_s);
    const double grows = math::exp(rate() * std::max(rest_s, least_s));
    return b_.capture_ + flat(there - b_.capture_) * (1 / (1 - grows));
}

Vector3 BalanceTick::wanted_pressure() const noexcept {
    if (b_.walks_) return walk_pressure();
    V middle = middle_of_feet();
    if (b_.shifts_) middle = b_.feet_[b_.last_step_].position;
    // A moment about its centre of mass is balanced by moving the pressure.
    const V& turns = b_.pull_moment_;
    middle = middle + V{turns.z, 0, -turns.x} * (1 / (mass_ * parts::gravity));
    return b_.capture_ + flat(b_.capture_ - middle) * draws_back;
}

/// The nearest place in the convex hull of the soles.
Vector3 BalanceTick::within_soles(const V& spot) const noexcept {
    return nearest_supported(soles(), spot);
}

/// Between both feet, by how near each is.
double BalanceTick::sole_height(const V& spot) const noexcept {
    const BalanceFoot& a = b_.feet_[0];
    const BalanceFoot& b = b_.feet_[1];
    if (!a.planted || !b.planted) return (a.planted ? a : b).position.y;
    const V way = flat(b.position - a.position);
    const double square = dot(way, way);
    const double part =
        square > 0 ? std::clamp(dot(flat(spot - a.position), way) / square, 0.0, 1.0) : 0.5;
    return a.position.y + (b.position.y - a.position.y) * part;
}

/// The largest friction that a sole can hold.
Vector3 BalanceTick::with_friction(const V& force, const V& spot) const noexcept {
    V normal{};
    for (const BalanceFoot& foot : b_.feet_) {
        if (foot.planted) normal = normal + rotated(foot.rotation, {0, 1, 0});
    }
    static_cast<void>(spot);
    normal = unit(normal, {0, 1, 0});
    const double pressing = std::max(dot(force, normal), 0.0);
    const V across = force - normal * dot(force, normal);
    return normal * pressing + capped(across, friction * pressing);
}

/// Angular momentum is damped, and the trunk is turned upright and to its heading.
Vector3 BalanceTick::wanted_torque() const noexcept {
    const Quaternion wanted = turned_by({0, b_.yaw_, 0});
    const auto error_of = [&](BodyPart part) {
        return rotation_vector(wanted * conjugate(b_.parts_.placements()[index_of(part)].rotation));
    };
    const V error = error_of(BodyPart::pelvis) * 0.5 + error_of(BodyPart::torso) * 0.5;
    const double w = 2 * math::pi * set_.upright_hz;
    // The trunk's inertia as it turns about the centre of mass.
    const V turn = error * (w * w);
    V torque{};
    for (std::uint32_t i = 0; i < b_.body_size_; ++i) {
        if (!is_of_trunk(i)) continue;
        const MassProperties& mass = b_.parts_.mass(i);
        const V arm = b_.parts_.centre_of_mass(i) - b_.centre_;
        const Quaternion axes = b_.parts_.placements()[i].rotation * normalized(mass.axes);
        const V own = rotated(conjugate(axes), turn);
        torque = torque +
                 rotated(axes,
                         {own.x * mass.inertia.x, own.y * mass.inertia.y, own.z * mass.inertia.z}) +
                 cross(arm, cross(turn, arm)) * mass.mass_kg;
    }
    return torque - spin_momentum_ * (2 * set_.upright_damping * w);
}

void BalanceTick::share_load(const V& spot, double newtons) noexcept {
    BalanceFoot& a = b_.feet_[0];
    BalanceFoot& b = b_.feet_[1];
    a.load_n = b.load_n = 0;
    if (!a.planted || !b.planted) {
        (a.planted ? a : b).load_n = newtons;
        return;
    }
    const V way = flat(b.position - a.position);
    const double square = dot(way, way);
    const double part =
        square > 0 ? std::clamp(dot(flat(spot - a.position), way) / square, 0.0, 1.0) : 0.5;
    a.load_n = newtons * (1 - part);
    b.load_n = newtons * part;
}

void BalanceTick::add_force(std::uint32_t part, const V& world, const V& newtons,
                            const V& torque) noexcept {
    const Placement& at = b_.parts_.placements()[part];
    b_.forces_[b_.force_count_++] = {part, parts::to_local(at, world), newtons, torque};
}

void BalanceTick::note_help(const V& torque) noexcept {
    b_.help_ = torque;
    const double size = length_of(torque);
    if (b_.state_ == BalanceState::rises) {
        b_.log_.rise_help_nms += size * Balance::tick_s;
        return;
    }
    b_.log_.help_nms += size * Balance::tick_s;
    b_.log_.most_help = std::max(b_.log_.most_help, size / b_.toppling_nm());
}

/// One force at a place in the soles, and the help: balance first, then posture.
void BalanceTick::push_from_ground() noexcept {
    b_.force_ = {};
    b_.help_ = {};
    find_soles();
    if (count_ == 0) return;
    const double up = lift_force();
    const double cap =
        (b_.state_ == BalanceState::rises ? set_.rise_help : set_.help) * b_.toppling_nm();
    const V wanted = wanted_pressure();
    const V inside = within_soles(wanted);
    // Help carries the body as if the soles were larger.
    const double larger_m = up > 0 ? cap / up : 0;
    V spot = inside + capped(flat(wanted - inside), larger_m);
    spot.y = sole_height(inside);
    const double h = std::max(b_.centre_.y - spot.y, 0.35 * standing_height());
    const V aside = flat(b_.centre_ - spot) * (up / h);
    const V force = with_friction({aside.x, up, aside.z}, spot);
    const V torque = wanted_torque();
    V pressure = inside;
    if (force.y > 0) {
        const double depth = spot.y - b_.centre_.y;
        const V exact{b_.centre_.x + (torque.z + depth * force.x) / force.y, 0,
                      b_.centre_.z + (depth * force.z - torque.x) / force.y};
        pressure = within_soles(exact);
    }
    pressure.y = sole_height(pressure);
    const V by_feet = cross(pressure - b_.centre_, force);
    V help = capped(flat(torque - by_feet), cap);
    // About the vertical the soles hold by their friction.
    const double gripped = friction * force.y * 0.3 * set_.build.foot_length_m;
    note_help(help);
    help.y = std::clamp(torque.y - by_feet.y, -gripped, gripped);
    b_.pressure_ = pressure;
    b_.force_ = force;
    share_load(pressure, force.y);
    add_force(index_of(BodyPart::pelvis), pressure, force, help);
}

/// A hand pulls the thing it holds, and is pulled by it.
void BalanceTick::pull_thing() noexcept {
    if (!b_.reaches_) return;
    const std::uint32_t thing = static_cast<std::uint32_t>(b_.body_size_) + b_.grip_.thing;
    const std::uint32_t hand = parts::forearm_of(b_.grip_.hand);
    const auto spot_of = [&](std::uint32_t part, const V& place) {
        return parts::to_world(b_.parts_.placements()[part], place);
    };
    const auto speed_of = [&](std::uint32_t part, const V& spot) {
        const PartMotion& motion = b_.parts_.motions()[part];
        return motion.velocity +
               cross(motion.angular_velocity, spot - b_.parts_.centre_of_mass(part));
    };
    const V palm = spot_of(hand, {0, -0.5 * at_.forearm_m, 0});
    const V held = spot_of(thing, b_.grip_.place);
    constexpr double near = 0.25;
    b_.has_grip_ = b_.has_grip_ || length_of(palm - held) < near * set_.build.arm_length_m;
    if (!b_.has_grip_) return;
    // Both together swing at four hertz, without overshoot.
    constexpr double rate_per_s = 25;
    const double arm_kg = 0.1 * set_.build.mass_kg;
    const double together = 1 / (1 / b_.parts_.mass(thing).mass_kg + 1 / arm_kg);
    const V force =
        capped((palm - held) * (together * rate_per_s * rate_per_s) +
                   (speed_of(hand, palm) - speed_of(thing, held)) * (2 * together * rate_per_s),
               b_.grip_.most_force_n);
    add_force(thing, held, force, {});
    add_force(hand, palm, force * -1, {});
}

/// Averages the other forces on the body, against which it leans.
void BalanceTick::note_pull() noexcept {
    constexpr double evened_s = 0.2;
    V pull{};
    V moment{};
    const auto add = [&](const PartForce& each) {
        if (each.part >= b_.body_size_) return;
        const V spot = parts::to_world(b_.parts_.placements()[each.part], each.place);
        pull = pull + flat(each.newtons);
        moment = moment + cross(spot - b_.centre_, each.newtons) + each.torque_nm;
    };
    for (std::size_t i = 0; i < b_.force_count_; ++i)
        add(b_.forces_[i]);
    for (std::uint32_t i = 0; in_.wind != nullptr && i < b_.body_size_; ++i)
        add(b_.parts_.wind_force(i));
    for (const PartGrab& grab : in_.grabs) {
        if (grab.part >= b_.body_size_) continue;
        const V way = grab.target - parts::to_world(b_.parts_.placements()[grab.part], grab.place);
        const double far = std::max(length_of(way), parts::grab_reach_m);
        add({.part = grab.part, .place = grab.place, .newtons = way * (grab.most_force_n / far)});
    }
    const double share = Balance::tick_s / evened_s;
    b_.pull_ = b_.pull_ + (pull - b_.pull_) * share;
    b_.pull_moment_ = b_.pull_moment_ + (moment - b_.pull_moment_) * share;
}

/// The shoulder's rotation and the elbow's bend that bring a hand to the thing it holds or reaches
/// for.
BalanceTick::ArmPose BalanceTick::reaching(std::size_t side) const noexcept {
    const Placement& torso = b_.parts_.placements()[index_of(BodyPart::torso)];
    const std::size_t thing = b_.body_size_ + b_.grip_.thing;
    const V spot =
        parts::to_local(torso, parts::to_world(b_.parts_.placements()[thing], b_.grip_.place));
    const V whole = spot - V{way_of(side) * at_.shoulder.x, at_.shoulder.y, at_.shoulder.z};
    const V way = unit(whole, {0, -1, 0});
    const V down{0, -1, 0};
    const V axis = cross(down, way);
    const double size = length_of(axis);
    const V turn = axis * (size > 1e-9 ? math::atan2(size, dot(down, way)) / size : 0);
    // By the law of cosines. The elbow is never quite straight, nor bent further than it goes.
    const double upper = at_.upper_arm_m;
    const double fore = at_.forearm_m;
    constexpr double straight = 0.9994;
    const double far =
        std::clamp(length_of(whole), 0.4 * (upper + fore), straight * (upper + fore));
    const auto angle_of = [](double cosine) {
        const double c = std::clamp(cosine, -1.0, 1.0);
        return math::atan2(math::sqrt(1 - c * c), c);
    };
    const double elbow =
        math::pi - angle_of((upper * upper + fore * fore - far * far) / (2 * upper * fore));
    const double back = angle_of((upper * upper + far * far - fore * fore) / (2 * upper * far));
    const V shoulder = rotation_vector(turned_by(turn) * turned_by({back, 0, 0}));
    return {rotated(conjugate(parts::frame_down()), shoulder), -elbow};
}

/// Arms swing against the legs, and outward where balance is at risk.
void BalanceTick::swing_arms() noexcept {
    if (set_.build.arm_length_m == 0) return;
    const V ahead = rotated(turned_by({0, b_.yaw_, 0}), {0, 0, 1});
    const double out = b_.walks_ ? 0 : std::max(-support_margin(soles(), b_.capture_), 0.0);
    for (std::size_t side = 0; side < 2; ++side) {
        const double step = dot(b_.feet_[1 - side].position - b_.feet_[side].position, ahead);
        const double swings = 0.6 * step / set_.build.leg_length_m;
        const double spreads = 0.12 + std::min(2.5 * out, 0.9);
        // In the joint's frame: x down the arm, y to the left, z ahead. About y it swings ahead
        // below 0, about z it spreads.
        const bool reaches = b_.reaches_ && b_.grip_.hand == side;
        const ArmPose arm =
            reaches ? reaching(side) : ArmPose{{0, -swings, way_of(side) * spreads}, -0.35};
        const auto draw = [&](BodyJoint joint, const V& to) {
            b_.parts_.try_set_spring(index_of(joint) + side,
                                     posture_spring(set_.build, joint, set_.posture_hz, to));
        };
        draw(BodyJoint::left_shoulder, arm.shoulder);
        draw(BodyJoint::left_elbow, {arm.elbow_rad, 0, 0});
    }
}

}  // namespace hopcoil
