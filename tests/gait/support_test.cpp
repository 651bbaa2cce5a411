// What carries a body, and what its feet did: against brute force, and with mistakes put in.

#include <algorithm>
#include <array>
#include <cmath>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/base/components.hpp>
#include <hopcoil/base/math.hpp>
#include <hopcoil/gait/support.hpp>
#include <hopcoil/measure/foot_watch.hpp>

#include "support/random.hpp"
#include "support/vectors.hpp"

using namespace hopcoil;

TEST_CASE("the support margin is the least over all directions of how far the feet reach that way",
          "[support]") {
    Random random{61};
    for (int i = 0; i < 300; ++i) {
        std::vector<Vector3> feet;
        const int count = 1 + i % 9;
        for (int k = 0; k < count; ++k)
            feet.push_back(random_vector(random, 1));
        if (count > 3 && i % 4 == 0) feet[3] = (feet[0] + feet[1]) * 0.5;  // three on one line
        if (count > 4 && i % 5 == 0) feet[4] = feet[2];
        const Vector3 spot = random_vector(random, 1);
        double truth = 1e9;
        constexpr int directions = 20000;
        for (int k = 0; k < directions; ++k) {
            const double angle = 2 * math::pi * k / directions;
            double most = -1e9;
            for (const Vector3& foot : feet) {
                most = std::max(most, std::cos(angle) * (foot.x - spot.x) +
                                          std::sin(angle) * (foot.z - spot.z));
            }
            truth = std::min(truth, most);
        }
        CAPTURE(count);
        CHECK(support_margin(feet, spot) <= truth + 1e-12);
        CHECK(support_margin(feet, spot) == Approx(truth).margin(5e-4));
        // Every foot is within the polygon, which goes round counter-clockwise.
        std::array<std::size_t, 9> corners{};
        const std::size_t n = support_polygon(feet, corners);
        for (std::size_t k = 0; k < n && n > 2; ++k) {
            const Vector3& a = feet[corners.at(k)];
            const Vector3& b = feet[corners.at((k + 1) % n)];
            for (const Vector3& c : feet)
                CHECK((b.z - a.z) * (c.x - a.x) - (b.x - a.x) * (c.z - a.z) > -1e-12);
        }
    }
    CHECK(support_margin({}, {}) < -1e6);
}

TEST_CASE("two stretches are as far apart as their nearest points", "[support]") {
    Random random{62};
    for (int i = 0; i < 100; ++i) {
        const std::array<Vector3, 4> p{random_vector(random, 1), random_vector(random, 1),
                                       random_vector(random, 1), random_vector(random, 1)};
        double truth = 1e9;
        constexpr int parts = 200;
        for (int a = 0; a <= parts; ++a) {
            for (int b = 0; b <= parts; ++b) {
                truth = std::min(truth, apart(p[0] + (p[1] - p[0]) * (1.0 * a / parts),
                                              p[2] + (p[3] - p[2]) * (1.0 * b / parts)));
            }
        }
        const double found = stretches_apart(p[0], p[1], p[2], p[3]);
        CHECK(found <= truth + 1e-12);
        CHECK(found == Approx(truth).margin(0.02));
    }
    CHECK(stretches_apart({}, {}, {1, 0, 0}, {1, 0, 0}) == 1);
}

TEST_CASE("a watch over the feet sees promises kept, and one that is broken", "[support]") {
    const FlatGround flat;
    Walker crab{walker_with(6, 0.3), flat, {}};
    FootWatch watch{crab};
    double fastest = 0;
    for (int tick = 0; tick < 960; ++tick) {
        const Vector3 before = crab.feet()[0].position;
        crab.step({.ahead = 0.3, .turn_rate = 0.2}, flat, Walker::tick_s);
        fastest = std::max(fastest, apart(before, crab.feet()[0].position) / Walker::tick_s);
        watch.look(crab, flat);
    }
    CHECK(watch.all().slip_m == 0);
    CHECK(watch.all().reach <= 1);
    CHECK(watch.all().support_m > 0);  // three feet are down, always around the middle
    CHECK(watch.all().feet_up == 3);
    CHECK(watch.all().clearance_m > 0.001);
    CHECK(watch.all().clearance_m < 0.1 * 0.3);
    CHECK(watch.all().legs_apart_m > 0.02);
    CHECK(watch.all().foot_acceleration > fastest);  // from standing to that in less than a second
    CHECK(watch.all().foot_acceleration < 450);
    CHECK(watch.all().steps_at_rest == 0);
    // Set down elsewhere, its planted feet have moved.
    crab.step({}, flat, 3);
    watch.look(crab, flat);
    crab.reset(flat, {0.05, 0, 0}, 0);
    watch.look(crab, flat);
    CHECK(watch.now().slip_m > 0.01);
}

