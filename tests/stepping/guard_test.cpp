// A step that is too large is taken in the way that was chosen, and what was done is said.

#include <cmath>

#include <catch2/catch.hpp>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/stepping/divergence_watch.hpp>
#include <hopcoil/stepping/guard.hpp>
#include <hopcoil/stepping/stability.hpp>

#include "support/numbers.hpp"
#include "support/random.hpp"

using namespace hopcoil;
using Catch::Matchers::Contains;

TEST_CASE("a step that holds is left alone, whatever the guard", "[guard]") {
    const Tuning tuning{.frequency_hz = 3, .damping_ratio = 0.4};
    for (const SchemeFacts& scheme : all_schemes()) {
        const double line_s = step_limits(tuning, scheme.scheme).largest_stable_s;
        const double dt = std::isfinite(line_s) ? 0.99 * line_s : 10;
        for (const Guard guard : {Guard::exact, Guard::substep, Guard::soften, Guard::refuse}) {
            const StepPlan plan = plan_step(tuning, scheme.scheme, dt, {.guard = guard});
            CHECK(plan.used == Guard::none);
            CHECK(plan.substeps == 1);
            CHECK(plan.frequency_factor == 1);
        }
    }
}

TEST_CASE("what is planned for a step that is too large holds, and does no more than it must",
          "[guard]") {
    Random random{41};
    int planned = 0;
    for (int i = 0; i < 2000; ++i) {
        const Tuning tuning{.frequency_hz = random.over_magnitudes(0.1, 100),
                            .damping_ratio = random.over_magnitudes(0.01, 10)};
        const Scheme scheme = all_schemes()[static_cast<std::size_t>(random.whole(0, 6))].scheme;
        const double line_s = step_limits(tuning, scheme).largest_stable_s;
        const double dt = random.over_magnitudes(1e-3, 3);
        if (dt < line_s) continue;
        ++planned;
        CAPTURE(facts_of(scheme).name, tuning.frequency_hz, tuning.damping_ratio, dt);
        const GuardSettings dividing{.guard = Guard::substep, .most_substeps = 20};
        const StepPlan divided = plan_step(tuning, scheme, dt, dividing);
        REQUIRE(divided.used == Guard::substep);
        REQUIRE(divided.substeps <= 20);
        Tuning used = tuning;
        used.frequency_hz *= divided.frequency_factor;
        const double part = dt / divided.substeps;
        CHECK(part < step_limits(used, scheme).largest_stable_s);
        if (divided.frequency_factor < 1) CHECK(divided.substeps == 20);
        if (divided.frequency_factor == 1)
            CHECK(dt / (divided.substeps - 1) > below_the_line * line_s * (1 - 1e-9));

        const StepPlan softened = plan_step(tuning, scheme, dt, {.guard = Guard::soften});
        REQUIRE(softened.used == Guard::soften);
        used.frequency_hz = tuning.frequency_hz * softened.frequency_factor;
        const double softened_line_s = step_limits(used, scheme).largest_stable_s;
        CHECK(dt < softened_line_s);
        CHECK(dt > 0.85 * softened_line_s);

        CHECK(plan_step(tuning, scheme, dt, {.guard = Guard::exact}).used == Guard::exact);
        CHECK(plan_step(tuning, scheme, dt, {.guard = Guard::refuse}).used == Guard::refuse);
        CHECK(plan_step(tuning, scheme, dt, {.guard = Guard::none}).used == Guard::none);
    }
    CHECK(planned > 700);
}

TEST_CASE("where a scheme holds at no step a spring is solved, and another system refused",
          "[guard]") {
    const Tuning undamped{.frequency_hz = 2, .damping_ratio = 0};
    for (const Guard guard : {Guard::exact, Guard::substep, Guard::soften}) {
        CHECK(plan_step(undamped, Scheme::explicit_euler, 0.01, {.guard = guard}).used ==
              Guard::exact);
        CHECK(plan_step(0.0, 0.01, {.guard = guard}).used == Guard::refuse);
    }
    CHECK(plan_step(undamped, Scheme::explicit_euler, 0.01, {.guard = Guard::refuse}).used ==
          Guard::refuse);
    CHECK(plan_step(0.02, 0.1, {.guard = Guard::exact}).used == Guard::refuse);
    CHECK(plan_step(0.02, 0.1, {.guard = Guard::substep}).substeps == 6);
    CHECK(plan_step(0.02, 0.1, {.guard = Guard::soften}).frequency_factor == Approx(0.18));
    CHECK(plan_step(infinity, 1e6, {.guard = Guard::refuse}).used == Guard::none);
}

TEST_CASE("guards are found by the names they have", "[guard]") {
    for (const Guard guard :
         {Guard::none, Guard::exact, Guard::substep, Guard::soften, Guard::refuse}) {
        CHECK(find_guard(name_of(guard)) == guard);
    }
    CHECK_FALSE(find_guard("clamp"));
    CHECK_THROWS_WITH(require_valid(GuardSettings{.most_substeps = 0}), Contains("most_substeps"));
}

TEST_CASE("energy from nowhere is noticed, energy that was put in is not", "[guard]") {
    DivergenceWatch watch;
    watch.begin(2);
    CHECK(watch.accepts(2, 0));
    CHECK(watch.accepts(150, 0));
    CHECK_FALSE(watch.accepts(201, 0));
    CHECK(watch.accepts(201, 1));
    CHECK_FALSE(watch.accepts(std::nan(""), 0));
    CHECK_FALSE(watch.accepts(infinity, infinity));
    watch.begin(0);
    CHECK(watch.accepts(0, 0));
    CHECK_FALSE(watch.accepts(1e-6, 0));
    watch.add_work(1);
    CHECK(watch.accepts(50, -5));
    CHECK_THROWS_WITH(DivergenceWatch{1}, Contains("most_growth"));
}

TEST_CASE("a report of divergence names what, when, which step, and what to change", "[guard]") {
    const Tuning tuning{.frequency_hz = 8, .damping_ratio = 0.1};
    const double line_s = step_limits(tuning, Scheme::explicit_euler).largest_stable_s;
    const std::string text =
        in_words("vane", {.time_s = 0.35, .step_s = 1.0 / 60, .largest_stable_s = line_s}, tuning,
                 Scheme::explicit_euler);
    CHECK_THAT(text, Contains("vane") && Contains("0.35 s") && Contains("0.01667 s") &&
                         Contains("explicit Euler") && Contains("0.003979 s") &&
                         Contains("semi_implicit_euler") && Contains("substep"));
    const std::string never = in_words("vane", {.time_s = 0.35, .step_s = 1.0 / 60},
                                       {.frequency_hz = 8, .damping_ratio = 0}, Scheme::midpoint);
    CHECK_THAT(never, Contains("at no step"));
}
