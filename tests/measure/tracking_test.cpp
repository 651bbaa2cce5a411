#include <cmath>
#include <stdexcept>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/follow/follower.hpp>
#include <hopcoil/measure/tracking.hpp>
#include <hopcoil/spring/step_response.hpp>
#include <hopcoil/spring/wish.hpp>

#include "support/random.hpp"

using namespace hopcoil;

namespace {

struct Rows {
    std::vector<double> times_s;
    std::vector<double> values;
    std::vector<double> targets;
};

ComponentRows one(const std::vector<double>& rows) {
    return {&rows, 1};
}

/// Jumps of a target at each second time of a list, held in between.
Rows after_jumps(const Tuning& tuning, double rate_hz, const std::vector<double>& places,
                 double apart_s) {
    Rows rows;
    Follower<double> lamp{tuning, 0.0};
    double target = 0;
    const auto per_jump = static_cast<int>(std::round(apart_s * rate_hz));
    for (int i = 0; i < per_jump * static_cast<int>(places.size()); ++i) {
        if (i > 0) lamp.step(target, 1 / rate_hz);
        if (i % per_jump == per_jump / 4) {
            target = places[static_cast<std::size_t>(i / per_jump)];
            lamp.jump(target);
        }
        rows.times_s.push_back(i / rate_hz);
        rows.values.push_back(lamp.value());
        rows.targets.push_back(target);
    }
    return rows;
}

}  // namespace

TEST_CASE("jumps read off a take are those that the closed form answers", "[tracking]") {
    Random random{17};
    for (int i = 0; i < 100; ++i) {
        const Tuning tuning{.frequency_hz = random.between(1, 3),
                            .damping_ratio = random.between(0.3, 1.4)};
        CAPTURE(tuning.frequency_hz, tuning.damping_ratio);
        const Rows rows = after_jumps(tuning, 240, {random.between(0.5, 5)}, 8);
        const JumpsMet met = measure_jumps(rows.times_s, one(rows.values), one(rows.targets));
        const JumpResponse exact = jump_response(tuning);
        REQUIRE(met.jumps == 1);
        CHECK(met.unsettled == 0);
        CHECK(met.largest_overshoot_percent ==
              Approx(exact.overshoot_percent.value().value_or(0)).margin(0.05));
        REQUIRE(met.longest_settling_s);
        CHECK(*met.longest_settling_s ==
              Approx(exact.settling_time_s.value().value_or(0)).margin(2e-3));
    }
}

TEST_CASE("several jumps are told apart, and one that was not met is said", "[tracking]") {
    const Tuning slow{.frequency_hz = 0.5, .damping_ratio = 0.2};
    const Rows rows = after_jumps(slow, 60, {1, -2, 0.5}, 2);
    const JumpsMet met = measure_jumps(rows.times_s, one(rows.values), one(rows.targets));
    CHECK(met.jumps == 3);
    CHECK(met.unsettled == 3);
    CHECK_FALSE(met.longest_settling_s);
    // A ramp and a crawl are no jumps.
    std::vector<double> ramp;
    for (int i = 0; i < 200; ++i)
        ramp.push_back(i < 50 ? 0 : i < 100 ? (i - 50) * 0.02 : 1);
    const std::vector<double> times_s(rows.times_s.begin(), rows.times_s.begin() + 200);
    CHECK(measure_jumps(times_s, one(ramp), one(ramp)).jumps == 0);
    std::vector<double> crawl = ramp;
    for (int i = 150; i < 200; ++i)
        crawl[static_cast<std::size_t>(i)] += 1e-15;
    CHECK(measure_jumps(times_s, one(crawl), one(crawl)).jumps == 0);
    CHECK_THROWS_AS(measure_jumps({}, {}, {}), std::invalid_argument);
}

TEST_CASE("a lag is found whatever moves", "[tracking]") {
    Random random{23};
    for (int i = 0; i < 60; ++i) {
        const double lag_s = random.between(-0.8, 0.8);
        CAPTURE(lag_s);
        Rows rows;
        for (int k = 0; k < 900; ++k) {
            const double t = k / 60.0;
            const auto place = [](double at) {
                return std::sin(1.3 * at) + 0.4 * std::sin(3.7 * at);
            };
            rows.times_s.push_back(t);
            rows.targets.push_back(place(t));
            rows.values.push_back(place(t - lag_s));
        }
        const auto found = measure_lag_s(rows.times_s, one(rows.values), one(rows.targets));
        REQUIRE(found);
        CHECK(*found == Approx(lag_s).margin(2e-3));
    }
    const std::vector<double> still(100, 3.0);
    std::vector<double> times_s;
    for (int k = 0; k < 100; ++k)
        times_s.push_back(k / 60.0);
    CHECK_FALSE(measure_lag_s(times_s, one(still), one(still)));
}

TEST_CASE("behind a ramp a follower lags by what the library says", "[tracking]") {
    const Tuning tuning{.frequency_hz = 1.5, .damping_ratio = 0.7};
    Follower<double> lamp{tuning, 0.0};
    Rows rows;
    for (int k = 0; k < 1200; ++k) {
        const double t = k / 60.0;
        const double target = std::sin(0.4 * t);
        if (k > 0) lamp.step(target, 1.0 / 60);
        rows.times_s.push_back(t);
        rows.values.push_back(lamp.value());
        rows.targets.push_back(target);
    }
    const auto lag_s = measure_lag_s(rows.times_s, one(rows.values), one(rows.targets));
    REQUIRE(lag_s);
    CHECK(*lag_s == Approx(ramp_lag_s(tuning)).margin(2e-3));
}

TEST_CASE("what goes straight to its target and stops there passes it by nothing", "[tracking]") {
    std::vector<double> times_s;
    std::vector<double> values;
    std::vector<double> targets;
    for (int i = 0; i <= 60; ++i) {
        times_s.push_back(i / 60.0);
        targets.push_back(i < 6 ? 0.0 : 1.0);
        values.push_back(std::clamp((i - 6) / 20.0, 0.0, 1.0));
    }
    CHECK(hopcoil::measure_jumps(times_s, one(values), one(targets)).largest_overshoot_percent ==
          0);
}
