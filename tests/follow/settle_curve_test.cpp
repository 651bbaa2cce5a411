// Throws that come to rest in their time and never strike a stop; curves made of keys.

#include <cmath>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/follow/settle_curve.hpp>

#include "support/allocations.hpp"
#include "support/random.hpp"

using namespace hopcoil;
using Catch::Matchers::Contains;

TEST_CASE("a throw from rest goes past and settles as wished", "[settle]") {
    Random random{91};
    for (int i = 0; i < 100; ++i) {
        const SettleTuning tuning{.duration_s = random.over_magnitudes(0.05, 5),
                                  .overshoot_percent = random.between(1, 60)};
        SettleCurve dial{tuning, random.between(-2, 2)};
        CHECK(dial.still());
        const double start = dial.value();
        const double target = random.between(-5, 5);
        dial.throw_to(target);
        double furthest = 0;
        double outside_s = 0;
        for (int step = 1; step <= 6000; ++step) {
            dial.step(tuning.duration_s / 3000);
            const double past = 100 * (dial.value() - target) / (target - start);
            furthest = std::fmax(furthest, past);
            if (std::fabs(past) > 2) outside_s = step * tuning.duration_s / 3000;
        }
        CHECK(furthest == Approx(tuning.overshoot_percent).margin(0.1));
        CHECK(outside_s == Approx(tuning.duration_s).epsilon(0.01));
    }
}

TEST_CASE("each swing has the height it was given, and it ends at rest in its time", "[settle]") {
    SettleCurve dial{{.duration_s = 1.2, .swing_percent = {20, 8, 3}}, 0.0};
    dial.throw_to(2);
    std::vector<double> turns;
    double before = dial.velocity();
    for (int step = 0; step < 12000; ++step) {
        const double value = dial.value();
        dial.step(1e-4);
        if (before * dial.velocity() < 0) turns.push_back(100 * (value - 2) / 2);
        before = dial.velocity();
    }
    REQUIRE(turns.size() == 3);
    CHECK(turns[0] == Approx(20).margin(0.01));
    CHECK(turns[1] == Approx(-8).margin(0.01));
    CHECK(turns[2] == Approx(3).margin(0.01));
    dial.step(1e-6);
    CHECK(dial.value() == 2);
    CHECK(dial.still());
}

TEST_CASE("ten thousand throws mid-flight strike no stop, and say what gave", "[settle]") {
    Random random{92};
    int struck = 0;
    int gave = 0;
    int travel_gave = 0;
    for (const bool by_heights : {false, true}) {
        SettleTuning tuning{.duration_s = 0.5, .overshoot_percent = 25};
        if (by_heights) tuning.swing_percent = {25, 10};
        SettleCurve needle{tuning, 0.0};
        const Stops pegs{.low = -1.1, .high = 0.8, .least_duration_s = 0.1};
        for (int i = 0; i < 5000; ++i) {
            Stops stops = pegs;
            stops.may_shorten_travel = random.chance(0.3);
            needle.set_stops(stops);
            if (random.chance(0.2)) {
                needle.retune({.duration_s = random.between(0.2, 2),
                               .overshoot_percent = random.between(0, 60),
                               .swing_percent = tuning.swing_percent});
            }
            if (random.chance(0.1)) needle.push(random.between(-20, 20));
            const double value = needle.value();
            const double velocity = needle.velocity();
            const double target =
                random.chance(0.3) ? (random.chance(0.5) ? -1.1 : 0.8) : random.between(-1.3, 1);
            const ThrowReport& report = needle.throw_to(target);
            gave += report.damping_raised;
            travel_gave += report.travel_gave;
            if (report.started_outside) {  // pushed outward on the peg it rested on
                CHECK((value >= 0.8 - 1e-12 || value <= -1.1 + 1e-12));
                needle.reset(random.between(-1, 0.7));
                continue;
            }
            CHECK(needle.value() == Approx(value).margin(1e-14));
            CHECK(needle.velocity() == velocity);
            const int steps = random.whole(1, 60);
            const double dt = random.over_magnitudes(1e-3, 0.05);
            for (int step = 0; step < steps; ++step) {
                needle.step(dt);
                struck += needle.value() > 0.8 + 1e-12 || needle.value() < -1.1 - 1e-12;
            }
        }
    }
    CHECK(struck == 0);
    CHECK(gave > 500);
    CHECK(travel_gave > 0);
}

TEST_CASE("what gives is the damping first, then the duration, then the travel", "[settle]") {
    SettleCurve needle{{.duration_s = 1, .overshoot_percent = 30}, 0.0};
    needle.set_stops({.high = 1.1});
    const ThrowReport by_damping = needle.throw_to(1);
    CHECK(by_damping.damping_raised);
    CHECK_FALSE(by_damping.duration_gave);
    CHECK(by_damping.duration_s == 1);
    double furthest = 0;
    for (int i = 0; i < 3000; ++i) {
        needle.step(1e-3);
        furthest = std::fmax(furthest, needle.value());
    }
    CHECK(furthest == Approx(1.1).margin(1e-4));  // no more damping than it takes

    needle.reset(1);
    needle.push(20);
    CHECK(needle.last_throw().duration_gave);
    CHECK(needle.last_throw().duration_s < 1);

    needle.reset(1);
    needle.set_stops({.high = 1.1, .least_duration_s = 0.9, .may_shorten_travel = true});
    needle.push(2.5);
    CHECK(needle.last_throw().travel_gave);
    CHECK(needle.last_throw().target < 1);
}

