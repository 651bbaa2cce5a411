// Under its caps as quick as can be, and past the target only if it must.

#include <cmath>

#include <Eigen/Core>
#include <catch2/catch.hpp>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/follow/pursuit.hpp>
#include <hopcoil/follow/rotation_mover.hpp>

#include "support/allocations.hpp"
#include "support/random.hpp"

using namespace hopcoil;
using Catch::Matchers::Contains;
using Eigen::Vector3d;

TEST_CASE("a pursuit keeps its caps and stops exactly on a still target", "[pursuit]") {
    Random random{71};
    for (int i = 0; i < 200; ++i) {
        const PursuitTuning caps{.max_speed = random.over_magnitudes(0.1, 10),
                                 .max_acceleration = random.over_magnitudes(0.1, 50)};
        Pursuit<double> boom{caps, 0.0};
        const double start_speed = random.between(-1, 1) * caps.max_speed;
        boom.push(start_speed);
        const double target = random.between(-20, 20);
        boom.cut(target);
        const double needed_s = boom.time_left_s();
        const double dt = needed_s / 500;
        double velocity = start_speed;
        double furthest = -1e9;
        const double side = target > 0 ? 1 : -1;
        for (int step = 0; step < 505; ++step) {
            boom.step(target, dt);
            CHECK(std::fabs(boom.velocity()) <= caps.max_speed * (1 + 1e-9));
            CHECK(std::fabs(boom.velocity() - velocity) <=
                  caps.max_acceleration * dt * (1 + 1e-6) + 1e-12);
            velocity = boom.velocity();
            furthest = std::fmax(furthest, side * (boom.value() - target));
        }
        CHECK(boom.value() == target);
        CHECK(boom.velocity() == 0);
        CHECK(boom.still());
        // Past it only by what braking cannot hold.
        const double towards = side * start_speed;
        const double must =
            towards > 0 ? towards * towards / (2 * caps.max_acceleration) - std::fabs(target) : 0;
        CHECK(furthest <= std::fmax(0, must) + 1e-9 * (1 + std::fabs(target)));
    }
}

TEST_CASE("no other way under the same caps is quicker", "[pursuit]") {
    // From rest over a distance d: 2 sqrt(d / a) while the cap on speed is not met, else d/v + v/a.
    for (const double way : {0.01, 0.5, 3.0, 40.0}) {
        const PursuitTuning caps{.max_speed = 2, .max_acceleration = 3};
        Pursuit<double> boom{caps, 0.0};
        boom.cut(way);
        const double expected = way * 3 < 4 ? 2 * std::sqrt(way / 3) : way / 2 + 2.0 / 3;
        CHECK(boom.time_left_s() == Approx(expected).epsilon(1e-12));
    }
}

TEST_CASE("a pursuit of a held target is the same at every rate, from any motion", "[pursuit]") {
    Random random{72};
    for (int i = 0; i < 200; ++i) {
        const PursuitTuning caps{.max_speed = random.between(0.5, 4),
                                 .max_acceleration = random.between(0.5, 9)};
        Pursuit<Vector3d> often{caps, Vector3d{random.between(-2, 2), 1, 0}};
        often.push({random.between(-3, 3), random.between(-3, 3), random.between(-3, 3)});
        const Vector3d target{random.between(-5, 5), random.between(-5, 5), 2};
        often.cut(target);
        Pursuit<Vector3d> once = often;
        double time_s = 0;
        for (int step = 0; step < 30; ++step) {
            const double dt = random.over_magnitudes(1e-4, 0.2);
            time_s += dt;
            often.step(target, dt);
            CHECK(often.velocity().norm() < 3 * std::sqrt(3) + 1e-9);
        }
        once.step(target, time_s);
        CHECK((often.value() - once.value()).norm() < 1e-9);
        CHECK((often.velocity() - once.velocity()).norm() < 1e-9);
        once.step(target, once.time_left_s());
        CHECK((once.value() - target).norm() < 1e-12);
        CHECK(once.velocity().norm() == 0);
    }
}

