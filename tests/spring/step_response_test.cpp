#include <algorithm>
#include <cmath>
#include <string>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/follow/follower.hpp>
#include <hopcoil/spring/free_motion.hpp>
#include <hopcoil/spring/step_response.hpp>

#include "support/numbers.hpp"
#include "support/random.hpp"

using namespace hopcoil;

namespace {

/// A motion sampled densely, and the figures a person would read off it.
struct Sampled {
    std::vector<double> times_s;
    std::vector<double> values;
    std::vector<double> velocities;

    [[nodiscard]] double first_time_at(double level) const {
        for (std::size_t i = 1; i < values.size(); ++i) {
            if ((values[i - 1] < level) != (values[i] < level)) return times_s[i];
        }
        return -1;
    }
    [[nodiscard]] double last_time_outside(double low, double high) const {
        for (std::size_t i = values.size(); i-- > 0;) {
            if (values[i] < low || values[i] > high) return times_s[i];
        }
        return 0;
    }
    [[nodiscard]] double highest() const { return *std::max_element(values.begin(), values.end()); }
    [[nodiscard]] double lowest() const { return *std::min_element(values.begin(), values.end()); }
    [[nodiscard]] double fastest() const {
        double fastest = 0;
        for (const double each : velocities)
            fastest = std::max(fastest, std::fabs(each));
        return fastest;
    }
};

template <class Target>
Sampled sampled(Follower<double> follower, double length_s, const Target& target) {
    constexpr int count = 40000;
    Sampled motion;
    for (int i = 0; i <= count; ++i) {
        const double time_s = length_s * i / count;
        if (i > 0) follower.step(target(time_s), length_s / count);
        motion.times_s.push_back(time_s);
        motion.values.push_back(follower.value());
        motion.velocities.push_back(follower.velocity());
    }
    return motion;
}

Tuning random_tuning(Random& random) {
    return {.frequency_hz = random.over_magnitudes(0.1, 20),
            .damping_ratio = random.chance(0.1) ? 1.0 : random.over_magnitudes(0.1, 6),
            .lead = random.chance(0.4) ? 0.0 : random.between(-1.5, 2)};
}

/// Until it has settled many times over.
double long_enough_s(const Tuning& tuning) {
    const double z = tuning.damping_ratio;
    const double slowest = z < 1 ? z : 1 / (2 * z);
    return 8 / (slowest * 2 * pi * tuning.frequency_hz);
}

}  // namespace

TEST_CASE("the figures of a jump are those of the motion itself", "[answers]") {
    Random random{50};
    for (int i = 0; i < 80; ++i) {
        const Tuning tuning = random_tuning(random);
        const double size = random.between(0.5, 3) * (random.chance(0.3) ? -1 : 1);
        const double w = 2 * pi * tuning.frequency_hz;
        const double initial_velocity = random.chance(0.5) ? 0.0 : random.between(-0.5, 0.5) * w;
        CAPTURE(tuning.frequency_hz, tuning.damping_ratio, tuning.lead, size, initial_velocity);

        Follower<double> follower{tuning, 0.0};
        follower.push(initial_velocity);
        follower.jump(size);
        const double length_s = long_enough_s(tuning);
        const Sampled motion = sampled(follower, length_s, [&](double) { return size; });
        const double spacing_s = length_s / 40000;

        const JumpResponse answer = jump_response(tuning, size, initial_velocity);
        const double past = size > 0 ? motion.highest() - size : size - motion.lowest();
        const double back = size > 0 ? -motion.lowest() : motion.highest();
        const double share = 100 / std::fabs(size);
        CHECK(*answer.overshoot_percent.value() ==
              Approx(std::max(0.0, past) * share).margin(0.01));
        CHECK(*answer.anticipation_percent.value() ==
              Approx(std::max(0.0, back) * share).margin(0.01));
        CHECK(*answer.peak_velocity.value() == Approx(motion.fastest()).epsilon(1e-4));
        const double rise_s = motion.first_time_at(0.9 * size) - motion.first_time_at(0.1 * size);
        CHECK(*answer.rise_time_s.value() == Approx(rise_s).margin(3 * spacing_s));
        const double low = size - 0.02 * std::fabs(size);
        const double high = size + 0.02 * std::fabs(size);
        CHECK(*answer.settling_time_s.value() ==
              Approx(motion.last_time_outside(low, high)).margin(3 * spacing_s));
        if (answer.peak_time_s.value()) {
            Follower<double> to_peak = follower;
            to_peak.step(size, *answer.peak_time_s.value());
            CHECK((to_peak.value() - size) / size * 100 ==
                  Approx(*answer.overshoot_percent.value()).epsilon(1e-9));
        } else {
            CHECK(past <= 1e-9);
            CHECK_FALSE(answer.peak_time_s.reason().empty());
        }
        std::size_t outside = 0;
        for (const Swing& swing : answer.swings) {
            Follower<double> there = follower;
            there.step(size, swing.time_s);
            CHECK(std::fabs(there.velocity()) <= 1e-9 * w * std::fabs(size));
            CHECK((there.value() - size) / size * 100 == Approx(swing.percent).margin(1e-9));
            if (std::fabs(swing.percent) > 2) ++outside;
        }
        CHECK(*answer.reversals.value() == static_cast<double>(outside));
    }
}

