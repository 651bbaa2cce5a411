#pragma once

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <optional>
#include <utility>

#include <hopcoil/base/random.hpp>
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

/// Of white noise, sampled at a rate and straight in between: the root of the sum of the squares of
/// what a single sample of 1 does in all samples after it.
template <class M>
Figure linear_noise_left(M mover, double rate_hz) {
    constexpr int most_samples = 1'000'000;
    constexpr int samples_a_block = 1024;
    constexpr double visible = 1e-12;
    const double dt = 1 / rate_hz;
    double sum = 0;
    mover.step(1.0, dt);
    for (int block = 0; block < most_samples / samples_a_block; ++block) {
        double part = 0;
        for (int i = 0; i < samples_a_block; ++i) {
            part += mover.value() * mover.value();
            mover.step(0.0, dt);
        }
        sum += part;
        if (part <= visible * sum) return std::sqrt(sum);
    }
    return Figure::none("it never settles: noise adds up in it without a limit");
}

template <class M>
Figure measured_noise_left(M mover, double rate_hz, double rms) {
    constexpr int settling_samples = 2'000;
    constexpr int samples = 20'000;
    RandomNumbers numbers{stream_of(0, "noise left")};
    double sum = 0;
    for (int i = -settling_samples; i < samples; ++i) {
        mover.step(rms * numbers.normal(), 1 / rate_hz);
        if (i >= 0) sum += mover.value() * mover.value();
    }
    return std::sqrt(sum / samples) / std::abs(rms);
}

/// Observed for several times as long as it needs for a jump as large as the target's travel in a
/// second.
template <class M>
Figure measured_ramp_lag_s(M mover, double speed, double jump_s) {
    constexpr double jumps = 10;
    constexpr double near = 0.01;
    const double seconds = jumps * std::max(jump_s, 0.1);
    const double dt = seconds / observed_steps;
    double before_s = 0;
    for (int i = 1; i <= observed_steps; ++i) {
        mover.step(speed * dt * i, dt);
        if (2 * i == observed_steps) before_s = dt * i - mover.value() / speed;
    }
    const double lag_s = seconds - mover.value() / speed;
    if (std::abs(lag_s - before_s) > near * std::max(std::abs(lag_s), dt))
        return Figure::none("it does not keep up with a target of this speed");
    return lag_s;
}

}  // namespace hopcoil::scene
