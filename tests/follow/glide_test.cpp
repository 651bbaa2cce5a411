// First order: half of the gap in each half-life, at every frame rate.

#include <array>
#include <cmath>
#include <random>
#include <vector>

#include <Eigen/Core>
#include <catch2/catch.hpp>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/follow/follower.hpp>
#include <hopcoil/follow/glide.hpp>
#include <hopcoil/follow/range_map.hpp>

#include "support/allocations.hpp"
#include "support/random.hpp"
#include "support/vectors.hpp"

using namespace hopcoil;
using Catch::Matchers::Contains;

TEST_CASE("a glide is a system", "[glide]") {
    STATIC_REQUIRE(System<Glide<float>>);
    STATIC_REQUIRE(System<Glide<Eigen::Vector3d>>);
    Glide<Plain> plain{{.half_life_s = 1}, Plain{}};
    plain.jump({2, 0, 0});
    plain.step({2, 0, 0}, 1);
    CHECK(plain.value().x == Approx(1));
}

TEST_CASE("the recipe of a fraction a frame is met at its rate and kept at every other",
          "[glide]") {
    Random random{31};
    for (int i = 0; i < 200; ++i) {
        const FractionPerFrame recipe{.fraction = random.over_magnitudes(1e-6, 0.999),
                                      .rate_hz = random.between(10, 240)};
        Glide<double> glide{tuning_from(recipe), 0.0};
        glide.jump(1);
        double by_recipe = 0;
        for (int frame = 0; frame < 100; ++frame) {
            by_recipe += recipe.fraction * (1 - by_recipe);
            glide.step(1, 1 / recipe.rate_hz);
            CHECK(1 - glide.value() == Approx(1 - by_recipe).epsilon(1e-9).margin(1e-15));
        }
        Glide<double> at_once{tuning_from(recipe), 0.0};
        at_once.jump(1);
        at_once.step(1, 100 / recipe.rate_hz);
        CHECK(at_once.value() == Approx(glide.value()).epsilon(1e-9));
    }
    for (const double fraction : {1.0, 1.5, 0.0, -0.1, std::nan("")}) {
        CHECK_THROWS_WITH(tuning_from(FractionPerFrame{.fraction = fraction}),
                          Contains("fraction") && Contains("below 1"));
    }
}

TEST_CASE("a glide toward a target on a straight line is the same at every rate", "[glide]") {
    Random random{32};
    for (int i = 0; i < 100; ++i) {
        const GlideTuning tuning{.half_life_s = random.over_magnitudes(1e-3, 10)};
        const double speed = random.between(-5, 5);
        Glide<double> often{tuning, 1.0};
        Glide<double> seldom{tuning, 1.0};
        double time_s = 0;
        for (int frame = 0; frame < 50; ++frame) {
            const double dt = random.over_magnitudes(1e-4, 0.2);
            time_s += dt;
            often.step(1 + speed * time_s, dt);
        }
        seldom.step(1 + speed * time_s, time_s);
        CHECK(often.value() == Approx(seldom.value()).epsilon(1e-11).margin(1e-11));
        // y = x - (s/k)(1 - e^-kt), from rest on the target
        const double k = std::log(2) / tuning.half_life_s;
        CHECK(often.value() ==
              Approx(1 + speed * time_s + speed / k * std::expm1(-k * time_s)).epsilon(1e-11));
        CHECK(often.velocity() == Approx(k * (often.target() - often.value())).epsilon(1e-9));
    }
}

TEST_CASE("a glide keeps its value through new targets and numbers, and never passes", "[glide]") {
    Random random{33};
    Glide<float> glide{{.half_life_s = 0.1}, 0.f};
    for (int i = 0; i < 5000; ++i) {
        const float before = glide.value();
        glide.retune({.half_life_s = random.over_magnitudes(1e-3, 1)});
        CHECK(glide.value() == before);
        const auto target = static_cast<float>(random.between(-3, 3));
        glide.cut(target);
        CHECK(glide.value() == Approx(before).margin(2e-6));
        glide.step(target, random.over_magnitudes(1e-4, 10));
        const auto [low, high] = std::minmax(before, target);
        CHECK(glide.value() >= low - 1e-6f);
        CHECK(glide.value() <= high + 1e-6f);
    }
    CHECK_THROWS_WITH(glide.retune({.half_life_s = -1}), Contains("half_life_s"));
    CHECK_FALSE(glide.try_retune({.half_life_s = std::nan("")}));
    CHECK(glide.rejected_inputs() == 1);
}

TEST_CASE("a glide survives whatever is thrown at it, without allocating", "[glide]") {
    const std::array<double, 12> wild{0,   1,     -1,  1e-320,   1e308,     -1e308,
                                      5e3, 1e-30, NAN, INFINITY, -INFINITY, 1e9};
    Random random{34};
    Glide<double> glide{{.half_life_s = 0.2}, 0.0};
    const long before = allocations();
    for (int i = 0; i < 20000; ++i) {
        const auto any = [&] {
            return wild[static_cast<std::size_t>(random.whole(0, 11))];
        };
        glide.try_retune({.half_life_s = any()});
        glide.step(any(), any());
        if (i % 7 == 0) glide.jump(any());
        if (!std::isfinite(glide.value()) || !std::isfinite(glide.velocity())) FAIL("not finite");
    }
    CHECK(allocations() == before);
    CHECK(glide.rejected_inputs() > 0);
}

TEST_CASE("a smoother's noise and lag are what was said", "[glide]") {
    std::mt19937_64 engine{35};
    std::normal_distribution<double> noise{0, 1};
    for (const double half_life_s : {0.0, 0.005, 0.03, 0.2}) {
        constexpr double rate_hz = 60;
        const GlideTuning tuning{.half_life_s = half_life_s};
        Glide<double> glide{tuning, 0.0};
        double sum = 0;
        constexpr int count = 400000;
        for (int i = 0; i < count; ++i) {
            glide.step(noise(engine), 1 / rate_hz);
            sum += glide.value() * glide.value();
        }
        const Smoothing smoothing = smoothing_of(tuning, rate_hz);
        CHECK(std::sqrt(sum / count) == Approx(smoothing.noise_left).epsilon(0.02));

        Glide<double> trailing{tuning, 0.0};
        for (int i = 1; i <= 6000; ++i)
            trailing.step(3 * i / rate_hz, 1 / rate_hz);
        CHECK(trailing.target() - trailing.value() ==
              Approx(3 * smoothing.lag_s).epsilon(1e-9).margin(1e-12));
    }
    CHECK_THROWS_AS(smoothing_of({}, 0), InvalidValue);
}

TEST_CASE("an input range is mapped to an output range, to its ends exactly", "[range_map]") {
    const RangeMap<double> lean{{.from = 2, .to = 12}, 0.1, 0.7};
    CHECK(lean(2) == 0.1);
    CHECK(lean(12) == 0.7);
    CHECK(lean(7) == Approx(0.4));
    CHECK(lean(-100) == 0.1);
    CHECK(lean(INFINITY) == 0.7);
    CHECK(lean(NAN) == 0.1);
    const RangeMap<double> on{{.from = 2, .to = 12, .beyond = true}, 0.1, 0.7};
    CHECK(on(22) == Approx(1.3));
    const RangeMap<Eigen::Vector3f> colour{{.from = 1, .to = 0}, {0, 0, 1}, {1, 0, 0}};
    CHECK(colour(0.25) == Eigen::Vector3f(0.75f, 0, 0.25f));
    CHECK_THROWS_WITH((RangeMap<float>{{.from = 1, .to = 1}, 0.f, 1.f}), Contains("to"));
}