TEST_CASE("a jump's overshoot has its textbook size", "[answers]") {
    for (const double z : {0.05, 0.2, 0.4, 0.8}) {
        const JumpResponse answer = jump_response({.frequency_hz = 2, .damping_ratio = z});
        const double ratio = std::exp(-pi * z / std::sqrt(1 - z * z));
        CHECK(*answer.overshoot_percent.value() == Approx(100 * ratio).epsilon(1e-12));
        REQUIRE(answer.swings.size() >= 2);
        CHECK(answer.swings[1].percent == Approx(-100 * ratio * ratio).epsilon(1e-12));
    }
}

TEST_CASE("what does not exist is none, with a reason", "[answers]") {
    const JumpResponse undamped = jump_response({.frequency_hz = 2, .damping_ratio = 0});
    CHECK(*undamped.overshoot_percent.value() == Approx(100));
    CHECK_FALSE(undamped.settling_time_s.value());
    CHECK_FALSE(undamped.reversals.value());
    CHECK(undamped.settling_time_s.reason() == "without damping it swings for ever");
    CHECK(undamped.swings.size() == most_swings);

    const JumpResponse unmoved = jump_response({.frequency_hz = 0}, 1, 0.5);
    CHECK_FALSE(unmoved.rise_time_s.value());
    CHECK(*unmoved.peak_velocity.value() == 0.5);
    CHECK(unmoved.swings.empty());

    const JumpResponse creeping = jump_response({.frequency_hz = 2, .damping_ratio = 3});
    CHECK(*creeping.overshoot_percent.value() == 0);
    CHECK_FALSE(creeping.peak_time_s.value());
    CHECK(creeping.settling_time_s.value());

    CHECK_FALSE(kick_response({.damping_ratio = 1}).return_time_s.value());
    CHECK_FALSE(kick_response({.frequency_hz = 0}).furthest.value());
    CHECK_FALSE(ramp_response({.damping_ratio = 0}).steady_gap.value());
    CHECK_FALSE(sine_response({.frequency_hz = 3, .damping_ratio = 0}, 3).gain.value());
    CHECK_FALSE(sine_response({.frequency_hz = 0, .damping_ratio = 1}, 3).phase_lag_rad.value());
}

TEST_CASE("figures that make no sense to ask for are refused", "[answers]") {
    CHECK_THROWS_AS(jump_response({}, 0), std::invalid_argument);
    CHECK_THROWS_AS(jump_response({}, not_a_number), std::invalid_argument);
    CHECK_THROWS_AS(jump_response({}, 1, not_a_number), std::invalid_argument);
    CHECK_THROWS_AS(jump_response({.frequency_hz = -1}), std::invalid_argument);
    CHECK_THROWS_AS(kick_response({}, 0), std::invalid_argument);
    CHECK_THROWS_AS(ramp_response({}, 0), std::invalid_argument);
    CHECK_THROWS_AS(sine_response({}, 0), std::invalid_argument);
    CHECK_THROWS_AS(FreeMotion({}, {not_a_number, 0}), std::invalid_argument);
}

