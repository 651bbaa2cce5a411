// Off the ground and down again: ballistic in between, exact at both ends.

#include <algorithm>
#include <cmath>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/base/components.hpp>
#include <hopcoil/base/state.hpp>
#include <hopcoil/field/terrain.hpp>
#include <hopcoil/follow/intent.hpp>
#include <hopcoil/gait/walker.hpp>
#include <hopcoil/measure/foot_watch.hpp>

#include "support/allocations.hpp"
#include "support/rafts.hpp"
#include "support/random.hpp"
#include "support/vectors.hpp"

using namespace hopcoil;

namespace {

Vector3 middle_of_feet(const Walker& walker) {
    Vector3 sum{};
    for (const WalkerFoot& foot : walker.feet())
        sum = sum + foot.position;
    return sum * (1 / static_cast<double>(walker.feet().size()));
}

/// What happens from one hop to the next standstill.
struct HopWatch {
    double reach = 0;  ///< over the leg
    double fastest_change = 0;
    double foot_acceleration = 0;
    double slip = 0;
    double flight_s = 0;
    std::vector<Vector3> in_air{};  ///< the hips, tick by tick

    void watch(Walker& walker, const WalkCommand& command, const Ground& ground, int ticks) {
        std::vector<Vector3> before(walker.feet().size());
        std::vector<Vector3> velocities(walker.feet().size());
        Vector3 hips = walker.position();
        Vector3 velocity{};
        for (int tick = 0; tick < ticks; ++tick) {
            std::vector<bool> stood;
            for (std::size_t i = 0; i < before.size(); ++i) {
                before[i] = walker.feet()[i].position;
                stood.push_back(walker.feet()[i].planted);
            }
            walker.step(command, ground, Walker::tick_s);
            const bool flies = walker.hop_phase() == HopPhase::flies;
            if (flies) in_air.push_back(walker.position());
            flight_s += flies ? Walker::tick_s : 0;
            for (std::size_t i = 0; i < before.size(); ++i) {
                const Vector3 foot = walker.feet()[i].position;
                reach =
                    std::max(reach, apart(foot, walker.hip(i)) / walker.settings().leg_length_m);
                if (stood[i] && walker.feet()[i].planted)
                    slip = std::max(slip, apart(foot, before[i]));
                const Vector3 now = (foot - before[i]) * (1 / Walker::tick_s);
                if (tick > 1)
                    foot_acceleration =
                        std::max(foot_acceleration, apart(now, velocities[i]) / Walker::tick_s);
                velocities[i] = now;
            }
            const Vector3 now = (walker.position() - hips) * (1 / Walker::tick_s);
            if (tick > 0) fastest_change = std::max(fastest_change, apart(now, velocity));
            velocity = now;
            hips = walker.position();
        }
    }
};

}  // namespace

TEST_CASE("a hop lands where it was told to, ballistic in the air, and no leg is longer than it is",
          "[hop]") {
    Random random{41};
    for (int i = 0; i < 60; ++i) {
        const std::size_t legs =
            std::vector<std::size_t>{2, 4, 6, 8}[static_cast<std::size_t>(i % 4)];
        const double leg_m = legs == 2 ? 0.95 : 0.4;
        const double from_m = random.between(0, 0.5) * leg_m;
        Terrain quay;
        quay.add(Terrain::Plane{.can_stand = false});
        const double angle = random.between(-3, 3);
        const double far = (legs > 4 ? 1.0 : 1.3) * leg_m;
        const Vector3 place = Vector3{std::sin(angle), 0, std::cos(angle)} * random.between(0, far);
        quay.add(Terrain::Box{.middle = {0, 0.5 * from_m, 0}, .size = {9, from_m, 9}});
        Walker walker{walker_with(legs, leg_m), quay, {0, from_m, 0}, random.between(-3, 3)};
        HopWatch watch;
        watch.watch(walker, {}, quay, 480);
        REQUIRE(walker.still());
        REQUIRE(walker.hop({.place = place + Vector3{0, from_m, 0}}, quay) == StepStatus::stepped);
        watch.watch(walker, {}, quay, 480);
        CAPTURE(legs, leg_m, place.x, place.z);
        CHECK(walker.still());
        CHECK(walker.log().hops == 1);
        CHECK(apart(middle_of_feet(walker), place + Vector3{0, from_m, 0}) < 0.02 * leg_m);
        CHECK(apart(walker.position(), place) < 1.3 * leg_m + from_m);
        CHECK(watch.slip == 0);
        CHECK(watch.reach <= 1);
        CHECK(watch.foot_acceleration < 620);
        CHECK(watch.fastest_change < 0.8);  // m/s in a tick
        // A parabola: third differences vanish, second ones are gravity.
        REQUIRE(watch.in_air.size() > 20);
        for (std::size_t k = 2; k < watch.in_air.size(); ++k) {
            const Vector3 bend = watch.in_air[k] - watch.in_air[k - 1] * 2.0 + watch.in_air[k - 2];
            const Vector3 fall{0, -standard_gravity * Walker::tick_s * Walker::tick_s, 0};
            CHECK(apart(bend, fall) < 1e-9);
        }
    }
}

