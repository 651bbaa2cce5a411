#pragma once

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <optional>
#include <utility>

#include <hopcoil/follow/watcher.hpp>
#include <hopcoil/spring/step_response.hpp>

/// @file
/// The figures of a jump and a kick for movers without closed forms, from their events at exact
/// times.

namespace hopcoil::scene {

inline constexpr int observed_steps = 2000;

template <class M>
JumpResponse measured_jump(M mover, double size, double seconds) {
    const double unit = 100 / size;
    const double dt = seconds / observed_steps;
    const std::array<double, 2> marks{0.1 * size, 0.9 * size};
    Watcher<M> watcher{std::move(mover),
                       marks,
                       {.distance = 0.01 * settling_band_percent * std::abs(size),
                        .speed = std::numeric_limits<double>::infinity()}};
    watcher.mover().jump(size);
    JumpResponse answer;
    answer.peak_time_s = Figure::none("it never passes the target");
    answer.rise_time_s = Figure::none("it does not reach 90 % of the way");
    answer.settling_time_s = Figure::none("it has not settled in the time looked at");
    std::optional<double> at_10;
    bool at_90 = false;
    double reversals = 0;
    double peak_velocity = std::abs(watcher.velocity());
    double past = 0;
    double back = 0;
    for (int i = 0; i < observed_steps; ++i) {
        watcher.step(size, dt);
        for (const Event& event : watcher.events()) {
            const double time_s = i * dt + event.after_s;
            const double percent = (event.value - size) * unit;
            if (event.kind == EventKind::turned && std::abs(percent) >= least_swing_percent) {
                answer.swings.push_back({time_s, percent});
                reversals += std::abs(percent) > settling_band_percent;
                if (percent > past) {
                    past = percent;
                    answer.peak_time_s = time_s;
                }
                back = std::max(back, -100 - percent);
            }
            if (event.kind == EventKind::passed_mark && event.mark == 0 && !at_10) at_10 = time_s;
            if (event.kind == EventKind::passed_mark && event.mark == 1 && at_10 && !at_90) {
                at_90 = true;
                answer.rise_time_s = time_s - *at_10;
            }
            if (event.kind == EventKind::settled) answer.settling_time_s = time_s;
        }
        peak_velocity = std::max(peak_velocity, std::abs(watcher.velocity()));
    }
    answer.overshoot_percent = past;
    answer.anticipation_percent = back;
    answer.reversals = reversals;
    answer.peak_velocity = peak_velocity;
    return answer;
}

/// Where and when it first turns, and the way back.
template <class M>
KickResponse measured_kick(const M& mover, double seconds) {
    KickResponse answer;
    const double dt = seconds / observed_steps;
    const double start = mover.target();
    double peak_velocity = std::abs(mover.velocity());
    answer.return_time_s = Figure::none("it does not come back in the time looked at");
    Watcher<M> first{mover};
    std::optional<Watcher<M>> home{};  // from beyond the furthest point on
    double furthest = 0;
    for (int i = 0; i < observed_steps; ++i) {
        first.step(start, dt);
        for (const Event& event : first.events()) {
            const double time_s = i * dt + event.after_s;
            if (event.kind == EventKind::turned) {
                if (furthest == 0) {
                    furthest = event.value - start;
                    answer.furthest_time_s = time_s;
                }
                answer.swings.push_back({time_s, 100 * (event.value - start) / furthest});
            }
        }
        peak_velocity = std::max(peak_velocity, std::abs(first.velocity()));
        if (home) {
            home->step(start, dt);
            for (const Event& event : home->events()) {
                if (event.kind == EventKind::reached) answer.return_time_s = i * dt + event.after_s;
            }
        } else if (furthest != 0) {
            home.emplace(first.mover());
        }
    }
    answer.furthest = furthest;
    answer.peak_velocity = peak_velocity;
    const double band = 0.01 * settling_band_percent * std::abs(furthest);
    answer.settling_time_s = Figure::none("it has not settled in the time looked at");
    double reversals = 0;
    for (const Swing& swing : answer.swings)
        reversals += std::abs(swing.percent) > settling_band_percent;
    answer.reversals = reversals;
    Watcher<M> second{
        mover, {}, {.distance = band, .speed = std::numeric_limits<double>::infinity()}};
    for (int i = 0; i < observed_steps; ++i) {
        second.step(start, dt);
        for (const Event& event : second.events()) {
            if (event.kind == EventKind::settled) answer.settling_time_s = i * dt + event.after_s;
        }
    }
    return answer;
}

}  // namespace hopcoil::scene
