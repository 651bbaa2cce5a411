// The motion of the body in a tick, and what carries it.

#include "walker_tick.hpp"

#include <algorithm>
#include <cmath>

#include <hopcoil/base/components.hpp>

namespace hopcoil {
namespace {

/// Changes a velocity toward another by at most a given amount.
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
      heading_{walker.pose_.yaw} {
    note_speed();
}

void WalkerTick::run() noexcept {
    if (w_.hop_.phase == HopPhase::waits) wait_to_hop();
    if (is_hopping()) {
        run_hop();
        return;
    }
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

/// The distance along its way before a foot would meet its neighbour's.
double WalkerTick::room_for_half_stride(const Vector3& velocity) const noexcept {
    constexpr double no_limit = 1e9;
    const double speed = flat_length(velocity);
    if (set_.leg_count == 2 || !(speed > 1e-6)) return no_limit;
    const Vector3 way = velocity * (1 / speed);
    return 1 / std::max(std::abs(way.x) / lim_.half_stride_sideways_m,
                        std::abs(way.z) / lim_.half_stride_ahead_m);
}

double WalkerTick::swing_at(double speed) const noexcept {
    return lim_.swing_time_scale_s *
           (set_.step_time - 0.3 * std::min(1.0, speed / lim_.most_speed_ahead));
}

double WalkerTick::half_stride_at(double speed, const Vector3& velocity,
                                  double swing_s) const noexcept {
    const double most = lim_.most_half_stride_m;
    const double grown = most * math::pow(std::max(speed, 1e-9) / lim_.most_speed_ahead, 0.42);
    return std::min({most, room_for_half_stride(velocity),
                     std::max({0.06 * set_.leg_length_m, grown, 0.525 * speed * swing_s})});
}

namespace {

constexpr double longest_stance_s = 1.2;
constexpr double slowest_cadence = 0.1;  // strides a second, for how long a step may last

}  // namespace

/// How long a foot stands whose neutral spot moves at this velocity in the body's frame.
double WalkerTick::stance_at(const Vector3& velocity) const noexcept {
    const double speed = flat_length(velocity);
    if (has_gait()) {
        const Cadence cadence = cadence_of_gait(speed);
        return std::min(longest_stance_s,
                        cadence.duty_factor / std::max(cadence.strides_per_s, slowest_cadence));
    }
    const double half_m = half_stride_at(speed, velocity, swing_at(speed));
    return std::min(longest_stance_s, 2 * half_m / std::max(speed, 1e-3));
}

/// Its speed, and the steps that belong to that speed.
void WalkerTick::note_speed() noexcept {
    speed_ = 0;
    for (std::size_t i = 0; i < set_.leg_count; ++i)
        speed_ = std::max(speed_, neutral_speed(i));
    swing_s_ = swing_at(speed_);
    if (has_gait()) {
        cadence_ = cadence_of_gait(speed_);
        const double strides_per_s = std::max(cadence_.strides_per_s, slowest_cadence);
        swing_s_ = std::min(1.0, (1 - cadence_.duty_factor) / strides_per_s);
    }
    half_stride_m_ = half_stride_at(speed_, heading_.to_body(w_.velocity_), swing_s_);
}

double WalkerTick::rounded_to_ticks(double time_s) const noexcept {
    return std::ceil(time_s / tick_s - 1e-9) * tick_s;
}

double WalkerTick::top() const noexcept {
    return w_.pose_.place.y + set_.leg_length_m;
}

/// The ground that it can walk on: under a roof, the floor.
GroundPoint WalkerTick::ground_at(double x, double z, double ahead_s) const noexcept {
    const GroundPoint point = ground_.under(x, z, top(), ahead_s);
    return point.exists ? point : ground_.under(x, z, 1e300, ahead_s);
}

std::uint32_t WalkerTick::group_of(std::size_t leg) const noexcept {
    return by_leg() ? static_cast<std::uint32_t>(leg) : set_.legs[leg].group;
}

std::uint32_t WalkerTick::group_count() const noexcept {
    return by_leg() ? static_cast<std::uint32_t>(set_.leg_count) : 2;
}

bool WalkerTick::anyone_swings() const noexcept {
    for (std::size_t i = 0; i < set_.leg_count; ++i) {
        if (!w_.feet_[i].planted) return true;
    }
    return false;
}

double WalkerTick::wait_of(std::size_t leg) const noexcept {
    if (!has_gait()) return longest_swing_left();
    return std::max(0.0, cadence_.duty_factor - phase_of(leg)) /
           std::max(cadence_.strides_per_s, 0.1);
}

double WalkerTick::longest_swing_left() const noexcept {
    double longest = 0;
    for (std::size_t i = 0; i < set_.leg_count; ++i) {
        if (!w_.feet_[i].planted) longest = std::max(longest, w_.state_[i].swing.land_s - now_s_);
    }
    return longest;
}

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
    w_.velocity_ = toward(w_.velocity_, wanted, set_.most_acceleration_m_per_s2 * tick_s);
    const double most_turn = set_.most_turn_acceleration_rad_per_s2 * tick_s;
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

/// A hip moves away from its planted foot no faster than it can still stop, or than the foot can be
/// lifted in time.
void WalkerTick::hold_back_for(std::size_t leg) noexcept {
    const Vector3 r = heading_.to_world(set_.legs[leg].hip);
    Vector3 away = w_.pose_.place + r - w_.feet_[leg].position;
    away.y = 0;
    const double distance = flat_length(away);
    if (distance < 1e-6) return;
    away = away * (1 / distance);
    const double by_turning = w_.turn_rate_ * (r.z * away.x - r.x * away.z);
    const double rate = dot(w_.velocity_, away) + by_turning;
    if (rate <= 0) return;
    const double room = std::max(0.0, reach_to(w_.feet_[leg].position.y) - distance);
    // Where the gait may fly, a foot at full reach is lifted at once.
    const double soon_s = flies_between() ? 0.05 * lim_.swing_time_scale_s
                                          : wait_of(leg) + 0.15 * lim_.swing_time_scale_s;
    const double in_time = room / soon_s;
    const double allowed =
        std::max(math::sqrt(2 * set_.most_acceleration_m_per_s2 * room), in_time);
    const double excess = rate - allowed;
    if (excess <= 0) return;
    const double turning_share = std::clamp(by_turning / rate, 0.0, 1.0);
    if (turning_share > 0)
        w_.turn_rate_ *= 1 - turning_share * excess / std::max(by_turning, excess);
    w_.velocity_ = w_.velocity_ - away * (excess * (1 - turning_share));
}

/// The reach of a foot on ground that much higher or lower than the rest, with the body as low as
/// it goes.
double WalkerTick::reach_to(double height) const noexcept {
    const double l = set_.leg_length_m;
    const double fall =
        std::clamp(set_.lowest_height * l - (height - w_.mean_ground_), 0.3 * l, 0.97 * l);
    return math::sqrt(0.995 * l * l - fall * fall);
}

void WalkerTick::move_body() noexcept {
    const Body before{w_.pose_.place, heading_};
    w_.pose_.place = w_.pose_.place + w_.velocity_ * tick_s;
    w_.pose_.yaw += w_.turn_rate_ * tick_s;
    heading_ = Heading{w_.pose_.yaw};
    if (slides()) slide_feet(before);
    note_speed();
}

std::optional<WalkerTick::Foothold> WalkerTick::slid(std::size_t leg,
                                                     const Body& before) const noexcept {
    const WalkerFoot& foot = w_.feet_[leg];
    const Vector3 beneath = before.heading.to_body(foot.position - before.place);
    const Vector3 there = w_.pose_.place + heading_.to_world(beneath);
    const Foothold hold = look_at(there.x, there.z, ahead_s_);
    const double way = flat_length(there - foot.position);
    const double most = 0.01 * set_.leg_length_m + way;  // a slope of 45 degrees
    if (!hold.ground.exists || std::abs(hold.spot.y - foot.position.y) > most) return std::nullopt;
    return hold;
}

/// All of them move with the body, or an edge stops it.
void WalkerTick::slide_feet(const Body& before) noexcept {
    if (w_.velocity_ == Vector3{} && w_.turn_rate_ == 0) return;
    std::array<std::optional<Foothold>, Walker::most_legs> holds{};
    for (std::size_t i = 0; i < set_.leg_count; ++i) {
        if (w_.feet_[i].planted) holds[i] = slid(i, before);
        if (!w_.feet_[i].planted || holds[i]) continue;
        w_.pose_.place = {before.place.x, w_.pose_.place.y, before.place.z};
        w_.pose_.yaw -= w_.turn_rate_ * tick_s;
        heading_ = before.heading;
        w_.velocity_ = {};
        w_.turn_rate_ = 0;
        return;
    }
    for (std::size_t i = 0; i < set_.leg_count; ++i) {
        WalkerFoot& foot = w_.feet_[i];
        detail::FootState& own = w_.state_[i];
        const std::optional<Foothold>& hold = holds[i];
        if (!hold) continue;
        w_.log_.slid_m +=
            flat_length(hold->spot - foot.position) / static_cast<double>(set_.leg_count);
        const GroundFrame frame = ground_.frame(hold->ground.part, ahead_s_);
        const Quaternion back = conjugate(frame.rotation);
        foot.forward = heading_.to_world(before.heading.to_body(foot.forward));
        foot.normal = hold->ground.normal;
        foot.position = hold->spot;
        foot.part = hold->ground.part;
        foot.on_part = foot.part == 0 ? hold->spot : frame.to_local(hold->spot);
        foot.reason = StepReason::slides;
        own.forward_on_part = rotated(back, foot.forward);
        own.normal_on_part = rotated(back, foot.normal);
    }
}

/// Planted feet move with what they stand on, and the body with them.
void WalkerTick::carry_feet() noexcept {
    Vector3 before{};
    Vector3 after{};
    double turned = 0;
    double planted = 0;
    for (std::size_t i = 0; i < set_.leg_count; ++i) {
        WalkerFoot& foot = w_.feet_[i];
        if (!foot.planted) continue;
        planted += 1;
        before = before + w_.state_[i].at_tick;
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
        foot.normal = rotated(frame.rotation, w_.state_[i].normal_on_part);
        after = after + foot.position;
    }
    w_.carried_ = {};
    carried_turn_ = 0;
    if (planted == 0 || before == after) return;
    const double yaw = turned / planted;
    const Vector3 from = before * (1 / planted);
    const Vector3 moved = Heading{yaw}.to_world(w_.pose_.place - from) + after * (1 / planted);
    w_.carried_ = Vector3{moved.x - w_.pose_.place.x, 0, moved.z - w_.pose_.place.z} * (1 / tick_s);
    carried_turn_ = yaw / tick_s;
    w_.pose_.place = {moved.x, w_.pose_.place.y, moved.z};
    w_.pose_.yaw += yaw;
    w_.velocity_ = Heading{yaw}.to_world(w_.velocity_);
    heading_ = Heading{w_.pose_.yaw};
}

/// On time; a little later where the body is still too high for its leg.
bool WalkerTick::has_landed(std::size_t leg, const Vector3& spot) const noexcept {
    const double late_s = now_s_ - w_.state_[leg].swing.land_s;
    constexpr double most_late_s = 0.1;
    constexpr double hardly_m = 1e-3;
    return late_s >= -1e-9 &&
           (w_.pose_.place.y <= highest_over(leg, spot) + hardly_m || late_s > most_late_s);
}

/// Evenly to 1 at the landing. Where that is put off it goes on more slowly, and never back.
void WalkerTick::advance_phase(std::size_t leg) noexcept {
    WalkerFoot& foot = w_.feet_[leg];
    const double left_s = w_.state_[leg].swing.land_s - now_s_;
    foot.phase = left_s > 0 ? 1 - (1 - foot.phase) * (left_s / (left_s + tick_s)) : 1;
}

/// Feet that are due land on their spots, bit for bit.
void WalkerTick::land_feet() noexcept {
    for (std::size_t i = 0; i < set_.leg_count; ++i) {
        WalkerFoot& foot = w_.feet_[i];
        detail::FootState& own = w_.state_[i];
        if (foot.planted) continue;
        const GroundFrame frame = ground_.frame(own.swing_part, ahead_s_);
        const bool still = own.swing_part == 0;
        const Vector3 spot = still ? own.swing.spot : frame.to_world(own.swing.spot);
        if (has_landed(i, spot)) {
            foot.planted = true;
            foot.part = own.swing_part;
            foot.on_part = own.swing.spot;
            foot.phase = 0;
            foot.normal = own.normal_after;
            foot.position = spot;
            own.forward_on_part = rotated(conjugate(frame.rotation), foot.forward);
            own.normal_on_part = rotated(conjugate(frame.rotation), foot.normal);
            ++w_.log_.landings;
            continue;
        }
        foot.position = w_.in_swing(i, now_s_, ground_, ahead_s_);
        advance_phase(i);
    }
}

/// Its velocity goes to the command, which turns with the body.
void WalkerTick::predict() noexcept {
    Vector3 place = w_.pose_.place;
    Vector3 velocity = w_.velocity_;
    double yaw = w_.pose_.yaw;
    double turn = w_.turn_rate_;
    bodies_[0] = {place, heading_};
    // Other feet have to stand as long as feet are in the air.
    const double until_s = has_gait() ? 0 : longest_swing_left();
    for (std::size_t i = 1; i <= looks; ++i) {
        const Vector3 wanted = bodies_[i - 1].heading.to_world({command_.left, 0, command_.ahead});
        velocity = toward(velocity, wanted, set_.most_acceleration_m_per_s2 * look_s);
        const double most_turn = set_.most_turn_acceleration_rad_per_s2 * look_s;
        turn += std::clamp(command_.turn_rate - turn, -most_turn, most_turn);
        place = place + velocity * look_s;
        yaw += turn * look_s;
        bodies_[i] = {place, Heading{yaw}};
        if (static_cast<double>(i) * look_s > until_s) continue;
        const Vector3 held = held_by_feet(bodies_[i - 1], bodies_[i]);
        velocity = velocity + (held - place) * (1 / look_s);
        place = bodies_[i].place = held;
    }
}

/// No further from the planted feet than their legs are long, or than it was: it is held, and never
/// pulled back.
Vector3 WalkerTick::held_by_feet(const Body& before, const Body& body) const noexcept {
    Vector3 place = body.place;
    for (std::size_t i = 0; i < set_.leg_count; ++i) {
        const WalkerFoot& foot = w_.feet_[i];
        if (!foot.planted) continue;
        const Vector3 hip = place + body.heading.to_world(set_.legs[i].hip);
        const Vector3 away{hip.x - foot.position.x, 0, hip.z - foot.position.z};
        const double distance = flat_length(away);
        const Vector3 was = before.place + before.heading.to_world(set_.legs[i].hip);
        const double most = std::max(reach_to(foot.position.y), flat_length(was - foot.position));
        if (distance > most) place = place - away * ((distance - most) / distance);
    }
    return place;
}

WalkerTick::Body WalkerTick::body_in(double time_s) const noexcept {
    Body body = body_over_ground(time_s);
    if (w_.carried_ == Vector3{} && carried_turn_ == 0) return body;
    const Heading turn{carried_turn_ * time_s};
    body.place = w_.pose_.place + turn.to_world(body.place - w_.pose_.place) + w_.carried_ * time_s;
    const Vector3 ahead = turn.to_world(body.heading.to_world({0, 0, 1}));
    body.heading.c = ahead.z;
    body.heading.s = ahead.x;
    return body;
}

Vector3 WalkerTick::foot_in(std::size_t leg, double time_s) const noexcept {
    const WalkerFoot& foot = w_.feet_[leg];
    if (!foot.planted || foot.part == 0) return foot.position;
    return ground_.frame(foot.part, ahead_s_ + time_s).to_world(foot.on_part);
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

}  // namespace hopcoil
