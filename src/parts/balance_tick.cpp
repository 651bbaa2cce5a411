// The state of a body, and how its parts are moved.

#include "balance_tick.hpp"

#include <algorithm>
#include <cmath>

#include <hopcoil/base/angles.hpp>
#include <hopcoil/base/components.hpp>
#include <hopcoil/base/math.hpp>

namespace hopcoil {

using parts::BodyJoint;
using parts::index_of;
using parts::way_of;

namespace {

constexpr double walk_acceleration = 2.0;
/// Springs of a limp body's joints: enough to keep it from folding up.
constexpr double limp_hz = 0.35;
constexpr double tried_again_s = 0.1;
double angle_between(const Vector3& a, const Vector3& b) {
    return math::atan2(length_of(cross(a, b)), dot(a, b));
}

}  // namespace

BalanceTick::BalanceTick(Balance& body, const BalanceInputs& inputs, const Ground& ground,
                         double remaining_s) noexcept
    : b_{body},
      set_{body.settings_},
      in_{inputs},
      ground_{ground},
      remaining_s_{remaining_s},
      now_s_{static_cast<double>(body.ticks_ + 1) * Balance::tick_s},
      at_{body.settings_.build} {}

bool BalanceTick::is_of_trunk(std::uint32_t part) const noexcept {
    return part < b_.body_size_ && (b_.state_ == BalanceState::limp || !parts::is_of_legs(part));
}

Vector3 BalanceTick::hips_middle() const noexcept {
    return parts::to_world(b_.parts_.placements()[index_of(BodyPart::pelvis)],
                           {0, at_.hip.y, at_.hip.z});
}

Vector3 BalanceTick::hip_of(std::size_t side) const noexcept {
    return parts::to_world(b_.parts_.placements()[index_of(BodyPart::pelvis)], at_.hip_of(side));
}

void BalanceTick::measure() noexcept {
    V place{};
    V speed{};
    mass_ = 0;
    for (std::uint32_t i = 0; i < b_.body_size_; ++i) {
        if (!is_of_trunk(i)) continue;
        const double m = b_.parts_.mass(i).mass_kg;
        mass_ += m;
        place = place + b_.parts_.centre_of_mass(i) * m;
        speed = speed + b_.parts_.motions()[i].velocity * m;
    }
    b_.centre_ = place * (1 / mass_);
    b_.velocity_ = speed * (1 / mass_);
    spin_momentum_ = {};
    for (std::uint32_t i = 0; i < b_.body_size_; ++i) {
        if (!is_of_trunk(i)) continue;
        const MassProperties& mass = b_.parts_.mass(i);
        const PartMotion& motion = b_.parts_.motions()[i];
        const Quaternion axes = b_.parts_.placements()[i].rotation * normalized(mass.axes);
        const V own = rotated(conjugate(axes), motion.angular_velocity);
        spin_momentum_ =
            spin_momentum_ +
            rotated(axes,
                    {own.x * mass.inertia.x, own.y * mass.inertia.y, own.z * mass.inertia.z}) +
            cross(b_.parts_.centre_of_mass(i) - b_.centre_, motion.velocity - b_.velocity_) *
                mass.mass_kg;
    }
    const double w = rate();
    b_.capture_ = b_.centre_ + (b_.velocity_ - b_.ground_velocity_) * (1 / w) +
                  b_.pull_ * (1 / (mass_ * w * w));
    b_.capture_.y = b_.ground_;
    const Quaternion& torso = b_.parts_.placements()[index_of(BodyPart::torso)].rotation;
    b_.tilt_ = angle_between(rotated(torso, {0, 1, 0}), {0, 1, 0});
    b_.height_ = (hips_middle().y - b_.ground_) / (set_.ride_height * set_.build.leg_length_m);
}

bool BalanceTick::has_fallen() const noexcept {
    constexpr double low = 0.55;
    constexpr double longest_flight_s = 0.25;
    if (b_.flies_s_ > longest_flight_s * math::sqrt(set_.build.leg_length_m / 0.88)) return true;
    if (b_.height_ < low || b_.tilt_ > set_.fall_tilt_rad) return true;
    const V up = b_.centre_ - middle_of_feet();
    return angle_between(up, {0, 1, 0}) > set_.fall_lean_rad;
}

/// Limp, it gets up when it has lain still for a while.
void BalanceTick::wait_to_rise() noexcept {
    constexpr double slow = 0.35;
    constexpr double still_s = 0.2;
    constexpr double longest_s = 2.0;
    b_.slow_s_ =
        length_of(b_.velocity_ - b_.ground_velocity_) < slow ? b_.slow_s_ + Balance::tick_s : 0;
    if (set_.lies_s < 0) return;
    const bool lies = b_.slow_s_ > still_s + set_.lies_s || b_.state_s_ > longest_s + set_.lies_s;
    if (lies) enter(BalanceState::rises);
}

/// Its joint springs rise gradually. Where it does not get up it goes limp, and tries again.
void BalanceTick::rise() noexcept {
    constexpr double up = 0.9;
    constexpr double upright_rad = 0.3;
    constexpr double tries_s = 1.5;
    constexpr double off_feet = 0.6;
    const double part = std::clamp(2 * b_.state_s_ / set_.rise_s, 0.0, 1.0);
    set_springs(limp_hz + (set_.posture_hz - limp_hz) * part * part);
    if (b_.height_ > up && b_.tilt_ < upright_rad && b_.state_s_ > set_.rise_s) {
        enter(BalanceState::stands);
        return;
    }
    const bool are_down = b_.feet_[0].planted && b_.feet_[1].planted;
    const double off_m = flat_length(b_.centre_ - middle_of_feet());
    const bool fails = b_.state_s_ > set_.rise_s + tries_s ||
                       (are_down && off_m > off_feet * set_.build.leg_length_m);
    if (!fails) return;
    enter(BalanceState::limp);
    b_.slow_s_ = set_.lies_s - tried_again_s;
}

void BalanceTick::change_state() noexcept {
    switch (b_.state_) {
        case BalanceState::stands:
            if (!has_fallen()) return;
            ++b_.log_.falls;
            enter(BalanceState::limp);
            return;
        case BalanceState::limp:
            wait_to_rise();
            return;
        case BalanceState::rises:
            rise();
            return;
        case BalanceState::animated:
            return;
    }
}

void BalanceTick::set_springs(double hz) noexcept {
    const std::size_t count = set_.build.arm_length_m > 0 ? index_of(BodyJoint::right_elbow) + 1
                                                          : index_of(BodyJoint::right_ankle) + 1;
    for (std::size_t i = 0; i < count; ++i) {
        const auto joint = static_cast<BodyJoint>(i);
        const bool is_leg =
            i >= index_of(BodyJoint::left_hip) && i <= index_of(BodyJoint::right_ankle);
        const bool is_elbow = i >= index_of(BodyJoint::left_elbow);
        const bool is_knee = joint == BodyJoint::left_knee || joint == BodyJoint::right_knee;
        Vector3 wanted{};
        if (is_elbow) wanted.x = -0.35;
        if (is_knee) wanted.x = 0.3;
        b_.parts_.try_set_spring(i,
                                 posture_spring(set_.build, joint, is_leg ? 0.4 * hz : hz, wanted));
    }
}

void BalanceTick::set_springs_of_state() noexcept {
    const bool is_soft = b_.state_ == BalanceState::limp || b_.state_ == BalanceState::rises;
    set_springs(is_soft ? limp_hz : set_.posture_hz);
}

void BalanceTick::enter(BalanceState state) noexcept {
    const BalanceState before = b_.state_;
    if (state == before) return;
    const bool had_legs = before == BalanceState::stands || before == BalanceState::rises;
    const bool has_legs = state == BalanceState::stands || state == BalanceState::rises;
    const bool is_free = state == BalanceState::limp;
    // The parts of its legs are put where they are shown, before they move by themselves.
    for (std::uint32_t i = 0; had_legs && i < b_.body_size_; ++i) {
        if (parts::is_of_legs(i)) b_.parts_.cut_part(i, b_.placements_[i], b_.parts_.motions()[i]);
    }
    for (std::uint32_t i = 0; i < b_.body_size_; ++i) {
        const bool is_leg = parts::is_of_legs(i);
        const bool is_driven = state == BalanceState::animated || (has_legs && is_leg);
        b_.parts_.set_driven(i, is_driven);
    }
    for (std::size_t i = 0; i < b_.structure().joints.size(); ++i) {
        const bool is_of_leg =
            i >= index_of(BodyJoint::left_hip) && i <= index_of(BodyJoint::right_ankle);
        const bool holds = is_free || (state != BalanceState::animated && !is_of_leg);
        b_.parts_.set_joint_holding(i, holds, false);
    }
    b_.state_ = state;
    set_springs_of_state();
    b_.state_s_ = 0;
    b_.slow_s_ = 0;
    b_.calm_s_ = 0;
    b_.shifts_ = false;
    b_.walks_ = false;
    b_.has_pose_ = false;
    b_.bob_m_ = 0;
    b_.wanted_velocity_ = {};
    b_.help_ = {};
    b_.force_ = {};
    for (BalanceFoot& foot : b_.feet_)
        foot.load_n = 0;
    if (has_legs && !had_legs) take_legs();
}

/// Legs keep their pose; the feet go to where they are needed.
void BalanceTick::take_legs() noexcept {
    const auto all = b_.parts_.placements();
    const Quaternion& pelvis = all[index_of(BodyPart::pelvis)].rotation;
    const V ahead = rotated(pelvis, {0, 0, 1});
    const V head = rotated(pelvis, {0, 1, 0});
    // Lying on its back it will face its feet, on its front its head.
    const V faces = flat(ahead) - flat(head) * ahead.y;
    if (flat_length(faces) > 0.1) b_.yaw_ = math::atan2(faces.x, faces.z);
    const bool rises = b_.state_ == BalanceState::rises;
    measure();
    for (std::size_t side = 0; side < 2; ++side) {
        const Placement& part = all[parts::foot_of(side)];
        BalanceFoot& foot = b_.feet_[side];
        foot.position = part.position;
        foot.rotation = part.rotation;
        keep_knee(side);
        const GroundPoint under =
            ground_.under(part.position.x, part.position.z, hip_of(side).y + 0.5, 0);
        foot.part = under.exists ? under.part : 0;
        if (under.exists)
            b_.ground_ = side == 0 ? under.height : std::min(b_.ground_, under.height);
        constexpr double on_ground_m = 0.04;
        const bool stands = !rises && under.exists &&
                            part.position.y - under.height < on_ground_m &&
                            rotated(part.rotation, {0, 1, 0}).y > 0.9;
        if (stands) {
            const V toe = rotated(part.rotation, {0, 0, 1});
            plant(side, {part.position.x, hip_of(side).y, part.position.z},
                  math::atan2(toe.x, toe.z));
        } else {
            begin_step(side, spot_to_rise(side), rises ? 0.5 : set_.step_time_s);
        }
    }
    b_.ground_rate_ = 0;
    b_.rise_from_ = hips_middle().y;
    b_.last_step_ = 0;
    b_.landed_s_ = 0;
    std::array<Placement, 16> wanted{};
    place_leg(0, all[index_of(BodyPart::pelvis)], wanted);
    place_leg(1, all[index_of(BodyPart::pelvis)], wanted);
    for (std::uint32_t i = 0; i < b_.body_size_; ++i) {
        if (parts::is_of_legs(i)) keep_where_it_is(i, wanted[i]);
    }
}

void BalanceTick::drive_pose() noexcept {
    if (in_.pose.empty()) return;
    const bool is_first = !b_.has_pose_;
    b_.has_pose_ = true;
    const double whole_s = remaining_s_ + Balance::tick_s;
    for (std::size_t i = 0; i < b_.parts_.driven().size(); ++i) {
        const std::uint32_t part = b_.parts_.driven()[i];
        if (part >= b_.body_size_) continue;
        const Placement& now = b_.parts_.placements()[part];
        const Placement& to = in_.pose[part];
        if (is_first) keep_where_it_is(part, to);
        // Evenly over what is left of the step.
        const Placement end = settled(part, {to.position, normalized(to.rotation)});
        const double share = std::min(Balance::tick_s / whole_s, 1.0);
        const V turn = rotation_vector(end.rotation * conjugate(now.rotation));
        b_.driven_[i] = {now.position + (end.position - now.position) * share,
                         normalized(turned_by(turn * share) * now.rotation)};
    }
}

void BalanceTick::step_parts() noexcept {
    const bool has_legs = b_.state_ == BalanceState::stands || b_.state_ == BalanceState::rises;
    const std::size_t driven = b_.parts_.driven().size();
    for (std::size_t i = 0; i < driven; ++i)
        b_.driven_[i] = b_.parts_.placements()[b_.parts_.driven()[i]];
    if (has_legs) drive_legs(Balance::tick_s);
    if (b_.state_ == BalanceState::animated) drive_pose();
    b_.parts_.step({.driven = {b_.driven_.data(), driven},
                    .shapes = in_.shapes,
                    .forces = {b_.forces_.data(), b_.force_count_},
                    .grabs = in_.grabs,
                    .ground = &ground_,
                    .wind = in_.wind,
                    .time_s = in_.time_s - remaining_s_},
                   Balance::tick_s);
    for (const PartImpact& impact : b_.parts_.impacts()) {
        if (b_.impact_count_ < b_.impacts_.size()) b_.impacts_[b_.impact_count_++] = impact;
    }
    // A blow on a leg hits the body that stands on it, with its weight at most.
    if (!has_legs) return;
    V impulse{};
    const double most_n = mass_ * parts::gravity;
    for (const PartContact& contact : b_.parts_.contacts()) {
        const bool a = parts::is_of_legs(contact.part) && contact.part < b_.body_size_;
        const bool b = contact.other != no_part && contact.other < b_.body_size_ &&
                       parts::is_of_legs(contact.other);
        if (a == b) continue;
        const double newtons = std::min(contact.force_n, most_n);
        impulse = impulse + contact.normal * ((a ? 1 : -1) * newtons * Balance::tick_s);
    }
    if (impulse != V{}) b_.parts_.push(index_of(BodyPart::pelvis), {0, at_.hip.y, 0}, impulse);
}

void BalanceTick::turn_and_speed_up() noexcept {
    const V wanted = flat(in_.velocity);
    const double speed = flat_length(wanted);
    const V allowed =
        speed > set_.most_speed_m_per_s ? wanted * (set_.most_speed_m_per_s / speed) : wanted;
    const V change = allowed - b_.wanted_velocity_;
    const double most = walk_acceleration * Balance::tick_s;
    const double size = length_of(change);
    b_.wanted_velocity_ = size > most ? b_.wanted_velocity_ + change * (most / size) : allowed;
    if (b_.state_ != BalanceState::stands) return;
    const double off = shorter_turn_rad(b_.yaw_, in_.yaw_rad);
    const double rate = set_.most_turn_rate_rad_per_s * (b_.walks_ ? 1 : 0.3) * Balance::tick_s;
    b_.yaw_ += std::clamp(off, -rate, rate);
    b_.yaw_ = wrapped_rad(b_.yaw_);
}

void BalanceTick::stand(const V& place) noexcept {
    for (std::size_t side = 0; side < 2; ++side) {
        const V spot = place + left() * (way_of(side) * 0.5 * set_.stance_width_m);
        plant(side, spot, b_.yaw_);
    }
    b_.ground_ = 0.5 * (b_.feet_[0].position.y + b_.feet_[1].position.y);
    // Hips over the ankles' middle, and the trunk over them: a little ahead, over the soles.
    const Quaternion turn = turned_by({0, b_.yaw_, 0});
    const V hips{place.x, b_.ground_ + set_.ride_height * set_.build.leg_length_m, place.z};
    const double lowered = hips.y - set_.build.leg_length_m;
    b_.parts_.cut({{hips.x, lowered, hips.z}, turn});
    for (std::uint32_t i = parts::thigh_of(0); i <= parts::foot_of(1); ++i)
        b_.parts_.set_driven(i, true);
    for (std::size_t i = index_of(BodyJoint::left_hip); i <= index_of(BodyJoint::right_ankle); ++i)
        b_.parts_.set_joint_holding(i, false, false);
    set_springs(set_.posture_hz);
    std::array<Placement, 16> all{};
    const Placement pelvis = b_.parts_.placements()[index_of(BodyPart::pelvis)];
    place_leg(0, pelvis, all);
    place_leg(1, pelvis, all);
    // It moves along with what it stands on.
    follow_ground();
    const PartMotion carried{.velocity = b_.ground_velocity_};
    for (std::uint32_t i = 0; i < b_.body_size_; ++i) {
        const Placement at = parts::is_of_legs(i) ? all[i] : b_.parts_.placements()[i];
        b_.parts_.cut_part(i, at, carried);
    }
    measure();
    find_soles();
    b_.pressure_ = b_.capture_;
    pose();
}

void BalanceTick::pose() noexcept {
    carry_feet();
    const auto all = b_.parts_.placements();
    std::copy(all.begin(), all.end(), b_.placements_.begin());
    if (b_.state_ == BalanceState::stands || b_.state_ == BalanceState::rises) {
        place_leg(0, all[index_of(BodyPart::pelvis)], b_.placements_);
        place_leg(1, all[index_of(BodyPart::pelvis)], b_.placements_);
        return;
    }
    for (std::size_t side = 0; side < 2; ++side) {
        BalanceFoot& foot = b_.feet_[side];
        const Placement& part = all[parts::foot_of(side)];
        foot.planted = false;
        foot.position = foot.landing = part.position;
        foot.rotation = part.rotation;
    }
}

/// Frames come between ticks, and a body shown only at ticks judders: parts are extrapolated as
/// they move, and feet along their path.
void BalanceTick::show() noexcept {
    constexpr double hardly = 1e-6 * Balance::tick_s;
    const double since_s = b_.time_left_s_ > hardly ? b_.time_left_s_ : 0;
    std::copy(b_.placements_.begin(), b_.placements_.end(), b_.shown_.begin());
    for (std::uint32_t i = 0; since_s > 0 && i < b_.shown_.size(); ++i) {
        const PartMotion& motion = b_.parts_.motions()[i];
        const V centre = b_.parts_.centre_of_mass(i);
        const Quaternion turn = turned_by(motion.angular_velocity * since_s);
        Placement& part = b_.shown_[i];
        part.position = centre + motion.velocity * since_s + rotated(turn, part.position - centre);
        part.rotation = normalized(turn * part.rotation);
    }
    const bool has_legs = b_.state_ == BalanceState::stands || b_.state_ == BalanceState::rises;
    const std::array<BalanceFoot, 2> at_tick = b_.feet_;
    if (has_legs) carry_feet();  // to the bit, at whole ticks too
    for (std::size_t side = 0; side < 2; ++side) {
        BalanceFoot& foot = b_.feet_[side];
        const Balance::Step& step = b_.steps_[side];
        if (!has_legs) {
            foot.position = foot.landing = b_.shown_[parts::foot_of(side)].position;
            foot.rotation = b_.shown_[parts::foot_of(side)].rotation;
            continue;
        }
        const double now_s = static_cast<double>(b_.ticks_) * Balance::tick_s + since_s;
        if (!foot.planted)
            foot.position = ground_.frame(step.part, 0).to_world(step.swing.at(now_s).position);
        place_leg(side, b_.shown_[index_of(BodyPart::pelvis)], b_.shown_);
    }
    b_.shown_feet_ = b_.feet_;
    b_.feet_ = at_tick;
}

void BalanceTick::run() noexcept {
    std::copy(in_.forces.begin(), in_.forces.end(), b_.forces_.begin());
    b_.force_count_ = in_.forces.size();
    const bool has_legs = b_.state_ == BalanceState::stands || b_.state_ == BalanceState::rises;
    if (has_legs) move_feet();
    turn_and_speed_up();
    if (has_legs) {
        follow_ground();
    } else {
        find_ground_below();
    }
    measure();
    const bool is_down = has_legs && (b_.feet_[0].planted || b_.feet_[1].planted);
    b_.flies_s_ = is_down || b_.state_ != BalanceState::stands ? 0 : b_.flies_s_ + Balance::tick_s;
    if (b_.has_next_state_) enter(b_.next_state_);
    b_.has_next_state_ = false;
    change_state();
    pull_thing();
    note_pull();
    if (b_.state_ == BalanceState::stands || b_.state_ == BalanceState::rises) {
        find_soles();
        decide_steps();
        roll_soles();
        turn_knees();
        follow_bob();
        swing_arms();
        push_from_ground();
    }
    step_parts();
    settle(Balance::tick_s);
    ++b_.ticks_;
    b_.state_s_ += Balance::tick_s;
    measure();
    pose();
}

}  // namespace hopcoil
