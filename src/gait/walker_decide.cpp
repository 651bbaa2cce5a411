// Which feet step.

#include <algorithm>
#include <cmath>

#include <hopcoil/base/components.hpp>

#include "walker_tick.hpp"

namespace hopcoil {
namespace {

constexpr double most_yaw_rad = 0.61;       // 35 degrees
constexpr double most_yaw_at_rest = 0.175;  // 10 degrees
/// In leg lengths. Feet whose errors differ by less than this step in the order of their numbers.
/// Otherwise rounding would choose, as when six legs start straight ahead from rest.
constexpr double tie = 1e-4;

}  // namespace

/// The mean gain of a group's feet from stepping now.
double WalkerTick::gain_of(std::uint32_t group, double land_s) const noexcept {
    double sum = 0;
    double count = 0;
    for (std::size_t i = 0; i < set_.leg_count; ++i) {
        if (group_of(i) != group) continue;
        sum += flat_length(aim(i, land_s) - foot_in(i, land_s - now_s_));
        count += 1;
    }
    return count > 0 ? sum / count : 0;
}

/// The foot that the body has passed by most, if it may step without waiting for another.
std::uint32_t WalkerTick::next_group() const noexcept {
    std::uint32_t next = Walker::no_group;
    double furthest = 0;
    for (std::uint32_t group = 0; group < group_count(); ++group) {
        double passed = 0;
        for (std::size_t i = 0; i < set_.leg_count; ++i)
            passed += group_of(i) == group ? passed_by(i) : 0;
        if (passed >= furthest) continue;
        next = group;
        furthest = passed - tie * set_.leg_length_m;
    }
    const bool takes_turns =
        set_.policy == StepPolicy::groups_in_turn || set_.policy == StepPolicy::alternate;
    return takes_turns && next == w_.last_group_ ? Walker::no_group : next;
}

/// Whether a foot needs a step of its own: out of place, turned away, or out of reach after the
/// swing that it may have to wait for.
StepReason WalkerTick::reason_to_step(std::size_t leg, double wait_s) const noexcept {
    const WalkerFoot& foot = w_.feet_[leg];
    const double rho = half_stride_m_;
    const Vector3 neutral = w_.pose_.place + heading_.to_world(set_.legs[leg].neutral);
    if (flat_length(foot.position - neutral) > 1.3 * rho) return StepReason::strides;
    // Whatever carries the body carries the foot as well.
    const Body later = body_over_ground(wait_s > 0 ? wait_s + 0.03 : tick_s);
    const Vector3 hip = later.place + later.heading.to_world(set_.legs[leg].hip);
    if (flat_length(foot.position - hip) > 0.97 * reach_to(foot.position.y))
        return StepReason::reaches;
    constexpr double beyond = 1.0;
    const Vector3 off = later.heading.to_body(foot.position - later.place) - set_.legs[leg].neutral;
    if (std::abs(off.z) > beyond * lim_.half_stride_ahead_m ||
        std::abs(off.x) > beyond * lim_.half_stride_sideways_m)
        return StepReason::reaches;
    const Vector3 ahead = later.heading.to_body(foot.forward);
    if (std::abs(math::atan2(ahead.x, ahead.z)) > most_yaw_rad) return StepReason::turns;
    return StepReason::stands;
}

void WalkerTick::lift(std::size_t leg, StepReason reason, double land_s) noexcept {
    w_.state_[leg].lift_s = now_s_;
    w_.state_[leg].ticks_later = 0;
    const Vector3 wanted = aim(leg, land_s);
    const Vector3 from = w_.feet_[leg].position;
    // The whole way if that is clear, else a part of it; at rest only the whole way.
    bool planned = false;
    for (const Clear clear : {Clear::of_all, Clear::of_ground}) {
        for (const double part : {1.0, 0.6, 0.3}) {
            if (planned || (part < 1 && reason == StepReason::tidies)) break;
            planned = plan(leg, from + (wanted - from) * part, land_s, clear);
        }
    }
    if (!planned) plan(leg, wanted, land_s, Clear::of_nothing);
    w_.feet_[leg].planted = false;
    w_.feet_[leg].reason = reason;
    ++w_.log_.steps;
}

void WalkerTick::lift_group(std::uint32_t group, StepReason reason, double swing_s) noexcept {
    const double land_s = now_s_ + rounded_to_ticks(swing_s);
    for (std::size_t i = 0; i < set_.leg_count; ++i) {
        if (group_of(i) == group) lift(i, reason, land_s);
    }
    w_.last_group_ = group;
}

double WalkerTick::passed_by(std::size_t leg) const noexcept {
    const Vector3 r = heading_.to_world(set_.legs[leg].neutral);
    const Vector3 u{w_.velocity_.x + w_.turn_rate_ * r.z, 0, w_.velocity_.z - w_.turn_rate_ * r.x};
    const double speed = flat_length(u);
    const Vector3 off = w_.feet_[leg].position - (w_.pose_.place + r);
    return speed > 1e-6 ? dot(off, u) / speed : 0;
}

namespace {

/// Before or behind, or across.
bool are_neighbours(std::size_t a, std::size_t b) {
    const std::size_t rows = a / 2 > b / 2 ? a / 2 - b / 2 : b / 2 - a / 2;
    return a != b && rows + (a % 2 == b % 2 ? 0 : 1) <= 1;
}

}  // namespace

/// Its neighbours are planted, and so is half of the others.
bool WalkerTick::may_step(std::size_t leg) const noexcept {
    std::size_t up = 1;
    for (std::size_t i = 0; i < set_.leg_count; ++i) {
        if (w_.feet_[i].planted) continue;
        ++up;
        if (are_neighbours(i, leg)) return false;
    }
    return 2 * up <= set_.leg_count;
}

/// A neighbour that the body has passed by further steps first.
double WalkerTick::wait_for_neighbours(std::size_t leg) const noexcept {
    const double further = passed_by(leg) - tie * set_.leg_length_m;
    for (std::size_t i = 0; i < set_.leg_count; ++i) {
        if (are_neighbours(i, leg) && passed_by(i) < further) return swing_s_;
    }
    return 0;
}

/// The one that is furthest out of place of those that may step.
void WalkerTick::decide_each() noexcept {
    const double land_s = now_s_ + rounded_to_ticks(swing_s_);
    std::size_t best = set_.leg_count;
    double most = 0.021 * set_.leg_length_m;
    StepReason reason = StepReason::stands;
    for (std::size_t i = 0; i < set_.leg_count; ++i) {
        if (!w_.feet_[i].planted || !may_step(i)) continue;
        StepReason own = reason_to_step(i, wait_for_neighbours(i));
        const bool is_out = passed_by(i) <= -half_stride_m_ + 0.5 * speed_ * swing_s_;
        if (own == StepReason::stands && is_out) own = StepReason::strides;
        if (own == StepReason::stands) continue;
        const double gain = flat_length(aim(i, land_s) - foot_in(i, land_s - now_s_));
        if (gain <= most) continue;
        best = i;
        most = gain + tie * set_.leg_length_m;
        reason = own;
    }
    if (best == set_.leg_count) return;
    lift(best, reason, land_s);
    w_.last_group_ = static_cast<std::uint32_t>(best);
}

/// A foot stands for a moment before it steps again, a shorter one where a leg comes to its end.
bool WalkerTick::has_just_landed(std::uint32_t group, StepReason reason) const noexcept {
    const double moment_s = reason == StepReason::reaches ? 0.04 : 0.1;
    for (std::size_t i = 0; i < set_.leg_count; ++i) {
        const double landed_s = w_.state_[i].swing.land_s;
        if (group_of(i) == group && landed_s > 0 && now_s_ - landed_s < moment_s) return true;
    }
    return false;
}

void WalkerTick::decide() noexcept {
    if (w_.hop_.phase == HopPhase::waits && is_ready_to_hop()) return;
    const bool told_to_stand = command_ == WalkCommand{};
    const double moving = flat_length(w_.velocity_);
    const bool at_rest = told_to_stand && moving < 0.03 && std::abs(w_.turn_rate_) < 0.05;
    w_.rested_s_ = at_rest ? w_.rested_s_ + tick_s : 0;
    if (has_gait() && !at_rest) {
        decide_in_gait();
        return;
    }
    if (has_gait()) begin_cycle();
    if (set_.policy == StepPolicy::each_on_its_own && !at_rest) {
        decide_each();
        return;
    }
    if (anyone_swings()) return;
    if (at_rest) {
        decide_at_rest();
        return;
    }
    const double rho = half_stride_m_;
    // How far both groups together have been passed by, along the motion.
    double passed = 0;
    const std::uint32_t next = next_group();
    StepReason reason = StepReason::stands;
    for (std::size_t i = 0; i < set_.leg_count; ++i) {
        passed += 2 * passed_by(i) / static_cast<double>(set_.leg_count);
        const StepReason own = reason_to_step(i, group_of(i) == next ? 0 : swing_s_);
        if (own != StepReason::stands) reason = own;
    }
    const bool all_out =
        passed <= (set_.policy == StepPolicy::wait_for_both ? -2 * rho + speed_ * swing_s_
                                                            : -rho + 0.5 * speed_ * swing_s_);
    if (reason == StepReason::stands && !all_out) return;
    if (reason == StepReason::stands) reason = StepReason::strides;
    const double land_s = now_s_ + rounded_to_ticks(swing_s_);
    std::uint32_t best = Walker::no_group;
    double best_gain = 0.021 * set_.leg_length_m;
    for (std::uint32_t group = 0; group < group_count(); ++group) {
        double gain = gain_of(group, land_s);
        if (set_.policy == StepPolicy::groups_in_turn && group == w_.last_group_) gain *= 0.6;
        if (set_.policy == StepPolicy::alternate && group == w_.last_group_) continue;
        if (has_just_landed(group, reason)) continue;
        if (gain <= best_gain) continue;
        best = group;
        best_gain = gain + tie * set_.leg_length_m;
    }
    if (best != Walker::no_group) lift_group(best, reason, swing_s_);
}

/// To the neutral spots, group by group; then no more steps.
void WalkerTick::decide_at_rest() noexcept {
    // On ground where the best spots change as others step it would step for ever: after a while a
    // larger error is accepted, and then any.
    constexpr double patient_s = 1.2;
    constexpr double content_s = 2;
    if (w_.rested_s_ > content_s) return;
    const double content = w_.rested_s_ > patient_s ? 2 : 1;
    const double near = content * 0.021 * set_.leg_length_m;
    const double swing_s = lim_.swing_time_scale_s * set_.step_time;
    std::uint32_t best = Walker::no_group;
    double most = 0;
    for (std::size_t i = 0; i < set_.leg_count; ++i) {
        const WalkerFoot& foot = w_.feet_[i];
        const Vector3 hip = w_.pose_.place + heading_.to_world(set_.legs[i].hip);
        const Foothold hold = foothold_near(i, aim(i, now_s_), hip, lim_.soft_reach_m, ahead_s_);
        const double off = flat_length(hold.spot - foot.position);
        const Vector3 ahead = heading_.to_body(foot.forward);
        const double turned = std::abs(math::atan2(ahead.x, ahead.z));
        const double need = std::max(off / near, turned / (content * most_yaw_at_rest));
        if (need <= 1 || need <= most || has_just_landed(group_of(i), StepReason::tidies)) continue;
        most = need;
        best = group_of(i);
    }
    if (best == Walker::no_group) return;
    lift_group(best, StepReason::tidies, swing_s);
}

/// From the slope that the foot left to the slope that it lands on.
void WalkerTick::turn_sole(std::size_t leg) noexcept {
    WalkerFoot& foot = w_.feet_[leg];
    const detail::FootState& own = w_.state_[leg];
    const double left = std::max(own.swing.land_s - now_s_, tick_s);
    const Vector3 mixed =
        foot.normal + (own.normal_after - foot.normal) * std::min(1.0, 3 * tick_s / left);
    const double length = length_of(mixed);
    if (length > 1e-6) foot.normal = mixed * (1 / length);
}

/// Planted, the heel rises once the body has passed it. In the air the toe hangs, then rises, and
/// is still up as the heel lands. Walking backward it is the other way round.
double WalkerTick::wanted_pitch(std::size_t leg) const noexcept {
    const WalkerFoot& foot = w_.feet_[leg];
    if (slides() || !(speed_ > 0)) return 0;
    const double pace = speed_ / lim_.most_speed_ahead;
    const double ahead = dot(w_.velocity_, foot.forward) * (1 / speed_);
    const double roll = set_.roll_rad * std::min(1.0, 2 * pace) * ahead;
    const auto smooth = [](double part) {
        const double p = std::clamp(part, 0.0, 1.0);
        return p * p * (3 - 2 * p);
    };
    if (foot.planted) {
        const Vector3 behind = foot.wanted - foot.position;
        const double used = dot(behind, w_.velocity_) / (speed_ * std::max(half_stride_m_, 1e-6));
        return roll * smooth((used - 0.25) / 0.75);
    }
    const double s = foot.phase;
    const double wave = math::sin(2 * math::pi * s) * 4 * s * (1 - s);
    const double hangs = set_.toe_pitch_rad * (0.3 + 0.7 * std::min(1.0, pace)) * wave;
    constexpr double lands_with = 0.5;  // of the roll
    return hangs - lands_with * roll * smooth((s - 0.5) / 0.4);
}

/// Follows the wanted roll, critically damped, so that the sole neither snaps nor slaps.
void WalkerTick::pitch_sole(std::size_t leg) noexcept {
    WalkerFoot& foot = w_.feet_[leg];
    double& rate = w_.state_[leg].pitch_rate;
    const double wanted = wanted_pitch(leg);
    constexpr double quick = 40;  // rad/s
    rate += (quick * quick * (wanted - foot.pitch_rad) - 2 * quick * rate) * tick_s;
    foot.pitch_rad += rate * tick_s;
    constexpr double flat_rad = 1e-4;
    const bool rests =
        wanted == 0 && std::abs(foot.pitch_rad) < flat_rad && std::abs(rate) < quick * flat_rad;
    if (rests) foot.pitch_rad = rate = 0;
}

/// The shown state of each foot.
void WalkerTick::annotate() noexcept {
    const bool swings = anyone_swings();
    const double rho = half_stride_m_;
    for (std::size_t i = 0; i < set_.leg_count; ++i) {
        WalkerFoot& foot = w_.feet_[i];
        foot.wanted = w_.pose_.place + heading_.to_world(set_.legs[i].neutral);
        foot.wanted.y = foot.position.y;
        foot.error_m = flat_length(foot.position - foot.wanted);
        foot.threshold_m = rho;
        foot.landing = foot.position;
        if (!foot.planted) {
            // The foot turns to where the body will point when it lands.
            const detail::FootState& own = w_.state_[i];
            const Vector3 spot = spot_of(i);
            foot.landing =
                own.swing_part == 0 ? spot : ground_.frame(own.swing_part, ahead_s_).to_world(spot);
            const Body landing = body_in(own.swing.land_s - now_s_);
            const Vector3 ahead = landing.heading.to_world({0, 0, 1});
            const double left = std::max(own.swing.land_s - now_s_, tick_s);
            turn_sole(i);
            const Vector3 mixed =
                foot.forward + (ahead - foot.forward) * std::min(1.0, 3 * tick_s / left);
            const double length = length_of(mixed);
            if (length > 1e-6) foot.forward = mixed * (1 / length);
        } else {
            const bool slid = slides() && !(w_.velocity_ == Vector3{} && w_.turn_rate_ == 0);
            foot.reason = slid                           ? StepReason::slides
                          : swings && foot.error_m > rho ? StepReason::waits
                                                         : StepReason::stands;
        }
        pitch_sole(i);
    }
}

void WalkerTick::stand() noexcept {
    for (std::size_t i = 0; i < set_.leg_count; ++i) {
        const Vector3 at = w_.pose_.place + heading_.to_world(set_.legs[i].neutral);
        const Vector3 hip = w_.pose_.place + heading_.to_world(set_.legs[i].hip);
        const Foothold hold = foothold_near(i, at, hip, lim_.soft_reach_m, ahead_s_);
        WalkerFoot& foot = w_.feet_[i];
        foot = {.position = hold.spot,
                .forward = heading_.to_world({0, 0, 1}),
                .normal = hold.ground.normal,
                .part = hold.ground.part};
        foot.on_part =
            foot.part == 0 ? hold.spot : ground_.frame(foot.part, ahead_s_).to_local(hold.spot);
        w_.state_[i] = {};
        const Quaternion back = conjugate(ground_.frame(foot.part, ahead_s_).rotation);
        w_.state_[i].forward_on_part = rotated(back, foot.forward);
        w_.state_[i].normal_on_part = rotated(back, foot.normal);
    }
    begin_cycle();
    predict();
    // Its height after a while.
    for (int i = 0; i < 400; ++i) {
        set_attitude();
        set_height();
    }
    w_.height_rate_ = 0;
    w_.log_ = {};
    annotate();
}

}  // namespace hopcoil