TEST_CASE("in space a pursuit keeps both caps whatever its target does", "[pursuit]") {
    Random random{74};
    for (int i = 0; i < 300; ++i) {
        const PursuitTuning caps{.max_speed = random.over_magnitudes(0.3, 5),
                                 .max_acceleration = random.over_magnitudes(0.3, 50)};
        Pursuit<Vector3d> skiff{caps, Vector3d::Zero()};
        const double turn = random.over_magnitudes(0.1, 10);
        const double radius = random.over_magnitudes(0.05, 10);
        Vector3d centre = Vector3d::Zero();
        double time_s = 0;
        for (int step = 0; step < 300; ++step) {
            const double dt = random.over_magnitudes(1e-3, 0.1);
            time_s += dt;
            if (random.chance(0.02)) {
                centre = {random.between(-5, 5), random.between(-5, 5), random.between(-5, 5)};
            }
            const Vector3d before = skiff.velocity();
            const double angle = turn * time_s;
            skiff.step(centre + radius * Vector3d{std::cos(angle), std::sin(angle), 0}, dt);
            CHECK(skiff.velocity().norm() <= caps.max_speed * (1 + 1e-9));
            CHECK((skiff.velocity() - before).norm() <=
                  caps.max_acceleration * dt * (1 + 1e-6) + 1e-12);
        }
    }
}

TEST_CASE("turned aside, a pursuit is as quick as one that stops first, or quicker", "[pursuit]") {
    Random random{75};
    for (int i = 0; i < 500; ++i) {
        const double v = 2;
        const double a = random.over_magnitudes(1, 20);
        Pursuit<Vector3d> skiff{{.max_speed = v, .max_acceleration = a}, Vector3d::Zero()};
        const double angle = random.between(0, 3.14);
        const double speed = random.between(0.1, v);
        const Vector3d aside{std::cos(angle), std::sin(angle), 0};
        const Vector3d berth{random.over_magnitudes(0.05, 50), 0, 0};
        skiff.push(speed * aside);
        skiff.cut(berth);
        const double way = (berth - speed * speed / (2 * a) * aside).norm();
        const double from_rest = way * a < v * v ? 2 * std::sqrt(way / a) : way / v + v / a;
        // The way across takes its share of the speed, also from the long way along.
        CHECK(skiff.time_left_s() <= 1.01 * (speed / a + from_rest));
    }
}

TEST_CASE("value and velocity carry over new targets, caps and hand-overs", "[pursuit]") {
    Random random{73};
    Pursuit<double> boom{{.max_speed = 2, .max_acceleration = 4}, 0.0};
    for (int i = 0; i < 2000; ++i) {
        const double value = boom.value();
        const double velocity = boom.velocity();
        boom.retune({.max_speed = random.between(0.5, 3), .max_acceleration = 4});
        boom.cut(random.between(-3, 3));
        CHECK(boom.value() == Approx(value).margin(1e-12));
        CHECK(boom.velocity() == velocity);
        const double dt = random.between(0, 0.1);
        boom.step(boom.target(), dt);
        CHECK(std::fabs(boom.velocity() - velocity) <= 4 * dt + 1e-9);
        CHECK(std::fabs(boom.value() - value) <= 3 * dt + 4 * dt * dt + 1e-9);
    }
}

TEST_CASE("a pursuit trails behind a steady target by what it needs to stop", "[pursuit]") {
    Pursuit<double> skiff{{.max_speed = 5, .max_acceleration = 2}, 0.0};
    double target = 0;
    for (int frame = 0; frame < 5000; ++frame) {
        target += 1.0 / 240;
        skiff.step(target, 1.0 / 240);
    }
    CHECK(target - skiff.value() == Approx(1 / (2 * 2.0)).margin(0.01));
    CHECK(skiff.velocity() == Approx(1).margin(0.01));
    for (int frame = 0; frame < 5000; ++frame) {
        target += 1.0 / 240;
        skiff.step(target + 1 / (2 * 2.0), 1.0 / 240);  // sent ahead by s / (2 a) seconds
    }
    CHECK(skiff.value() == Approx(target).margin(0.01));
}

