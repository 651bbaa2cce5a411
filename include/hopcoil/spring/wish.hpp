#pragma once

#include <optional>

#include <hopcoil/spring/tuning.hpp>

namespace hopcoil {

/// The motion wanted, in plain figures: overshoot, and settling time.
///
///     Tuning lamp = tuning_from(Wish{.overshoot_percent = 12, .settling_time_s = 0.4});
///
/// Model   the response to a unit jump from rest (or from `initial_velocity`), settled within 2 %.
/// Units   percent of the jump; seconds, 0.02 to 20; per second for a jump of 1.
///         Each lead has its own reachable overshoots: 0 to 100 % up to 1/2, a least one from there
///         on (24.6 % at lead 1.25). Where two tunings fit, the more damped is taken; where many
///         have no overshoot, the least damped.
struct Wish {
    double overshoot_percent = 10.0;
    double settling_time_s = 0.5;
    double lead = 0.0;
    double initial_velocity = 0.0;
    /// Where the lead makes it first go the other way by more than this, the lead is raised toward
    /// 0.
    std::optional<double> most_anticipation_percent{};
};

/// Errors  InvalidValue for a number out of range, and for a wish out of reach; the message
///         gives the range that can be reached.
/// Cost    some milliseconds at most; a fraction of one without an initial velocity.
[[nodiscard]] Tuning tuning_from(const Wish& wish);

/// The overshoots that some damping ratio up to `most_wished_damping_ratio` gives a jump from rest.
struct OvershootRange {
    double least_percent = 0.0;
    double most_percent = 100.0;
};
inline constexpr double most_wished_damping_ratio = 1000.0;

/// Errors  InvalidValue for a lead that is not finite.
[[nodiscard]] OvershootRange reachable_overshoot(double lead);

/// The figures of a jump from rest, as a wish.
/// Errors  InvalidValue for an invalid tuning, frequency 0 or damping ratio 0: it never settles.
[[nodiscard]] Wish wish_from(const Tuning& tuning);

}  // namespace hopcoil
