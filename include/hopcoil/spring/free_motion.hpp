#pragma once

#include <cstddef>
#include <optional>

#include <hopcoil/spring/tuning.hpp>

namespace hopcoil {

/// A gap to a still target and its rate of change.
struct GapState {
    double gap = 0.0;       ///< value minus target
    double velocity = 0.0;  ///< per second
};

/// The motion of a spring whose target stands still, known in closed form for all times.
///
///     const FreeMotion thrown{tuning, {.gap = -1, .velocity = 0}};
///     thrown.at(0.25).gap;
///     thrown.turning_time_s(0);  // its first swing
///
/// Model   g'' + 2 z w g' + w^2 g = 0 from a given gap and velocity, in closed form.
/// Source  docs/math/follower.md (4), (13)-(15).
/// Errors  InvalidValue for an invalid tuning or a start that is not finite.
class FreeMotion {
  public:
    FreeMotion(const Tuning& tuning, GapState start);

    /// The state `time_s` >= 0 after the start.
    [[nodiscard]] GapState at(double time_s) const noexcept;

    /// The motion of the velocity: it obeys the same equation.
    [[nodiscard]] FreeMotion of_velocity() const;

    /// Whether it turns round without end: so below damping ratio 1. From 1 on it turns round at
    /// most once, and without stiffness never.
    [[nodiscard]] bool turns_for_ever() const noexcept;
    [[nodiscard]] bool turns() const noexcept { return first_turn_s_.has_value(); }

    /// When it turns round for the (index + 1)th time; infinity when it does not.
    [[nodiscard]] double turning_time_s(std::size_t index) const noexcept;
    /// From one turn to the next; infinity when there is no next.
    [[nodiscard]] double half_period_s() const noexcept { return half_period_s_; }
    /// By what factor each swing is smaller than the one before: exp(-pi z / sqrt(1 - z^2)).
    [[nodiscard]] double swing_ratio() const noexcept { return swing_ratio_; }

    /// When the gap first equals `gap` in `after_s` <= t <= `before_s`, a stretch without a turn
    /// inside it; nothing when it does not. `before_s` may be infinite.
    [[nodiscard]] std::optional<double> crossing_s(double gap, double after_s,
                                                   double before_s) const noexcept;

    /// When the gap first equals `gap` at all.
    [[nodiscard]] std::optional<double> first_crossing_s(double gap) const noexcept;

    /// When the gap enters +-`band` (> 0) for good; nothing when it never does.
    [[nodiscard]] std::optional<double> settling_time_s(double band) const noexcept;

  private:
    Tuning tuning_;
    GapState start_;
    std::optional<double> first_turn_s_;
    double half_period_s_;
    double swing_ratio_ = 0.0;
};

}  // namespace hopcoil
