#include <algorithm>
#include <array>
#include <cmath>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/follow/stepped_follower.hpp>
#include <hopcoil/measure/step_survey.hpp>
#include <hopcoil/spring/free_motion.hpp>
#include <hopcoil/stepping/adaptive_runge_kutta.hpp>

namespace hopcoil {
namespace {

/// The state after a jump of 1: the gap, and the velocity from the lead.
GapState start_of_jump(const Tuning& tuning) {
    Follower<double> follower{tuning, 0};
    follower.jump(1);
    return {follower.motion().gap, follower.velocity()};
}

double energy_of(const Tuning& tuning, double gap, double velocity) {
    const double w = angular_frequency_rad_per_s(tuning);
    return 0.5 * velocity * velocity + 0.5 * (w * gap) * (w * gap);
}

/// Until it has settled, or after a dozen swings.
double observation_duration_s(const Tuning& tuning) {
    const double swings_s = 12 / tuning.frequency_hz;
    const FreeMotion free{tuning, start_of_jump(tuning)};
    constexpr double band = 0.02;
    return std::min(swings_s, free.settling_time_s(band).value_or(swings_s));
}

/// The most steps of a jump that are taken: with a slow spring and a high rate more would show
/// nothing new.
constexpr double most_steps = 3e5;

/// Steps a jump and calls back with each step: time, exact state, stepped gap and velocity. False
/// when it diverged.
template <class Visit>
bool step_a_jump(const Tuning& tuning, Scheme scheme, double step_s, double duration_s,
                 const Visit& visit) {
    SteppedFollower<double> stepped{tuning, {.scheme = scheme, .guard = {.guard = Guard::none}}, 0};
    const GapState start = start_of_jump(tuning);
    stepped.resume({1.0, start.gap, start.velocity});
    const FreeMotion exact{tuning, start};
    const auto steps =
        static_cast<long>(std::min(most_steps, std::ceil(duration_s / step_s - 1e-9)));
    for (long i = 1; i <= steps; ++i) {
        if (stepped.step(1, step_s) != StepStatus::stepped) return false;
        const double time_s = static_cast<double>(i) * step_s;
        visit(time_s, exact.at(time_s), stepped.motion());
    }
    return true;
}

/// The error only, in percent; infinite when it diverged.
double error_percent_of(const Tuning& tuning, Scheme scheme, double step_s, double duration_s) {
    double worst = 0;
    const bool stayed =
        step_a_jump(tuning, scheme, step_s, duration_s,
                    [&](double /*time_s*/, const GapState& exact, const Motion<double>& stepped) {
                        worst = std::max(worst, std::abs(stepped.gap - exact.gap));
                    });
    return stayed ? 100 * worst : std::numeric_limits<double>::infinity();
}

/// Doubles the rate until the error is small enough, then bisects between the last two.
std::optional<double> needed_rate_hz(const Tuning& tuning, Scheme scheme, double wanted_percent,
                                     double duration_s) {
    const double line_s = step_limits(tuning, scheme).largest_stable_s;
    const auto is_enough = [&](double rate_hz) {
        return 1 / rate_hz < line_s &&
               error_percent_of(tuning, scheme, 1 / rate_hz, duration_s) <= wanted_percent;
    };
    double low = tuning.frequency_hz;
    double high = 2 * low;
    if (!(low > 0) || !(duration_s > 0)) return std::nullopt;
    while (!is_enough(high)) {
        low = high;
        high *= 2;
        if (high * duration_s > most_steps) return std::nullopt;
    }
    while (high > 1.01 * low) {
        const double middle = std::sqrt(low * high);
        (is_enough(middle) ? high : low) = middle;
    }
    return high;
}

/// From two radians a step down, while the error is above rounding.
std::vector<StepError> errors_against_step(const Tuning& tuning, Scheme scheme, double duration_s) {
    constexpr int points = 12;
    std::vector<StepError> errors;
    double step_s = 2 / angular_frequency_rad_per_s(tuning);
    for (int i = 0; i < points; ++i) {
        const double percent = error_percent_of(tuning, scheme, step_s, duration_s);
        if (percent < 1e-8) break;
        errors.push_back({step_s, percent});
        step_s /= 2;
    }
    return errors;
}

double measured_order(const std::vector<StepError>& errors) {
    const auto usable = [](const StepError& each) {
        return each.error_percent < 20;
    };
    if (errors.size() < 2 || !usable(errors[errors.size() - 2])) {
        return std::numeric_limits<double>::quiet_NaN();
    }
    return std::log2(errors[errors.size() - 2].error_percent / errors.back().error_percent);
}

SchemeSurvey survey_scheme(const Tuning& tuning, Scheme scheme, std::span<const double> rates_hz,
                           double wanted_percent, double duration_s) {
    const int looks = facts_of(scheme).evaluations_per_step;
    SchemeSurvey survey{.scheme = scheme, .limits = step_limits(tuning, scheme)};
    for (const double rate_hz : rates_hz) {
        const SteppedJump jump = stepped_jump(tuning, scheme, 1 / rate_hz, duration_s);
        survey.cells.push_back({.rate_hz = rate_hz,
                                .report = step_report(tuning, scheme, 1 / rate_hz),
                                .error_percent = jump.error_percent,
                                .energy_drift_percent = jump.energy_drift_percent,
                                .evaluations_per_s = looks * rate_hz});
    }
    survey.errors = errors_against_step(tuning, scheme, duration_s);
    survey.measured_order = measured_order(survey.errors);
    survey.needed_rate_hz = needed_rate_hz(tuning, scheme, wanted_percent, duration_s);
    if (survey.needed_rate_hz) survey.evaluations_per_s = looks * *survey.needed_rate_hz;
    return survey;
}

AdaptiveSurvey adaptive_at(const Tuning& tuning, double tolerance, double duration_s) {
    const GapState start = start_of_jump(tuning);
    const FreeMotion exact{tuning, start};
    const double w = angular_frequency_rad_per_s(tuning);
    const auto spring = [&](double /*t*/, std::span<const double> x, std::span<const double> v,
                            std::span<double> a) {
        a[0] = -w * w * x[0] - 2 * tuning.damping_ratio * w * v[0];
    };
    AdaptiveRungeKutta<double> scheme{
        1, {.relative_tolerance = std::min(tolerance, 0.1), .absolute_tolerance = tolerance}};
    std::array<double, 1> x{start.gap};
    std::array<double, 1> v{start.velocity};
    constexpr double frame_s = 1.0 / 60;
    double worst = 0;
    double time_s = 0;
    constexpr int most_frames = 30'000;
    for (int frame = 0; time_s < duration_s && frame < most_frames; ++frame) {
        scheme.step(spring, time_s, frame_s, x, v);
        time_s += frame_s;
        worst = std::max(worst, std::abs(x[0] - exact.at(time_s).gap));
    }
    return {.tolerance = tolerance,
            .error_percent = 100 * worst,
            .steps_per_s = static_cast<double>(scheme.steps_taken()) / time_s,
            .evaluations_per_s = static_cast<double>(scheme.evaluations()) / time_s};
}

AdaptiveSurvey survey_adaptive(const Tuning& tuning, double wanted_percent, double duration_s) {
    AdaptiveSurvey survey;
    constexpr int tries = 44;
    double tolerance = 0.1;
    for (int i = 0; i < tries; ++i) {
        survey = adaptive_at(tuning, tolerance, duration_s);
        if (survey.error_percent <= wanted_percent) break;
        tolerance /= 2;
    }
    return survey;
}

}  // namespace

SteppedJump stepped_jump(const Tuning& tuning, Scheme scheme, double step_s, double duration_s) {
    require_valid(tuning);
    require_above_zero("step_s", step_s);
    require_above_zero("duration_s", duration_s);
    const GapState start = start_of_jump(tuning);
    const double energy_0 = energy_of(tuning, start.gap, start.velocity);
    SteppedJump jump{.times_s = {0}, .values = {1 + start.gap}, .exact = {1 + start.gap}};
    const auto note = [&](double time_s, const GapState& exact, const Motion<double>& stepped) {
        jump.times_s.push_back(time_s);
        jump.values.push_back(stepped.value());
        jump.exact.push_back(1 + exact.gap);
        jump.error_percent = std::max(jump.error_percent, 100 * std::abs(stepped.gap - exact.gap));
        const double drift = 100 *
                             (energy_of(tuning, stepped.gap, stepped.velocity) -
                              energy_of(tuning, exact.gap, exact.velocity)) /
                             energy_0;
        if (std::abs(drift) > std::abs(jump.energy_drift_percent))
            jump.energy_drift_percent = drift;
    };
    if (!step_a_jump(tuning, scheme, step_s, duration_s, note)) {
        jump.left_for_infinity = true;
        jump.error_percent = jump.energy_drift_percent = std::numeric_limits<double>::infinity();
    }
    return jump;
}

StepSurvey survey_steps(const Tuning& tuning, std::span<const double> rates_hz,
                        double wanted_error_percent) {
    require_valid(tuning);
    require_above_zero("frequency_hz", tuning.frequency_hz);
    require_above_zero("wanted_error_percent", wanted_error_percent);
    for (const double rate_hz : rates_hz)
        require_above_zero("rate_hz", rate_hz);
    StepSurvey survey{.tuning = tuning,
                      .wanted_error_percent = wanted_error_percent,
                      .duration_s = observation_duration_s(tuning)};
    for (const SchemeFacts& each : all_schemes()) {
        survey.schemes.push_back(
            survey_scheme(tuning, each.scheme, rates_hz, wanted_error_percent, survey.duration_s));
        const SchemeSurvey& last = survey.schemes.back();
        const bool is_cheaper =
            last.needed_rate_hz &&
            (!survey.cheapest ||
             last.evaluations_per_s < survey.schemes[*survey.cheapest].evaluations_per_s);
        if (is_cheaper) survey.cheapest = survey.schemes.size() - 1;
    }
    survey.adaptive = survey_adaptive(tuning, wanted_error_percent, survey.duration_s);
    return survey;
}

}  // namespace hopcoil
