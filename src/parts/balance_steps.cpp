// Where the feet are, and where they step.

#include <algorithm>
#include <cmath>

#include <hopcoil/base/angles.hpp>
#include <hopcoil/base/components.hpp>
#include <hopcoil/base/math.hpp>
#include <hopcoil/gait/support.hpp>

#include "balance_tick.hpp"

namespace hopcoil {

using parts::way_of;

namespace {

/// The capture point may be this far off the soles.
constexpr double most_out_m = 0.015;
/// A step lands this far beyond the capture point.
constexpr double beyond_m = 0.03;
/// A step's landing may be changed until so much of it is over.
constexpr double aims_until = 0.9;

Quaternion standing_turn(const Vector3& normal, double yaw_rad) {
    const Vector3 ahead = rotated(turned_by({0, yaw_rad, 0}), {0, 0, 1});
    const Vector3 side = unit(cross(normal, ahead), {1, 0, 0});
    return from_axes(side, normal, cross(side, normal));
}
Quaternion between(const Quaternion& a, const Quaternion& b, double part) {
    return normalized(turned_by(rotation_vector(b * conjugate(a)) * part) * a);
}

}  // namespace

Vector3 BalanceTick::left() const noexcept {
    return rotated(turned_by({0, b_.yaw_, 0}), {1, 0, 0});
}

Vector3 BalanceTick::middle_of_feet() const noexcept {
    V sum{};
    double count = 0;
    for (const BalanceFoot& foot : b_.feet_) {
        if (!foot.planted) continue;
        sum = sum + foot.position;
        ++count;
    }
    return count > 0 ? sum * (1 / count) : V{b_.centre_.x, b_.ground_, b_.centre_.z};
}

Vector3 BalanceTick::ankle_over(const BalanceFoot& foot) const noexcept {
    return foot.position + rotated(foot.rotation, at_.ankle);
}

bool BalanceTick::reaches(std::size_t side, double slack_m) const noexcept {
    return length_of(ankle_over(b_.feet_[side]) - hip_of(side)) <
           at_.thigh_m + at_.shin_m + slack_m;
}

void BalanceTick::find_soles() noexcept {
    count_ = 0;
    // The heel rises before a leg is too short.
    constexpr double slack_m = 0.06;
    const BalanceBuild& build = set_.build;
    for (std::size_t side = 0; side < 2; ++side) {
        const BalanceFoot& foot = b_.feet_[side];
        if (!foot.planted || !reaches(side, slack_m)) continue;
        for (const double x : {-0.5, 0.5}) {
            for (const double z : {-0.5, 0.5}) {
                corners_[count_++] =
                    foot.position +
                    rotated(foot.rotation, {x * build.foot_width_m, 0, z * build.foot_length_m});
            }
        }
    }
}

void BalanceTick::plant(std::size_t side, const V& place, double yaw_rad) noexcept {
    BalanceFoot& foot = b_.feet_[side];
    const double top = place.y + 0.4 * set_.build.leg_length_m;
    const GroundPoint under = ground_.under(place.x, place.z, top, 0);
    foot.position = {place.x, under.exists ? under.height : place.y, place.z};
    foot.rotation = standing_turn(under.normal, yaw_rad);
    foot.part = under.part;
    const GroundFrame frame = ground_.frame(foot.part, 0);
    foot.on_part = frame.to_local(foot.position);
    foot.turn_on_part = conjugate(frame.rotation) * foot.rotation;
    foot.planted = true;
    foot.phase = 0;
    foot.landing = foot.position;
}

/// Planted feet go with what they stand on.
void BalanceTick::carry_feet() noexcept {
    for (BalanceFoot& foot : b_.feet_) {
        if (!foot.planted) continue;
        const GroundFrame frame = ground_.frame(foot.part, 0);
        foot.position = frame.to_world(foot.on_part);
        foot.rotation = normalized(frame.rotation * foot.turn_on_part);
        foot.landing = foot.position;
    }
}

void BalanceTick::move_feet() noexcept {
    carry_feet();
    for (std::size_t side = 0; side < 2; ++side) {
        BalanceFoot& foot = b_.feet_[side];
        if (foot.planted) continue;
        steer_step(side);
        Balance::Step& step = b_.steps_[side];
        const double whole_s = step.land_s - step.lift_s;
        const double before = smooth(foot.phase);
        foot.phase = std::clamp((now_s_ - step.lift_s) / std::max(whole_s, 1e-6), 0.0, 1.0);
        // From how it is turned now: if the aim passed half a turn, the shorter way would flip.
        const double share = before < 1 ? (smooth(foot.phase) - before) / (1 - before) : 1;
        step.turn_now = between(step.turn_now, step.turn, share);
        const GroundFrame frame = ground_.frame(step.part, 0);
        foot.position = frame.to_world(step.swing.at(now_s_).position);
        foot.rotation = normalized(frame.rotation * step.turn_now);
        // Over an edge its foot hangs until the body has come down far enough.
        if (now_s_ >= step.land_s - 1e-9 && !is_out_of_reach(side)) land(side);
    }
}

void BalanceTick::land(std::size_t side) noexcept {
    BalanceFoot& foot = b_.feet_[side];
    const Balance::Step& step = b_.steps_[side];
    const GroundFrame frame = ground_.frame(step.part, 0);
    foot.part = step.part;
    foot.on_part = step.spot;
    foot.turn_on_part = step.turn;
    foot.position = frame.to_world(foot.on_part);
    foot.rotation = normalized(frame.rotation * foot.turn_on_part);
    foot.planted = true;
    foot.phase = 0;
    foot.landing = foot.position;
    b_.landed_s_ = 0;
    b_.last_step_ = static_cast<std::uint32_t>(side);
}

/// The capture point after a time with the pressure at `from`, in the frame of the ground that
/// carries the body.
Vector3 BalanceTick::capture_after(const V& from, double rest_s) const noexcept {
    return from + flat(b_.capture_ - from) * math::exp(std::min(rate() * rest_s, 10.0));
}

BalanceTick::Landing BalanceTick::within_reach(std::size_t side, const V& wanted,
                                               double rest_s) const noexcept {
    const double reach = set_.step_reach * set_.build.leg_length_m;
    const V hip = hip_of(side) + (b_.velocity_ - b_.ground_velocity_) * std::min(rest_s, 0.4);
    V spot = wanted;
    const V way = flat(spot - hip);
    const double far = flat_length(way);
    if (far > reach) spot = spot - way * (1 - reach / far);
    // Never across the other foot.
    const BalanceFoot& other = b_.feet_[1 - side];
    const double beside = way_of(side) * dot(flat(spot - other.position), left());
    const double least = least_width();
    if (beside < least) spot = spot + left() * (way_of(side) * (least - beside));
    return {spot, flat_length(spot - wanted)};
}

/// The least distance between feet that are side by side.
double BalanceTick::least_width() const noexcept {
    return 1.25 * set_.build.foot_width_m;
}

/// The mean distance between the feet in a walk. Sideways every other step brings them together,
/// and they must not cross.
double BalanceTick::walk_width() const noexcept {
    constexpr double room_m = 0.02;
    const double aside = std::abs(dot(b_.wanted_velocity_, left()));
    return std::max(set_.stance_width_m, least_width() + room_m + aside * set_.walk_step_s);
}

/// Where a foot catches the body: a little beyond its capture point.
BalanceTick::Landing BalanceTick::landing_of(std::size_t side, double rest_s) const noexcept {
    const V from = b_.feet_[side].planted ? b_.feet_[1 - side].position : b_.pressure_;
    const V capture = capture_after(from, rest_s);
    const V way = flat(capture - from);
    const V spot = capture + unit(way, {}) * beyond_m;
    return within_reach(side, spot, rest_s);
}

/// Where it steps in a walk: the capture point is ahead of the foot, and inside it, by as much as
/// at the end of every such step.
BalanceTick::Landing BalanceTick::walk_landing(std::size_t side, double rest_s) const noexcept {
    const V capture = capture_after(b_.pressure_, rest_s);
    const double step_s = set_.walk_step_s;
    const double grown = math::exp(rate() * step_s);
    const V behind = b_.wanted_velocity_ * (step_s / (grown - 1));
    const double outward = walk_width() / (1 + grown);
    const V spot = capture - behind + left() * (way_of(side) * outward);
    return within_reach(side, spot, rest_s);
}

Vector3 BalanceTick::neutral_spot(std::size_t side, const V& beside) const noexcept {
    return beside + left() * (way_of(side) * set_.stance_width_m);
}

void BalanceTick::begin_step(std::size_t side, const V& spot, double time_s) noexcept {
    BalanceFoot& foot = b_.feet_[side];
    Balance::Step& step = b_.steps_[side];
    const GroundFrame frame = ground_.frame(foot.part, 0);
    step.part = foot.part;
    step.lift_s = now_s_;
    step.land_s = now_s_ + time_s;
    step.way = spot - foot.position;
    step.aside = {};
    step.aside_rate = 0;
    step.turn_now = normalized(conjugate(frame.rotation) * foot.rotation);
    step.swing = {};
    step.swing.land_s = now_s_;
    const V start = frame.to_local(foot.position);
    const SwingPoint rest{start, {}, {}};
    step.swing = plan_swing({.from = rest,
                             .spot = start,
                             .now_s = now_s_,
                             .land_s = step.land_s,
                             .apex_m = start.y,
                             .apex_s = now_s_,
                             .down_s = now_s_});
    step.roll_rad = roll_under(side, hip_of(side));
    foot.planted = false;
    foot.phase = 0;
    foot.load_n = 0;
    ++b_.log_.steps;
    b_.shifts_ = false;
    b_.caught_ = false;
    aim_step(side, spot);
}

/// The ground that a foot passes over on its way, as far as its heel and toes reach.
double BalanceTick::highest_between(const V& from, const V& to, double top) const noexcept {
    constexpr int looks = 6;
    const V way = flat(to - from);
    const V more = unit(way, {}) * (0.5 * set_.build.foot_length_m);
    double highest = to.y;
    for (int i = 0; i <= looks; ++i) {
        const V spot = from - more + (way + more * 2) * (static_cast<double>(i) / looks);
        const GroundPoint under = ground_.under(spot.x, spot.z, top, 0);
        if (under.exists) highest = std::max(highest, under.height);
    }
    return highest;
}

/// Plans the rest of a step to a spot in the frame of the ground that carries the body. The ground
/// that it lands on may move differently.
void BalanceTick::aim_step(std::size_t side, const V& spot) noexcept {
    BalanceFoot& foot = b_.feet_[side];
    Balance::Step& step = b_.steps_[side];
    const double top = hip_of(side).y;
    const double rest_s = std::max(step.land_s - now_s_, 0.0);
    const V there = spot + flat(b_.ground_velocity_) * rest_s;
    const GroundPoint under = ground_.under(there.x, there.z, top, rest_s);
    const std::uint32_t part = under.exists ? under.part : step.part;
    const GroundFrame frame = ground_.frame(part, 0);
    SwingPoint from = step.swing.at(now_s_);
    if (part != step.part) {
        const GroundFrame before = ground_.frame(step.part, 0);
        const Quaternion back = conjugate(frame.rotation);
        const V place = before.to_world(from.position);
        const V velocity = rotated(before.rotation, from.velocity) + before.velocity_at(place) -
                           frame.velocity_at(place);
        from = {frame.to_local(place), rotated(back, velocity),
                rotated(back, rotated(before.rotation, from.acceleration))};
        step.turn_now = back * before.rotation * step.turn_now;
        step.part = part;
    }
    const GroundFrame then = ground_.frame(part, rest_s);
    step.spot = then.to_local({there.x, under.exists ? under.height : foot.position.y, there.z});
    const V spot_now = frame.to_world(step.spot);
    const double yaw = b_.yaw_ + std::clamp(shorter_turn_rad(b_.yaw_, in_.yaw_rad),
                                            -set_.most_turn_rate_rad_per_s * rest_s,
                                            set_.most_turn_rate_rad_per_s * rest_s);
    step.turn =
        conjugate(then.rotation) * standing_turn(under.exists ? under.normal : V{0, 1, 0}, yaw);
    const double highest = highest_between(foot.position, spot_now, top);
    const double whole_s = step.land_s - step.lift_s;
    const double apex = frame.to_local({spot_now.x, highest + set_.lift_m, spot_now.z}).y;
    step.swing = plan_swing({.from = from,
                             .spot = step.spot,
                             .now_s = now_s_,
                             .land_s = step.land_s,
                             .apex_m = std::max(apex, from.position.y),
                             .apex_s = step.lift_s + 0.42 * whole_s,
                             .down_s = step.lift_s + 0.6 * whole_s});
    foot.landing = spot_now;
}

/// Its aim is renewed, and where it would be out of reach the step is shortened in time.
void BalanceTick::steer_step(std::size_t side) noexcept {
    Balance::Step& step = b_.steps_[side];
    const double rest_s = step.land_s - now_s_;
    if (b_.feet_[side].phase > aims_until || rest_s < 0.02) return;
    if (b_.state_ == BalanceState::rises) {
        aim_step(side, spot_to_rise(side));
        return;
    }
    const bool is_tidy = !b_.walks_ && b_.calm_s_ > 0;
    if (is_tidy) return;
    const Landing landing = b_.walks_ ? walk_landing(side, rest_s) : landing_of(side, rest_s);
    const V way = flat(landing.spot - b_.feet_[side].position);
    const double way_m = length_of(way);
    constexpr double missed = 0.03;
    const double least_s = std::max(0.06, way_m / set_.foot_speed_m_per_s);
    if (landing.missed_m > missed && rest_s > least_s) step.land_s -= Balance::tick_s;
    // The peak speed of a step is about twice its mean; it may be a little more in need.
    const double most_m = 2.5 * set_.foot_speed_m_per_s * rest_s;
    aim_step(side, landing.spot - way * (1 - std::min(1.0, most_m / std::max(way_m, 1e-9))));
}

/// A step to where the capture point leaves the soles.
void BalanceTick::catch_itself() noexcept {
    const double out = -support_margin(soles(), b_.capture_);
    b_.out_s_ = out > most_out_m ? b_.out_s_ + Balance::tick_s : 0;
    if (b_.out_s_ == 0) return;
    b_.calm_s_ = 0;
    // A second step follows the first without delay.
    constexpr double forgets_s = 0.5;
    const bool is_ready = b_.caught_ && b_.landed_s_ < forgets_s;
    if (!is_ready && b_.out_s_ < set_.reaction_s) return;
    std::size_t best = 0;
    double least = 1e9;
    for (std::size_t side = 0; side < 2; ++side) {
        if (!b_.feet_[1 - side].planted) continue;
        const Landing landing = landing_of(side, set_.step_time_s);
        constexpr double worth = 4;
        const double cost =
            flat_length(landing.spot - b_.feet_[side].position) + worth * landing.missed_m;
        if (cost < least) {
            least = cost;
            best = side;
        }
    }
    begin_step(best, landing_of(best, set_.step_time_s).spot, set_.step_time_s);
    b_.caught_ = true;
    ++b_.log_.catches;
}

void BalanceTick::step_at_once(std::size_t side) noexcept {
    const double time_s = set_.step_time_s;
    const bool caught = b_.caught_;
    begin_step(side, (b_.walks_ ? walk_landing(side, time_s) : landing_of(side, time_s)).spot,
               time_s);
    b_.caught_ = caught;
}

/// The angle between where a foot points and a heading.
double BalanceTick::turned_away(std::size_t side, double yaw_rad) const noexcept {
    const V ahead = rotated(b_.feet_[side].rotation, {0, 0, 1});
    return std::abs(shorter_turn_rad(yaw_rad, math::atan2(ahead.x, ahead.z)));
}

/// At rest a misplaced foot is set beside the other, once that carries the body.
void BalanceTick::tidy_feet() noexcept {
    constexpr double calm_speed = 0.08;
    constexpr double waits_s = 0.35;
    const bool is_calm = flat_length(b_.velocity_ - b_.ground_velocity_) < calm_speed;
    b_.calm_s_ = is_calm || b_.shifts_ ? b_.calm_s_ + Balance::tick_s : 0;
    if (b_.calm_s_ < waits_s) return;
    const std::size_t side = 1 - b_.last_step_;
    const BalanceFoot& foot = b_.feet_[side];
    const BalanceFoot& other = b_.feet_[1 - side];
    const V neutral = neutral_spot(side, other.position);
    const double turned = turned_away(side, b_.yaw_);
    constexpr double most_off_m = 0.05;
    constexpr double most_turned = 0.25;
    const bool is_off = flat_length(neutral - foot.position) > most_off_m || turned > most_turned;
    if (!is_off) {
        b_.shifts_ = false;
        return;
    }
    b_.shifts_ = true;
    const double from_sole = flat_length(b_.capture_ - other.position);
    if (from_sole > 0.4 * set_.build.foot_width_m) return;
    begin_step(side, neutral, 1.6 * set_.step_time_s);
}

/// Under the centre of mass.
Vector3 BalanceTick::spot_to_rise(std::size_t side) const noexcept {
    constexpr double ahead_s = 0.15;
    return b_.centre_ + flat(b_.velocity_ - b_.ground_velocity_) * ahead_s +
           left() * (way_of(side) * 0.5 * set_.stance_width_m);
}

void BalanceTick::walk_on() noexcept {
    b_.calm_s_ = 0;
    b_.shifts_ = false;
    const double down_s = both_down * set_.walk_step_s;
    // Where it would be too late it does not wait, and steps more quickly.
    constexpr double far_out = 0.14;
    const bool is_late = -support_margin(soles(), b_.capture_) > far_out * set_.build.leg_length_m;
    if (b_.landed_s_ < down_s && !is_late) return;
    const std::size_t side = 1 - b_.last_step_;
    const double time_s = is_late ? set_.step_time_s : set_.walk_step_s - down_s;
    begin_step(side, walk_landing(side, time_s).spot, time_s);
}

void BalanceTick::decide_steps() noexcept {
    b_.landed_s_ += Balance::tick_s;
    if (b_.state_ != BalanceState::stands) return;
    // A foot that is on its toes already and still out of reach of its leg leaves the ground.
    for (const std::size_t side : {0U, 1U}) {
        if (b_.feet_[side].planted && is_out_of_reach(side)) step_at_once(side);
    }
    const bool all_down = b_.feet_[0].planted && b_.feet_[1].planted;
    constexpr double starts_at = 0.12;
    constexpr double stops_at = 0.06;
    constexpr double off_rad = 0.45;
    constexpr double turned_rad = 0.08;
    constexpr double feet_turned_rad = 0.25;
    const double off = std::abs(shorter_turn_rad(b_.yaw_, in_.yaw_rad));
    const double feet_off = std::max(turned_away(0, in_.yaw_rad), turned_away(1, in_.yaw_rad));
    const double speed = length_of(b_.wanted_velocity_);
    const bool wants = b_.walks_
                           ? speed > stops_at || off > turned_rad || feet_off > feet_turned_rad
                           : speed > starts_at || std::max(off, feet_off) > off_rad;
    if (!all_down) return;
    b_.walks_ = b_.walks_ && wants;
    if (!b_.walks_ && wants) {
        b_.walks_ = true;
        // The foot that is further behind goes first.
        const double lag = dot(b_.feet_[0].position - b_.feet_[1].position, b_.wanted_velocity_);
        b_.last_step_ = lag > 0 ? 0 : 1;
    }
    if (b_.walks_) {
        walk_on();
    } else {
        catch_itself();
        if (b_.feet_[0].planted && b_.feet_[1].planted) tidy_feet();
    }
}

}  // namespace hopcoil
