#pragma once

#include <hopcoil/follow/coast_tuning.hpp>
#include <hopcoil/follow/event.hpp>
#include <hopcoil/follow/intent.hpp>
#include <hopcoil/follow/pursuit.hpp>
#include <hopcoil/follow/settle_curve.hpp>
#include <hopcoil/follow/sleeper.hpp>

namespace hopcoil {

/// How many of a world's units make a metre: 100 where it is measured in centimetres, 3780 on a
/// screen of 96 pixels to the inch at life size. Parameters tuned in metres keep their feel there.
///
///     constexpr WorldScale pixels{.units_per_metre = 240};
///     Pursuit<Vector2f> gull{pixels({.max_speed = 3, .max_acceleration = 8}), perch};
///
/// Model   distances, speeds and accelerations grow by units_per_metre, numbers per distance
///         shrink; times, ratios, frequencies and damping ratios stay: a Tuning, a GlideTuning, a
///         SettleTuning need no scaling.
struct WorldScale {
    double units_per_metre = 1.0;

    [[nodiscard]] constexpr PursuitTuning operator()(PursuitTuning in_metres) const noexcept {
        in_metres.max_speed *= units_per_metre;
        in_metres.max_acceleration *= units_per_metre;
        return in_metres;
    }
    [[nodiscard]] constexpr CoastTuning operator()(CoastTuning in_metres) const noexcept {
        in_metres.resting_speed *= units_per_metre;
        return in_metres;
    }
    [[nodiscard]] constexpr RestRule operator()(RestRule in_metres) const noexcept {
        in_metres.distance *= units_per_metre;
        return in_metres;
    }
    [[nodiscard]] constexpr RestLimits operator()(RestLimits in_metres) const noexcept {
        in_metres.distance *= units_per_metre;
        in_metres.speed *= units_per_metre;
        return in_metres;
    }
    [[nodiscard]] constexpr Stops operator()(Stops in_metres) const noexcept {
        in_metres.low *= units_per_metre;
        in_metres.high *= units_per_metre;
        return in_metres;
    }
    [[nodiscard]] constexpr Lean operator()(Lean per_metre) const noexcept {
        per_metre.per_gap /= units_per_metre;
        per_metre.per_acceleration /= units_per_metre;
        return per_metre;
    }
    [[nodiscard]] constexpr const Tuning& operator()(const Tuning& tuning) const noexcept {
        return tuning;
    }
    [[nodiscard]] constexpr double operator()(double metres) const noexcept {
        return metres * units_per_metre;
    }
};

}  // namespace hopcoil
