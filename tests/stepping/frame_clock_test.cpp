// Fixed steps under frames that vary: none lost, none invented, for hours.

#include <cmath>
#include <limits>

#include <catch2/catch.hpp>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/base/state.hpp>
#include <hopcoil/stepping/frame_clock.hpp>

#include "support/allocations.hpp"
#include "support/random.hpp"

using namespace hopcoil;
using Catch::Matchers::Contains;

TEST_CASE("frames of k steps give k steps every frame, for ten hours", "[clock]") {
    for (const auto& [frame_hz, steps] :
         {std::pair{60.0, 1}, std::pair{60.0, 2}, std::pair{60.0, 4}, std::pair{59.94, 3},
          std::pair{30.0, 7}, std::pair{144.0, 1}, std::pair{23.976, 5}}) {
        const double frame_dt = 1 / frame_hz;
        FrameClock clock{.step_s = frame_dt / steps};
        const auto frames = static_cast<long>(36'000 * frame_hz);
        long wrong = 0;
        double furthest = 0;
        for (long i = 0; i < frames; ++i) {
            const FrameSteps frame = clock.advance(frame_dt);
            wrong += frame.steps != steps;
            furthest = std::max(furthest, std::min(frame.blend, 1 - frame.blend));
        }
        CAPTURE(frame_hz, steps);
        CHECK(wrong == 0);
        CHECK(furthest < 1e-5);
        CHECK(clock.steps_taken == static_cast<std::uint64_t>(frames * steps));
        CHECK(clock.dropped_s == 0);
    }
}

TEST_CASE("whatever the frames, steps and what is left over make up the time that passed",
          "[clock]") {
    Random random{3};
    FrameClock clock{.step_s = 1.0 / 120, .max_steps = 1000};
    long double passed = 0;
    for (int i = 0; i < 500'000; ++i) {
        const double dt = random.over_magnitudes(1e-5, 0.2);
        passed += dt;
        const FrameSteps frame = clock.advance(dt);
        REQUIRE(frame.blend >= 0);
        REQUIRE(frame.blend < 1);
    }
    const long double stepped = static_cast<long double>(clock.steps_taken) * clock.step_s;
    CHECK(std::abs(static_cast<double>(passed - stepped) - clock.left_s) < 1e-11);
    CHECK(clock.time_s() == Approx(static_cast<double>(stepped)));
}

TEST_CASE("the blend says how far the frame is on its way to the next step", "[clock]") {
    FrameClock clock{.step_s = 0.01};
    CHECK(clock.advance(0.004).steps == 0);
    const FrameSteps frame = clock.advance(0.0085);
    CHECK(frame.steps == 1);
    CHECK(frame.blend == Approx(0.25));
    // So near counts as there, and is not counted twice.
    FrameClock near{.step_s = 0.01};
    CHECK(near.advance(0.01 * (1 - 5e-7)).steps == 1);
    CHECK(near.advance(0.01 * (1 + 4e-7)).steps == 1);
    CHECK(FrameClock{.step_s = 0.01}.advance(0.01 * (1 - 5e-6)).steps == 0);
}

TEST_CASE("a lag spike takes as many steps as allowed and says what it dropped", "[clock]") {
    FrameClock clock{.step_s = 0.01, .max_steps = 5};
    const FrameSteps spike = clock.advance(0.1234);
    CHECK(spike.steps == 5);
    CHECK(spike.dropped_s == Approx(0.07));
    CHECK(spike.blend == Approx(0.34));
    CHECK(clock.advance(0.01).steps == 1);
    CHECK(clock.dropped_s == Approx(0.07));
    const FrameSteps huge = clock.advance(1e300);
    CHECK(huge.steps == 5);
    CHECK(huge.dropped_s == Approx(1e300));
    CHECK(clock.advance(0.01).steps <= 2);
    CHECK(clock.advance(0.01).steps == 1);
}

TEST_CASE("a clock can be slowed, paused, and stepped by hand", "[clock]") {
    FrameClock clock{.step_s = 1.0 / 60, .speed = 0.25};
    int steps = 0;
    for (int i = 0; i < 240; ++i)
        steps += clock.advance(1.0 / 60).steps;
    CHECK(steps == 60);

    clock.advance(1.0 / 60);
    const double blend = clock.advance(0).blend;
    clock.paused = true;
    CHECK(clock.advance(5).steps == 0);
    CHECK(clock.advance(5).blend == Approx(blend));
    clock.steps_by_hand = 2;
    CHECK(clock.advance(0.1).steps == 1);
    CHECK(clock.advance(0.1).steps == 1);
    CHECK(clock.advance(0.1).steps == 0);
    CHECK(clock.steps_taken == 62);
    clock.paused = false;
    CHECK(clock.advance(0).steps == 0);
    CHECK(clock.advance(0).blend == Approx(blend));
    CHECK(FrameClock{.step_s = 0.02, .substeps = 4}.substep_s() == Approx(0.005));
}

TEST_CASE("a frame that cannot be is refused, counted, and changes nothing", "[clock]") {
    FrameClock clock{.step_s = 0.01};
    clock.advance(0.0125);
    const double nan = std::numeric_limits<double>::quiet_NaN();
    const long before = allocations();
    for (const double dt : {-0.1, nan, std::numeric_limits<double>::infinity()}) {
        const FrameSteps frame = clock.advance(dt);
        CHECK(frame.status == StepStatus::rejected);
        CHECK(frame.steps == 0);
        CHECK(frame.blend == Approx(0.25));
    }
    CHECK(allocations() == before);
    CHECK(clock.rejected_inputs == 3);
    CHECK(FrameClock{.step_s = 0}.advance(0.1).status == StepStatus::rejected);
    CHECK_THROWS_WITH(require_valid(FrameClock{.step_s = -1}), Contains("step_s"));
    CHECK_THROWS_WITH(require_valid(FrameClock{.max_steps = 0}), Contains("max_steps"));
    CHECK_THROWS_WITH(require_valid(FrameClock{.substeps = 0}), Contains("substeps"));
    CHECK_THROWS_WITH(require_valid(FrameClock{.speed = nan}), Contains("speed"));
}

TEST_CASE("a copied clock goes on as the first does", "[clock]") {
    Random random{11};
    FrameClock clock{.step_s = 0.013};
    for (int i = 0; i < 100; ++i)
        clock.advance(random.between(0, 0.1));
    FrameClock copy = clock;
    for (int i = 0; i < 100; ++i) {
        const double dt = random.between(0, 0.1);
        const FrameSteps a = clock.advance(dt);
        const FrameSteps b = copy.advance(dt);
        REQUIRE(a.steps == b.steps);
        REQUIRE(a.blend == b.blend);
    }
}

TEST_CASE("a clock that is kept as bytes goes on where it was", "[frame_clock]") {
    FrameClock clock{.step_s = 1.0 / 120, .max_steps = 4};
    for (int i = 0; i < 50; ++i)
        clock.advance(0.0137);
    clock.advance(1.0);
    FrameClock other{.step_s = 1.0 / 120, .max_steps = 4};
    REQUIRE(load_state(other, save_state(clock)));
    for (int i = 0; i < 50; ++i) {
        const FrameSteps a = clock.advance(0.0071);
        const FrameSteps b = other.advance(0.0071);
        CHECK(a.steps == b.steps);
        CHECK(a.blend == b.blend);
    }
    CHECK(other.dropped_s == clock.dropped_s);
    CHECK(other.time_s() == clock.time_s());
}