TEST_CASE("the figures of a kick are those of the motion itself", "[answers]") {
    Random random{51};
    for (int i = 0; i < 60; ++i) {
        const Tuning tuning = random_tuning(random);
        const double kick = random.between(-5, 5);
        CAPTURE(tuning.frequency_hz, tuning.damping_ratio, kick);
        Follower<double> follower{tuning, 0.0};
        follower.push(kick);
        const double length_s = long_enough_s(tuning);
        const Sampled motion = sampled(follower, length_s, [](double) { return 0.0; });
        const double spacing_s = length_s / 40000;
        const KickResponse answer = kick_response(tuning, kick);
        const double furthest = kick > 0 ? motion.highest() : motion.lowest();
        CHECK(*answer.furthest.value() == Approx(furthest).epsilon(1e-4));
        Follower<double> there = follower;
        there.step(0.0, *answer.furthest_time_s.value());
        CHECK(there.value() == Approx(*answer.furthest.value()).epsilon(1e-12));
        CHECK(std::fabs(there.velocity()) < 1e-9 * std::fabs(kick));
        if (answer.return_time_s.value()) {
            there = follower;
            there.step(0.0, *answer.return_time_s.value());
            CHECK(std::fabs(there.value()) < 1e-9 * std::fabs(furthest));
        }
        const double band = 0.02 * std::fabs(furthest);
        CHECK(
            *answer.settling_time_s.value() ==
            Approx(motion.last_time_outside(-band, band)).margin(3 * spacing_s + 1e-4 * length_s));
    }
}

TEST_CASE("the figures of a ramp are those of the motion itself", "[answers]") {
    Random random{52};
    for (int i = 0; i < 60; ++i) {
        const Tuning tuning = random_tuning(random);
        const double speed = random.between(0.5, 4);
        const double initial_velocity = random.chance(0.5) ? 0.0 : random.between(-4, 4);
        CAPTURE(tuning.frequency_hz, tuning.damping_ratio, tuning.lead, speed, initial_velocity);
        Follower<double> follower{tuning, 0.0};
        follower.push(initial_velocity);
        const double length_s = long_enough_s(tuning);
        Sampled motion = sampled(follower, length_s, [&](double t) { return speed * t; });
        for (std::size_t k = 0; k < motion.values.size(); ++k) {
            motion.values[k] -= speed * motion.times_s[k];
        }
        const RampResponse answer = ramp_response(tuning, speed, initial_velocity);
        const double scale = speed / tuning.frequency_hz;
        CHECK(*answer.steady_gap.value() == Approx(motion.values.back()).margin(1e-3 * scale));
        const double largest = std::max(motion.highest(), -motion.lowest());
        CHECK(std::fabs(*answer.largest_gap.value()) == Approx(largest).margin(1e-3 * scale));
        CHECK(*answer.peak_velocity.value() == Approx(motion.fastest()).epsilon(1e-3));
    }
}

TEST_CASE("the steady answer to a sine is that of the motion itself", "[answers]") {
    Random random{53};
    for (int i = 0; i < 40; ++i) {
        const Tuning tuning = random_tuning(random);
        const double hz = tuning.frequency_hz * random.over_magnitudes(0.2, 5);
        CAPTURE(tuning.frequency_hz, tuning.damping_ratio, tuning.lead, hz);
        const SineResponse answer = sine_response(tuning, hz);
        const double w = 2 * pi * hz;
        Follower<double> follower{tuning, 0.0};
        // Past the transient, then a quarter period apart: sine and cosine parts.
        const double periods = std::ceil(4 * long_enough_s(tuning) * hz);
        const int steps = static_cast<int>(periods) * 400;
        const double dt = periods / hz / steps;
        follower.step(0.0, w, 0.0);
        for (int k = 1; k <= steps; ++k) {
            follower.step(std::sin(w * dt * k), w * std::cos(w * dt * k), dt);
        }
        const double cosine_part = follower.value();
        const double sine_part = follower.velocity() / w;
        CHECK(std::hypot(sine_part, cosine_part) == Approx(*answer.gain.value()).epsilon(1e-6));
        const double lag = std::atan2(-cosine_part, sine_part);
        const double off = std::remainder(lag - *answer.phase_lag_rad.value(), 2 * pi);
        CHECK(std::fabs(off) < 1e-6);
        CHECK(*answer.delay_s.value() == Approx(*answer.phase_lag_rad.value() / w));
    }
}

TEST_CASE("settling is found where swings die down over thousands of periods", "[answers]") {
    for (const double z : {1e-2, 1e-3, 1e-4}) {
        const FreeMotion motion{{.frequency_hz = 1, .damping_ratio = z},
                                {.gap = -1, .velocity = 0}};
        const double settled_s = *motion.settling_time_s(0.02);
        // The envelope reaches 2 % then, to within a swing.
        CHECK(settled_s == Approx(std::log(50) / (z * 2 * pi)).margin(0.5));
        CHECK(std::fabs(std::fabs(motion.at(settled_s).gap) - 0.02) < 1e-9);
        for (int i = 1; i < 100; ++i) {
            CHECK(std::fabs(motion.at(settled_s + 0.03 * i).gap) <= 0.02);
        }
    }
}
