#pragma once

#include <cstddef>
#include <span>

#include <hopcoil/base/dial.hpp>

namespace hopcoil {

/// The numbers that give a follower its feel.
///
/// Frequency says how quick it is, the damping ratio how soon it calms down, the lead whether it
/// lags behind a moving target (0), moves with it (1), or first goes the other way (below 0).
///
/// Model   y'' = w^2 (x - y) - 2 z w y' + 2 z w L x';  w = 2 pi frequency_hz, z = damping_ratio,
///         L = lead.
/// Units   hertz; the others are pure numbers. frequency_hz >= 0 (0 is free flight),
///         damping_ratio >= 0 (below 1 it swings past), any finite lead.
struct Tuning {
    double frequency_hz = 2.0;
    double damping_ratio = 0.5;
    double lead = 0.0;

    static constexpr std::size_t dial_count = 3;
    [[nodiscard]] static std::span<const Dial<Tuning>> dials() noexcept;
    friend bool operator==(const Tuning&, const Tuning&) = default;
};

/// Errors  InvalidValue names the field, its value and its range.
void require_valid(const Tuning& tuning);
[[nodiscard]] bool is_valid(const Tuning& tuning) noexcept;

/// w = 2 pi frequency_hz, in rad/s.
[[nodiscard]] double angular_frequency_rad_per_s(const Tuning& tuning) noexcept;

/// How far it trails behind a target in steady motion, per unit of the target's speed: the
/// distance is this many seconds of travel, negative when it runs ahead. (2 z / w)(1 - L).
/// Errors  InvalidValue at frequency 0, where the target has no effect.
[[nodiscard]] double ramp_lag_s(const Tuning& tuning);

/// A mass on a spring with a damper; `lead` as in Tuning.
///
/// Model   m y'' = k (x - y) - c (y' - L x')
/// Units   SI, or any others that agree among themselves. mass > 0, stiffness >= 0, damping >= 0.
struct SpringConstants {
    double mass_kg = 1.0;
    double stiffness_n_per_m = 0.0;
    double damping_n_s_per_m = 0.0;
    double lead = 0.0;
};

/// The same spring with its damping as a ratio, so that the mass alone can be changed and the feel
/// of the damping stays.
///
/// Units   as SpringConstants; damping_ratio >= 0.
struct SpringByRatio {
    double mass_kg = 1.0;
    double stiffness_n_per_m = 0.0;
    double damping_ratio = 0.5;
    double lead = 0.0;
};

/// How soon what is left of a disturbance halves: the envelope of the swings for a damping ratio
/// below 1, the slow creep from there on. A time constant is a half-life over ln 2.
///
/// Model   half_life_s = ln 2 / (z w) for z < 1, ln 2 (z + sqrt(z^2 - 1)) / w from there on
/// Units   seconds, above 0; damping_ratio above 0.
struct DecayHalfLife {
    double half_life_s = 0.2;
    double damping_ratio = 1.0;
    double lead = 0.0;
};

/// ln 2 times as long: what is left falls to 1/e in one and to 1/2 in the other.
/// Errors  InvalidValue unless time_constant_s is finite and above 0.
[[nodiscard]] double half_life_from_time_constant_s(double time_constant_s);

/// The coefficient form of the same equation.
///
/// Model   y + a y' + b y'' = x + c x';  a = 2 z / w, b = 1 / w^2, c = 2 z L / w
/// Units   seconds, seconds squared, seconds. a >= 0, b > 0, any finite c.
struct Coefficients {
    double y_rate_s = 0.0;
    double y_acceleration_s2 = 0.0;
    double x_rate_s = 0.0;
};

/// Errors  InvalidValue for a number out of range, no mass among them; InconsistentParameters
///         for a damper without a spring: no frequency and damping ratio describe it.
[[nodiscard]] Tuning tuning_from(const SpringConstants& constants);

/// Errors  InvalidValue for a number out of range, no mass among them.
[[nodiscard]] Tuning tuning_from(const SpringByRatio& spring);

/// Errors  InvalidValue for a number out of range: without damping the motion does not decay.
[[nodiscard]] Tuning tuning_from(const DecayHalfLife& decay);

/// Errors  InvalidValue for a number out of range, no inertia (b = 0) among them;
///         InconsistentParameters for x_rate_s without y_rate_s: a lead acts through the damper.
[[nodiscard]] Tuning tuning_from(const Coefficients& coefficients);

/// The spring and damper that give a mass this feel.
/// Errors  InvalidValue unless mass_kg > 0, and for an invalid tuning.
[[nodiscard]] SpringConstants spring_constants_from(const Tuning& tuning, double mass_kg);

/// Errors  InvalidValue unless mass_kg > 0, and for an invalid tuning.
[[nodiscard]] SpringByRatio damped_spring_from(const Tuning& tuning, double mass_kg);

/// Errors  InvalidValue for an invalid tuning, frequency 0 or damping ratio 0: it never calms down.
[[nodiscard]] DecayHalfLife decay_half_life_from(const Tuning& tuning);

/// Errors  InvalidValue for an invalid tuning and at frequency 0, where b would be infinite.
[[nodiscard]] Coefficients coefficients_from(const Tuning& tuning);

}  // namespace hopcoil
