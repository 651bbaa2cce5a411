// How the body is carried: its height, slope, bob, sway and lean.

#include <algorithm>
#include <cmath>

#include <hopcoil/base/components.hpp>
#include <hopcoil/follow/intent.hpp>

#include "walker_tick.hpp"

namespace hopcoil {
void WalkerTick::set_attitude() noexcept {
    // The plane through the feet, as the body sees it.
    double xx = 1e-9;
    double zz = 1e-9;
    double xy = 0;
    double zy = 0;
    double mean_y = 0;
    const auto count = static_cast<double>(set_.leg_count);
    double stance_side = 0;
    double swing_phase = 0;
    for (std::size_t i = 0; i < set_.leg_count; ++i) {
        mean_y += w_.feet_[i].position.y / count;
        if (!w_.feet_[i].planted) swing_phase = std::max(swing_phase, w_.feet_[i].phase);
    }
    for (std::size_t i = 0; i < set_.leg_count; ++i) {
        const WalkerFoot& foot = w_.feet_[i];
        const Vector3 at = heading_.to_body(foot.position - w_.pose_.place);
        const double y = (foot.planted ? foot.position.y : spot_of(i).y) - mean_y;
        xx += at.x * at.x;
        zz += at.z * at.z;
        xy += at.x * y;
        zy += at.z * y;
        if (foot.planted) stance_side += set_.legs[i].neutral.x > 0 ? 1 / count : -1 / count;
    }
    constexpr double follows = 6 * tick_s;
    if (set_.leg_count > 2) {
        const double slope_z = w_.pose_.slope_z - w_.rock_;
        w_.pose_.slope_x += (std::clamp(xy / xx, -0.6, 0.6) - w_.pose_.slope_x) * follows;
        rock();
        w_.pose_.slope_z =
            slope_z + (std::clamp(zy / zz, -0.6, 0.6) - slope_z) * follows + w_.rock_;
    }
    const double pace = std::min(1.0, speed_ / lim_.most_speed_ahead);
    const double wave = math::sin(math::pi * swing_phase);
    const double by_steps = is_hopping() ? 0 : 1;
    const double flies = flying_share();
    const double quick = (16 + 24 * flies) * tick_s;
    const double walked = set_.bob_m * pace * (2 * wave - 1);
    const double bob = flies > 0 ? walked + (bob_of_run() - walked) * flies : walked;
    w_.pose_.bob += (by_steps * bob - w_.pose_.bob) * quick;
    w_.pose_.sway += (by_steps * 2 * set_.sway_m * stance_side * wave - w_.pose_.sway) * quick;
    constexpr double most_leant_for = 12;  // m/s^2
    const double pushed = flat_length(acceleration_);
    const Vector3 wanted =
        heading_.to_body(acceleration_) *
        (set_.lean_rad_s2_per_m * (pushed > most_leant_for ? most_leant_for / pushed : 1));
    w_.pose_.lean = w_.pose_.lean + (wanted - w_.pose_.lean) * (5 * tick_s);
}

/// Where a foot in the air lands, in the frame of what it lands on.
Vector3 WalkerTick::spot_of(std::size_t leg) const noexcept {
    const detail::FootState& own = w_.state_[leg];
    return w_.feet_[leg].reason == StepReason::flies ? own.aim : own.swing.spot;
}

/// The ground's height, over the feet and the way ahead and behind.
double WalkerTick::mean_ground() const noexcept {
    double sum = 0;
    double count = 0;
    for (std::size_t i = 0; i < set_.leg_count; ++i) {
        const bool lands = !w_.feet_[i].planted && w_.state_[i].swing_part == 0;
        sum += lands ? spot_of(i).y : w_.feet_[i].position.y;
        count += 1;
    }
    for (int k = -2; k <= 2; ++k) {
        const Vector3 at = w_.pose_.place + w_.velocity_ * (0.15 * k) +
                           heading_.to_world({0, 0, 0.08 * k * set_.leg_length_m});
        const GroundPoint under = ground_at(at.x, at.z, ahead_s_);
        if (!under.exists || !under.can_stand) continue;
        const double weight = 0.25 * static_cast<double>(set_.leg_count) / 2;
        sum += weight * under.height;
        count += weight;
    }
    return sum / count;
}

/// The highest place of a body whose leg ends there, stretched to a part of its squared length.
double WalkerTick::highest_for(std::size_t leg, const Body& body, const Vector3& foot,
                               double part) const noexcept {
    const double l = set_.leg_length_m;
    const Vector3& hip = set_.legs[leg].hip;
    const double away = flat_length(body.place + body.heading.to_world(hip) - foot);
    return foot.y + math::sqrt(std::max(0.01 * l * l, part * l * l - away * away)) -
           w_.pose_.slope_x * hip.x - w_.pose_.slope_z * hip.z;
}

/// The height over the ground for its stride.
double WalkerTick::usual_height() const noexcept {
    const double l = set_.leg_length_m;
    const double stride = half_stride_m_;
    const double by_stride = math::sqrt(std::max(0.05, 0.965 * l * l - stride * stride));
    const double lifted = std::max(set_.standing_height * l, by_stride);
    return w_.mean_ground_ + std::min(set_.upright_height * l, lifted);
}

/// Low enough in time for where the hips are about to be. A biped rises over its planted foot; with
/// more legs the body stays low while they stride, rather than up and down at each step.
double WalkerTick::wanted_height() noexcept {
    constexpr double sinks_in_s = 0.15;
    constexpr double rises_in_s = 0.6;
    const double usual = usual_height();
    const double needed = usual - height_within_legs(usual);
    const double in_s = needed > w_.crouch_ ? sinks_in_s : rises_in_s;
    w_.crouch_ += (needed - w_.crouch_) * (tick_s / in_s);
    return usual - (set_.leg_count > 2 ? std::max(needed, w_.crouch_) : needed);
}

/// That height, or as much as the legs allow.
double WalkerTick::height_within_legs(double wanted) const noexcept {
    const double stretched = stretched_part();
    for (std::size_t i = 0; i < set_.leg_count; ++i) {
        const WalkerFoot& foot = w_.feet_[i];
        if (foot.planted) {
            // In a gait it is known when the foot leaves; otherwise a foot that is far out leaves
            // once those in the air have landed.
            const double late_s = flies_between() ? 0.035 : 0.05;
            const double stands_s = has_gait()        ? wait_of(i) + late_s
                                    : anyone_swings() ? longest_swing_left()
                                                      : 1;
            for (const double soon_s : {0.05, 0.1, 0.15}) {
                const Body body = body_over_ground(std::min(soon_s, stands_s));
                wanted = std::min(wanted, highest_for(i, body, foot.position, stretched));
            }
            continue;
        }
        const detail::FootState& own = w_.state_[i];
        const double left_s = own.swing.land_s - now_s_;
        const Vector3 lands = own.swing_part == 0
                                  ? own.swing.spot
                                  : ground_.frame(own.swing_part, ahead_s_ + std::max(left_s, 0.0))
                                        .to_world(own.swing.spot);
        wanted = std::min(wanted, highest_for(i, body_in(left_s), lands, stretched));
    }
    return wanted;
}

/// How late the foot is that should have landed first.
double WalkerTick::latest_s() const noexcept {
    double latest = 0;
    for (std::size_t i = 0; i < set_.leg_count && !is_hopping(); ++i) {
        if (!w_.feet_[i].planted) latest = std::max(latest, now_s_ - w_.state_[i].swing.land_s);
    }
    return latest;
}

void WalkerTick::set_height() noexcept {
    // A hard landing is absorbed within a third of the leg. A foot that is late, as its leg does
    // not reach, is not kept waiting.
    const double fall = w_.hop_.phase == HopPhase::lands ? -w_.hop_.plan.touch_down_rate : 0;
    const double hurries = height_rad_per_s * (1 + latest_s() / 0.03);
    const double damped = std::max(hurries, fall / (0.9 * set_.leg_length_m));
    w_.mean_ground_ = mean_ground();
    w_.height_rate_ +=
        (damped * damped * (wanted_height() - w_.pose_.place.y) - 2 * damped * w_.height_rate_) *
        tick_s;
    w_.pose_.place.y += w_.height_rate_ * tick_s;
    keep_within_legs();
    const double above = w_.pose_.place.y + w_.pose_.bob - w_.mean_ground_;
    w_.log_.lowest_height_m =
        w_.log_.lowest_height_m == 0 ? above : std::min(w_.log_.lowest_height_m, above);
}

/// Whatever is wanted, no leg is longer than its length.
void WalkerTick::keep_within_legs() noexcept {
    for (std::size_t i = 0; i < set_.leg_count; ++i) {
        if (!w_.feet_[i].planted) continue;
        const double most = highest_over(i, w_.feet_[i].position);
        if (w_.pose_.place.y <= most) continue;
        w_.pose_.place.y = most;
        w_.height_rate_ = std::min(w_.height_rate_, 0.0);
    }
    for (std::size_t i = 0; i < set_.leg_count; ++i) {
        if (!w_.feet_[i].planted) pull_along(i);
    }
}

}  // namespace hopcoil
