// Hops: off the ground and down again.

#include <algorithm>
#include <cmath>

#include <hopcoil/base/components.hpp>
#include <hopcoil/follow/intent.hpp>

#include "walker_tick.hpp"

namespace hopcoil {
Vector3 WalkerTick::landing_in(double time_s) const noexcept {
    const detail::HopState& hop = w_.hop_;
    if (hop.part == 0) return hop.on_part;
    return ground_.frame(hop.part, ahead_s_ + time_s).to_world(hop.on_part);
}

/// Relative to what carries the body now, whose velocity it keeps in the air.
HopPlan WalkerTick::plan_of_hop(double from_s, double after_s) const noexcept {
    HopStart start{.hips = w_.pose_.place,
                   .velocity = w_.velocity_,
                   .landing = landing_in(from_s + after_s - now_s_) - w_.carried_ * after_s};
    double count = 0;
    for (std::size_t i = 0; i < set_.leg_count; ++i) {
        if (!w_.feet_[i].planted) continue;
        start.feet = start.feet + w_.feet_[i].position;
        count += 1;
    }
    start.feet = start.feet * (1 / std::max(count, 1.0));
    return plan_hop(set_, start, w_.hop_.wish);
}

void WalkerTick::wait_to_hop() noexcept {
    if (!w_.hop_.wish.keeps_on) command_ = {};
    w_.hop_.wish.place = landing_in(0);
    if (!anyone_swings() && is_ready_to_hop()) begin_hop();
}

/// Once its feet are down.
bool WalkerTick::is_ready_to_hop() const noexcept {
    const bool stands = flat_length(w_.velocity_) < 0.05 && std::abs(w_.turn_rate_) < 0.05;
    return w_.hop_.wish.keeps_on || stands;
}

void WalkerTick::begin_hop() noexcept {
    detail::HopState& hop = w_.hop_;
    const double from_s = now_s_ - tick_s;  // in this tick it moves already
    hop.plan = plan_of_hop(from_s, 0);
    if (hop.wish.keeps_on) {
        push_off(from_s);
        return;
    }
    hop.phase = HopPhase::crouches;
    hop.ends_s = from_s + hop.plan.crouch_s;
    hop.path = quintics_between({w_.pose_.place, hips_velocity(), {}}, {hop.plan.crouch, {}, {}},
                                from_s, hop.ends_s);
}

/// Where it will land if it keeps its speed.
void WalkerTick::aim_flight(double from_s) noexcept {
    detail::HopState& hop = w_.hop_;
    for (int round = 0; round < 2; ++round) {
        hop.plan = plan_of_hop(from_s, hop.plan.push_s + hop.plan.flight_s);
        const double after_s = hop.plan.push_s + hop.plan.flight_s;
        const double then_s = ahead_s_ + from_s + after_s - now_s_;
        const Vector3 there = hop.plan.touch_down + w_.carried_ * after_s;
        const GroundPoint at = ground_at(there.x, there.z, then_s);
        const double height = at.exists ? at.height : w_.mean_ground_;
        const Vector3 spot{there.x, height, there.z};
        hop.part = at.exists ? at.part : 0;
        hop.on_part = hop.part == 0 ? spot : ground_.frame(hop.part, then_s).to_local(spot);
    }
}

/// From where the body is, for the landing's place at that time.
void WalkerTick::push_off(double from_s) noexcept {
    detail::HopState& hop = w_.hop_;
    if (hop.wish.keeps_on) aim_flight(from_s);
    hop.plan = plan_of_hop(from_s, hop.plan.push_s + hop.plan.flight_s);
    hop.phase = HopPhase::pushes;
    hop.ends_s = from_s + hop.plan.push_s;
    const Vector3 gravity{0, -standard_gravity, 0};
    hop.path = quintics_between({w_.pose_.place, hips_velocity(), {}},
                                {hop.plan.take_off, hop.plan.launch, gravity}, from_s, hop.ends_s);
}

Vector3 WalkerTick::hips_velocity() const noexcept {
    return {w_.velocity_.x, w_.height_rate_, w_.velocity_.z};
}

/// Of a hop, once its push has begun.
double WalkerTick::lands_at_s() const noexcept {
    const detail::HopState& hop = w_.hop_;
    return hop.ends_s + (hop.phase == HopPhase::pushes ? hop.plan.flight_s : 0);
}

FlyingLeg WalkerTick::flying(std::size_t leg) const noexcept {
    const detail::HopState& hop = w_.hop_;
    const bool pushes = hop.phase == HopPhase::pushes;
    FlyingLeg flies{.hips = w_.pose_.place,
                    .velocity = w_.carried_ + hips_velocity(),
                    .carried = w_.carried_,
                    .falls_with = standard_gravity,
                    .now_s = now_s_,
                    .land_s = lands_at_s(),
                    .leg_length_m = set_.leg_length_m};
    flies.foot = foot_now(leg);
    constexpr double hardly = 1e-9;  // 0 is for feet whose body does not fly
    if (pushes) flies.falls_with = hardly - hop.path[1].at(now_s_).rate_of_rate;
    return flies;
}

/// Off the ground, and drawn up.
void WalkerTick::fold(std::size_t leg) noexcept {
    WalkerFoot& foot = w_.feet_[leg];
    detail::FootState& own = w_.state_[leg];
    const FlyingLeg flies = flying(leg);
    w_.log_.steps += foot.planted ? 1 : 0;
    if (foot.planted) {
        own.lift_s = now_s_;
        own.aim = foot.position;
        own.normal_after = {0, 1, 0};
    }
    foot.reason = StepReason::flies;
    foot.planted = false;
    own.swing_part = 0;
    constexpr double drawn_up = 0.62;
    const Vector3 trails = w_.velocity_ * (-0.03);
    const Vector3 beneath = heading_.to_world(set_.legs[leg].neutral) + trails;
    own.swing = fold_leg(flies, {beneath.x, -drawn_up * set_.leg_length_m, beneath.z});
}

/// The feet leave, each with its spot to land on. In a hop on the run half of them land.
void WalkerTick::take_off() noexcept {
    detail::HopState& hop = w_.hop_;
    HopPlan& plan = hop.plan;
    hop.phase = HopPhase::flies;
    hop.ends_s = now_s_ + plan.flight_s;
    const Vector3 over_ground{plan.launch.x, 0, plan.launch.z};
    plan.take_off = w_.pose_.place;
    plan.launch = plan.launch + w_.carried_;
    plan.touch_down = Flight{plan.take_off, plan.launch}.at(plan.flight_s);
    w_.velocity_ = over_ground;
    w_.height_rate_ = plan.launch.y;
    const double then_s = ahead_s_ + plan.flight_s;
    Vector3 landing = landing_in(plan.flight_s);
    if (hop.wish.keeps_on) {
        const double ahead =
            std::min(0.5 * lim_.most_half_stride_m, 0.15 * flat_length(over_ground));
        landing = landing + over_ground * (ahead / std::max(flat_length(over_ground), 1e-9));
    }
    for (std::size_t i = 0; i < set_.leg_count; ++i) {
        WalkerFoot& foot = w_.feet_[i];
        fold(i);
        const Vector3 aim = landing + heading_.to_world(set_.legs[i].neutral);
        const Vector3 hip = plan.touch_down + heading_.to_world(set_.legs[i].hip);
        const Foothold hold = foothold_near(i, aim, hip, lim_.soft_reach_m, then_s);
        if (!hold.good) ++w_.log_.no_foothold;
        w_.state_[i].aim = hold.spot;
        w_.state_[i].normal_after = hold.ground.normal;
        foot.part = hold.ground.part;
        foot.on_part =
            foot.part == 0 ? hold.spot : ground_.frame(foot.part, then_s).to_local(hold.spot);
    }
    // In the air nothing carries it.
    w_.velocity_ = over_ground + w_.carried_;
    w_.carried_ = {};
    ++w_.log_.hops;
}

bool WalkerTick::lands_with_body(std::size_t leg) const noexcept {
    return !w_.hop_.wish.keeps_on || set_.legs[leg].group == 0;
}

/// The feet reach for the ground in time; what they land on keeps moving.
void WalkerTick::stretch_legs() noexcept {
    const detail::HopState& hop = w_.hop_;
    const double left_s = hop.ends_s - now_s_;
    const double stretch_s = stretch_time_s(set_.leg_length_m, hop.plan.flight_s);
    constexpr double moved_m = 0.001;
    constexpr double least_left_s = 0.03;
    for (std::size_t i = 0; i < set_.leg_count; ++i) {
        const WalkerFoot& foot = w_.feet_[i];
        detail::FootState& own = w_.state_[i];
        if (!lands_with_body(i) || left_s > stretch_s || left_s < least_left_s) continue;
        const GroundFrame frame = ground_.frame(foot.part, ahead_s_ + left_s);
        const Vector3 spot = frame.to_world(foot.on_part);
        if (length_of(spot - own.swing.spot) <= moved_m) continue;
        own.swing = stretch_leg(flying(i), spot, frame.velocity_at(spot));
    }
}

/// No further than its leg is long.
void WalkerTick::move_flying_foot(std::size_t leg) noexcept {
    WalkerFoot& foot = w_.feet_[leg];
    foot.position = w_.in_swing(leg, now_s_, ground_, ahead_s_);
    pull_along(leg);
    const double whole_s = std::max(lands_at_s() - w_.state_[leg].lift_s, tick_s);
    foot.phase = std::clamp((now_s_ - w_.state_[leg].lift_s) / whole_s, 0.0, 1.0);
}

/// Feet land on their spots, bit for bit; the body continues.
void WalkerTick::touch_down() noexcept {
    detail::HopState& hop = w_.hop_;
    Vector3 ground_velocity{};
    double landed = 0;
    for (std::size_t i = 0; i < set_.leg_count; ++i) {
        if (!lands_with_body(i)) continue;
        WalkerFoot& foot = w_.feet_[i];
        const GroundFrame frame = ground_.frame(foot.part, ahead_s_);
        foot.planted = true;
        foot.phase = 0;
        foot.normal = w_.state_[i].normal_after;
        foot.position = foot.part == 0 ? foot.on_part : frame.to_world(foot.on_part);
        w_.state_[i].forward_on_part = rotated(conjugate(frame.rotation), foot.forward);
        w_.state_[i].normal_on_part = rotated(conjugate(frame.rotation), foot.normal);
        if (foot.part != 0) ground_velocity = ground_velocity + frame.velocity_at(foot.position);
        landed += 1;
        ++w_.log_.landings;
    }
    ground_velocity = ground_velocity * (1 / landed);
    w_.carried_ = {ground_velocity.x, 0, ground_velocity.z};
    w_.velocity_ = w_.velocity_ - w_.carried_;
    w_.height_rate_ -= ground_velocity.y;
    w_.last_group_ = Walker::no_group;
    begin_cycle();
    hop.phase = HopPhase::lands;
    if (hop.wish.keeps_on) {
        run_on();
        return;
    }
    hop.ends_s = now_s_ + hop.plan.landing_s;
    const Vector3 rest = w_.pose_.place + w_.velocity_ * (0.5 * hop.plan.landing_s);
    hop.path =
        quintics_between({w_.pose_.place, w_.velocity_, {}}, {rest, {}, {}}, now_s_, hop.ends_s);
}

/// The other half of the feet step on.
void WalkerTick::run_on() noexcept {
    w_.hop_ = {};
    predict();
    note_speed();
    const double land_s = now_s_ + rounded_to_ticks(swing_s_);
    for (std::size_t i = 0; i < set_.leg_count; ++i) {
        WalkerFoot& foot = w_.feet_[i];
        if (foot.planted) continue;
        detail::FootState& own = w_.state_[i];
        foot.reason = StepReason::strides;
        own.lift_s = now_s_;
        const FootSwing flies = own.swing;
        if (plan(i, aim(i, land_s), land_s)) continue;
        // Plans a swing in any case, clear or not.
        const SwingPoint now = flies.at(now_s_);
        const Vector3 spot = aim(i, land_s);
        const GroundPoint under = ground_at(spot.x, spot.z, ahead_s_ + swing_s_);
        own.swing = plan_swing({.from = now,
                                .spot = {spot.x, under.height, spot.z},
                                .now_s = now_s_,
                                .land_s = land_s});
        own.swing_part = 0;
    }
}

void WalkerTick::end_phase_of_hop() noexcept {
    detail::HopState& hop = w_.hop_;
    switch (hop.phase) {
        case HopPhase::crouches:
            push_off(now_s_);
            break;
        case HopPhase::pushes:
            take_off();
            break;
        case HopPhase::flies:
            touch_down();
            break;
        default:
            w_.velocity_ = {};
            hop = {};
    }
}

/// Along its path, with what carries it; ballistic in the air.
void WalkerTick::move_in_hop() noexcept {
    const detail::HopState& hop = w_.hop_;
    const bool lands = hop.phase == HopPhase::lands;
    if (hop.phase == HopPhase::flies) {
        const double flown_s = hop.plan.flight_s - (hop.ends_s - now_s_);
        const Flight flight{hop.plan.take_off, hop.plan.launch};
        w_.pose_.place = flight.at(flown_s);
        w_.height_rate_ = flight.velocity_at(flown_s).y;
        acceleration_ = {};
        return;
    }
    const auto at = [&](std::size_t k) {
        const Quintic::End now = hop.path[k].at(now_s_);
        const Quintic::End then = hop.path[k].at(now_s_ - tick_s);
        return Quintic::End{now.value - then.value, now.rate, now.rate_of_rate};
    };
    const Quintic::End x = at(0);
    const Quintic::End y = at(1);
    const Quintic::End z = at(2);
    w_.pose_.place = w_.pose_.place + Vector3{x.value, lands ? 0 : y.value, z.value};
    w_.velocity_ = {x.rate, 0, z.rate};
    if (!lands) w_.height_rate_ = y.rate;
    acceleration_ = {x.rate_of_rate, 0, z.rate_of_rate};
}

/// In a push on the run a leg at full reach leaves before the others.
void WalkerTick::let_go_of_ground() noexcept {
    constexpr double at_end = 0.985;
    for (std::size_t i = 0; i < set_.leg_count; ++i) {
        std::size_t planted = 0;
        for (std::size_t k = 0; k < set_.leg_count; ++k)
            planted += w_.feet_[k].planted ? 1 : 0;
        if (planted < 2 || !w_.feet_[i].planted) continue;
        const double length = length_of(w_.feet_[i].position - w_.hip_of(w_.pose_, i));
        if (length > at_end * set_.leg_length_m) fold(i);
    }
    // The push continues: its acceleration changes with each tick.
    for (std::size_t i = 0; i < set_.leg_count; ++i)
        if (!w_.feet_[i].planted) fold(i);
}

void WalkerTick::run_hop() noexcept {
    detail::HopState& hop = w_.hop_;
    const double most_turn = set_.most_turn_acceleration_rad_per_s2 * tick_s;
    w_.turn_rate_ -= std::clamp(w_.turn_rate_, -most_turn, most_turn);
    carry_feet();
    w_.pose_.yaw += w_.turn_rate_ * tick_s;
    heading_ = Heading{w_.pose_.yaw};
    move_in_hop();
    if (!hop.wish.keeps_on) command_ = {};
    predict();
    const bool in_air = hop.phase == HopPhase::flies;
    if (hop.phase == HopPhase::pushes) let_go_of_ground();
    if (in_air) stretch_legs();
    hop.wish.place = landing_in(in_air ? hop.ends_s - now_s_ : 0);
    const bool lands = hop.phase == HopPhase::lands;
    if (now_s_ >= hop.ends_s - 1e-9) end_phase_of_hop();
    set_attitude();
    if (lands) {
        set_height();
    } else {
        w_.mean_ground_ = mean_ground();
        if (hop.phase != HopPhase::flies) keep_within_legs();
    }
    for (std::size_t i = 0; i < set_.leg_count; ++i)
        if (!w_.feet_[i].planted) move_flying_foot(i);
    annotate();
}

}  // namespace hopcoil