TEST_CASE("a hop up onto a post and down from it ends with both feet on top", "[hop]") {
    for (const double height : {0.1, 0.5, 0.9, 1.4}) {
        Terrain posts;
        posts.add(Terrain::Plane{.can_stand = false});
        posts.add(Terrain::Box{.middle = {0, 0.25, 0}, .size = {0.3, 0.5, 0.3}});
        posts.add(Terrain::Box{.middle = {0, 0.5 * height, 1}, .size = {0.3, height, 0.3}});
        Walker heron{walker_with(2, 0.5), posts, {0, 0.5, 0}};
        HopWatch watch;
        REQUIRE(heron.hop({.place = {0, height, 1}}, posts) == StepStatus::stepped);
        watch.watch(heron, {}, posts, 600);
        CAPTURE(height);
        for (const WalkerFoot& foot : heron.feet()) {
            CHECK(foot.position.y == Approx(height).margin(1e-12));
            CHECK(std::abs(foot.position.z - 1) < 0.15);
        }
        CHECK(heron.log().no_foothold == 0);
        CHECK(watch.reach <= 1);
        double top = 0;
        for (const Vector3& hips : watch.in_air)
            top = std::max(top, hips.y);
        CHECK(top > std::max(0.5, height) + 0.4);
        const double up_s = std::sqrt(2 * (top - watch.in_air.front().y) / standard_gravity);
        const double down_s = std::sqrt(2 * (top - watch.in_air.back().y) / standard_gravity);
        CHECK(std::abs(watch.flight_s - up_s - down_s) < 4 * Walker::tick_s);
        // The water is nothing to land on.
        CHECK(heron.hop({.place = {2, 0, 0}}, posts) == StepStatus::rejected);
        CHECK(heron.hop({.place = {NAN, 0, 0}}, posts) == StepStatus::rejected);
        CHECK(heron.hop({.place = {1e4, 0, 0}}, posts) == StepStatus::rejected);
        // As flat as can be it is over soon, too.
        REQUIRE(heron.hop({.place = {0, 0.5, 0}, .apex_m = 1e-9}, posts) == StepStatus::stepped);
        watch.watch(heron, {}, posts, 720);
        CHECK(heron.still());
    }
}

TEST_CASE("a hop on the run keeps its speed, and its feet step on", "[hop]") {
    const FlatGround flat;
    for (const std::size_t legs : {2U, 4U, 6U}) {
        const double leg_m = legs == 2 ? 0.95 : 0.5;
        Walker walker{walker_with(legs, leg_m), flat, {}};
        const double speed = 0.55 * walker.limits().most_speed_ahead;
        HopWatch watch;
        watch.watch(walker, {.ahead = speed}, flat, 480);
        REQUIRE(walker.hop({.keeps_on = true}, flat) == StepStatus::stepped);
        double slowest = 9;
        for (int i = 0; i < 480; ++i) {
            watch.watch(walker, {.ahead = speed}, flat, 1);
            slowest = std::min(slowest, walker.velocity().z);
        }
        CAPTURE(legs);
        CHECK(walker.log().hops == 1);
        CHECK(watch.in_air.size() > 20);
        CHECK(slowest > 0.9 * speed);
        CHECK(watch.slip == 0);
        CHECK(watch.reach <= 1);
        // And it can stop after it.
        watch.watch(walker, {}, flat, 720);
        CHECK(walker.still());
    }
}

