// Thrown things: where they end is known in advance, bounds hold, snap points are met exactly.

#include <array>
#include <cmath>
#include <vector>

#include <Eigen/Core>
#include <catch2/catch.hpp>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/follow/coast.hpp>
#include <hopcoil/follow/follower.hpp>
#include <hopcoil/follow/watcher.hpp>
#include <hopcoil/follow/world_scale.hpp>

#include "support/allocations.hpp"
#include "support/random.hpp"
#include "support/vectors.hpp"

using namespace hopcoil;
using Catch::Matchers::Contains;

namespace {

/// Small steps of the plain recipe: fast enough to be trusted, too simple to share an error.
double refined_end(double place, double velocity, double k, double low, double high,
                   double restitution) {
    constexpr double h = 1e-5;
    for (int i = 0; i < 3'000'000 && std::fabs(velocity) > 1e-9; ++i) {
        const double middle = velocity * (1 - 0.5 * k * h);
        place += middle * h;
        velocity -= k * middle * h;
        if (place > high || place < low) {
            place = place > high ? 2 * high - place : 2 * low - place;
            velocity *= -restitution;
        }
    }
    return place;
}

}  // namespace

TEST_CASE("a throw ends where it was said to, when it was said to", "[coast]") {
    Random random{81};
    for (int i = 0; i < 200; ++i) {
        const CoastTuning tuning{.slowing_half_life_s = random.over_magnitudes(0.01, 3),
                                 .resting_speed = 0.02};
        Coast<double> sledge{tuning, random.between(-3, 3)};
        const double start = sledge.value();
        const double velocity = random.between(-20, 20);
        sledge.launch(velocity);
        const double k = std::log(2) / tuning.slowing_half_life_s;
        CHECK(sledge.end() == Approx(start + velocity / k).epsilon(1e-12));
        const double rest_s = sledge.time_to_rest_s();
        Coast<double> sampled = sledge;
        for (int step = 0; step < 100; ++step)
            sampled.step(rest_s / 100);
        CHECK(std::fabs(sampled.velocity()) == Approx(0.02).epsilon(1e-9));
        sampled.step(1e4 * tuning.slowing_half_life_s);
        CHECK(sampled.value() == Approx(sledge.end()).epsilon(1e-12));
        CHECK(sampled.still());
    }
}

TEST_CASE("bounds hold, and a coast is the same at every rate", "[coast]") {
    Random random{82};
    for (int i = 0; i < 300; ++i) {
        const auto action = static_cast<AtBound>(random.whole(0, 2));
        const CoastTuning tuning{.slowing_half_life_s = random.between(0.1, 1.5),
                                 .restitution = random.between(0, 1),
                                 .at_bound = action};
        Coast<double> often{tuning, 0.0};
        often.set_bounds(-1, 0.7);
        often.launch(random.between(-30, 30));
        Coast<double> once = often;
        double time_s = 0;
        for (int step = 0; step < 60; ++step) {
            const double dt = random.over_magnitudes(1e-4, 0.1);
            time_s += dt;
            often.step(dt);
            if (action != AtBound::spring) {
                CHECK(often.value() <= 0.7 + 1e-12);
                CHECK(often.value() >= -1 - 1e-12);
            }
        }
        once.step(time_s);
        CHECK(often.value() == Approx(once.value()).margin(1e-9));
        CHECK(often.velocity() == Approx(once.velocity()).margin(1e-8));
        Coast<double> later = once;
        later.step(1000);
        CHECK(later.value() == Approx(once.end()).margin(1e-9));
        CHECK(once.end() <= 0.7 + 1e-12);
    }
}

