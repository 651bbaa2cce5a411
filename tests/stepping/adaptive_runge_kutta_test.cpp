// The adaptive scheme meets its tolerance, costs less than fixed steps where that matters, and is
// known between its steps.

#include <array>
#include <cmath>
#include <limits>
#include <span>

#include <catch2/catch.hpp>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/stepping/adaptive_runge_kutta.hpp>
#include <hopcoil/stepping/runge_kutta_4.hpp>

#include "support/allocations.hpp"

using namespace hopcoil;
using Catch::Matchers::Contains;

namespace {

using In = std::span<const double>;
using Out = std::span<double>;

/// Swings, and its exact answer: y = exp(-z w t) cos(d t).
struct DampedSwing {
    double w;
    double z;

    void operator()(double /*t*/, In y, In v, Out a) const {
        a[0] = -w * w * y[0] - 2 * z * w * v[0];
    }
    [[nodiscard]] double turning() const { return w * std::sqrt(1 - z * z); }
    [[nodiscard]] double value(double t) const {
        return std::exp(-z * w * t) * std::cos(turning() * t);
    }
    [[nodiscard]] double velocity(double t) const {
        return std::exp(-z * w * t) *
               (-z * w * std::cos(turning() * t) - turning() * std::sin(turning() * t));
    }
};

/// Drawn quickly (200 / s) to a slow course: stiff-ish. y = cos t once the start is forgotten.
void stiff(double t, In y, In v, Out a) {
    a[0] = -std::cos(t) + 200 * (-std::sin(t) - v[0]) + 200 * (std::cos(t) - y[0]);
}

/// Flies by a well a hair's breadth away: slow, then very sharp, then slow.
void flyby(double /*t*/, In x, In /*v*/, Out a) {
    const double square = x[0] * x[0] + x[1] * x[1];
    const double pull = -1 / (square * std::sqrt(square));
    a[0] = pull * x[0];
    a[1] = pull * x[1];
}

double energy_of(const std::array<double, 2>& x, const std::array<double, 2>& v) {
    return (v[0] * v[0] + v[1] * v[1]) / 2 - 1 / std::hypot(x[0], x[1]);
}

}  // namespace

TEST_CASE("the adaptive scheme meets its tolerance on a smooth problem", "[stepping]") {
    const DampedSwing swing{12, 0.1};
    double last_error = 1;
    for (const double tolerance : {1e-4, 1e-6, 1e-8, 1e-10}) {
        AdaptiveRungeKutta<double> scheme{
            1, {.relative_tolerance = tolerance, .absolute_tolerance = tolerance}};
        std::array<double, 1> y{swing.value(0)};
        std::array<double, 1> v{swing.velocity(0)};
        double worst = 0;
        for (int frame = 0; frame < 120; ++frame) {
            REQUIRE(scheme.step(swing, frame / 60.0, 1 / 60.0, y, v) == StepStatus::stepped);
            worst = std::max(worst, std::abs(y[0] - swing.value((frame + 1) / 60.0)));
        }
        CAPTURE(tolerance, worst);
        CHECK(worst < 20 * tolerance);
        CHECK(worst < last_error);
        last_error = worst;
    }
}

TEST_CASE("the adaptive scheme meets its tolerance on a stiff-ish problem", "[stepping]") {
    for (const double tolerance : {1e-5, 1e-8}) {
        AdaptiveRungeKutta<double> scheme{
            1, {.relative_tolerance = tolerance, .absolute_tolerance = tolerance}};
        std::array<double, 1> y{1};
        std::array<double, 1> v{0};
        for (int i = 0; i < 10; ++i)
            REQUIRE(scheme.step(stiff, i, 1.0, y, v) == StepStatus::stepped);
        CHECK(std::abs(y[0] - std::cos(10.0)) < 10 * tolerance);
    }
}

TEST_CASE("at equal error the adaptive scheme costs less than fixed steps where a motion is sharp",
          "[stepping]") {
    const std::array<double, 2> x0{1, 0};
    const std::array<double, 2> v0{0, 0.14};
    const double end_s = 3.0;
    AdaptiveRungeKutta<double> adaptive{2,
                                        {.relative_tolerance = 1e-7, .absolute_tolerance = 1e-8}};
    auto x = x0;
    auto v = v0;
    REQUIRE(adaptive.step(flyby, 0, end_s, x, v) == StepStatus::stepped);
    const double error = std::abs(energy_of(x, v) - energy_of(x0, v0));
    REQUIRE(error < 1e-4);

    int evaluations = 0;
    for (int steps = 1000; steps < 10'000'000; steps *= 2) {
        RungeKutta4<double> fixed{2};
        auto fixed_x = x0;
        auto fixed_v = v0;
        for (int i = 0; i < steps; ++i)
            fixed.step(flyby, 0, end_s / steps, fixed_x, fixed_v);
        evaluations = 4 * steps;
        if (std::abs(energy_of(fixed_x, fixed_v) - energy_of(x0, v0)) <= error) break;
    }
    INFO("adaptive " << adaptive.evaluations() << ", fixed " << evaluations);
    CHECK(static_cast<double>(adaptive.evaluations()) < 0.2 * evaluations);
}

