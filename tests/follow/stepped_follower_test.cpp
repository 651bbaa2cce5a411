// A follower that is stepped by a scheme: near the exact one where its steps are small, guarded
// where they are not, and stopped where it would diverge.

#include <cmath>
#include <limits>
#include <vector>

#include <Eigen/Core>
#include <catch2/catch.hpp>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/follow/stepped_follower.hpp>

#include "support/allocations.hpp"
#include "support/random.hpp"

using namespace hopcoil;

namespace {

const Tuning vane_tuning{.frequency_hz = 2, .damping_ratio = 0.3, .lead = 0.5};

double course(double t) {
    return std::sin(2 * t) + 0.3 * t;
}

/// The largest way from the exact follower, both after the same course.
double worst_beside_exact(Scheme scheme, double dt) {
    SteppedFollower<double> stepped{vane_tuning, {.scheme = scheme}, course(0)};
    Follower<double> exact{vane_tuning, course(0)};
    double worst = 0;
    for (int i = 1; i * dt <= 2; ++i) {
        REQUIRE(stepped.step(course(i * dt), dt) == StepStatus::stepped);
        exact.step(course(i * dt), dt);
        worst = std::max(worst, std::abs(stepped.value() - exact.value()));
    }
    return worst;
}

}  // namespace

TEST_CASE("a stepped follower nears the exact one as its scheme's order says", "[stepped]") {
    for (const SchemeFacts& each : all_schemes()) {
        CAPTURE(each.name);
        const double fine = worst_beside_exact(each.scheme, 1.0 / 960);
        const double coarse = worst_beside_exact(each.scheme, 1.0 / 480);
        CHECK(fine < 0.02);
        CHECK(std::log2(coarse / fine) == Approx(each.order).margin(0.25));
    }
}

TEST_CASE("a stepped follower of several numbers is one of each", "[stepped]") {
    for (const SchemeFacts& each : all_schemes()) {
        SteppedFollower<Eigen::Vector3f> together{vane_tuning, {.scheme = each.scheme}, {1, 2, 3}};
        SteppedFollower<float> alone{vane_tuning, {.scheme = each.scheme}, 2};
        for (int i = 0; i < 60; ++i) {
            const auto y = static_cast<float>(course(i * 0.01));
            together.step({7, y, -1}, 0.01);
            alone.step(y, 0.01);
            REQUIRE(together.value().y() == Approx(alone.value()).epsilon(1e-5));
        }
    }
}

TEST_CASE("guards take a lag spike each in its own way, and say so", "[stepped]") {
    const Tuning stiff{.frequency_hz = 6, .damping_ratio = 0.2};
    const auto after_spike = [&](Guard guard) {
        SteppedFollower<double> vane{stiff, {.guard = {.guard = guard}}, 0};
        for (int i = 0; i < 10; ++i)
            REQUIRE(vane.step(1, 1.0 / 120) == StepStatus::stepped);
        vane.step(1, 0.5);
        return vane;
    };
    Follower<double> truth{stiff, 0};
    for (int i = 0; i < 10; ++i)
        truth.step(1, 1.0 / 120);
    truth.step(1, 0.5);

    const auto exact = after_spike(Guard::exact);
    CHECK(exact.guard_log().exact_steps == 1);
    CHECK(exact.value() == Approx(truth.value()).margin(0.05));
    const auto divided = after_spike(Guard::substep);
    CHECK(divided.guard_log().guarded_steps == 1);
    CHECK(divided.guard_log().substeps == static_cast<unsigned>(divided.last_plan().substeps));
    CHECK(divided.last_plan().substeps > 5);
    CHECK(std::abs(divided.value() - 1) < 1);
    const auto softened = after_spike(Guard::soften);
    CHECK(softened.guard_log().softened_steps == 1);
    CHECK(softened.guard_log().least_frequency_factor < 0.2);
    CHECK(std::abs(softened.value() - 1) < 3);
    const auto refused = after_spike(Guard::refuse);
    CHECK(refused.guard_log().refused_steps == 1);
    CHECK(refused.rejected_inputs() == 1);
    const auto unguarded = after_spike(Guard::none);
    CHECK(unguarded.divergence().has_value());
}

TEST_CASE("without a guard, divergence is noticed and the last good state stays", "[stepped]") {
    const Tuning quick{.frequency_hz = 8, .damping_ratio = 0.1};
    const Stepping unguarded{.scheme = Scheme::explicit_euler, .guard = {.guard = Guard::none}};
    SteppedFollower<double> vane{quick, unguarded, 0};
    StepStatus status = StepStatus::stepped;
    double last = 0;
    int steps = 0;
    while (status == StepStatus::stepped && steps < 200) {
        last = vane.value();
        status = vane.step(1, 1.0 / 60);
        ++steps;
    }
    REQUIRE(status == StepStatus::diverged);
    CHECK(vane.value() == last);
    CHECK(std::abs(last) < 30);
    REQUIRE(vane.divergence());
    CHECK(vane.divergence()->time_s == Approx(steps / 60.0));
    CHECK(vane.divergence()->step_s == 1.0 / 60);
    CHECK(vane.divergence()->largest_stable_s ==
          step_limits(quick, Scheme::explicit_euler).largest_stable_s);
    CHECK(vane.step(1, 1e-4) == StepStatus::diverged);
    CHECK(vane.value() == last);
    vane.retune({.frequency_hz = 1, .damping_ratio = 1});
    CHECK(vane.step(1, 1e-3) == StepStatus::stepped);
}