TEST_CASE("bounces agree with a finely stepped simulation", "[coast]") {
    Random random{83};
    for (int i = 0; i < 5; ++i) {
        const double k = random.between(0.8, 3);
        const CoastTuning tuning{.slowing_half_life_s = std::log(2) / k,
                                 .restitution = random.between(0.2, 0.9),
                                 .at_bound = AtBound::bounce};
        Coast<double> ball{tuning, 0.1};
        ball.set_bounds(-0.5, 0.6);
        const double velocity = random.between(-6, 6);
        ball.launch(velocity);
        CHECK(ball.end() ==
              Approx(refined_end(0.1, velocity, k, -0.5, 0.6, tuning.restitution)).margin(1e-3));
    }
}

TEST_CASE("a spring at the bound lets it past and brings it back to the bound", "[coast]") {
    Coast<double> needle{{.slowing_half_life_s = 1, .at_bound = AtBound::spring}, 0.0};
    needle.set_bounds(-1, 1);
    needle.launch(8);
    double furthest = 0;
    double velocity = 8;
    for (int step = 0; step < 3000; ++step) {
        needle.step(1e-3);
        furthest = std::fmax(furthest, needle.value());
        CHECK(std::fabs(needle.velocity() - velocity) < 0.3);  // no leap at the bound
        velocity = needle.velocity();
    }
    CHECK(furthest > 1.05);
    CHECK(needle.value() == Approx(1).margin(1e-9));
    CHECK(needle.end() == 1);
}

TEST_CASE("thrown at snap points it comes to rest exactly on the nearest, without a bump",
          "[coast]") {
    Random random{84};
    std::vector<double> points;
    for (int i = -12; i <= 12; ++i)
        points.push_back(0.5 * i);
    for (int i = 0; i < 300; ++i) {
        Coast<double> dial{{.slowing_half_life_s = 0.2}, random.between(-2, 2)};
        const double velocity = random.between(-8, 8);
        Coast<double> free = dial;
        free.launch(velocity);
        const double start = dial.value();
        const auto chosen = dial.launch(velocity, points);
        REQUIRE(chosen);
        const double end = points[*chosen];
        CHECK(dial.value() == Approx(start).margin(1e-14));
        CHECK(dial.velocity() == velocity);
        for (const double other : points)
            CHECK(std::fabs(end - free.end()) <= std::fabs(other - free.end()) + 1e-12);
        double before = velocity;
        for (int step = 0; step < 400; ++step) {
            dial.step(1e-3);
            CHECK(std::fabs(dial.velocity() - before) < 1.5);
            before = dial.velocity();
        }
        dial.step(1000);
        CHECK(dial.value() == end);
        CHECK(dial.velocity() == 0);
    }
    Coast<double> nowhere{{}, 0.0};
    CHECK_FALSE(nowhere.launch(1, std::span<const double>{}));
    CHECK(nowhere.still());
}

TEST_CASE("between bounds it bounces or springs as ever, and ends on a snap point", "[coast]") {
    Random random{91};
    const std::array<double, 4> points{-0.8, -0.3, 0.25, 0.7};
    int bounced = 0;
    for (int i = 0; i < 400; ++i) {
        const CoastTuning tuning{.slowing_half_life_s = random.over_magnitudes(0.1, 1),
                                 .restitution = random.between(0.3, 0.9),
                                 .at_bound = i % 2 == 0 ? AtBound::bounce : AtBound::spring};
        Coast<double> dial{tuning, random.between(-0.9, 0.9)};
        dial.set_bounds(-1, 1);
        const double velocity = random.between(-9, 9);
        Coast<double> free = dial;
        free.launch(velocity);
        const double k = std::log(2) / tuning.slowing_half_life_s;
        const bool meets_bound = std::fabs(dial.value() + velocity / k) > 1;
        const auto chosen = dial.launch(velocity, points);
        REQUIRE(chosen);
        CAPTURE(i, tuning.slowing_half_life_s, velocity);
        CHECK(dial.end() == Approx(points[*chosen]).margin(1e-12));
        double furthest = 0;
        int turns = 0;
        double before = dial.velocity();
        for (int step = 0; step < 4000; ++step) {
            dial.step(1e-3);
            furthest = std::fmax(furthest, std::fabs(dial.value()));
            turns += dial.velocity() * before < 0 && std::fabs(before) > 1 ? 1 : 0;
            before = dial.velocity();
        }
        dial.step(1000);
        CHECK(dial.value() == points[*chosen]);
        CHECK(dial.at_rest(1e-9, 1e-9));
        if (tuning.at_bound == AtBound::bounce) {
            CHECK(furthest <= 1);
            bounced += turns;
        } else if (meets_bound) {
            CHECK(furthest > 1);  // past the bound, and brought back
        }
    }
    CHECK(bounced > 100);
}

