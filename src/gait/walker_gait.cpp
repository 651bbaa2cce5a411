// Feet that step in a cycle.

#include <algorithm>
#include <cmath>

#include <hopcoil/follow/intent.hpp>

#include "walker_tick.hpp"

namespace hopcoil {
namespace {

/// From one place in a cycle to another, the shorter way.
double shorter_way(double from, double to) {
    const double way = to - from;
    return way - std::floor(way + 0.5);
}

double wrapped(double phase) {
    return phase - std::floor(phase);
}

}  // namespace

/// Where a leg is in its own cycle: 0 at its landing.
double WalkerTick::phase_of(std::size_t leg) const noexcept {
    return wrapped(w_.cycle_ - w_.state_[leg].lands_at);
}

/// Blends from the gait before, within a stride.
Cadence WalkerTick::cadence_of_gait(double speed) const noexcept {
    const Cadence now = cadence_in(w_.gait_, set_, lim_, speed);
    if (w_.gait_share_ >= 1) return now;
    const Cadence before = cadence_in(w_.gait_before_, set_, lim_, speed);
    const auto mixed = [&](double a, double b) {
        return a + (b - a) * w_.gait_share_;
    };
    return {mixed(before.strides_per_s, now.strides_per_s),
            mixed(before.duty_factor, now.duty_factor)};
}

/// The next start is with the hindmost foot.
void WalkerTick::begin_cycle() noexcept {
    constexpr double usual_duty = 0.72;
    w_.gait_ = w_.gait_before_ = gait_at(set_, lim_, 0, Gait::walk);
    w_.gait_share_ = 1;
    for (std::size_t i = 0; i < set_.leg_count; ++i)
        w_.state_[i].lands_at = landing_phase(w_.gait_, set_.leg_count, i);
    const std::size_t hindmost = set_.leg_count < 2 ? 0 : set_.leg_count - 2;
    w_.cycle_ = wrapped(w_.state_[hindmost].lands_at + usual_duty);
}

/// Into another gait with the smallest changes: the cycle may begin anywhere.
void WalkerTick::change_gait(Gait gait) noexcept {
    constexpr int starts = 32;
    double best = 0;
    double least = 1;
    for (int k = 0; k < starts; ++k) {
        const double start = static_cast<double>(k) / starts;
        double most = 0;
        for (std::size_t i = 0; i < set_.leg_count; ++i) {
            const double way =
                shorter_way(w_.state_[i].lands_at + start, landing_phase(gait, set_.leg_count, i));
            most = std::max(most, std::abs(way));
        }
        if (most >= least) continue;
        least = most;
        best = start;
    }
    for (std::size_t i = 0; i < set_.leg_count; ++i)
        w_.state_[i].lands_at = wrapped(w_.state_[i].lands_at + best);
    w_.cycle_ = wrapped(w_.cycle_ + best);
    w_.gait_before_ = w_.gait_;
    w_.gait_ = gait;
    w_.gait_share_ = 0;
}

/// Advances the cycle by a tick, in the gait of its speed.
void WalkerTick::run_cycle() noexcept {
    const Gait gait = gait_at(set_, lim_, speed_, w_.gait_);
    if (gait != w_.gait_) change_gait(gait);
    const double part = cadence_.strides_per_s * tick_s;
    w_.gait_share_ = std::min(1.0, w_.gait_share_ + part);
    w_.cycle_ = wrapped(w_.cycle_ + part);
}

/// A swing that begins takes a little more or less time, until the leg has its place in the order
/// of the gait.
void WalkerTick::come_to_order(std::size_t leg) noexcept {
    constexpr double most_shift = 0.25;  // of a swing
    double& lands_at = w_.state_[leg].lands_at;
    const double wanted = landing_phase(w_.gait_, set_.leg_count, leg);
    const double up = 1 - cadence_.duty_factor;
    const double most = most_shift * up;
    const double too_long = 1 - phase_of(leg) - (1 - most_shift) * up;
    const double sooner = std::clamp(too_long, 0.0, most);
    const double shift = std::clamp(shorter_way(lands_at, wanted), -sooner, most);
    lands_at = wrapped(lands_at + shift);
    if (std::abs(shorter_way(lands_at, wanted)) < 1e-9) lands_at = wanted;
}

/// Each foot leaves the ground at its time, and lands at the end of its cycle.
void WalkerTick::decide_in_gait() noexcept {
    if (set_.gait == Gait::slide) return;
    constexpr double least_part = 0.5;  // of a swing: too late for less, it waits a cycle
    constexpr double longest_part = 1.5;
    run_cycle();
    const Cadence& cadence = cadence_;
    const double up = 1 - cadence.duty_factor;
    std::size_t swinging = 0;
    for (std::size_t i = 0; i < set_.leg_count; ++i)
        swinging += w_.feet_[i].planted ? 0 : 1;
    for (std::size_t i = 0; i < set_.leg_count; ++i) {
        const WalkerFoot& foot = w_.feet_[i];
        // A walk has at least half of its feet down; a run may fly.
        constexpr double run_duty = 0.5;
        const bool carried = 2 * (swinging + 1) <= set_.leg_count;
        if (!foot.planted || (cadence.duty_factor >= run_duty && !carried)) continue;
        double left = 1 - phase_of(i);
        const bool due = left <= up && left > least_part * up;
        // Where the gait may fly, a foot leaves before it has to hold the body back.
        constexpr double soon_s = 0.02;
        const bool flies = flies_between();
        const Vector3 hip = w_.pose_.place + heading_.to_world(set_.legs[i].hip);
        const double used = flat_length(foot.position - hip) + (flies ? speed_ * soon_s : 0);
        const bool at_end = used > 0.95 * reach_to(foot.position.y) && (carried || flies);
        if (!due && !at_end) continue;
        if (due) {
            come_to_order(i);
            left = 1 - phase_of(i);
        }
        const bool lands_in_time = due || (flies && left < longest_part * up);
        const double swing_s =
            lands_in_time ? left / std::max(cadence.strides_per_s, 0.1) : swing_s_;
        lift(i, due ? StepReason::strides : StepReason::reaches,
             now_s_ + rounded_to_ticks(std::min(swing_s, 1.0)));
        ++swinging;
    }
}

/// How far the cycle is past the middle of the stance of its first leg or pair.
double WalkerTick::since_stance() const noexcept {
    const Gait gait = w_.gait_share_ < 0.5 ? w_.gait_before_ : w_.gait_;
    const bool in_pairs = gait == Gait::gallop && set_.leg_count > 2;
    const std::size_t first = in_pairs ? set_.leg_count - 2 : 0;
    const std::size_t other = in_pairs ? set_.leg_count - 1 : 0;
    const double apart = shorter_way(w_.state_[first].lands_at, w_.state_[other].lands_at);
    return phase_of(first) - 0.5 * (apart + cadence_.duty_factor);
}

/// In a gait of four legs a hind foot lands where the fore foot leaves: beside it.
double WalkerTick::outside_of_fore_foot(std::size_t leg) const noexcept {
    if (!has_gait() || set_.leg_count != 4 || leg < 2) return 0;
    const double stance_m = speed_ * cadence_.duty_factor / std::max(cadence_.strides_per_s, 0.1);
    const double part = std::min(1.0, stance_m / (2 * lim_.half_stride_ahead_m));
    return std::copysign(2.4 * set_.foot_radius_m * part, set_.legs[leg].neutral.x);
}

/// The share of the vertical motion of a body that flies between its stances.
double WalkerTick::flying_share() const noexcept {
    constexpr double full_duty = 0.42;
    if (!flies_between()) return 0;
    const double flies = std::min(1.0, (0.5 - cadence_.duty_factor) / (0.5 - full_duty));
    return flies * std::abs(2 * w_.gait_share_ - 1);
}

/// In a run it falls freely between two stances, and is lowest in the middle of each.
///
/// Model   A cos over a step of the time t, with A (2 pi / t)^2 = g.
double WalkerTick::bob_of_run() const noexcept {
    const double step_s = 0.5 / std::max(cadence_.strides_per_s, 0.5);
    const double rise = std::min(0.06 * set_.leg_length_m,
                                 standard_gravity * step_s * step_s / (4 * math::pi * math::pi));
    return -rise * math::cos(4 * math::pi * since_stance());
}

/// A galloping body is lower behind while its hind feet carry it, and in front half a cycle later.
void WalkerTick::rock() noexcept {
    constexpr double most_slope = 0.1;
    constexpr double quick = 40 * tick_s;
    const bool gallops = w_.gait_ == Gait::gallop && w_.gait_share_ >= 0.5 && !is_hopping();
    const double share = gallops ? flying_share() : 0;
    const double wanted =
        share > 0 ? most_slope * share * math::cos(2 * math::pi * since_stance()) : 0;
    w_.rock_ += (wanted - w_.rock_) * quick;
    constexpr double none = 1e-6;
    if (wanted == 0 && std::abs(w_.rock_) < none) w_.rock_ = 0;
}

}  // namespace hopcoil
