#pragma once

#include <optional>
#include <string_view>
#include <vector>

#include <hopcoil/spring/tuning.hpp>

/// @file
/// How a follower responds to a sudden jump, a kick, a ramp, a sine: figures of the continuous
/// motion, in closed form or as roots of it, free of any frame rate.

namespace hopcoil {

/// A figure, or why there is none.
class Figure {
  public:
    Figure(double value) noexcept : value_{value} {}
    Figure(std::optional<double> value, std::string_view reason_if_none) noexcept
        : value_{value}, reason_{reason_if_none} {}
    [[nodiscard]] static Figure none(std::string_view reason) noexcept {
        return {std::nullopt, reason};
    }

    [[nodiscard]] const std::optional<double>& value() const noexcept { return value_; }
    /// In plain words; empty when there is a value.
    [[nodiscard]] std::string_view reason() const noexcept {
        return value_ ? std::string_view{} : reason_;
    }

  private:
    std::optional<double> value_;
    std::string_view reason_;
};

/// A turning point, in percent of the jump (of the kick's furthest point): past the target (+) or
/// short of it (-).
struct Swing {
    double time_s = 0.0;
    double percent = 0.0;
};

/// Smaller swings are not listed.
inline constexpr double least_swing_percent = 0.01;
/// At most so many swings are listed.
inline constexpr std::size_t most_swings = 1000;
/// The band in which a motion counts as settled, in percent of the jump.
inline constexpr double settling_band_percent = 2.0;

/// The response to a target that jumps by `size` under a follower resting on it (or passing through
/// it at `initial_velocity`).
struct JumpResponse {
    Figure overshoot_percent{0.0};     ///< furthest past the target
    Figure anticipation_percent{0.0};  ///< furthest the other way, behind the start
    Figure rise_time_s{0.0};           ///< from first 10 to first 90 % of the way
    Figure peak_time_s{0.0};           ///< of the furthest point past the target
    Figure settling_time_s{0.0};       ///< within 2 % of the jump for good
    Figure reversals{0.0};             ///< turning points outside the 2 % band
    Figure peak_velocity{0.0};         ///< the highest speed on the way
    std::vector<Swing> swings{};       ///< every turning point down to `least_swing_percent`
};
/// Errors  InvalidValue for an invalid tuning, a size of 0, or anything not finite.
[[nodiscard]] JumpResponse jump_response(const Tuning& tuning, double size = 1.0,
                                         double initial_velocity = 0.0);

/// The response to a sudden velocity, from rest on the target.
struct KickResponse {
    Figure furthest{0.0};  ///< distance, with the kick's sign
    Figure furthest_time_s{0.0};
    Figure return_time_s{0.0};    ///< first back at the target
    Figure settling_time_s{0.0};  ///< within 2 % of the furthest distance for good
    Figure reversals{0.0};        ///< turning points outside that band
    Figure peak_velocity{0.0};
    std::vector<Swing> swings{};  ///< in percent of the furthest distance
};
/// Errors  InvalidValue for an invalid tuning, or a velocity of 0 or not finite.
[[nodiscard]] KickResponse kick_response(const Tuning& tuning, double velocity = 1.0);

/// The response to a target that starts moving at a steady speed.
struct RampResponse {
    Figure steady_gap{0.0};   ///< value minus target in the end
    Figure largest_gap{0.0};  ///< the largest on the way, in size
    Figure largest_gap_time_s{0.0};
    Figure peak_velocity{0.0};
};
/// Errors  InvalidValue for an invalid tuning, a speed of 0, or anything not finite.
[[nodiscard]] RampResponse ramp_response(const Tuning& tuning, double speed = 1.0,
                                         double initial_velocity = 0.0);

/// The steady response to a sine, after the transient has decayed.
struct SineResponse {
    Figure gain{0.0};           ///< the value's amplitude over the target's
    Figure phase_lag_rad{0.0};  ///< behind the target, in (-pi, pi]
    Figure delay_s{0.0};        ///< the same as time
};
/// Errors  InvalidValue for an invalid tuning, or a frequency that is not above 0.
[[nodiscard]] SineResponse sine_response(const Tuning& tuning, double sine_hz);

}  // namespace hopcoil
