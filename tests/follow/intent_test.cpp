// Leaning, looking ahead, landing.

#include <cmath>

#include <catch2/catch.hpp>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/follow/intent.hpp>

#include "support/random.hpp"
#include "support/vectors.hpp"

using namespace hopcoil;

TEST_CASE("a lean goes toward the target and along the acceleration, never past its most",
          "[intent]") {
    Random random{131};
    for (int i = 0; i < 500; ++i) {
        const Lean lean{.per_gap = 0.3, .per_acceleration = 0, .most_rad = 0.5};
        const Vector3 gap = random_vector(random, random.over_magnitudes(0.01, 1000));
        const Quaternion turn = lean_of(lean, gap, {});
        const Vector3 top = rotated(turn, {0, 1, 0});
        CHECK(top.x * -gap.x + top.z * -gap.z >= 0);  // toward the target
        CHECK(length_of(rotation_vector(turn)) <= 0.5);
        const double small = 1e-4;
        const Quaternion slight = lean_of(lean, {-small, 0, 0}, {});
        CHECK(length_of(rotation_vector(slight)) == Approx(0.3 * small));
    }
    const Follower<Vector3> still{{}, Vector3{1, 2, 3}};
    CHECK(lean_of(Lean{}, still) == Quaternion{});
    CHECK_THROWS_AS(lean_of({.most_rad = 2}, Vector3{}, Vector3{}), InvalidValue);
}

TEST_CASE("a follower's acceleration is how its velocity changes", "[intent]") {
    Follower<Vector3> lamp{{.frequency_hz = 2, .damping_ratio = 0.4}, Vector3{}};
    lamp.jump({1, 0, -2});
    lamp.step({1, 0, -2}, 0.07);
    const Vector3 a = acceleration_of(lamp.tuning(), lamp.motion().gap, lamp.velocity());
    Follower<Vector3> soon = lamp;
    soon.step(lamp.target(), 1e-6);
    CHECK(length_of((soon.velocity() - lamp.velocity()) * 1e6 - a) < 5e-3);
}

TEST_CASE("a flight lands on a plane where and when stepping it says", "[intent]") {
    Random random{132};
    for (int i = 0; i < 300; ++i) {
        const Flight hop{random_vector(random, 3), random_vector(random, 8),
                         random.between(0.5, 20)};
        const double height = random.between(-4, 2);
        const auto landing = landing_on_plane(hop, height);
        const auto searched = landing_on(
            hop, [&](double, double) { return height; }, 60, 1e-3);
        if (!landing) {
            CHECK_FALSE(searched);
            continue;
        }
        CHECK(landing->place.y == height);
        CHECK(hop.at(landing->time_s).y == Approx(height).margin(1e-9));
        CHECK(landing->velocity.y <= 0);
        if (searched && hop.place.y > height) {
            CHECK(searched->time_s == Approx(landing->time_s).margin(1e-9));
            CHECK(length_of(searched->place - landing->place) < 1e-6);
        }
    }
    CHECK_FALSE(landing_on_plane({{0, 0, 0}, {1, 1, 0}, 0}, -1));
}

TEST_CASE("a flight lands on uneven ground at the first place it meets", "[intent]") {
    const auto ground = [](double x, double z) {
        return 0.3 * std::sin(2 * x) + 0.1 * z;
    };
    Random random{133};
    for (int i = 0; i < 100; ++i) {
        const Flight hop{{0, 1, 0}, {random.between(-4, 4), random.between(0, 5), 1}};
        const auto landing = landing_on(hop, ground);
        REQUIRE(landing);
        CHECK(landing->place.y == Approx(ground(landing->place.x, landing->place.z)).margin(1e-9));
        for (int k = 1; k < 200; ++k) {
            const Vector3 before = hop.at(landing->time_s * k / 200.0);
            CHECK(before.y > ground(before.x, before.z) - 1e-9);
        }
    }
}

TEST_CASE("a launch reaches its spot at its time, and the gentlest is the slowest", "[intent]") {
    Random random{134};
    for (int i = 0; i < 300; ++i) {
        const Vector3 from = random_vector(random, 5);
        const Vector3 to = random_vector(random, 5);
        const double time_s = random.between(0.1, 3);
        const Flight hop{from, launch_to(from, to, time_s)};
        CHECK(length_of(hop.at(time_s) - to) < 1e-9);
        const GentlestLaunch gentle = gentlest_launch(from, to);
        CHECK(length_of(Flight{from, gentle.velocity}.at(gentle.time_s) - to) < 1e-9);
        CHECK(length_of(gentle.velocity) <= length_of(hop.velocity) + 1e-12);
    }
    CHECK_THROWS_AS(launch_to({}, {1, 0, 0}, 0), InvalidValue);
    CHECK_THROWS_AS(gentlest_launch({}, {}), InvalidValue);
}

TEST_CASE("a look-at ends up looking at the spot, and keeps upright", "[intent]") {
    LookAt head{{.frequency_hz = 2, .damping_ratio = 1}, {0, 1, 0}, {0, 1, 5}};
    const Vector3 eye{0, 1, 0};
    const Vector3 spot{-3, 0, -4};
    for (int frame = 0; frame < 400; ++frame)
        head.step(eye, spot, 1.0 / 60);
    const Vector3 ahead = rotated(head.value(), {0, 0, 1});
    const Vector3 wanted = (spot - eye) * (1 / length_of(spot - eye));
    CHECK(length_of(ahead - wanted) < 1e-9);
    CHECK(rotated(head.value(), {1, 0, 0}).y == Approx(0).margin(1e-9));
    CHECK(head.step(eye, eye, 0.1) == StepStatus::stepped);

    // Turned to another spot it begins gently, whatever its lead.
    LookAt bird{{.frequency_hz = 4, .damping_ratio = 1, .lead = 1}, eye, spot};
    bird.turn_to(eye, {5, 1, 5});
    bird.step(eye, {5, 1, 5}, 1e-3);
    CHECK(length_of(bird.head().velocity()) < 3);
}