TEST_CASE("between its steps the adaptive scheme is known to fourth order", "[stepping]") {
    const DampedSwing swing{9, 0.2};
    const auto worst_between = [&](double largest_step_s) {
        AdaptiveRungeKutta<double> scheme{1,
                                          {.relative_tolerance = 0.1,
                                           .absolute_tolerance = 10,
                                           .first_step_s = largest_step_s,
                                           .largest_step_s = largest_step_s}};
        std::array<double, 1> y{swing.value(0)};
        std::array<double, 1> v{swing.velocity(0)};
        double worst = 0;
        double reached_s = 0;
        scheme.step(swing, 0, 1.0, y, v, [&](const DenseStretch<double>& stretch) {
            CHECK(stretch.begin_s() == Approx(reached_s).margin(1e-12));
            reached_s = stretch.end_s();
            for (int i = 0; i <= 10; ++i) {
                const double t = stretch.begin_s() + (reached_s - stretch.begin_s()) * i / 10;
                std::array<double, 1> at_y{};
                std::array<double, 1> at_v{};
                stretch.at(t, at_y, at_v);
                worst = std::max({worst, std::abs(at_y[0] - swing.value(t)),
                                  std::abs(at_v[0] - swing.velocity(t)) / swing.w});
            }
        });
        CHECK(reached_s == Approx(1.0));
        return worst;
    };
    const double order = std::log2(worst_between(0.02) / worst_between(0.01));
    CHECK(order > 3.9);
    CHECK(order < 5.2);
}

TEST_CASE("the adaptive scheme does not allocate, and refuses what it cannot do", "[stepping]") {
    const DampedSwing swing{12, 0.1};
    AdaptiveRungeKutta<double> scheme{1};
    std::array<double, 1> y{1};
    std::array<double, 1> v{0};
    const long before = allocations();
    CHECK(scheme.step(swing, 0, 1.0, y, v) == StepStatus::stepped);
    CHECK(allocations() == before);
    const auto kept = y;
    CHECK(scheme.step(swing, 0, -1.0, y, v) == StepStatus::rejected);
    CHECK(scheme.step(swing, 0, std::nan(""), y, v) == StepStatus::rejected);
    const auto poison = [](double, In, In, Out a) {
        a[0] = std::nan("");
    };
    CHECK(scheme.step(poison, 0, 1.0, y, v) == StepStatus::rejected);
    AdaptiveRungeKutta<double> hasty{1, {.relative_tolerance = 1e-9, .most_steps = 3}};
    CHECK(hasty.step(swing, 0, 10.0, y, v) == StepStatus::rejected);
    CHECK(y == kept);

    CHECK_THROWS_WITH((AdaptiveRungeKutta<double>{1, {.relative_tolerance = 0}}),
                      Contains("relative_tolerance"));
    CHECK_THROWS_WITH((AdaptiveRungeKutta<double>{1, {.relative_tolerance = 1}}),
                      Contains("at most 0.1"));
    CHECK_THROWS_AS((AdaptiveRungeKutta<double>{1, {.absolute_tolerance = -1}}), InvalidValue);
    CHECK_THROWS_AS((AdaptiveRungeKutta<double>{1, {.most_steps = 0}}), InvalidValue);
}

TEST_CASE("a settled problem costs the adaptive scheme one inner step a call", "[stepping]") {
    const DampedSwing swing{2, 1 - 1e-9};
    AdaptiveRungeKutta<double> scheme{1};
    std::array<double, 1> y{0};
    std::array<double, 1> v{0};
    for (int i = 0; i < 60; ++i)
        scheme.step(swing, i / 60.0, 1 / 60.0, y, v);
    const auto taken = scheme.steps_taken();
    for (int i = 60; i < 120; ++i)
        scheme.step(swing, i / 60.0, 1 / 60.0, y, v);
    CHECK(scheme.steps_taken() - taken == 60);
    CHECK(y[0] == 0);
}
