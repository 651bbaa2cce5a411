// How a brachiator leaps from its holds and to them.

#include <algorithm>
#include <cmath>

#include <hopcoil/base/angles.hpp>
#include <hopcoil/base/components.hpp>
#include <hopcoil/base/math.hpp>
#include <hopcoil/gait/brachiator.hpp>

#include "../base/vectors.hpp"

namespace hopcoil {
namespace {

using detail::HandPath;
using detail::LeapWish;

/// 0 before, 1 after, smooth up to the second derivative at both ends.
double smooth_share(double u) noexcept {
    const double t = std::clamp(u, 0.0, 1.0);
    return t * t * t * (10 + t * (6 * t - 15));
}

/// How long a hand or a foot takes to reach for something, or to leave it.
double reach_time_s(double flight_s) noexcept {
    return std::min(0.4, 0.6 * flight_s);
}

}  // namespace

bool Brachiator::leap_to_hold(std::uint32_t hold, std::optional<std::uint32_t> from_hold) noexcept {
    const auto can_hang = [&](std::size_t first) {
        if (first + 1 >= holds_.size()) return false;
        const double gap = norm(holds_[first + 1] - holds_[first]);
        return gap > 0 && gap <= longest_gap_m(settings_);
    };
    if (hold >= holds_.size() || (from_hold && *from_hold >= holds_.size())) return false;
    if (!can_hang(hold)) {
        if (hold == 0 || !can_hang(hold - 1)) return false;
        --hold;
    }
    wish_ = {.to = LeapWish::To::hold, .hold = hold, .from_hold = from_hold};
    return true;
}

bool Brachiator::leap_to_ground(const Vector3& spot,
                                std::optional<std::uint32_t> from_hold) noexcept {
    constexpr double furthest = 1e6;
    if (!is_finite(spot) || !(dot(spot, spot) < furthest * furthest)) return false;
    if (from_hold && *from_hold >= holds_.size()) return false;
    wish_ = {.to = LeapWish::To::ground, .spot = spot, .from_hold = from_hold};
    return true;
}

BrachiatorPhase Brachiator::phase() const noexcept {
    if (mode_ == Mode::hangs) return BrachiatorPhase::hangs;
    if (mode_ == Mode::stands) return BrachiatorPhase::stands;
    const double time_s = leap_time_s();
    if (time_s < leaping_.plan.times_s[LeapPlan::off]) return BrachiatorPhase::gathers;
    const bool flies = time_s < leaping_.plan.times_s[LeapPlan::on];
    return flies ? BrachiatorPhase::flies : BrachiatorPhase::arrives;
}

double Brachiator::leap_time_s() const noexcept {
    return static_cast<double>(leaping_.ticks) * tick_s + time_left_s_;
}

Vector3 Brachiator::looks_at() const noexcept {
    if (mode_ == Mode::leaps) return leaping_.spot;
    if (wish_.to == LeapWish::To::ground) return wish_.spot;
    if (wish_.to == LeapWish::To::hold) return holds_[wish_.hold];
    if (mode_ == Mode::hangs) return holds_[next_hold_];
    return position_ + rotated(turned_by({0, leaping_.yaw_rad, 0}), {0, 0, 5});
}

/// How far from rest a body hanging by both hands can swing along its row.
double Brachiator::sway_m(const Vector3& rest, std::uint32_t first) const noexcept {
    constexpr double part_of_arm = 0.94;
    const Vector3 place = rest + Vector3{0, settings_.shoulder_height_m, 0};
    double least = settings_.arm_length_m;
    for (const std::uint32_t hold : {first, first + 1}) {
        const Vector3 arm = holds_[hold] - place;
        const double out = math::sqrt(arm.x * arm.x + arm.z * arm.z);
        const double most = part_of_arm * settings_.arm_length_m;
        const double reach = math::sqrt(std::max(0.0, most * most - arm.y * arm.y));
        least = std::min(least, reach - out);
    }
    return std::clamp(least, 0.06 * settings_.arm_length_m, 0.3 * settings_.arm_length_m);
}

LeapEnd Brachiator::leaves_from() const noexcept {
    const SwingPoint now = on_way();
    if (mode_ == Mode::stands) return {.body = now, .is_on_feet = true};
    const std::uint32_t first = std::min(hands_[0].hold, hands_[1].hold);
    return {.body = now, .sway_m = sway_m(now.position, first)};
}

std::array<Vector3, 2> Brachiator::feet_beside(const Vector3& spot, double yaw_rad) const noexcept {
    const Vector3 aside = rotated(turned_by({0, yaw_rad, 0}), {0.5 * settings_.hip_width_m, 0, 0});
    return {spot + aside, spot - aside};
}

/// Starts a leap once the body stands, or hangs by both hands at rest.
void Brachiator::begin_leap() noexcept {
    if (wish_.to == LeapWish::To::nowhere || mode_ == Mode::leaps) return;
    if (mode_ == Mode::hangs) {
        const SwingPoint now = on_row();
        constexpr double rest_speed = 1e-3;
        const bool rests = hands_[0].holds && hands_[1].holds && wish_.is_from(path_.newest()) &&
                           norm(now.velocity) < rest_speed && norm(now.acceleration) < rest_speed;
        if (!rests) return;
    }
    const bool to_feet = wish_.to == LeapWish::To::ground;
    const LeapEnd from = leaves_from();
    const HandPath path = to_feet ? HandPath{} : HandPath{settings_, holds_, wish_.hold};
    LeapEnd to{.is_on_feet = to_feet};
    if (to_feet) {
        to.body.position = wish_.spot + Vector3{0, standing_height_m(settings_), 0};
    } else {
        to.body.position = path.at(0).place;
        to.sway_m = sway_m(path.at(0).place, wish_.hold);
    }
    const LeapPlan plan = plan_leap(settings_, from, to);
    const LeapWish wish = wish_;
    wish_ = {};
    if (!plan.is_in_reach) {
        ++log_.leaps_refused;
        return;
    }
    ++log_.leaps;
    detail::Leaping next{.plan = plan, .from_feet = from.is_on_feet, .to_feet = to_feet};
    next.feet_from = leaping_.feet_to;
    next.let_go = {hands_[0].hold, hands_[1].hold};
    const Vector3 ahead = rotated(rotation_, {0, 0, 1});
    next.yaw_from_rad = math::atan2(ahead.x, ahead.z);
    const Vector3 way = to.body.position - from.body.position;
    constexpr double no_way_m = 0.15;
    next.yaw_rad = next.yaw_from_rad;
    if (way.x * way.x + way.z * way.z > no_way_m * no_way_m)
        next.yaw_rad += shorter_turn_rad(next.yaw_from_rad, math::atan2(way.x, way.z));
    next.feet_to = feet_beside(wish.spot, next.yaw_rad);
    next.spot = to_feet ? wish.spot : holds_[wish.hold];
    if (mode_ == Mode::hangs) turn_.reset(rotation_);
    if (!to_feet) {
        path_ = path;
        next_hold_ = wish.hold;
    }
    leaping_ = next;
    mode_ = Mode::leaps;
}

void Brachiator::advance_leap(double speed) noexcept {
    if (mode_ == Mode::hangs) return;
    if (mode_ == Mode::leaps) {
        ++leaping_.ticks;
        const double end_s = leaping_.plan.times_s[LeapPlan::end];
        const double left_s = end_s - static_cast<double>(leaping_.ticks) * tick_s;
        // It continues along the row as soon as it is at rest there.
        if (!leaping_.to_feet && left_s < static_cast<double>(HandPath::planned_ticks) * tick_s)
            path_.advance(settings_, holds_, speed);
        if (left_s < 0.5 * tick_s) mode_ = leaping_.to_feet ? Mode::stands : Mode::hangs;
    }
    turn_in_leap();
}

/// It leans into a leap, and against the landing.
void Brachiator::turn_in_leap() noexcept {
    constexpr double most_turned_on_feet = 0.5;
    double yaw = leaping_.yaw_rad;
    double lean = 0;
    switch (phase()) {
        case BrachiatorPhase::hangs:
            return;
        case BrachiatorPhase::stands:
            break;
        case BrachiatorPhase::gathers:
            lean = leaping_.from_feet ? 0.35 : 0.1;
            yaw = leaping_.yaw_from_rad + std::clamp(yaw - leaping_.yaw_from_rad,
                                                     -most_turned_on_feet, most_turned_on_feet);
            break;
        case BrachiatorPhase::flies:
            lean = leaping_.to_feet ? 0.15 : -0.1;
            break;
        case BrachiatorPhase::arrives:
            if (!leaping_.to_feet) {
                turn_.step(detail::hanging_turn(settings_, path_.at(0)), tick_s);
                return;
            }
            lean = leap_time_s() < leaping_.plan.times_s[LeapPlan::lowest] ? 0.5 : 0;
            break;
    }
    turn_.step(turned_by({0, yaw, 0}) * turned_by({lean, 0, 0}), tick_s);
}

/// Where a free hand wants to be, relative to its shoulder and in the body's frame.
Vector3 Brachiator::free_hand_target(std::size_t side) const noexcept {
    const double arm_m = settings_.arm_length_m;
    const double sign = side == 0 ? 1 : -1;
    const auto at = [&](double out, double up, double ahead) {
        return Vector3{sign * out * arm_m, up * arm_m, ahead * arm_m};
    };
    switch (phase()) {
        case BrachiatorPhase::gathers: {
            // Back in the crouch, forward in the push, up in the air.
            const bool crouches = leap_time_s() < 0.8 * leaping_.plan.times_s[LeapPlan::gathered];
            return crouches ? at(0.2, -0.8, -0.4) : at(0.15, -0.5, 0.75);
        }
        case BrachiatorPhase::flies:
            return leaping_.to_feet ? at(0.6, -0.05, 0.35) : at(0.15, 0.8, 0.4);
        case BrachiatorPhase::arrives:
            if (leap_time_s() < leaping_.plan.times_s[LeapPlan::lowest]) return at(0.5, -0.4, 0.5);
            break;
        default:
            break;
    }
    // Arms swing out against the acceleration of the body.
    const double pushed = std::min(1.0, 1.5 * norm(offset_.velocity()));
    return at(0.12 + 0.45 * pushed, -0.93 + 0.6 * pushed, 0.1);
}

/// The follower of a hand that holds tracks it, so that it leaves from where it is.
void Brachiator::move_free_hands() noexcept {
    if (mode_ == Mode::hangs) return;
    for (const std::size_t side : {0U, 1U}) {
        Follower<Vector3>& hand = free_[side];
        if (hands_[side].holds) {
            const Vector3 now =
                rotated(conjugate(rotation_), hands_[side].position - hands_[side].shoulder);
            hand.reset(now);
            continue;
        }
        hand.cut(free_hand_target(side));
        hand.step(hand.target(), tick_s);
    }
}

/// Between its free place and the hold that it reaches for.
Vector3 Brachiator::free_hand(std::size_t side) const noexcept {
    const Vector3 free = hands_[side].shoulder + rotated(rotation_, free_[side].value());
    if (mode_ != Mode::leaps || leaping_.to_feet) return free;
    const double caught_s = leaping_.plan.times_s[LeapPlan::on];
    const double reach_s = reach_time_s(leaping_.plan.flight_s());
    const double share = smooth_share(1 - (caught_s - leap_time_s()) / reach_s);
    const detail::HandAt at = path_.hand_at(0, static_cast<std::uint32_t>(side));
    return free + (holds_[at.hold] - free) * share;
}

/// Away from the ground, or down to it.
Vector3 Brachiator::flying_foot(std::size_t side, const Vector3& dangling) const noexcept {
    if (mode_ != Mode::leaps) return dangling;
    const LeapPlan& plan = leaping_.plan;
    const double reach_s = reach_time_s(plan.flight_s());
    Vector3 foot = dangling;
    if (leaping_.from_feet) {
        const double left = smooth_share((leap_time_s() - plan.times_s[LeapPlan::off]) / reach_s);
        foot = leaping_.feet_from[side] + (foot - leaping_.feet_from[side]) * left;
    }
    if (leaping_.to_feet) {
        const double down =
            smooth_share(1 - (plan.times_s[LeapPlan::on] - leap_time_s()) / reach_s);
        foot = foot + (leaping_.feet_to[side] - foot) * down;
    }
    return foot;
}

}  // namespace hopcoil