TEST_CASE("a motion that holds is never taken for one that diverges", "[stepped][long]") {
    Random random{51};
    int looked_at = 0;
    for (int i = 0; i < 300; ++i) {
        const SchemeFacts& facts = all_schemes()[static_cast<std::size_t>(random.whole(0, 6))];
        const Tuning any{.frequency_hz = random.over_magnitudes(0.2, 20),
                         .damping_ratio = random.over_magnitudes(0.01, 3),
                         .lead = random.between(-1, 2)};
        const double line_s = step_limits(any, facts.scheme).largest_stable_s;
        const double dt =
            std::min(0.9 * line_s, random.over_magnitudes(0.05, 1.5) / any.frequency_hz / 6.3);
        if (!(dt > 1e-5)) continue;
        ++looked_at;
        SteppedFollower<double> vane{
            any, {.scheme = facts.scheme, .guard = {.guard = Guard::none}}, 0};
        double target = 0;
        for (int k = 0; k < 400; ++k) {
            if (random.chance(0.03)) target = random.between(-5, 5);
            if (random.chance(0.01)) vane.push(random.between(-9, 9));
            if (random.chance(0.01)) vane.jump(random.between(-3, 3));
            target += random.between(-0.05, 0.05);
            CAPTURE(facts.name, any.frequency_hz, any.damping_ratio, any.lead, dt / line_s, k);
            REQUIRE(vane.step(target, dt) == StepStatus::stepped);
        }
    }
    CHECK(looked_at > 250);
}

TEST_CASE("a storm of frames leaves every guard's values finite and bounded", "[stepped][long]") {
    const double nan = std::numeric_limits<double>::quiet_NaN();
    for (const SchemeFacts& facts : all_schemes()) {
        for (const Guard guard : {Guard::exact, Guard::substep, Guard::soften, Guard::refuse}) {
            CAPTURE(facts.name, name_of(guard));
            Random random{static_cast<unsigned>(61 + static_cast<int>(guard))};
            SteppedFollower<float> vane{
                {.frequency_hz = 2, .damping_ratio = 0.3},
                {.scheme = facts.scheme, .guard = {.guard = guard, .most_substeps = 16}},
                0};
            float target = 0;
            double worst = 0;
            const long before = allocations();
            for (int i = 0; i < 100'000; ++i) {
                double dt = random.between(0, 1.0 / 20);
                if (random.chance(0.02)) dt = random.between(0, 3);
                if (random.chance(0.002)) dt = nan;
                if (random.chance(0.002)) dt = -0.1;
                if (random.chance(0.05)) target = static_cast<float>(random.between(-10, 10));
                if (random.chance(0.01)) {
                    vane.try_retune({.frequency_hz = random.over_magnitudes(0.3, 20),
                                     .damping_ratio = random.between(0.1, 2),
                                     .lead = random.between(-1, 1.5)});
                }
                if (random.chance(0.001)) vane.try_retune({.frequency_hz = nan});
                if (random.chance(0.01)) vane.jump(target);
                const float sent =
                    random.chance(0.001) ? std::numeric_limits<float>::quiet_NaN() : target;
                const StepStatus status = vane.step(sent, dt);
                REQUIRE(status != StepStatus::diverged);
                worst = std::max(worst, std::abs(static_cast<double>(vane.value())));
            }
            CHECK(allocations() == before);
            CHECK(vane.rejected_inputs() > 0);
            CHECK(worst < 2000);
        }
    }
}

TEST_CASE("a copied stepped follower goes on bit for bit", "[stepped]") {
    for (const SchemeFacts& facts : all_schemes()) {
        SteppedFollower<double> first{vane_tuning, {.scheme = facts.scheme}, 0};
        for (int i = 0; i < 20; ++i)
            first.step(course(i * 0.02), 0.02);
        SteppedFollower<double> second = first;
        for (int i = 20; i < 60; ++i) {
            first.step(course(i * 0.02), 0.02);
            second.step(course(i * 0.02), 0.02);
            REQUIRE(first.value() == second.value());
        }
    }
}

TEST_CASE("a stepped follower settles exactly, and is a system with a follower's dials",
          "[stepped]") {
    static_assert(System<SteppedFollower<double>>);
    static_assert(HasEnergy<SteppedFollower<double>>);
    for (const SchemeFacts& facts : all_schemes()) {
        CAPTURE(facts.name);
        SteppedFollower<float> vane{
            {.frequency_hz = 2, .damping_ratio = 1}, {.scheme = facts.scheme}, 0};
        for (int i = 0; i < 6000; ++i)
            vane.step(3, 0.02);
        CHECK(vane.value() == 3);
        CHECK(vane.still());
    }
    SteppedFollower<double> vane{vane_tuning, {}, 0};
    for (const auto& dial : SteppedFollower<double>::dials()) {
        CHECK(dial.set(vane, dial.slider.most) == DialStatus::set);
        CHECK(dial.get(vane) == dial.slider.most);
        CHECK(dial.set(vane, std::nan("")) == DialStatus::refused);
    }
    CHECK_THROWS_AS((SteppedFollower<double>{vane_tuning, {.guard = {.most_substeps = 0}}, 0}),
                    InvalidValue);
}
