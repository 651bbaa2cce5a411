#include <algorithm>
#include <cmath>
#include <limits>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/base/random.hpp>
#include <hopcoil/scene/wave.hpp>

namespace hopcoil::scene {
namespace {

constexpr double never_s = std::numeric_limits<double>::infinity();

/// Breakpoints a period of the quickest part.
constexpr double breakpoints_per_period = 256;

void check(const Sine& sine) {
    require_finite("amplitude", sine.amplitude);
    require_above_zero("frequency_hz", sine.frequency_hz);
}
void check(const Pulses& pulses) {
    require_finite("pulse", pulses.height);
    require_above_zero("over_s", pulses.over_s);
    require_at_least_zero("every_s", pulses.every_s);
    if (pulses.every_s > 0 && !(pulses.every_s > pulses.over_s)) {
        throw InvalidValue{"every_s", pulses.every_s,
                           "0, or longer than over_s, " + shortest(pulses.over_s)};
    }
}
void check(const NoiseWave& noise) {
    require_finite("noise_amplitude", noise.amplitude);
    require_valid(noise.settings);
}
void check(const RandomSteps& steps) {
    require_finite("random_from", steps.low);
    require_finite("random_to", steps.high);
    require_above_zero("every_s", steps.every_s);
}

/// The least start + k spacing after a time, k = 0, 1, ...; no later than `until_s`.
double next_of_series(double from_s, double spacing_s, double until_s, double time_s) {
    if (time_s < from_s) return from_s;
    if (time_s >= until_s) return never_s;
    double count = std::floor((time_s - from_s) / spacing_s) + 1;
    while (!(from_s + count * spacing_s > time_s)) {
        // Beyond 2^53 spacings there is none.
        if (from_s + (count + 1) * spacing_s == from_s + count * spacing_s) break;
        ++count;
    }
    return std::min(from_s + count * spacing_s, until_s);
}

/// How many spacings have begun since the start.
double begun_count(double from_s, double spacing_s, double time_s, bool after) {
    double count = std::floor((time_s - from_s) / spacing_s);
    if (!has_begun(from_s + count * spacing_s, time_s, after)) --count;
    if (has_begun(from_s + (count + 1) * spacing_s, time_s, after)) ++count;
    return std::max(0.0, count);
}

TargetPoint point(const Sine& sine, double time_s, bool /*after*/) {
    const double w = 2 * math::pi * sine.frequency_hz;
    const auto [s, c] = math::sincos(w * (time_s - sine.from_s));
    return {sine.amplitude * s, sine.amplitude * w * c};
}
double next_breakpoint(const Sine& sine, double time_s) {
    return next_of_series(sine.from_s, 1 / (breakpoints_per_period * sine.frequency_hz),
                          sine.until_s, time_s);
}
double enough_s(const Sine& sine) {
    return 3 / sine.frequency_hz;
}

/// The beginning of the last pulse that has begun.
double pulse_start_s(const Pulses& pulses, double time_s, bool after) {
    if (pulses.every_s == 0) return pulses.from_s;
    return pulses.from_s +
           pulses.every_s * begun_count(pulses.from_s, pulses.every_s, time_s, after);
}
TargetPoint point(const Pulses& pulses, double time_s, bool after) {
    const double start_s = pulse_start_s(pulses, time_s, after);
    return {has_begun(start_s + pulses.over_s, time_s, after) ? 0 : pulses.height, 0};
}
double next_breakpoint(const Pulses& pulses, double time_s) {
    if (time_s < pulses.from_s) return pulses.from_s;
    if (time_s >= pulses.until_s) return never_s;
    const double end_s = pulse_start_s(pulses, time_s, true) + pulses.over_s;
    if (end_s > time_s) return std::min(end_s, pulses.until_s);
    if (pulses.every_s == 0) return pulses.until_s;
    return next_of_series(pulses.from_s, pulses.every_s, pulses.until_s, time_s);
}
double enough_s(const Pulses& pulses) {
    return pulses.every_s > 0 ? 3 * pulses.every_s : pulses.over_s;
}

TargetPoint point(const NoiseWave& noise, double time_s, bool /*after*/) {
    const Noise::Point here = Noise{noise.settings, noise.stream}.at(time_s - noise.from_s);
    return {noise.amplitude * here.value, noise.amplitude * here.slope};
}
double next_breakpoint(const NoiseWave& noise, double time_s) {
    const double highest_hz = Noise{noise.settings, noise.stream}.highest_hz();
    return next_of_series(noise.from_s, 1 / (breakpoints_per_period / 4 * highest_hz),
                          noise.until_s, time_s);
}
double enough_s(const NoiseWave& noise) {
    return 5 / noise.settings.frequency_hz;
}

TargetPoint point(const RandomSteps& steps, double time_s, bool after) {
    const double count = begun_count(steps.from_s, steps.every_s, time_s, after);
    const double part = unit_number(steps.stream, static_cast<std::int64_t>(std::min(count, 1e15)));
    return {steps.low + (steps.high - steps.low) * part, 0};
}
double next_breakpoint(const RandomSteps& steps, double time_s) {
    return next_of_series(steps.from_s, steps.every_s, steps.until_s, time_s);
}
double enough_s(const RandomSteps& steps) {
    return 8 * steps.every_s;
}

}  // namespace

void require_valid(const Wave& wave) {
    std::visit(
        [](const auto& each) {
            check(each);
            require_at_least_zero("from_s", each.from_s);
            if (!(each.until_s > each.from_s)) {
                throw InvalidValue{"until_s", each.until_s,
                                   "a time after from_s, " + shortest(each.from_s)};
            }
        },
        wave);
}

TargetPoint point_of(const Wave& wave, double time_s, bool after) noexcept {
    return std::visit(
        [&](const auto& each) {
            const bool lasts =
                has_begun(each.from_s, time_s, after) && !has_begun(each.until_s, time_s, after);
            return lasts ? point(each, time_s, after) : TargetPoint{};
        },
        wave);
}

double next_breakpoint_s(const Wave& wave, double time_s) noexcept {
    return std::visit([&](const auto& each) { return next_breakpoint(each, time_s); }, wave);
}

bool is_straight(const Wave& wave) noexcept {
    return std::holds_alternative<Pulses>(wave) || std::holds_alternative<RandomSteps>(wave);
}

double last_event_s(const Wave& wave) noexcept {
    return std::visit(
        [](const auto& each) {
            return each.until_s < never_s ? each.until_s : each.from_s + enough_s(each);
        },
        wave);
}

}  // namespace hopcoil::scene
