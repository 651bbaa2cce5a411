// Wishes come true in a simulation that knows nothing of closed forms, and those out of reach say
// what is in reach.

#include <cmath>
#include <optional>
#include <string>

#include <catch2/catch.hpp>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/follow/follower.hpp>
#include <hopcoil/spring/step_response.hpp>
#include <hopcoil/spring/wish.hpp>

#include "support/random.hpp"

using namespace hopcoil;
using Catch::Matchers::Contains;

namespace {

struct Seen {
    double overshoot_percent = 0;
    double anticipation_percent = 0;
    double settling_time_s = 0;
};

/// A unit jump, stepped finely and looked at from outside.
Seen simulate(const Tuning& tuning, double settling_time_s, double initial_velocity) {
    Follower<double> follower{tuning, 0.0};
    follower.push(initial_velocity);
    follower.jump(1);
    const double dt = settling_time_s / 8000;
    Seen seen;
    for (int i = 1; i < 24000; ++i) {
        follower.step(1, dt);
        const double value = follower.value();
        seen.overshoot_percent = std::fmax(seen.overshoot_percent, 100 * (value - 1));
        seen.anticipation_percent = std::fmax(seen.anticipation_percent, -100 * value);
        if (std::fabs(value - 1) > 0.02) seen.settling_time_s = i * dt;
    }
    return seen;
}

void check_true(const Wish& wish) {
    const Tuning tuning = tuning_from(wish);
    const Seen seen = simulate(tuning, wish.settling_time_s, wish.initial_velocity);
    INFO("wish " << wish.overshoot_percent << " % " << wish.settling_time_s << " s, lead "
                 << wish.lead << ", at " << wish.initial_velocity << "; got " << tuning.frequency_hz
                 << " Hz, ratio " << tuning.damping_ratio);
    CHECK(seen.overshoot_percent == Approx(wish.overshoot_percent).margin(0.1));
    CHECK(seen.settling_time_s == Approx(wish.settling_time_s).epsilon(0.01));
    if (wish.most_anticipation_percent) {
        CHECK(seen.anticipation_percent <= *wish.most_anticipation_percent + 0.1);
    }
}

}  // namespace

TEST_CASE("a thousand wishes within reach come true", "[wish][long]") {
    Random random{11};
    for (int i = 0; i < 1000; ++i) {
        const double lead = random.between(-2, 2);
        const OvershootRange range = reachable_overshoot(lead);
        const double room = range.most_percent - range.least_percent;
        check_true({.overshoot_percent = range.least_percent + room * random.between(0.02, 0.93),
                    .settling_time_s = random.over_magnitudes(0.02, 20),
                    .lead = lead});
    }
}

TEST_CASE("a wish from flight comes true, or the nearest time in reach is named", "[wish]") {
    Random random{12};
    int met = 0;
    for (int i = 0; i < 60; ++i) {
        const double settling_time_s = random.over_magnitudes(0.05, 5);
        const Wish wish{.overshoot_percent = random.between(2, 70),
                        .settling_time_s = settling_time_s,
                        .initial_velocity = random.between(-4, 4) / settling_time_s};
        try {
            check_true(wish);
            ++met;
        } catch (const InvalidValue& refusal) {
            CHECK_THAT(refusal.what(), Contains("nearest") || Contains("can reach"));
        }
    }
    CHECK(met > 40);
}

TEST_CASE("every lead has its own least overshoot", "[wish]") {
    CHECK(reachable_overshoot(0).least_percent == Approx(0).margin(1e-9));
    CHECK(reachable_overshoot(0.9).least_percent == Approx(0).margin(1e-9));
    CHECK(reachable_overshoot(1.25).least_percent == Approx(24.6).margin(0.05));
    CHECK(reachable_overshoot(1.5).least_percent == Approx(44.6).margin(0.05));
    CHECK(reachable_overshoot(2).least_percent == Approx(68).margin(0.5));
    CHECK_THROWS_AS(tuning_from(Wish{.overshoot_percent = 0, .lead = 1}), InvalidValue);
}

TEST_CASE("a hundred wishes out of reach are refused with what is in reach", "[wish]") {
    Random random{13};
    for (int i = 0; i < 100; ++i) {
        const double lead = random.between(1.05, 2);
        const OvershootRange range = reachable_overshoot(lead);
        const bool below = random.chance(0.5);
        const double wanted = below ? range.least_percent * random.between(0, 0.99)
                                    : range.most_percent * random.between(1.01, 3);
        CHECK_THROWS_WITH(tuning_from(Wish{.overshoot_percent = wanted, .lead = lead}),
                          Contains("overshoot_percent") && Contains("can reach"));
    }
    CHECK_THROWS_WITH(tuning_from(Wish{.settling_time_s = 0.01}),
                      Contains("settling_time_s") && Contains("0.02 to 20"));
    CHECK_THROWS_AS(tuning_from(Wish{.overshoot_percent = std::nan("")}), InvalidValue);
    CHECK_THROWS_AS(tuning_from(Wish{.overshoot_percent = -1}), InvalidValue);
}

TEST_CASE("without overshoot it is as quick as that allows", "[wish]") {
    CHECK(tuning_from(Wish{.overshoot_percent = 0}).damping_ratio == 1);
    for (const double lead : {-1.0, 0.0, 0.4, 0.6, 0.9}) {
        const Wish wish{.overshoot_percent = 0, .settling_time_s = 0.4, .lead = lead};
        check_true(wish);
        Tuning livelier = tuning_from(wish);
        livelier.damping_ratio *= 0.9;
        CHECK(*jump_response(livelier).overshoot_percent.value() > 0);
    }
}

TEST_CASE("where two tunings answer, the more damped is given", "[wish]") {
    const Wish wish{.overshoot_percent = 46, .settling_time_s = 0.5, .lead = 1.5};
    const Tuning damped = tuning_from(wish);
    CHECK(damped.damping_ratio > 1);
    check_true(wish);
}

TEST_CASE("a cap on anticipation bends the lead and keeps the rest of the wish", "[wish]") {
    for (const double most : {0.0, 5.0, 30.0, 500.0}) {
        const Wish wish{.overshoot_percent = 12,
                        .settling_time_s = 0.6,
                        .lead = -2,
                        .most_anticipation_percent = most};
        check_true(wish);
        const Tuning tuning = tuning_from(wish);
        CHECK(tuning.lead <= 0);
        CHECK((most < 500 ? tuning.lead > -2 : tuning.lead == -2));
    }
    CHECK_THROWS_WITH(
        tuning_from(
            Wish{.settling_time_s = 1, .initial_velocity = -5, .most_anticipation_percent = 1}),
        Contains("most_anticipation_percent"));
}

TEST_CASE("a tuning's wish gives the tuning back", "[wish]") {
    Random random{14};
    for (int i = 0; i < 200; ++i) {
        const Tuning tuning{.frequency_hz = random.between(0.5, 5),
                            .damping_ratio = random.between(0.1, 0.9)};
        const Tuning again = tuning_from(wish_from(tuning));
        CHECK(again.frequency_hz == Approx(tuning.frequency_hz).epsilon(1e-6));
        CHECK(again.damping_ratio == Approx(tuning.damping_ratio).epsilon(1e-6));
    }
}
