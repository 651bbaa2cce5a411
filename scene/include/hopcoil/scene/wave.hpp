#pragma once

#include <cstdint>
#include <variant>

#include <hopcoil/field/noise.hpp>

namespace hopcoil::scene {

/// Where a target is and how fast it moves.
struct TargetPoint {
    double value = 0.0;
    double velocity = 0.0;
};

// Waves are added to the moves of a target while they last; `until_s` may be infinite.

struct Sine {
    double from_s = 0.0;
    double until_s = 0.0;
    double amplitude = 1.0;
    double frequency_hz = 1.0;
};

/// Up by `height` for `over_s`, at `from_s` and every `every_s` from there on (0: once).
struct Pulses {
    double from_s = 0.0;
    double until_s = 0.0;
    double height = 1.0;
    double over_s = 0.1;
    double every_s = 0.0;
};

/// Coherent noise; almost always within the amplitude.
struct NoiseWave {
    double from_s = 0.0;
    double until_s = 0.0;
    double amplitude = 1.0;
    NoiseSettings settings{};
    std::uint64_t stream = 0;
};

/// A new random value between `low` and `high` every `every_s`.
struct RandomSteps {
    double from_s = 0.0;
    double until_s = 0.0;
    double low = -1.0;
    double high = 1.0;
    double every_s = 1.0;
    std::uint64_t stream = 0;
};

using Wave = std::variant<Sine, Pulses, NoiseWave, RandomSteps>;

/// Errors  InvalidValue names the field, its value and its range.
void require_valid(const Wave& wave);

/// What it adds coming up to a time, or from that time on (`after`).
[[nodiscard]] TargetPoint point_of(const Wave& wave, double time_s, bool after) noexcept;
/// The first of its breakpoints after a time; infinity when there is none. Between breakpoints a
/// cubic with the ends' slopes is it: exactly for pulses and steps, within 1e-9 for a sine,
/// 1e-6 for noise.
[[nodiscard]] double next_breakpoint_s(const Wave& wave, double time_s) noexcept;
/// Whether it is straight between breakpoints.
[[nodiscard]] bool is_straight(const Wave& wave) noexcept;
/// Its end; for one without an end, the time by which enough of it has been seen.
[[nodiscard]] double last_event_s(const Wave& wave) noexcept;

/// Whether something that begins at `breakpoint_s` has begun coming up to a time, or from it on
/// (`after`).
[[nodiscard]] inline bool has_begun(double breakpoint_s, double time_s, bool after) noexcept {
    return after ? breakpoint_s <= time_s : breakpoint_s < time_s;
}

}  // namespace hopcoil::scene