TEST_CASE("the half-life that was asked for is used, or what it became is known", "[coast]") {
    const std::array<double, 2> points{1.0, 5.0};
    Coast<double> exact{{.slowing_half_life_s = 0.5}, 0.0};
    exact.launch(1 / 0.5 * std::log(2), points);  // it would end on 1 by itself
    CHECK(exact.slowing_half_life_s() == Approx(0.5));
    Coast<double> hurried{{.slowing_half_life_s = 0.5}, 0.0};
    hurried.launch(2, points);
    CHECK(hurried.slowing_half_life_s() == Approx(std::log(2) / 2));
    const double start = hurried.velocity();
    hurried.step(hurried.slowing_half_life_s());
    CHECK(hurried.velocity() == Approx(start / 2));
    // Points outside the bounds are none.
    hurried.set_bounds(0, 0.9);
    CHECK_FALSE(hurried.launch(3, points));
}

TEST_CASE("new numbers leave a throw at a snap point on its way there", "[coast]") {
    const std::array<double, 3> points{0, 1, 2};
    Coast<double> dial{{.slowing_half_life_s = 0.2}, 0.0};
    dial.launch(6, points);
    const double end = dial.end();
    dial.step(0.1);
    const double value = dial.value();
    const double velocity = dial.velocity();
    dial.retune({.slowing_half_life_s = 3});
    CHECK(dial.value() == value);
    CHECK(dial.velocity() == velocity);
    dial.step(1000);
    CHECK(dial.value() == end);
}

TEST_CASE("each number of a vector meets its own bounds", "[coast]") {
    using Eigen::Vector2f;
    Coast<Vector2f> map{{.slowing_half_life_s = 0.5, .at_bound = AtBound::stop}, Vector2f{0, 0}};
    map.set_bounds({-1, -10}, {1, 10});
    map.launch({5, 2});
    for (int step = 0; step < 2000; ++step)
        map.step(0.01);
    CHECK(map.value().x() == 1);
    CHECK(map.value().y() == Approx(2 * 0.5 / std::log(2)));
}

TEST_CASE("hand-over keeps value and velocity both ways", "[coast]") {
    Follower<double> held{{.frequency_hz = 3, .damping_ratio = 0.5}, 0.0};
    held.jump(1);
    held.step(1, 0.08);
    Coast<double> released{{}, 0.0};
    released.resume(held.motion());
    CHECK(released.value() == Approx(held.value()).epsilon(1e-14));
    CHECK(released.velocity() == held.velocity());
    released.step(0.05);
    const double value = released.value();
    const double velocity = released.velocity();
    held.resume(released.motion());
    held.cut(-2);
    CHECK(held.value() == Approx(value).epsilon(1e-13));
    CHECK(held.velocity() == velocity);
}