TEST_CASE("with speed capped alone it goes straight at that speed", "[pursuit]") {
    Pursuit<Eigen::Vector2f> gull{{.max_speed = 2}, Eigen::Vector2f{0, 0}};
    gull.step(Eigen::Vector2f{3, 4}, 1);
    CHECK(gull.value().isApprox(Eigen::Vector2f{1.2f, 1.6f}));
    CHECK(gull.velocity().norm() == Approx(2));
    gull.step(Eigen::Vector2f{3, 4}, 10);
    CHECK(gull.value() == Eigen::Vector2f{3, 4});
    CHECK(gull.velocity().norm() == 0);
}

TEST_CASE("turning to face a target keeps the capped rate and does not roll over", "[pursuit]") {
    RotationPursuit lantern{{.max_speed = 1, .max_acceleration = 2}, Quaternion{}};
    const Quaternion target = facing({-1, 0.2, -0.3}, {0, 0, 1});
    const double angle = length_of(rotation_vector(target));
    CHECK(angle > 1.5);
    Quaternion before = lantern.value();
    double time_s = 0;
    for (; time_s < 10 && (time_s == 0 || !lantern.still()); time_s += 0.01) {
        lantern.step(target, 0.01);
        const double turned = length_of(rotation_vector(lantern.value() * conjugate(before)));
        CHECK(turned <= 0.01 * (1 + 1e-6));
        before = lantern.value();
    }
    CHECK(time_s == Approx(angle + 0.5).margin(0.02));
    CHECK(length_of(rotation_vector(lantern.value() * conjugate(target))) < 1e-12);
}

TEST_CASE("the smallest gaps and speeds are stopped like any other", "[pursuit]") {
    for (const double size : {1e-20, 1e-33, 1e-39, 1e-45}) {
        Pursuit<Eigen::Vector2f> boom{{.max_speed = 2, .max_acceleration = 4},
                                      Eigen::Vector2f{0, 0}};
        const auto tiny = static_cast<float>(size);
        boom.cut({tiny, 0});
        boom.push({0, tiny});
        for (int i = 0; i < 5; ++i)
            CHECK(boom.step({tiny, 0}, 0.1) == StepStatus::stepped);
        CHECK(boom.still());
        CHECK(boom.rejected_inputs() == 0);
    }
}

TEST_CASE("a pursuit stays finite and memory-free whatever comes", "[pursuit]") {
    Random random{74};
    Pursuit<Vector3d> boom{{.max_speed = 2, .max_acceleration = 4}, Vector3d::Zero()};
    const long before = allocations();
    for (int i = 0; i < 30000; ++i) {
        const auto wild = [&] {
            return random.chance(0.05) ? (random.chance(0.5) ? NAN : 1e300) : random.between(-2, 2);
        };
        boom.try_retune({.max_speed = wild(), .max_acceleration = wild()});
        boom.step(Vector3d{wild(), wild(), wild()}, random.chance(0.1) ? wild() : 0.02);
        if (i % 5 == 0) boom.push(Vector3d{wild(), wild(), wild()});
        if (i % 100 == 0) boom.reset(Vector3d::Zero());
        if (!is_finite(boom.motion())) FAIL("not finite at " << i);
    }
    CHECK(allocations() == before);
    CHECK(boom.rejected_inputs() > 0);
    CHECK_THROWS_WITH((Pursuit<double>{{.max_speed = 0}, 0.0}), Contains("max_speed"));
    CHECK_THROWS_WITH((Pursuit<double>{{.max_acceleration = -1}, 0.0}),
                      Contains("max_acceleration"));
    STATIC_REQUIRE(System<Pursuit<Vector3d>>);
}
