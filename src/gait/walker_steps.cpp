// Where a foot goes, and along which path.

#include <algorithm>
#include <cmath>
#include <optional>

#include <hopcoil/base/components.hpp>

#include "walker_tick.hpp"

namespace hopcoil {
namespace {

constexpr std::uint32_t later_by = 8;  // ticks that a landing is put off at once
constexpr std::uint32_t most_later = 24;

}  // namespace

/// The neutral spot half a stance after the predicted landing, as far as the leg allows.
Vector3 WalkerTick::aim(std::size_t leg, double land_s) const noexcept {
    const WalkerLeg& own = set_.legs[leg];
    const double until_s = land_s - now_s_;
    const Body first = body_over_ground(until_s);
    // With its usual speed: when it turns back it is slow only for a moment.
    constexpr double soon_s = 0.25;
    const auto neutral_at = [&](const Body& body) {
        return body.place + body.heading.to_world(own.neutral);
    };
    const Vector3 velocity =
        first.heading.to_body(neutral_at(body_over_ground(until_s + soon_s)) - neutral_at(first)) *
        (1 / soon_s);
    const Body middle = body_over_ground(until_s + 0.5 * stance_at(velocity));
    Vector3 off = first.heading.to_body(neutral_at(middle) - first.place) - own.neutral;
    off.y = 0;
    const double most = lim_.most_half_stride_m;
    const double length = flat_length(off);
    if (length > most) off = off * (most / length);
    if (set_.leg_count > 2) {
        off.x = std::clamp(off.x, -lim_.half_stride_sideways_m, lim_.half_stride_sideways_m);
        off.z = std::clamp(off.z, -lim_.half_stride_ahead_m, lim_.half_stride_ahead_m);
    }
    off.x += outside_of_fore_foot(leg);
    const Body landing = body_in(until_s);
    Vector3 spot = landing.place + landing.heading.to_world(own.neutral + off);
    const Vector3 hip = landing.place + landing.heading.to_world(own.hip);
    Vector3 way = spot - hip;
    way.y = 0;
    const double reach =
        std::max(0.5 * lim_.soft_reach_m,
                 std::min(lim_.soft_reach_m, lim_.hard_reach_m - 0.35 * speed_ * swing_s_));
    const double away = flat_length(way);
    if (away > reach) spot = hip + way * (reach / away);
    keep_apart(leg, landing, until_s, spot);
    return spot;
}

/// A biped's feet keep to their own sides of each other, the wider the nearer they are beside one
/// another.
void WalkerTick::keep_apart(std::size_t leg, const Body& body, double until_s,
                            Vector3& aim) const noexcept {
    if (set_.leg_count != 2) return keep_from_others(leg, body, until_s, aim);
    const double l = set_.leg_length_m;
    const Vector3 other = foot_in(1 - leg, until_s);
    const double side = set_.legs[leg].neutral.x > 0 ? 1 : -1;
    const Vector3 between = body.heading.to_body(aim - other);
    const double lengthwise = std::clamp((std::abs(between.z) - 0.16 * l) / (0.21 * l), 0.0, 1.0);
    const double gap = (0.126 + (0.053 - 0.126) * lengthwise) * l;
    const double missing = gap - side * between.x;
    if (missing > 0) aim = aim + body.heading.to_world({side * missing, 0, 0});
}

/// A foot does not land beyond that of a neighbour, or legs would cross; nor where another stands.
void WalkerTick::keep_from_others(std::size_t leg, const Body& body, double until_s,
                                  Vector3& aim) const noexcept {
    const double least = 2.4 * set_.foot_radius_m;
    const double side = set_.legs[leg].neutral.x > 0 ? 1 : -1;
    for (const std::size_t i : {leg ^ 1U, leg + 2, leg - 2}) {
        if (i >= set_.leg_count || !w_.feet_[i].planted) continue;
        const bool is_across = i == (leg ^ 1U);
        if (!is_across && set_.leg_count == 4) continue;  // hind feet may pass fore feet
        const Vector3 between = body.heading.to_body(aim - foot_in(i, until_s));
        const bool is_ahead = set_.legs[leg].neutral.z > set_.legs[i].neutral.z;
        const double way = is_across ? side : is_ahead ? 1 : -1;
        const double missing = least - way * (is_across ? between.x : between.z);
        const double far = way * std::max(missing, 0.0);
        aim = aim + body.heading.to_world(is_across ? Vector3{far, 0, 0} : Vector3{0, 0, far});
    }
    for (std::size_t i = 0; i < set_.leg_count; ++i) {
        if (i == leg || !w_.feet_[i].planted) continue;
        Vector3 away = aim - foot_in(i, until_s);
        away.y = 0;
        const double distance = flat_length(away);
        if (distance < least && distance > 1e-9) aim = aim + away * ((least - distance) / distance);
    }
}

/// Whether a sole can stand there: not too steep, no edge under it.
WalkerTick::Foothold WalkerTick::look_at(double x, double z, double ahead_s) const noexcept {
    constexpr std::array<std::array<double, 2>, 8> around{{{1, 0},
                                                           {0.7071, 0.7071},
                                                           {0, 1},
                                                           {-0.7071, 0.7071},
                                                           {-1, 0},
                                                           {-0.7071, -0.7071},
                                                           {0, -1},
                                                           {0.7071, -0.7071}}};
    const double sole = 1.4 * set_.foot_radius_m;
    Foothold hold{.ground = ground_at(x, z, ahead_s)};
    const GroundPoint& at = hold.ground;
    hold.spot = {x, at.exists ? at.height : w_.pose_.place.y - set_.leg_length_m, z};
    if (!at.exists || !at.can_stand || at.normal.y < math::cos(set_.slope_limit_rad)) return hold;
    for (const auto& [ax, az] : around) {
        const GroundPoint rim = ground_at(x + sole * ax, z + sole * az, ahead_s);
        const double plane = at.height - sole * (ax * at.normal.x + az * at.normal.z) / at.normal.y;
        if (!rim.exists || std::abs(rim.height - plane) > 0.2 * set_.foot_radius_m + 0.005)
            return hold;
    }
    hold.good = true;
    return hold;
}

/// Whether another foot stands there.
bool WalkerTick::is_taken(std::size_t leg, double x, double z, double ahead_s) const noexcept {
    for (std::size_t i = 0; i < set_.leg_count; ++i) {
        if (i == leg || !w_.feet_[i].planted) continue;
        const Vector3 other = foot_in(i, ahead_s - ahead_s_);
        if (flat_length({x - other.x, 0, z - other.z}) < feet_apart()) return true;
    }
    return false;
}

/// The nearest good spot to its aim, searched in rings around that.
WalkerTick::Foothold WalkerTick::foothold_near(std::size_t leg, const Vector3& aim,
                                               const Vector3& hip, double most_away,
                                               double ahead_s) const noexcept {
    Foothold first = look_at(aim.x, aim.z, ahead_s);
    if (first.good) return first;
    constexpr int directions = 16;
    constexpr std::array<double, 7> rings{0.03, 0.06, 0.1, 0.14, 0.19, 0.25, 0.32};
    for (const double ring : rings) {
        Foothold best{};
        double least_height = 1e9;
        for (int k = 0; k < directions; ++k) {
            const double angle = 2 * math::pi * k / directions;
            const double x = aim.x + ring * set_.leg_length_m * math::cos(angle);
            const double z = aim.z + ring * set_.leg_length_m * math::sin(angle);
            if (flat_length({x - hip.x, 0, z - hip.z}) > most_away) continue;
            if (is_taken(leg, x, z, ahead_s)) continue;
            const Foothold hold = look_at(x, z, ahead_s);
            const double off = std::abs(hold.spot.y - first.spot.y);
            if (!hold.good || off >= least_height) continue;
            least_height = off;
            best = hold;
        }
        if (best.good) return best;
    }
    return first;
}

double WalkerTick::highest_between(const Vector3& from, const Vector3& to,
                                   bool& is_even) const noexcept {
    constexpr int samples = 16;
    const double r = set_.foot_radius_m;
    double highest = to.y;
    double lowest = to.y;
    Vector3 way = to - from;
    way.y = 0;
    const double length = flat_length(way);
    const Vector3 beside =
        length > 1e-9 ? Vector3{-way.z * (r / length), 0, way.x * (r / length)} : Vector3{};
    for (int k = 0; k <= samples; ++k) {
        const Vector3 middle = from + way * (static_cast<double>(k) / samples);
        for (const double side : {-1.0, 1.0}) {
            const GroundPoint at =
                ground_at(middle.x + side * beside.x, middle.z + side * beside.z, ahead_s_);
            if (!at.exists) continue;
            highest = std::max(highest, at.height);
            lowest = std::min(lowest, at.height);
        }
    }
    is_even = highest - lowest < 2e-3;
    return highest;
}

/// Where a foot that swings to that place by then is in the world, as its leg pulls it along.
WalkerTick::OnWay WalkerTick::on_way(std::size_t leg, const Vector3& local, double land_s,
                                     const SwingTask& task, double time_s) const noexcept {
    const double in_s = time_s - now_s_;
    const Vector3 planned =
        task.part == 0 ? local : ground_.frame(task.part, ahead_s_ + in_s).to_world(local);
    const WalkerFoot& foot = w_.feet_[leg];
    const double left = 1 - in_s / (land_s - now_s_);
    const Body body = body_in(in_s);
    const Vector3& own = set_.legs[leg].hip;
    const detail::WalkerPose& pose = w_.pose_;
    Vector3 hip = body.place + body.heading.to_world({own.x + pose.sway, 0, own.z});
    hip.y = height_in(in_s, task.height_m) + pose.bob + pose.slope_x * own.x + pose.slope_z * own.z;
    const double phase = 1 - (foot.planted ? 1 : 1 - foot.phase) * left;
    return {planned, w_.within_leg(planned, hip, phase)};
}

bool WalkerTick::is_gentle(std::size_t leg, const FootSwing& swing,
                           const SwingTask& task) const noexcept {
    // The largest detour around another foot.
    const double most = swing.aside == Vector3{} ? 430 : 200;
    const int ticks = ticks_until(swing.land_s);
    Vector3 before{};
    Vector3 now{};
    for (int i = 0; i <= ticks; ++i) {
        const double t = now_s_ + i * tick_s;
        const SwingPoint point = swing.at(t);
        if (length_of(point.acceleration) > most) return false;
        const Vector3 next = on_way(leg, point.position, swing.land_s, task, t).pulled;
        const double pulled = length_of(next - now * 2 + before) / (tick_s * tick_s);
        if (i > 2 && i < ticks && pulled > most) return false;
        before = now;
        now = next;
    }
    return true;
}

/// Over every edge on its way, a little less near both ends.
bool WalkerTick::is_clear(std::size_t leg, const FootSwing& swing,
                          const SwingTask& task) const noexcept {
    const double r = set_.foot_radius_m;
    // In metres, but of legs shorter than 0.6 m a part of them.
    const double small = std::min(1.0, set_.leg_length_m / 0.6);
    const double over_even_ground = 0.0105 * small;
    const double over_edges = std::max(0.0115 * small, 0.0137 * set_.leg_length_m);
    const double least = task.is_even ? over_even_ground : over_edges;
    const double near_ends_m = 0.03 * small;
    const WalkerFoot& foot = w_.feet_[leg];
    const int ticks = ticks_until(swing.land_s);
    for (int i = foot.planted ? 1 : 0; i < ticks; ++i) {
        const double t = now_s_ + i * tick_s;
        // The sole turns from one slope to the other as in turn_sole.
        const double s = 1 - static_cast<double>(i) / ticks;
        const Vector3 normal = task.normal + (foot.normal - task.normal) * (s * s * s);
        const double later_s = ahead_s_ + (t - now_s_);
        const Vector3 lifted = foot.part == 0
                                   ? foot.on_part
                                   : ground_.frame(foot.part, later_s).to_world(foot.on_part);
        const Vector3 lands =
            task.part == 0 ? swing.spot : ground_.frame(task.part, later_s).to_world(swing.spot);
        const OnWay way = on_way(leg, swing.at(t).position, swing.land_s, task, t);
        // It may be pulled less than predicted.
        for (const Vector3& p : {way.planned, way.pulled}) {
            const double to_end = std::min(flat_length(p - lands), flat_length(p - lifted));
            if (to_end <= 0.6 * r) continue;
            const double wanted =
                to_end >= near_ends_m
                    ? least
                    : std::min(least, 0.25 * std::max(0.0, to_end - 0.01 * small));
            if (clearance(p, normal, later_s) < wanted) return false;
            if (way.pulled == way.planned) break;
        }
    }
    return true;
}

/// Of a sole there, over the highest ground beneath it.
double WalkerTick::clearance(const Vector3& place, const Vector3& normal,
                             double ahead_s) const noexcept {
    const double r = set_.foot_radius_m;
    double least = 1e9;
    for (const auto& [dx, dz] : {std::array{0.0, 0.0}, {r, 0.0}, {-r, 0.0}, {0.0, r}, {0.0, -r}}) {
        const GroundPoint under = ground_at(place.x + dx, place.z + dz, ahead_s);
        const double rim = place.y - (normal.x * dx + normal.z * dz) / std::max(normal.y, 0.3);
        if (under.exists) least = std::min(least, rim - under.height);
    }
    return least;
}

/// Past the feet that stand.
bool WalkerTick::avoids_feet(std::size_t leg, const FootSwing& swing,
                             std::uint32_t part) const noexcept {
    const int ticks = ticks_until(swing.land_s);
    for (int tick = 1; tick <= ticks + 1; tick += 2) {
        const double t = now_s_ + tick * tick_s;
        const Vector3 local = swing.at(t).position;
        const Vector3 p =
            part == 0 ? local : ground_.frame(part, ahead_s_ + (t - now_s_)).to_world(local);
        for (std::size_t i = 0; i < set_.leg_count; ++i) {
            if (i == leg || !w_.feet_[i].planted) continue;
            if (flat_length(p - foot_in(i, t - now_s_)) < feet_apart()) return false;
        }
    }
    return true;
}

/// The place and velocity of a foot, in the world.
SwingPoint WalkerTick::foot_now(std::size_t leg) const noexcept {
    const WalkerFoot& foot = w_.feet_[leg];
    const detail::FootState& own = w_.state_[leg];
    SwingPoint now{.position = foot.position};
    if (foot.planted) {
        if (foot.part != 0)
            now.velocity = ground_.frame(foot.part, ahead_s_).velocity_at(foot.position);
        return now;
    }
    now = own.swing.at(now_s_);
    if (own.swing_part == 0) return now;
    const GroundFrame frame = ground_.frame(own.swing_part, ahead_s_);
    return {frame.to_world(now.position),
            rotated(frame.rotation, now.velocity) + frame.velocity_at(foot.position),
            rotated(frame.rotation, now.acceleration)};
}

/// As it was lifted: up, over and down at their times. If that is not clear, later and higher; up
/// once more, if it is already on its way down; and aside, around a planted foot.
std::optional<FootSwing> WalkerTick::find_swing(std::size_t leg, const SwingTask& task) noexcept {
    const bool planted = w_.feet_[leg].planted;
    const double lift_s = w_.state_[leg].lift_s;
    SwingWish wish = task.wish;
    const double whole_s = wish.land_s - lift_s;
    const double left_s = wish.land_s - now_s_;
    std::optional<FootSwing> over;  // clear of the ground, not of the feet
    for (const double bump : {0.0, 3.0, 6.0}) {
        wish.aside = task.side * (bump * set_.foot_radius_m);
        for (const double delay : {0.0, 0.12, 0.24}) {
            for (const double more : {-1.0, 0.0, 0.04, 0.09, 0.15}) {
                const bool again = more >= 0 && now_s_ > lift_s + 0.4 * whole_s;
                wish.delay_part = delay;
                wish.apex_m = task.wish.apex_m + std::max(more, 0.0) * set_.leg_length_m;
                wish.apex_s = again ? now_s_ + 0.42 * left_s : lift_s + 0.42 * whole_s;
                wish.down_s = again ? now_s_ + 0.5 * left_s : lift_s + 0.58 * whole_s;
                const FootSwing candidate = plan_swing(wish);
                if (!planted && !is_gentle(leg, candidate, task)) continue;
                if (!is_clear(leg, candidate, task)) continue;
                if (!over) over = candidate;
                if (!avoids_feet(leg, candidate, task.part)) break;
                return candidate;
            }
            if (task.is_even) break;  // later or higher is no further from a foot
        }
    }
    if (task.clear == Clear::of_all) return std::nullopt;
    if (over || !planted) return over;
    wish.aside = {};
    // Straight up first, beside a step that it stands next to.
    for (const double delay : {0.36, 0.5}) {
        for (const double more : {0.04, 0.15, 0.25}) {
            wish.delay_part = delay;
            wish.apex_m = task.wish.apex_m + more * set_.leg_length_m;
            wish.apex_s = lift_s + 0.5 * whole_s;
            wish.down_s = lift_s + 0.6 * whole_s;
            const FootSwing candidate = plan_swing(wish);
            if (is_clear(leg, candidate, task)) return candidate;
        }
    }
    if (task.clear != Clear::of_nothing) return std::nullopt;
    return plan_swing(wish);
}

/// How high the body will be, on its way to a height.
double WalkerTick::height_in(double time_s, double aimed) const noexcept {
    const double above = w_.pose_.place.y - aimed;
    const double rate = w_.height_rate_ + height_rad_per_s * above;
    return aimed + (above + rate * time_s) * math::exp(-height_rad_per_s * time_s);
}

/// How high the body goes for a leg that will end there.
double WalkerTick::height_for(std::size_t leg, const Body& body,
                              const Vector3& spot) const noexcept {
    return std::min(usual_height(), highest_for(leg, body, spot, stretched_part()));
}

/// How many ticks its landing has to be put off until the body is low enough for a leg that ends
/// there.
std::uint32_t WalkerTick::ticks_late(std::size_t leg, const Vector3& spot,
                                     double left_s) const noexcept {
    constexpr double hardly_m = 1e-3;
    const Body body = body_in(left_s);
    const double needed = highest_for(leg, body, spot, 0.998) - w_.pose_.bob;
    const double aimed = height_for(leg, body, spot);
    const std::uint32_t most = most_later - std::min(w_.state_[leg].ticks_later, most_later);
    std::uint32_t ticks = 0;
    while (ticks < most && height_in(left_s + ticks * tick_s, aimed) > needed + hardly_m)
        ++ticks;
    return ticks;
}

/// Whether such a plan was made; if not, a swing in progress continues unchanged.
bool WalkerTick::plan(std::size_t leg, const Vector3& aim, double land_s, Clear clear) noexcept {
    WalkerFoot& foot = w_.feet_[leg];
    detail::FootState& own = w_.state_[leg];
    const double left_s = land_s - now_s_;
    const Body landing = body_in(left_s);
    const Vector3 hip = landing.place + landing.heading.to_world(set_.legs[leg].hip);
    const Foothold hold = foothold_near(leg, aim, hip, lim_.soft_reach_m, ahead_s_ + left_s);
    const std::uint32_t late = has_gait() || foot.planted ? 0 : ticks_late(leg, hold.spot, left_s);
    land_s += late * tick_s;
    const double outward = set_.legs[leg].neutral.x > 0 ? 1 : -1;
    SwingTask task{.part = hold.ground.part,
                   .side = landing.heading.to_world({outward, 0, 0}),
                   .normal = hold.ground.normal,
                   .height_m = height_for(leg, landing, hold.spot),
                   .clear = clear};
    task.wish = {.from = foot_now(leg), .spot = hold.spot, .now_s = now_s_, .land_s = land_s};
    double highest = highest_between(task.wish.from.position, hold.spot, task.is_even);
    // A foot in the air rises no further each time that its swing is planned anew.
    if (foot.planted) highest = std::max(highest, foot.position.y);
    double offset = 0;  // of heights in the frame that it lands in
    if (task.part != 0) {
        // The part keeps moving until the foot is there.
        const GroundFrame frame = ground_.frame(task.part, ahead_s_);
        const Quaternion back = conjugate(frame.rotation);
        const SwingPoint& from = task.wish.from;
        task.wish.spot = ground_.frame(task.part, ahead_s_ + left_s).to_local(hold.spot);
        task.wish.from = {frame.to_local(from.position),
                          rotated(back, from.velocity - frame.velocity_at(from.position)),
                          rotated(back, from.acceleration)};
        task.side = rotated(back, task.side);
        offset = hold.spot.y - task.wish.spot.y;
    }
    const double pace = std::min(1.0, speed_ / lim_.most_speed_ahead);
    double lift = set_.lift_height * set_.leg_length_m * (0.6 + 0.4 * pace);
    // A runner's trailing leg folds.
    constexpr double folds = 0.4;
    if (flies_between()) lift += folds * set_.leg_length_m * (1 - 2 * cadence_.duty_factor);
    task.wish.apex_m = highest - offset + lift;
    const std::optional<FootSwing> found = find_swing(leg, task);
    if (!found) return false;
    own.swing = *found;
    own.ticks_later += late;
    own.swing_part = task.part;
    own.aim = aim;
    own.normal_after = hold.ground.normal;
    if (foot.planted && !hold.good) ++w_.log_.no_foothold;
    return true;
}

/// Where a foot cannot arrive in time it takes a little longer.
bool WalkerTick::lands_later(std::size_t leg, Clear clear) noexcept {
    detail::FootState& own = w_.state_[leg];
    // Not where it comes down already, and its leg has ceased to give way (pull_along).
    constexpr double last_part = 0.2;
    const double left_s = own.swing.land_s - now_s_;
    const bool comes_down = left_s < last_part * (own.swing.land_s - own.lift_s);
    if (own.ticks_later + later_by > most_later || comes_down) return false;
    const double land_s = own.swing.land_s + later_by * tick_s;
    if (!plan(leg, aim(leg, land_s), land_s, clear)) return false;
    own.ticks_later += later_by;
    return true;
}

/// A swing whose aim has moved is planned anew, from the foot's place and velocity.
void WalkerTick::guide_swings() noexcept {
    constexpr double moved_m = 0.004;
    constexpr double far_m = 0.04;
    constexpr double least_left_s = 0.03;
    for (std::size_t i = 0; i < set_.leg_count; ++i) {
        const WalkerFoot& foot = w_.feet_[i];
        const detail::FootState& own = w_.state_[i];
        if (foot.planted || own.swing.land_s - now_s_ < least_left_s) continue;
        const Vector3 now = aim(i, own.swing.land_s);
        const Vector3 before = own.aim;
        const double moved = flat_length(now - before);
        if (moved <= moved_m) continue;
        // One that passes the other feet continues to.
        const Clear clear =
            avoids_feet(i, own.swing, own.swing_part) ? Clear::of_all : Clear::of_ground;
        if (plan(i, now, own.swing.land_s, clear)) continue;
        if (moved > far_m && lands_later(i, clear)) continue;
        // All of the way there if possible, else a part of it.
        for (const double part : {0.6, 0.3}) {
            if (plan(i, before + (now - before) * part, own.swing.land_s, clear)) break;
        }
    }
}

}  // namespace hopcoil