TEST_CASE("new numbers leave the throw under way as it is, whatever their form", "[settle]") {
    for (const bool to_heights : {false, true}) {
        const SettleTuning plain{.duration_s = 0.8, .overshoot_percent = 20};
        const SettleTuning heights{.duration_s = 0.8, .swing_percent = {30, 10}};
        SettleCurve dial{to_heights ? plain : heights, 0.0};
        dial.throw_to(1);
        dial.step(0.2);
        SettleCurve untouched = dial;
        dial.retune(to_heights ? heights : plain);
        for (int i = 0; i < 20; ++i) {
            dial.step(0.02);
            untouched.step(0.02);
            CHECK(dial.value() == untouched.value());
            CHECK(dial.velocity() == untouched.velocity());
        }
    }
}

TEST_CASE("a throw is the same at every rate, and as keys", "[settle]") {
    Random random{93};
    for (const bool by_heights : {false, true}) {
        SettleTuning tuning{.duration_s = 0.8, .overshoot_percent = 20};
        if (by_heights) tuning.swing_percent = {30, 12, 4};
        SettleCurve dial{tuning, 0.0};
        dial.throw_to(1);
        dial.step(0.2);
        dial.throw_to(-0.5);
        SettleCurve once = dial;
        const KeyCurve keys = dial.keys(120);
        CHECK(keys.at(100) == -0.5);
        double time_s = 0;
        for (int i = 0; i < 40; ++i) {
            const double dt = random.between(0, 0.04);
            time_s += dt;
            dial.step(dt);
            CHECK(keys.at(time_s) == Approx(dial.value()).margin(2e-4));
        }
        once.step(time_s);
        CHECK(once.value() == Approx(dial.value()).margin(1e-12));
    }
}

TEST_CASE("a settle curve stays finite and steps without memory", "[settle]") {
    Random random{94};
    SettleCurve dial{{}, 0.0};
    dial.set_stops({.low = -2, .high = 2});
    for (int i = 0; i < 3000; ++i) {
        const auto wild = [&] {
            return random.chance(0.1) ? (random.chance(0.5) ? NAN : 1e308) : random.between(-3, 3);
        };
        dial.try_retune({.duration_s = wild(), .overshoot_percent = wild()});
        if (i % 3 == 0) dial.push(wild());
        if (i % 100 == 0) dial.reset(wild());
        const long before = allocations();
        dial.step(wild(), wild());
        dial.step(0.01);
        CHECK(allocations() == before);
        CHECK(std::isfinite(dial.value()));
        CHECK(std::isfinite(dial.velocity()));
    }
    CHECK(dial.rejected_inputs() > 0);
    CHECK_THROWS_WITH((SettleCurve{{.duration_s = 0}, 0.0}), Contains("0.02 to 20"));
    CHECK_THROWS_WITH(dial.set_stops({.low = 1, .high = 1}), Contains("above low"));
    STATIC_REQUIRE(System<SettleCurve>);
}

TEST_CASE("a curve goes through its keys with their slopes", "[key_curve]") {
    const KeyCurve curve{{{0, 0, 0, 2}, {1, 1, 0, 0}, {3, -1, -1, 0}}};
    CHECK(curve.at(-1) == 0);
    CHECK(curve.at(0) == 0);
    CHECK(curve.at(1) == Approx(1));
    CHECK(curve.at(9) == -1);
    CHECK(curve.slope_at(0) == Approx(2));
    CHECK(curve.slope_at(3 - 1e-9) == Approx(-1).epsilon(1e-6));
    for (double t = 0.01; t < 2.9; t += 0.13) {
        const double h = 1e-6;
        CHECK(curve.slope_at(t) ==
              Approx((curve.at(t + h) - curve.at(t - h)) / (2 * h)).margin(1e-6));
    }
    CHECK_THROWS_WITH((KeyCurve{{{1, 0, 0, 0}, {1, 1, 0, 0}}}), Contains("after the key"));
    CHECK_THROWS_AS(KeyCurve{std::vector<CurveKey>{}}, InvalidValue);
}

TEST_CASE("a curve's turning points are where it turns", "[key_curve]") {
    Random random{95};
    for (int i = 0; i < 200; ++i) {
        std::vector<CurveKey> keys;
        double time_s = 0;
        for (int k = 0; k < 6; ++k) {
            const double slope = random.between(-4, 4);
            keys.push_back({time_s, random.between(-1, 1), slope, slope});
            time_s += random.between(0.2, 1);
        }
        const KeyCurve curve{keys};
        const auto turns = curve.turning_points();
        std::vector<double> seen;
        constexpr int samples = 20000;
        double before = 0;
        for (int s = 1; s <= samples; ++s) {
            const double end_s = curve.end_s();
            const double rise = curve.at(end_s * s / samples) - curve.at(end_s * (s - 1) / samples);
            if (before * rise < 0) seen.push_back(end_s * (s - 1) / samples);
            if (rise != 0) before = rise;
        }
        REQUIRE(turns.size() >= seen.size());
        for (const double time : seen) {
            double nearest = 1e9;
            for (const auto& turn : turns)
                nearest = std::fmin(nearest, std::fabs(turn.time_s - time));
            CHECK(nearest < 2e-3);
        }
    }
    const std::vector<double> times{0, 1, 2, 3};
    const std::vector<double> values{0, 2, 2.5, 1};
    const KeyCurve through = KeyCurve::through(times, values);
    const auto turns = through.turning_points();
    REQUIRE(turns.size() == 1);
    CHECK(turns[0].value == Approx(2.5));
    CHECK(turns[0].time_s == Approx(2));
}
