#pragma once

#include <type_traits>

#include <hopcoil/spring/tuning.hpp>

namespace hopcoil {

/// The rows of a step toward a target that moves straight. With g = y - x (the gap), v = y' and
/// D the target's travel during the step, all before the step:
///
///     g <- gap_of_gap g      + gap_of_velocity v      + gap_of_travel D
///     v <- velocity_of_gap g + velocity_of_velocity v + velocity_of_travel D
template <class S>
struct StraightRows {
    S gap_of_gap = 1;
    S gap_of_velocity = 0;
    S gap_of_travel = -1;
    S velocity_of_gap = 0;
    S velocity_of_velocity = 1;
    S velocity_of_travel = 0;
};

/// The rows of a step toward a target that moves along a cubic, from its velocity x0' before the
/// step to x1' after it.
///
///     g <- gap_of_gap g + gap_of_velocity v
///          + (gap_of_travel D + gap_of_first x0' + gap_of_last x1')
///
/// and v likewise. When x0' is not known it is D / dt, and `..._of_chord D` stands for its term.
/// The target's three terms can cancel where damping and lead are high, so they stay in double.
template <class S>
struct CubicRows {
    S gap_of_gap = 1;
    S gap_of_velocity = 0;
    S velocity_of_gap = 0;
    S velocity_of_velocity = 1;
    double gap_of_travel = -1;
    double gap_of_first = 0;
    double gap_of_last = 0;
    double gap_of_chord = 0;
    double velocity_of_travel = 0;
    double velocity_of_first = 0;
    double velocity_of_last = 0;
    double velocity_of_chord = 0;
};

/// Source  docs/math/follower.md, equations (2) to (7); short steps by series, (16) to (18). Never
///         form D / dt: it overflows.
/// Errors  none; for a valid tuning and a finite dt >= 0 all rows are finite unless w dt overflows.
[[nodiscard]] StraightRows<double> straight_rows(const Tuning& tuning, double dt) noexcept;
/// Source  docs/math/follower.md, equations (8) to (12); costs about five times `straight_rows`.
[[nodiscard]] CubicRows<double> cubic_rows(const Tuning& tuning, double dt) noexcept;
/// Rows of a jump, a real move in no time: the limit of `straight_rows` as dt goes to 0.
[[nodiscard]] StraightRows<double> jump_rows(const Tuning& tuning) noexcept;

/// Rounds each row once; what would be subnormal in S becomes 0, since products with it are slow.
template <class S>
[[nodiscard]] StraightRows<S> rounded(const StraightRows<double>& rows) noexcept;
template <class S>
[[nodiscard]] CubicRows<S> rounded(const CubicRows<double>& rows) noexcept;

/// One step's numbers for a tuning and a time step, to be shared by many followers.
///
///     const StepCoefficients frame{tuning, dt};
///     for (auto& lamp : lamps) lamp.step(hook, frame);
///
/// Model   Computed in double; each follower rounds them once to its own scalar.
/// Errors  InvalidValue for an invalid tuning, or a dt that is not finite and >= 0.
class StepCoefficients {
  public:
    StepCoefficients(const Tuning& tuning, double dt);

    [[nodiscard]] const Tuning& tuning() const noexcept { return tuning_; }
    [[nodiscard]] double dt() const noexcept { return dt_; }

    /// The rows in float or double.
    template <class S>
    [[nodiscard]] const StraightRows<S>& rows() const noexcept {
        if constexpr (std::is_same_v<S, float>) {
            return in_float_;
        } else {
            return in_double_;
        }
    }

  private:
    Tuning tuning_;
    double dt_;
    StraightRows<double> in_double_;
    StraightRows<float> in_float_;
};

/// The same for targets whose velocity is known: `lamp.step(hook, hook_velocity, frame)`.
class CubicStepCoefficients {
  public:
    CubicStepCoefficients(const Tuning& tuning, double dt);

    [[nodiscard]] const Tuning& tuning() const noexcept { return tuning_; }
    [[nodiscard]] double dt() const noexcept { return dt_; }

    template <class S>
    [[nodiscard]] const CubicRows<S>& rows() const noexcept {
        if constexpr (std::is_same_v<S, float>) {
            return in_float_;
        } else {
            return in_double_;
        }
    }

  private:
    Tuning tuning_;
    double dt_;
    CubicRows<double> in_double_;
    CubicRows<float> in_float_;
};

}  // namespace hopcoil