TEST_CASE("every policy keeps a walker's promises, and its own", "[support][policy]") {
    Random random{63};
    const FlatGround flat;
    for (int i = 0; i < 40; ++i) {
        const std::size_t legs = std::array{2U, 4U, 6U, 8U}.at(static_cast<std::size_t>(i % 4));
        WalkerSettings settings = walker_with(legs, legs == 2 ? 0.95 : 0.5);
        settings.policy = static_cast<StepPolicy>(i / 4 % 5);
        Walker walker{settings, flat, {}};
        FootWatch watch{walker};
        const WalkerLimits limits = limits_of(settings);
        WalkCommand command{};
        std::uint32_t last = 9;
        bool same_twice = false;
        bool neighbours_up = false;
        for (int tick = 0; tick < 240 * 8; ++tick) {
            if (tick % 300 == 0) {
                command = {.ahead = random.between(-0.5, 0.9) * limits.most_speed_ahead,
                           .left = random.between(-0.4, 0.4) * limits.most_speed_sideways,
                           .turn_rate = random.between(-1, 1)};
            }
            if (tick > 240 * 6) command = {};
            std::array<bool, Walker::most_legs> before{};
            for (std::size_t k = 0; k < legs; ++k)
                before.at(k) = walker.feet()[k].planted;
            walker.step(command, flat, Walker::tick_s);
            watch.look(walker, flat);
            for (std::size_t k = 0; k < legs; ++k) {
                const bool up = !walker.feet()[k].planted;
                if (k + 2 < legs && up && !walker.feet()[k + 2].planted) neighbours_up = true;
                if (!up || !before.at(k) || walker.feet()[k].reason == StepReason::tidies) continue;
                same_twice = same_twice || settings.legs[k].group == last;
                last = settings.legs[k].group;
            }
            if (walker.still()) last = 9;  // after a rest either may begin
        }
        CAPTURE(legs, i / 4 % 5);
        CHECK(watch.all().slip_m == 0);
        CHECK(watch.all().reach <= 1);
        CHECK(watch.all().feet_up <= legs / 2);
        CHECK(watch.all().steps_at_rest == 0);
        walker.step({}, flat, 1);  // eight legs one at a time take so long
        CHECK(walker.still());
        if (legs == 2 && settings.policy == StepPolicy::alternate) CHECK_FALSE(same_twice);
        if (settings.policy == StepPolicy::each_on_its_own) CHECK_FALSE(neighbours_up);
    }
}

TEST_CASE("a watch sees the same acceleration of feet at every step", "[support]") {
    const FlatGround flat;
    const auto most_at = [&](double rate_hz) {
        Walker walker{walker_with(2, 0.95), flat, {}};
        FootWatch watch{walker};
        double now = 0;
        for (int i = 0; i < 4 * static_cast<int>(rate_hz); ++i) {
            walker.step({.ahead = 1.2}, flat, 1 / rate_hz);
            watch.look(walker, flat);
            now = std::max(now, watch.now().foot_acceleration);
        }
        CHECK(now == watch.all().foot_acceleration);
        return now;
    };
    const double at_ticks = most_at(240);
    CHECK(at_ticks > 40);
    for (const double rate_hz : {480.0, 1000.0, 1500.0})
        CHECK(most_at(rate_hz) == Approx(at_ticks).epsilon(0.05));
    // Means over longer frames are less.
    for (const double rate_hz : {60.0, 144.0}) {
        CHECK(most_at(rate_hz) > 0.4 * at_ticks);
        CHECK(most_at(rate_hz) < 1.1 * at_ticks);
    }
}
