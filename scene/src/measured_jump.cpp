#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <optional>
#include <variant>

#include <hopcoil/follow/watcher.hpp>
#include <hopcoil/scene/any_mover.hpp>
#include <hopcoil/scene/measured_jump.hpp>
#include <hopcoil/spring/free_motion.hpp>

namespace hopcoil::scene {
namespace {

constexpr int step_count = 2000;

double settled_s(const Tuning& tuning) {
    if (tuning.frequency_hz == 0) return 0;
    const FreeMotion motion{tuning, {-1, 0}};
    const double dozen_s = 12 / tuning.frequency_hz;
    return std::min(motion.settling_time_s(0.01).value_or(dozen_s), std::max(dozen_s, 5.0));
}

template <class M>
JumpResponse measure(M mover, double size, double seconds) {
    const double unit = 100 / size;
    const double dt = seconds / step_count;
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
    for (int i = 0; i < step_count; ++i) {
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
KickResponse measure_kick(const M& mover, double seconds) {
    KickResponse answer;
    const double dt = seconds / step_count;
    const double start = mover.target();
    double peak_velocity = std::abs(mover.velocity());
    answer.return_time_s = Figure::none("it does not come back in the time looked at");
    Watcher<M> first{mover};
    std::optional<Watcher<M>> home{};  // from beyond the furthest point on
    double furthest = 0;
    for (int i = 0; i < step_count; ++i) {
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
    for (int i = 0; i < step_count; ++i) {
        second.step(start, dt);
        for (const Event& event : second.events()) {
            if (event.kind == EventKind::settled) answer.settling_time_s = i * dt + event.after_s;
        }
    }
    return answer;
}

}  // namespace

KickResponse measured_kick(const SceneMover& mover) {
    const double seconds =
        2 * std::max(observation_time_s(mover.numbers, mover.initial_velocity[0]), 1e-3);
    return std::visit(
        [&](const auto& made) {
            using M = std::decay_t<decltype(made)>;
            constexpr bool follows = requires(M m) {
                m.step(1.0, 1.0);
            };
            constexpr bool is_pushed = requires(M m) {
                m.push(1.0);
            }
            || requires(M m) {
                m.push(0U, 1.0);
            };
            if constexpr (follows && is_pushed) return measure_kick(made, seconds);
            KickResponse none;
            none.furthest = none.furthest_time_s = none.return_time_s = none.settling_time_s =
                none.reversals = none.peak_velocity =
                    Figure::none("it has no velocity of its own to be kicked");
            return none;
        },
        make_mover(mover, false));
}

double observation_time_s(const MoverParameters& numbers, double size) {
    const bool is_cascade = std::holds_alternative<CascadeParameters>(numbers);
    if (const Tuning* tuning = tuning_of(numbers); tuning != nullptr && !is_cascade) {
        return settled_s(*tuning);
    }
    if (const auto* glide = std::get_if<GlideTuning>(&numbers)) {
        return std::max(1e-3, 10 * glide->half_life_s);
    }
    if (const auto* pursuit = std::get_if<PursuitTuning>(&numbers)) {
        Pursuit<double> run{*pursuit, 0.0};
        run.cut(size);
        return 1.3 * run.time_left_s();
    }
    if (const auto* settle = std::get_if<SettleParameters>(&numbers)) {
        return 1.6 * settle->tuning.duration_s;
    }
    if (const auto* curve = std::get_if<CurveMoveTuning>(&numbers)) return 1.2 * curve->duration_s;
    if (const auto* coast = std::get_if<CoastParameters>(&numbers)) {
        return 8 * coast->tuning.slowing_half_life_s;
    }
    double sum_s = 0;
    for (const Tuning& each : std::get<CascadeParameters>(numbers).tunings)
        sum_s += settled_s(each);
    return sum_s;
}

JumpResponse measured_jump(const SceneMover& mover, double size) {
    const double seconds = 2 * std::max(observation_time_s(mover.numbers, size), 1e-3);
    return std::visit(
        [&](auto made) {
            if constexpr (requires { made.step(size, seconds); }) {
                return measure(std::move(made), size, seconds);
            } else {
                return JumpResponse{};  // a coast has no target that could jump
            }
        },
        make_mover(mover, false));
}

}  // namespace hopcoil::scene
