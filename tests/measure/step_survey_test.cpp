// What a survey says of a scheme is what its steps do.

#include <array>
#include <cmath>

#include <catch2/catch.hpp>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/measure/step_survey.hpp>

#include "support/random.hpp"
#include "support/reference.hpp"

using namespace hopcoil;
using Catch::Matchers::Contains;

TEST_CASE("a stepped jump is shown beside the exact one", "[survey]") {
    const Tuning tuning{.frequency_hz = 3, .damping_ratio = 0.25, .lead = 0.6};
    const double w = angular_frequency_rad_per_s(tuning);
    for (const SchemeFacts& facts : all_schemes()) {
        CAPTURE(facts.name);
        const SteppedJump jump = stepped_jump(tuning, facts.scheme, 1.0 / 240, 2);
        REQUIRE(jump.values.size() == jump.exact.size());
        REQUIRE(jump.times_s.size() == 481);
        double worst = 0;
        for (std::size_t i = 0; i < jump.times_s.size(); ++i) {
            worst = std::max(worst, std::abs(jump.values[i] - jump.exact[i]));
            // An independent answer: the lead makes the jump a kick of 2 z w L.
            const double t = jump.times_s[i];
            const double d = w * std::sqrt(1 - 0.0625);
            const double gap =
                std::exp(-0.25 * w * t) *
                (-std::cos(d * t) + (2 * 0.25 * w * 0.6 - 0.25 * w) / d * std::sin(d * t));
            CHECK(jump.exact[i] == Approx(1 + gap).margin(1e-12));
        }
        CHECK(jump.error_percent == Approx(100 * worst));
        CHECK(worst < 0.2);
        CHECK_FALSE(jump.left_for_infinity);
    }
    const SteppedJump left = stepped_jump(tuning, Scheme::explicit_euler, 0.1, 10);
    CHECK(left.left_for_infinity);
    CHECK(std::isinf(left.error_percent));
    CHECK(left.values.size() == left.times_s.size());
}

TEST_CASE("energy drifts the way a scheme is known for", "[survey]") {
    const Tuning undamped{.frequency_hz = 2, .damping_ratio = 0};
    const auto drift = [&](Scheme scheme) {
        return stepped_jump(undamped, scheme, 1.0 / 240, 3).energy_drift_percent;
    };
    CHECK(drift(Scheme::explicit_euler) > 100);
    CHECK(drift(Scheme::implicit_euler) < -50);
    CHECK(std::abs(drift(Scheme::semi_implicit_euler)) < 4);
    CHECK(std::abs(drift(Scheme::velocity_verlet)) < 0.3);
    CHECK(std::abs(drift(Scheme::runge_kutta_4)) < 1e-3);
}

TEST_CASE("the rate that a scheme needs meets the wanted error, and little less would not",
          "[survey][long]") {
    Random random{71};
    constexpr std::array<double, 2> rates{60, 240};
    for (int i = 0; i < 12; ++i) {
        const Tuning tuning{.frequency_hz = random.over_magnitudes(0.5, 20),
                            .damping_ratio = random.over_magnitudes(0.05, 3),
                            .lead = random.between(-0.5, 1)};
        const double wanted = random.over_magnitudes(0.1, 10);
        const StepSurvey survey = survey_steps(tuning, rates, wanted);
        CAPTURE(tuning.frequency_hz, tuning.damping_ratio, wanted);
        REQUIRE(survey.schemes.size() == scheme_count);
        REQUIRE(survey.cheapest);
        for (const SchemeSurvey& scheme : survey.schemes) {
            CAPTURE(facts_of(scheme.scheme).name);
            REQUIRE(scheme.cells.size() == rates.size());
            if (!scheme.needed_rate_hz) continue;
            const double step_s = 1 / *scheme.needed_rate_hz;
            CHECK(step_s < scheme.limits.largest_stable_s);
            const auto error = [&](double step) {
                return stepped_jump(tuning, scheme.scheme, step, survey.duration_s).error_percent;
            };
            CHECK(error(step_s) <= wanted);
            CHECK(scheme.evaluations_per_s >= survey.schemes[*survey.cheapest].evaluations_per_s);
            if (std::isfinite(scheme.measured_order))
                CHECK(scheme.measured_order > 0.8 * facts_of(scheme.scheme).order);
        }
        CHECK(survey.adaptive.error_percent <= wanted);
        CHECK(survey.adaptive.evaluations_per_s > 0);
    }
}

TEST_CASE("a survey refuses what has no answer", "[survey]") {
    constexpr std::array<double, 1> rates{60};
    constexpr std::array<double, 1> no_rate{0};
    CHECK_THROWS_WITH(survey_steps({.frequency_hz = 0}, rates), Contains("frequency_hz"));
    CHECK_THROWS_WITH(survey_steps({}, no_rate), Contains("rate_hz"));
    CHECK_THROWS_WITH(survey_steps({}, rates, 0), Contains("wanted_error_percent"));
    CHECK_THROWS_WITH(stepped_jump({}, Scheme::midpoint, -1, 1), Contains("step_s"));
}