TEST_CASE("a hop on a raft that drifts is the hop on still ground, at any step", "[hop]") {
    const Vector3 drift{1.1, 0, -0.6};
    for (const bool runs : {false, true}) {
        for (const std::size_t legs : {2U, 4U, 6U}) {
            for (const double dt : {1.0 / 60, 1.0 / 144}) {
                CAPTURE(runs, legs, dt);
                TwoRafts rafts{drift, 40};
                const Terrain& still = rafts.still;
                Terrain& moving = rafts.moving;
                Walker on_still{walker_with(legs, 0.8), still, {}};
                Walker on_moving{walker_with(legs, 0.8), moving, {}};
                const WalkCommand command{.ahead =
                                              runs ? 0.5 * on_still.limits().most_speed_ahead : 0};
                bool has_hopped = false;
                double most = 0;
                for (double t = dt; t < 4; t += dt) {
                    if (t > 1 && !has_hopped) {
                        has_hopped = true;
                        const Vector3 there{0.3, 0, 0.7};
                        const Vector3 drifted = drift * (t - dt);
                        on_still.hop({.place = there, .keeps_on = runs}, still);
                        on_moving.hop({.place = there + drifted, .keeps_on = runs}, moving);
                    }
                    moving.move(1, {.position = drift * t, .velocity = drift});
                    on_still.step(command, still, dt);
                    on_moving.step(command, moving, dt);
                    const Vector3 from = drift * t;
                    most = std::fmax(most, apart(on_moving.position() - from, on_still.position()));
                    for (std::size_t i = 0; i < legs; ++i) {
                        const Vector3 there = on_moving.feet()[i].position - from;
                        most = std::fmax(most, apart(there, on_still.feet()[i].position));
                    }
                }
                CHECK(on_still.log().hops == 1);
                CHECK(on_moving.log().hops == 1);
                CHECK(most < 2e-5);
            }
        }
    }
}

TEST_CASE("a hop onto a moving deck stands still on it from its landing on", "[hop]") {
    Terrain quay;
    quay.add(Terrain::Plane{});
    const std::uint32_t deck = quay.add_part({});
    quay.add(Terrain::Box{.middle = {0, -0.1, 0}, .size = {1, 0.2, 1}}, deck);
    const auto move = [&](double t) {
        quay.move(deck, {.position = {0, 0.25 + 0.05 * std::sin(2 * t), 1.4},
                         .velocity = {0, 0.1 * std::cos(2 * t), 0}});
    };
    move(0);
    Walker walker{walker_with(2, 0.95), quay, {}};
    REQUIRE(walker.hop({.place = {0, 0.25, 1.4}}, quay) == StepStatus::stepped);
    std::vector<Vector3> on_deck;
    for (int tick = 1; tick < 960; ++tick) {
        move(tick * Walker::tick_s);
        const long before = allocations();
        walker.step({}, quay, Walker::tick_s);
        CHECK(allocations() == before);
        for (std::size_t i = 0; i < 2; ++i)
            CHECK(apart(walker.feet()[i].position, walker.hip(i)) <= 0.95);
        if (walker.hop_phase() == HopPhase::lands && on_deck.empty()) {
            for (const WalkerFoot& foot : walker.feet())
                on_deck.push_back(foot.on_part);
        }
    }
    REQUIRE(on_deck.size() == 2);
    CHECK(walker.still());
    for (std::size_t i = 0; i < 2; ++i) {
        CHECK(walker.feet()[i].part == deck);
        CHECK(walker.feet()[i].on_part == on_deck[i]);
    }
}

TEST_CASE("a hop goes on bit for bit from a saved state", "[hop][state]") {
    const FlatGround flat;
    for (const int until : {10, 90, 140, 170}) {
        Walker walker{walker_with(4, 0.5), flat, {}};
        walker.hop({.place = {0.1, 0, 0.6}}, flat);
        for (int i = 0; i < until; ++i)
            walker.step({}, flat, Walker::tick_s);
        Walker other{walker_with(4, 0.5), flat, {3, 0, 1}};
        REQUIRE(load_state(other, save_state(walker)));
        for (int i = 0; i < 300; ++i) {
            walker.step({}, flat, Walker::tick_s);
            other.step({}, flat, Walker::tick_s);
            REQUIRE(other.position() == walker.position());
            REQUIRE(other.feet()[3].position == walker.feet()[3].position);
        }
    }
}

