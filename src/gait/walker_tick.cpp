#include "walker_tick.hpp"

#include <algorithm>
#include <cmath>
#include <optional>

#include <hopcoil/base/components.hpp>

namespace hopcoil {
namespace {

constexpr double tick_s = Walker::tick_s;

double flat_length(const Vector3& v) noexcept {
    return math::sqrt(v.x * v.x + v.z * v.z);
}

/// A velocity brought toward another by at most so much.
Vector3 toward(const Vector3& from, const Vector3& to, double most) noexcept {
    const Vector3 way = to - from;
    const double length = length_of(way);
    return length <= most ? to : from + way * (most / length);
}

}  // namespace

WalkerTick::WalkerTick(Walker& walker, const WalkCommand& command, const Ground& ground,
                       double ahead_s) noexcept
    : w_{walker},
      set_{walker.settings_},
      lim_{walker.limits_},
      ground_{ground},
      command_{command},
      ahead_s_{ahead_s},
      now_s_{static_cast<double>(walker.ticks_) * tick_s},
      heading_{walker.yaw_} {}

void WalkerTick::run() noexcept {
    limit_command();
    accelerate();
    hold_back();
    carry_feet();
    move_body();
    land_feet();
    predict();
    guide_swings();
    decide();
    set_attitude();
    set_height();
    annotate();
}

double WalkerTick::neutral_speed(std::size_t leg) const noexcept {
    const Vector3 r = heading_.to_world(set_.legs[leg].neutral);
    return flat_length(
        {w_.velocity_.x + w_.turn_rate_ * r.z, 0, w_.velocity_.z - w_.turn_rate_ * r.x});
}

double WalkerTick::swing_time(double speed) const noexcept {
    return lim_.swing_time_scale_s *
           (set_.step_time - 0.3 * std::min(1.0, speed / lim_.most_speed_ahead));
}

double WalkerTick::half_stride(double speed) const noexcept {
    const double most = lim_.most_half_stride_m;
    const double grown = most * math::pow(std::max(speed, 1e-9) / lim_.most_speed_ahead, 0.42);
    return std::min(most,
                    std::max({0.06 * set_.leg_length_m, grown, 0.525 * speed * swing_time(speed)}));
}

double WalkerTick::stance_time(double speed) const noexcept {
    return std::min(0.8, 2 * half_stride(speed) / std::max(speed, 1e-3));
}

double WalkerTick::rounded_to_ticks(double time_s) const noexcept {
    return std::ceil(time_s / tick_s - 1e-9) * tick_s;
}

double WalkerTick::top() const noexcept {
    return w_.place_.y + set_.leg_length_m;
}

/// The ground that it can walk on: under a roof, the floor.
GroundPoint WalkerTick::ground_at(double x, double z, double ahead_s) const noexcept {
    const GroundPoint point = ground_.under(x, z, top(), ahead_s);
    return point.exists ? point : ground_.under(x, z, 1e300, ahead_s);
}

std::uint32_t WalkerTick::group_of(std::size_t leg) const noexcept {
    return set_.policy == StepPolicy::one_at_a_time ? static_cast<std::uint32_t>(leg)
                                                    : set_.legs[leg].group;
}

std::uint32_t WalkerTick::group_count() const noexcept {
    return set_.policy == StepPolicy::one_at_a_time ? static_cast<std::uint32_t>(set_.leg_count)
                                                    : 2;
}

bool WalkerTick::anyone_swings() const noexcept {
    for (std::size_t i = 0; i < set_.leg_count; ++i) {
        if (!w_.feet_[i].planted) return true;
    }
    return false;
}

double WalkerTick::longest_swing_left() const noexcept {
    double longest = 0;
    for (std::size_t i = 0; i < set_.leg_count; ++i) {
        if (!w_.feet_[i].planted) longest = std::max(longest, w_.state_[i].swing.land_s - now_s_);
    }
    return longest;
}

// --- the body ------------------------------------------------------------------------------------

void WalkerTick::limit_command() noexcept {
    double most = 1;
    for (std::size_t i = 0; i < set_.leg_count; ++i) {
        const Vector3& n = set_.legs[i].neutral;
        const double x = (command_.left + command_.turn_rate * n.z) / lim_.most_speed_sideways;
        const double z = (command_.ahead - command_.turn_rate * n.x) / lim_.most_speed_ahead;
        most = std::max(most, math::sqrt(x * x + z * z));
    }
    command_ = {command_.ahead / most, command_.left / most, command_.turn_rate / most};
}

void WalkerTick::accelerate() noexcept {
    const Vector3 before = w_.velocity_;
    const Vector3 wanted = heading_.to_world({command_.left, 0, command_.ahead});
    w_.velocity_ = toward(w_.velocity_, wanted, set_.most_acceleration * tick_s);
    const double most_turn = set_.most_turn_acceleration * tick_s;
    w_.turn_rate_ += std::clamp(command_.turn_rate - w_.turn_rate_, -most_turn, most_turn);
    acceleration_ = (w_.velocity_ - before) * (1 / tick_s);
}

void WalkerTick::hold_back() noexcept {
    const Vector3 before = w_.velocity_;
    const double turn_before = w_.turn_rate_;
    for (std::size_t i = 0; i < set_.leg_count; ++i) {
        if (w_.feet_[i].planted) hold_back_for(i);
    }
    if (!(before == w_.velocity_) || turn_before != w_.turn_rate_) w_.log_.slowed_s += tick_s;
}

/// A hip leaves its planted foot no faster than it can still stop, or than the foot can be lifted
/// in time.
void WalkerTick::hold_back_for(std::size_t leg) noexcept {
    const Vector3 r = heading_.to_world(set_.legs[leg].hip);
    Vector3 away = w_.place_ + r - w_.feet_[leg].position;
    away.y = 0;
    const double distance = flat_length(away);
    if (distance < 1e-6) return;
    away = away * (1 / distance);
    const double by_turning = w_.turn_rate_ * (r.z * away.x - r.x * away.z);
    const double rate = dot(w_.velocity_, away) + by_turning;
    if (rate <= 0) return;
    const double room = std::max(0.0, reach_to(w_.feet_[leg].position.y) - distance);
    const double in_time = room / (longest_swing_left() + 0.15 * lim_.swing_time_scale_s);
    const double allowed = std::max(math::sqrt(2 * set_.most_acceleration * room), in_time);
    const double excess = rate - allowed;
    if (excess <= 0) return;
    const double turning_share = std::clamp(by_turning / rate, 0.0, 1.0);
    if (turning_share > 0)
        w_.turn_rate_ *= 1 - turning_share * excess / std::max(by_turning, excess);
    w_.velocity_ = w_.velocity_ - away * (excess * (1 - turning_share));
}

/// Of a foot on ground that much higher or lower than the rest, the body as low as it goes.
double WalkerTick::reach_to(double height) const noexcept {
    const double l = set_.leg_length_m;
    const double fall =
        std::clamp(set_.lowest_height * l - (height - w_.mean_ground_), 0.3 * l, 0.97 * l);
    return math::sqrt(0.995 * l * l - fall * fall);
}

void WalkerTick::move_body() noexcept {
    w_.place_ = w_.place_ + w_.velocity_ * tick_s;
    w_.yaw_ += w_.turn_rate_ * tick_s;
    heading_ = Heading{w_.yaw_};
    speed_ = 0;
    for (std::size_t i = 0; i < set_.leg_count; ++i)
        speed_ = std::max(speed_, neutral_speed(i));
}

/// Planted feet go with what they stand on, and the body with them.
void WalkerTick::carry_feet() noexcept {
    Vector3 before{};
    Vector3 after{};
    double turned = 0;
    double planted = 0;
    for (std::size_t i = 0; i < set_.leg_count; ++i) {
        WalkerFoot& foot = w_.feet_[i];
        if (!foot.planted) continue;
        planted += 1;
        before = before + foot.position;
        if (foot.part == 0) {
            after = after + foot.position;
            continue;
        }
        const GroundFrame frame = ground_.frame(foot.part, ahead_s_);
        foot.position = frame.to_world(foot.on_part);
        const Vector3 forward = rotated(frame.rotation, w_.state_[i].forward_on_part);
        turned += math::atan2(foot.forward.z * forward.x - foot.forward.x * forward.z,
                              foot.forward.x * forward.x + foot.forward.z * forward.z);
        foot.forward = forward;
        after = after + foot.position;
    }
    carried_ = {};
    carried_turn_ = 0;
    if (planted == 0 || before == after) return;
    const double yaw = turned / planted;
    const Vector3 from = before * (1 / planted);
    const Vector3 moved = Heading{yaw}.to_world(w_.place_ - from) + after * (1 / planted);
    carried_ = Vector3{moved.x - w_.place_.x, 0, moved.z - w_.place_.z} * (1 / tick_s);
    carried_turn_ = yaw / tick_s;
    w_.place_ = {moved.x, w_.place_.y, moved.z};
    w_.yaw_ += yaw;
    w_.velocity_ = Heading{yaw}.to_world(w_.velocity_);
    heading_ = Heading{w_.yaw_};
}

/// Feet that are due are on their spot, bit for bit.
void WalkerTick::land_feet() noexcept {
    for (std::size_t i = 0; i < set_.leg_count; ++i) {
        WalkerFoot& foot = w_.feet_[i];
        Walker::Foot& own = w_.state_[i];
        if (foot.planted) continue;
        const GroundFrame frame = ground_.frame(own.swing_part, ahead_s_);
        const bool still = own.swing_part == 0;
        if (now_s_ >= own.swing.land_s - 1e-9) {
            foot.planted = true;
            foot.part = own.swing_part;
            foot.on_part = own.swing.spot;
            foot.phase = 0;
            foot.position = still ? foot.on_part : frame.to_world(foot.on_part);
            own.forward_on_part = rotated(conjugate(frame.rotation), foot.forward);
            ++w_.log_.landings;
            continue;
        }
        const Vector3 local = own.swing.at(now_s_).position;
        foot.position = still ? local : frame.to_world(local);
        const double whole_s = std::max(own.swing.land_s - own.lift_s, tick_s);
        foot.phase = std::clamp((now_s_ - own.lift_s) / whole_s, 0.0, 1.0);
    }
}

/// Its velocity goes to the command, which turns with the body.
void WalkerTick::predict() noexcept {
    Vector3 place = w_.place_;
    Vector3 velocity = w_.velocity_;
    double yaw = w_.yaw_;
    double turn = w_.turn_rate_;
    bodies_[0] = {place, heading_};
    for (std::size_t i = 1; i <= looks; ++i) {
        const Vector3 wanted = bodies_[i - 1].heading.to_world({command_.left, 0, command_.ahead});
        velocity = toward(velocity, wanted, set_.most_acceleration * look_s);
        const double most_turn = set_.most_turn_acceleration * look_s;
        turn += std::clamp(command_.turn_rate - turn, -most_turn, most_turn);
        place = place + velocity * look_s;
        yaw += turn * look_s;
        bodies_[i] = {place, Heading{yaw}};
    }
}

WalkerTick::Body WalkerTick::body_in(double time_s) const noexcept {
    Body body = body_over_ground(time_s);
    if (carried_ == Vector3{} && carried_turn_ == 0) return body;
    const Heading turn{carried_turn_ * time_s};
    body.place = w_.place_ + turn.to_world(body.place - w_.place_) + carried_ * time_s;
    const Vector3 ahead = turn.to_world(body.heading.to_world({0, 0, 1}));
    body.heading.c = ahead.z;
    body.heading.s = ahead.x;
    return body;
}

WalkerTick::Body WalkerTick::body_over_ground(double time_s) const noexcept {
    const double at = std::clamp(time_s / look_s, 0.0, static_cast<double>(looks) - 1e-9);
    const auto i = static_cast<std::size_t>(at);
    const double part = at - static_cast<double>(i);
    const Body& a = bodies_[i];
    const Body& b = bodies_[i + 1];
    Body between{.place = a.place + (b.place - a.place) * part};
    between.heading.c = a.heading.c + (b.heading.c - a.heading.c) * part;
    between.heading.s = a.heading.s + (b.heading.s - a.heading.s) * part;
    return between;
}

// --- where to ------------------------------------------------------------------------------------

/// The neutral spot half a stance after the predicted landing, as far as the leg allows.
Vector3 WalkerTick::aim(std::size_t leg, double land_s) const noexcept {
    const WalkerLeg& own = set_.legs[leg];
    const double until_s = land_s - now_s_;
    const Body first = body_over_ground(until_s);
    const Body middle = body_over_ground(until_s + 0.5 * stance_time(speed_));
    Vector3 off =
        first.heading.to_body(middle.place + middle.heading.to_world(own.neutral) - first.place) -
        own.neutral;
    off.y = 0;
    const double most = lim_.most_half_stride_m;
    const double length = flat_length(off);
    if (length > most) off = off * (most / length);
    if (set_.leg_count > 2) {
        off.x = std::clamp(off.x, -lim_.half_stride_sideways_m, lim_.half_stride_sideways_m);
        off.z = std::clamp(off.z, -lim_.half_stride_ahead_m, lim_.half_stride_ahead_m);
    }
    const Body landing = body_in(until_s);
    Vector3 spot = landing.place + landing.heading.to_world(own.neutral + off);
    const Vector3 hip = landing.place + landing.heading.to_world(own.hip);
    Vector3 way = spot - hip;
    way.y = 0;
    const double reach = std::max(
        0.5 * lim_.soft_reach_m,
        std::min(lim_.soft_reach_m, lim_.hard_reach_m - 0.35 * speed_ * swing_time(speed_)));
    const double away = flat_length(way);
    if (away > reach) spot = hip + way * (reach / away);
    keep_apart(leg, landing, spot);
    return spot;
}

/// A biped's feet keep to their own sides of each other, the nearer beside one another the wider;
/// those of others do not land where one stands.
void WalkerTick::keep_apart(std::size_t leg, const Body& body, Vector3& aim) const noexcept {
    if (set_.leg_count != 2) {
        const double least = 2.4 * set_.foot_radius_m;
        for (std::size_t i = 0; i < set_.leg_count; ++i) {
            if (i == leg || !w_.feet_[i].planted) continue;
            Vector3 away = aim - w_.feet_[i].position;
            away.y = 0;
            const double distance = flat_length(away);
            if (distance < least && distance > 1e-9)
                aim = aim + away * ((least - distance) / distance);
        }
        return;
    }
    const double l = set_.leg_length_m;
    const Vector3 other = w_.feet_[1 - leg].position;
    const double side = set_.legs[leg].neutral.x > 0 ? 1 : -1;
    const Vector3 between = body.heading.to_body(aim - other);
    const double lengthwise = std::clamp((std::abs(between.z) - 0.16 * l) / (0.21 * l), 0.0, 1.0);
    const double gap = (0.126 + (0.053 - 0.126) * lengthwise) * l;
    const double missing = gap - side * between.x;
    if (missing > 0) aim = aim + body.heading.to_world({side * missing, 0, 0});
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
    hold.spot = {x, at.exists ? at.height : w_.place_.y - set_.leg_length_m, z};
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

/// The nearest good spot to where it aims, in rings around that.
WalkerTick::Foothold WalkerTick::foothold_near(const Vector3& aim, const Vector3& hip,
                                               double most_away, double ahead_s) const noexcept {
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

// --- how -----------------------------------------------------------------------------------------

double WalkerTick::highest_between(const Vector3& from, const Vector3& to,
                                   bool& is_even) const noexcept {
    constexpr int samples = 16;
    const double r = set_.foot_radius_m;
    double highest = std::max(from.y, to.y);
    double lowest = std::min(from.y, to.y);
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

bool WalkerTick::is_gentle(const FootSwing& swing) const noexcept {
    constexpr double most = 430;
    for (double t = now_s_; t < swing.land_s; t += 2 * tick_s) {
        if (length_of(swing.at(t).acceleration) > most) return false;
    }
    return true;
}

/// Over every edge on its way, a little less near both ends.
bool WalkerTick::is_clear(const FootSwing& swing, std::uint32_t part) const noexcept {
    const double r = set_.foot_radius_m;
    const double least = 0.0137 * set_.leg_length_m + 0.002;
    const Vector3 start = swing.at(now_s_).position;
    for (double t = now_s_ + tick_s; t < swing.land_s - 1e-9; t += tick_s) {
        const SwingPoint at = swing.at(t);
        const double later_s = ahead_s_ + (t - now_s_);
        const GroundFrame frame = part == 0 ? GroundFrame{} : ground_.frame(part, later_s);
        const Vector3 p = part == 0 ? at.position : frame.to_world(at.position);
        const double to_end =
            std::min(flat_length(at.position - swing.spot), flat_length(at.position - start));
        const double wanted = std::min(least, 0.25 * std::max(0.0, to_end - 0.01));
        for (const auto& [dx, dz] : {std::array{r, 0.0}, {-r, 0.0}, {0.0, r}, {0.0, -r}}) {
            const GroundPoint under = ground_at(p.x + dx, p.z + dz, later_s);
            if (under.exists && p.y - under.height < wanted && to_end > 0.6 * r) return false;
        }
    }
    return true;
}

/// Past the feet that stand.
bool WalkerTick::avoids_feet(std::size_t leg, const FootSwing& swing,
                             std::uint32_t part) const noexcept {
    const double least = 1.9 * set_.foot_radius_m;
    for (double t = now_s_ + tick_s; t < swing.land_s + tick_s; t += 2 * tick_s) {
        const Vector3 local = swing.at(t).position;
        const Vector3 p =
            part == 0 ? local : ground_.frame(part, ahead_s_ + (t - now_s_)).to_world(local);
        for (std::size_t i = 0; i < set_.leg_count; ++i) {
            if (i == leg || !w_.feet_[i].planted) continue;
            if (flat_length(p - w_.feet_[i].position) < least) return false;
        }
    }
    return true;
}

/// Whether it was planned so; a foot that leaves the ground is in any case.
bool WalkerTick::plan(std::size_t leg, const Vector3& aim, double land_s) noexcept {
    WalkerFoot& foot = w_.feet_[leg];
    Walker::Foot& own = w_.state_[leg];
    const Body landing = body_in(land_s - now_s_);
    const Vector3 hip = landing.place + landing.heading.to_world(set_.legs[leg].hip);
    const Foothold hold = foothold_near(aim, hip, lim_.soft_reach_m, ahead_s_ + land_s - now_s_);
    // The part goes on moving until the foot is there.
    const GroundFrame later = ground_.frame(hold.ground.part, ahead_s_ + land_s - now_s_);
    const GroundFrame frame = ground_.frame(hold.ground.part, ahead_s_);
    const bool still = hold.ground.part == 0;
    SwingPoint from{};
    if (foot.planted) {
        from.position = foot.position;
        if (foot.part != 0)
            from.velocity = ground_.frame(foot.part, ahead_s_).velocity_at(foot.position);
    } else {
        from = own.swing.at(now_s_);
        if (own.swing_part != 0) {
            const GroundFrame old = ground_.frame(own.swing_part, ahead_s_);
            from = {old.to_world(from.position),
                    rotated(old.rotation, from.velocity) + old.velocity_at(foot.position),
                    rotated(old.rotation, from.acceleration)};
        }
    }
    bool is_even = false;
    const double highest = highest_between(from.position, hold.spot, is_even);
    const Vector3 spot = still ? hold.spot : later.to_local(hold.spot);
    if (!still) {
        from = {
            frame.to_local(from.position),
            rotated(conjugate(frame.rotation), from.velocity - frame.velocity_at(from.position)),
            rotated(conjugate(frame.rotation), from.acceleration)};
    }
    const double offset = still ? 0 : hold.spot.y - spot.y;  // of heights in the part's frame
    const double lift = set_.lift_height * set_.leg_length_m *
                        (0.6 + 0.4 * std::min(1.0, speed_ / lim_.most_speed_ahead));
    SwingWish wish{.from = from, .spot = spot, .now_s = now_s_, .land_s = land_s};
    const double base = highest - offset + lift;
    const auto take = [&](const FootSwing& swing) {
        own.swing = swing;
        own.swing_part = hold.ground.part;
        own.aim = aim;
        foot.normal = hold.ground.normal;
    };
    std::optional<FootSwing> over;  // clear of the ground, not of the feet
    const double outward = set_.legs[leg].neutral.x > 0 ? 1 : -1;
    const Vector3 side = landing.heading.to_world({outward, 0, 0});
    const double whole_s = land_s - own.lift_s;
    const double left_s = land_s - now_s_;
    for (const double bump : {0.0, 3.0, 6.0}) {
        wish.aside =
            (still ? side : rotated(conjugate(frame.rotation), side)) * (bump * set_.foot_radius_m);
        // As it was lifted: up, over and down at their times. If that is not clear, later and
        // higher; up once more, where it is on its way down already.
        for (const double delay : {0.0, 0.12, 0.24}) {
            for (const double more : {-1.0, 0.0, 0.04, 0.09, 0.15}) {
                const bool again = more >= 0 && now_s_ > own.lift_s + 0.4 * whole_s;
                wish.delay_part = delay;
                wish.apex_m = base + std::max(more, 0.0) * set_.leg_length_m;
                wish.apex_s = again ? now_s_ + 0.42 * left_s : own.lift_s + 0.45 * whole_s;
                wish.down_s = again ? now_s_ + 0.5 * left_s : own.lift_s + 0.55 * whole_s;
                const FootSwing candidate = plan_swing(wish);
                if (!foot.planted && !is_gentle(candidate)) continue;
                if (!is_even && !is_clear(candidate, hold.ground.part)) continue;
                if (!over) over = candidate;
                if (!avoids_feet(leg, candidate, hold.ground.part)) break;
                take(candidate);
                return true;
            }
            if (is_even) break;  // later or higher is no further from a foot
        }
    }
    // Nothing is clear: a swing under way goes on as planned.
    if (over) {
        take(*over);
    } else if (foot.planted) {
        wish.aside = {};
        take(plan_swing(wish));
    }
    if (foot.planted) w_.log_.no_foothold += hold.good ? 0 : 1;
    return foot.planted || over.has_value();
}

/// A swing whose aim has moved is planned anew, from where the foot is and as it moves.
void WalkerTick::guide_swings() noexcept {
    constexpr double moved_m = 0.004;
    constexpr double least_left_s = 0.03;
    for (std::size_t i = 0; i < set_.leg_count; ++i) {
        const WalkerFoot& foot = w_.feet_[i];
        const Walker::Foot& own = w_.state_[i];
        if (foot.planted || own.swing.land_s - now_s_ < least_left_s) continue;
        const Vector3 now = aim(i, own.swing.land_s);
        const Vector3 before = own.aim;
        if (flat_length(now - before) <= moved_m) continue;
        // All of the way there if a foot can, else a part of it.
        for (const double part : {1.0, 0.6, 0.3}) {
            if (plan(i, before + (now - before) * part, own.swing.land_s)) break;
        }
    }
}

}  // namespace hopcoil
