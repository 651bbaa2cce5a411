#include <cmath>
#include <string>

#include <catch2/catch.hpp>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/spring/step_coefficients.hpp>
#include <hopcoil/spring/tuning.hpp>

#include "support/numbers.hpp"
#include "support/random.hpp"

using namespace hopcoil;
using Catch::Matchers::Contains;

namespace {

void check_same(const Tuning& found, const Tuning& expected) {
    CHECK(found.frequency_hz == Approx(expected.frequency_hz).epsilon(1e-14));
    CHECK(found.damping_ratio == Approx(expected.damping_ratio).epsilon(1e-14));
    CHECK(found.lead == Approx(expected.lead).epsilon(1e-14));
}

}  // namespace

TEST_CASE("a tuning goes to every other form and back", "[tuning]") {
    Random random{3};
    for (int i = 0; i < 1000; ++i) {
        const Tuning tuning{.frequency_hz = random.over_magnitudes(1e-3, 1e3),
                            .damping_ratio = random.over_magnitudes(1e-3, 50),
                            .lead = random.between(-3, 3)};
        const double mass_kg = random.over_magnitudes(1e-6, 1e6);
        check_same(tuning_from(spring_constants_from(tuning, mass_kg)), tuning);
        check_same(tuning_from(coefficients_from(tuning)), tuning);
    }
}

TEST_CASE("a spring's numbers mean what the textbook says", "[tuning]") {
    const Tuning tuning = tuning_from(
        SpringConstants{.mass_kg = 2, .stiffness_n_per_m = 300, .damping_n_s_per_m = 9});
    CHECK(tuning.frequency_hz == Approx(std::sqrt(150.0) / (2 * 3.14159265358979)));
    CHECK(tuning.damping_ratio == Approx(9 / (2 * std::sqrt(600.0))));
    CHECK(tuning.lead == 0);

    const Tuning rates =
        tuning_from(Coefficients{.y_rate_s = 0.1, .y_acceleration_s2 = 0.01, .x_rate_s = 0.05});
    CHECK(rates.frequency_hz == Approx(10 / (2 * 3.14159265358979)));
    CHECK(rates.damping_ratio == Approx(0.5));
    CHECK(rates.lead == Approx(0.5));
}

TEST_CASE("a free mass is a tuning, a damper without a spring is not", "[tuning]") {
    CHECK(tuning_from(SpringConstants{.mass_kg = 2}).frequency_hz == 0);
    CHECK_THROWS_WITH(tuning_from(SpringConstants{.mass_kg = 2, .damping_n_s_per_m = 1}),
                      Contains("damper without a spring"));
    CHECK_THROWS_WITH(tuning_from(Coefficients{.y_acceleration_s2 = 1, .x_rate_s = 1}),
                      Contains("y_rate_s = 0"));
    CHECK_THROWS_WITH(tuning_from(Coefficients{.y_rate_s = 1, .y_acceleration_s2 = 0}),
                      Contains("y_acceleration_s2 = 0"));
    CHECK_THROWS_WITH(coefficients_from(Tuning{.frequency_hz = 0}), Contains("frequency_hz = 0"));
    CHECK_THROWS_WITH(ramp_lag_s(Tuning{.frequency_hz = 0}), Contains("frequency_hz = 0"));
}

TEST_CASE("a number that can never be right is refused by name", "[tuning]") {
    CHECK_THROWS_WITH(require_valid(Tuning{.damping_ratio = -1}),
                      "damping_ratio = -1: expected a finite number, 0 or more");
    for (const double wrong : {-1.0, not_a_number, infinity}) {
        CHECK_THROWS_AS(require_valid(Tuning{.frequency_hz = wrong}), std::invalid_argument);
        CHECK_THROWS_AS(require_valid(Tuning{.damping_ratio = wrong}), std::invalid_argument);
        CHECK_THROWS_AS(tuning_from(SpringConstants{.mass_kg = wrong}), std::invalid_argument);
        CHECK_THROWS_AS(StepCoefficients(Tuning{}, wrong), std::invalid_argument);
        CHECK_THROWS_AS(CubicStepCoefficients(Tuning{}, wrong), std::invalid_argument);
    }
    CHECK_THROWS_AS(require_valid(Tuning{.lead = not_a_number}), std::invalid_argument);
    CHECK_THROWS_AS(tuning_from(SpringConstants{.mass_kg = 0}), std::invalid_argument);
    try {
        require_valid(Tuning{.frequency_hz = -2});
        FAIL("it was accepted");
    } catch (const InvalidValue& problem) {
        CHECK(problem.field() == "frequency_hz");
        CHECK(problem.value() == -2);
    }
}

TEST_CASE("a tuning's dials set what they say and refuse what the tuning refuses", "[tuning]") {
    Tuning tuning;
    for (const Dial<Tuning>& dial : Tuning::dials()) {
        CAPTURE(std::string{dial.path});
        CHECK(dial.get(tuning) == dial.default_value);
        CHECK(dial.set(tuning, dial.slider.most) == DialStatus::set);
        CHECK(dial.get(tuning) == dial.slider.most);
        CHECK(dial.set(tuning, not_a_number) == DialStatus::refused);
        CHECK(dial.get(tuning) == dial.slider.most);
        CHECK((dial.hard.least <= dial.slider.least && dial.slider.most <= dial.hard.most));
    }
    CHECK(Tuning::dials()[1].set(tuning, -0.1) == DialStatus::refused);
}