TEST_CASE("in a run all feet leave the ground once it is fast, and it keeps its speed", "[gait]") {
    const FlatGround flat;
    for (const std::size_t legs : {2U, 4U}) {
        WalkerSettings settings = walker_with(legs, legs == 2 ? 0.95 : 0.6);
        const double walks_at = limits_of(settings).most_speed_ahead;
        settings.policy = StepPolicy::in_a_gait;
        settings.gait = Gait::run;
        const double fastest = limits_of(settings).most_speed_ahead;
        CHECK(fastest > 1.5 * walks_at);
        double flown_before = 0;
        for (const double part : {0.2, 0.5, 0.7, 0.95}) {
            Walker walker{settings, flat, {}};
            HopWatch watch;
            watch.watch(walker, {.ahead = part * fastest}, flat, 960);
            watch = {};
            const double from = walker.position().z;
            int flown = 0;
            for (int tick = 0; tick < 960; ++tick) {
                watch.watch(walker, {.ahead = part * fastest}, flat, 1);
                int up = 0;
                for (const WalkerFoot& foot : walker.feet())
                    up += foot.planted ? 0 : 1;
                flown += up == static_cast<int>(legs) ? 1 : 0;
            }
            CAPTURE(legs, part);
            CHECK((walker.position().z - from) / 4 == Approx(part * fastest).epsilon(0.02));
            CHECK(watch.slip == 0);
            CHECK(watch.reach <= 1);
            CHECK(flown / 960.0 >= flown_before);
            flown_before = flown / 960.0;
            if (part == 0.2) CHECK(flown == 0);
            watch.watch(walker, {}, flat, 960);
            CHECK(walker.still());
        }
        CHECK(flown_before > 0.3);
    }
}

TEST_CASE("feet that are asked to slide go with the body, stay on the ground, and stop at an edge",
          "[gait]") {
    Terrain quay;
    quay.add(Terrain::Plane{.slope_x = 0.1});
    quay.add(Terrain::Box{.middle = {0, 0, 6}, .size = {9, 1, 2}});
    WalkerSettings settings = walker_with(2, 0.95);
    settings.policy = StepPolicy::in_a_gait;
    settings.gait = Gait::slide;
    Walker skater{settings, quay, {0, 0, 0}};
    FootWatch watch{skater};
    const Vector3 apart_at_first = skater.feet()[0].position - skater.feet()[1].position;
    for (int tick = 0; tick < 960; ++tick) {
        const double turn_rate = tick < 480 ? 0.4 : -0.4;
        skater.step({.ahead = 1.5, .turn_rate = turn_rate}, quay, Walker::tick_s);
        watch.look(skater, quay);
        for (const WalkerFoot& foot : skater.feet()) {
            CHECK(foot.planted);
            CHECK(std::abs(foot.position.y - 0.1 * foot.position.x) < 1e-9);
            const bool says_so = foot.reason == StepReason::slides;
            CHECK((says_so || std::hypot(skater.velocity().x, skater.velocity().z) < 0.2));
        }
        const Vector3 between = skater.feet()[0].position - skater.feet()[1].position;
        CHECK(std::hypot(between.x, between.z) ==
              Approx(std::hypot(apart_at_first.x, apart_at_first.z)).margin(1e-6));
    }
    CHECK(watch.all().slip_m == 0);  // sliding is no slip
    CHECK(watch.all().reach <= 1);
    CHECK(skater.log().steps == 0);
    CHECK(skater.log().slid_m > 3);
    // The edge of the box stops it, before its feet are through.
    skater.step({.ahead = 1.5}, quay, 4);
    for (const WalkerFoot& foot : skater.feet())
        CHECK(foot.position.z < 5);
    CHECK(skater.velocity().z == 0);
    // And it walks on from there.
    settings.gait = Gait::walk;
    REQUIRE(skater.try_retune(settings));
    skater.step({.ahead = -0.5}, quay, 3);
    CHECK(skater.log().steps > 2);
}