TEST_CASE("a coast stays finite and memory-free whatever comes", "[coast]") {
    Random random{85};
    Coast<Eigen::Vector2d> ball{{}, Eigen::Vector2d{0, 0}};
    const std::array<Eigen::Vector2d, 2> points{Eigen::Vector2d{0, 0}, Eigen::Vector2d{1, 1}};
    const long before = allocations();
    for (int i = 0; i < 30000; ++i) {
        const auto wild = [&] {
            return random.chance(0.05) ? (random.chance(0.5) ? NAN : 1e308) : random.between(-5, 5);
        };
        CoastTuning tuning;
        tuning.slowing_half_life_s = random.chance(0.1) ? wild() : 0.3;
        tuning.at_bound = static_cast<AtBound>(random.whole(0, 2));
        ball.try_retune(tuning);
        if (i % 3 == 0) ball.launch({wild(), wild()});
        if (i % 5 == 0) ball.launch({wild(), wild()}, points);
        if (i % 11 == 0) ball.set_bounds({-1, -2}, {1, random.chance(0.5) ? 2.0 : -2.0});
        if (i % 17 == 0) ball.remove_bounds();
        ball.step(random.chance(0.1) ? wild() : 0.02);
        if (!is_finite(ball.value()) || !is_finite(ball.velocity())) FAIL("not finite " << i);
    }
    CHECK(allocations() == before);
    CHECK(ball.rejected_inputs() > 0);
    CHECK_THROWS_WITH((Coast<double>{{.slowing_half_life_s = 0}, 0.0}),
                      Contains("slowing_half_life_s"));
    CHECK_THROWS_WITH((Coast<double>{{.restitution = 1.1}, 0.0}), Contains("0 to 1"));
    CHECK_THROWS_WITH(ball.set_bounds({1, 0}, {0, 1}), Contains("high"));
    STATIC_REQUIRE(System<Coast<float>>);
}

TEST_CASE("one feel for metres and for pixels", "[coast]") {
    const PursuitTuning feel{.max_speed = 3, .max_acceleration = 8};
    const WorldScale pixels{.units_per_metre = 240};
    Pursuit<double> in_metres{feel, 0.0};
    Pursuit<double> in_pixels{pixels(feel), 0.0};
    Sleeper sleeper{in_pixels, pixels(RestRule{.distance = 0.01, .of_excursion = 0})};
    for (int frame = 0; frame < 200; ++frame) {
        in_metres.step(2, 0.01);
        in_pixels.step(pixels(2), 0.01);
        sleeper.step(pixels(2), 0.01);
        CHECK(in_pixels.value() == Approx(240 * in_metres.value()));
    }
    CHECK(sleeper.is_asleep());
    CHECK(pixels(CoastTuning{.resting_speed = 0.1}).resting_speed == Approx(24));
}

TEST_CASE("stops, rest and leaning feel the same in pixels", "[world_scale]") {
    const WorldScale pixels{.units_per_metre = 240};
    const SettleTuning tuning{.duration_s = 0.5, .overshoot_percent = 30};
    const Stops stops{.low = -1, .high = 1.1};
    const RestLimits rest{.distance = 0.01, .speed = 0.1};
    SettleCurve in_metres{tuning, 0.0};
    SettleCurve in_pixels{tuning, 0.0};
    in_metres.set_stops(stops);
    in_pixels.set_stops(pixels(stops));
    Watcher metres{in_metres, {}, rest};
    Watcher screen{in_pixels, {}, pixels(rest)};
    std::size_t events = 0;
    for (int frame = 0; frame < 200; ++frame) {
        metres.step(1, 0.01);
        screen.step(pixels(1), 0.01);
        CHECK(screen.value() == Approx(240 * metres.value()).margin(1e-9));
        REQUIRE(screen.events().size() == metres.events().size());
        for (std::size_t i = 0; i < metres.events().size(); ++i, ++events) {
            CHECK(screen.events()[i].kind == metres.events()[i].kind);
            CHECK(screen.events()[i].after_s == Approx(metres.events()[i].after_s).margin(1e-9));
        }
    }
    CHECK(events >= 3);
    const Lean lean{.per_gap = 0.3, .per_acceleration = 0.1};
    const Quaternion leant = lean_of(lean, {1, 0, 0.5}, {2, 0, 1});
    const Quaternion on_screen =
        lean_of(pixels(lean), Vector3{1, 0, 0.5} * 240, Vector3{2, 0, 1} * 240);
    CHECK(angle_between(leant, on_screen) < 1e-12);
}
