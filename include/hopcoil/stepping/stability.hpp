#pragma once

#include <array>
#include <cstdint>
#include <limits>

#include <hopcoil/spring/tuning.hpp>
#include <hopcoil/stepping/scheme.hpp>

namespace hopcoil {

/// One step of a free spring under a scheme: (y, v / w) goes to
///
///     (y_of_y y + y_of_v v / w,  v_of_y y + v_of_v v / w)
///
/// Position Verlet is given in the velocity of its chord, which it remembers.
struct OneStepMatrix {
    double y_of_y = 1.0;
    double y_of_v = 0.0;
    double v_of_y = 0.0;
    double v_of_v = 1.0;
};

/// Model   of y'' = -w^2 y - 2 z w y' with u = w dt; docs/math/stepping.md (2)-(8).
/// Errors  none; entries overflow for u beyond 1e70.
[[nodiscard]] OneStepMatrix one_step_matrix(Scheme scheme, double u, double damping_ratio) noexcept;

/// The larger of its eigenvalues' sizes: the factor by which a swing grows each step in the long
/// run.
[[nodiscard]] double spectral_radius(const OneStepMatrix& matrix) noexcept;

/// Whether an eigenvalue is real and negative: then something in the motion changes sign every
/// frame, and is seen as jitter.
[[nodiscard]] bool has_negative_eigenvalue(const OneStepMatrix& matrix) noexcept;

/// Up to which step a scheme is stable for a spring, and from which it rings.
struct StepLimits {
    /// A step below it is stable, one above it is not; 0 where none is, infinity where all are.
    double largest_stable_s = std::numeric_limits<double>::infinity();
    /// From this step on it changes sign every frame; infinity where it never does.
    double ringing_from_s = std::numeric_limits<double>::infinity();
};

/// Model   the least u > 0 at which the spectral radius passes 1, over w: in closed form for the
///         Euler schemes and position Verlet, a root for the others (docs/math/stepping.md).
/// Errors  InvalidValue for an invalid tuning. Without a spring (0 Hz) there are no limits.
[[nodiscard]] StepLimits step_limits(const Tuning& tuning, Scheme scheme);
/// The same as multiples of 1 / w, for a damping ratio alone. Errors: InvalidValue below 0.
[[nodiscard]] StepLimits unit_step_limits(double damping_ratio, Scheme scheme);

enum class StepVerdict : std::uint8_t { stable, rings, unstable };
/// "stable", "rings", "unstable".
[[nodiscard]] const char* in_words(StepVerdict verdict) noexcept;

/// How a scheme steps a spring at one step size.
struct StepReport {
    StepVerdict verdict = StepVerdict::stable;
    double spectral_radius = 1.0;
    /// The damping ratio and frequency that the stepped motion has in place of the tuning's; NaN
    /// where it does not swing (two real eigenvalues).
    double damping_ratio = std::numeric_limits<double>::quiet_NaN();
    double frequency_hz = std::numeric_limits<double>::quiet_NaN();
    /// The natural frequency is above half the frame rate: no scheme and no curve can show it.
    bool beyond_half_rate = false;
};

/// Errors  InvalidValue for an invalid tuning, or a dt that is not finite and above 0.
[[nodiscard]] StepReport step_report(const Tuning& tuning, Scheme scheme, double dt);

}  // namespace hopcoil
