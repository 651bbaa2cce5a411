#pragma once

namespace hopcoil {

/// The same angle in (-pi, pi].
[[nodiscard]] double wrapped_rad(double angle_rad) noexcept;

/// The shorter turn from one angle to another, in (-pi, pi]; half a turn goes counter-clockwise.
[[nodiscard]] double shorter_turn_rad(double from_rad, double to_rad) noexcept;

/// Full turns in an angle: the largest whole number of turns that is not above it.
[[nodiscard]] double whole_turns(double angle_rad) noexcept;

}  // namespace hopcoil
