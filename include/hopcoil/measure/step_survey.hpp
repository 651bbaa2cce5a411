#pragma once

#include <cstddef>
#include <limits>
#include <optional>
#include <span>
#include <vector>

#include <hopcoil/spring/tuning.hpp>
#include <hopcoil/stepping/scheme.hpp>
#include <hopcoil/stepping/stability.hpp>

namespace hopcoil {

/// The response to a unit jump as a scheme steps it, beside the exact one at the same times.
struct SteppedJump {
    std::vector<double> times_s{};
    std::vector<double> values{};  ///< 0 before the jump, 1 is its target; fewer when it diverged
    std::vector<double> exact{};
    bool left_for_infinity = false;
    /// The largest difference of the two, in percent of the jump; infinite when it diverged.
    double error_percent = 0.0;
    /// Energy beside the exact motion's where they differ most, in percent of the energy at the
    /// start: above 0 the scheme has gained some.
    double energy_drift_percent = 0.0;
};

/// At most 300,000 steps.
/// Errors  InvalidValue for an invalid tuning, or a step or duration not above 0.
[[nodiscard]] SteppedJump stepped_jump(const Tuning& tuning, Scheme scheme, double step_s,
                                       double duration_s);

/// A scheme at one rate.
struct SurveyCell {
    double rate_hz = 0.0;
    StepReport report{};
    double error_percent = 0.0;  ///< as in SteppedJump
    double energy_drift_percent = 0.0;
    double evaluations_per_s = 0.0;  ///< of the accelerations, for a simulated second
};

/// An error at a step, for curves of error against step.
struct StepError {
    double step_s = 0.0;
    double error_percent = 0.0;
};

/// Limits, errors and cost of a scheme for a tuning.
struct SchemeSurvey {
    Scheme scheme = Scheme::semi_implicit_euler;
    StepLimits limits{};
    std::vector<SurveyCell> cells{};  ///< one for each rate
    std::vector<StepError> errors{};  ///< from the largest step down, each half of the one before
    double measured_order = std::numeric_limits<double>::quiet_NaN();
    /// The least rate at which it is stable and the error is as wanted, to 1 %; nothing when the
    /// jump then takes more than 300,000 steps.
    std::optional<double> needed_rate_hz{};
    double evaluations_per_s = 0.0;  ///< at that rate
};

/// What the adaptive scheme needs for the same error, seen at 60 Hz.
struct AdaptiveSurvey {
    double tolerance = 0.0;
    double error_percent = 0.0;
    double steps_per_s = 0.0;
    double evaluations_per_s = 0.0;
};

struct StepSurvey {
    Tuning tuning{};
    double wanted_error_percent = 1.0;
    double duration_s = 0.0;  ///< of the jump that was looked at
    std::vector<SchemeSurvey> schemes{};
    AdaptiveSurvey adaptive{};
    /// Index of the scheme that meets the wanted error with the fewest evaluations.
    std::optional<std::size_t> cheapest{};
};

/// Surveys every scheme: its limits, its error at each rate, and its cost for a wanted error.
///
/// Model   the response to a unit jump (the lead acts), until it has settled or swung a dozen
///         times, or 300,000 steps are taken.
/// Errors  InvalidValue for an invalid tuning, one without a spring (0 Hz), rates that are not
///         finite and above 0, or a wanted error not above 0 percent.
/// Cost    some ten thousand steps a scheme, more for small errors.
[[nodiscard]] StepSurvey survey_steps(const Tuning& tuning, std::span<const double> rates_hz,
                                      double wanted_error_percent = 1.0);

}  // namespace hopcoil
