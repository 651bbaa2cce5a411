// Angles: neighbours across the seam, chased onward, counted when asked.

#include <cmath>

#include <catch2/catch.hpp>

#include <hopcoil/base/angles.hpp>
#include <hopcoil/follow/angle_mover.hpp>

#include "support/numbers.hpp"
#include "support/random.hpp"

using namespace hopcoil;

namespace {

constexpr double degree = pi / 180;

}  // namespace

TEST_CASE("angles wrap into (-pi, pi] and turn the shorter way", "[angle]") {
    CHECK(wrapped_rad(pi) == pi);
    CHECK(wrapped_rad(-pi) == pi);
    CHECK(wrapped_rad(3 * pi / 2) == Approx(-pi / 2));
    CHECK(shorter_turn_rad(170 * degree, -170 * degree) == Approx(20 * degree));
    CHECK(shorter_turn_rad(-170 * degree, 170 * degree) == Approx(-20 * degree));
    CHECK(std::isnan(wrapped_rad(INFINITY)));
}

TEST_CASE("across the seam an angle follows as a number does elsewhere", "[angle]") {
    Random random{41};
    for (int i = 0; i < 100; ++i) {
        const Tuning tuning{.frequency_hz = random.between(0.2, 4),
                            .damping_ratio = random.between(0, 1.5),
                            .lead = random.between(-1, 1.5)};
        Follower<double> number{tuning, 0.0};
        const double about = random.between(-4, 4);
        AngleFollower<double> angle{tuning, wrapped_rad(about)};
        double way = 0;
        for (int frame = 0; frame < 300; ++frame) {
            way += random.between(-1, 1.2);
            const double dt = random.between(0.001, 0.1);
            if (random.chance(0.1)) {
                number.jump(way);
                angle.jump(wrapped_rad(about + way));
            } else {
                number.step(way, dt);
                angle.step(wrapped_rad(about + way), dt);
            }
            CHECK(turn_between(angle.value(), about + number.value()) < 1e-9);
            CHECK(angle.velocity() == Approx(number.velocity()).margin(1e-8));
            CHECK(std::fabs(angle.value()) <= pi);
        }
        CHECK(angle.turned() - wrapped_rad(about) == Approx(number.value()).margin(1e-9));
    }
}

TEST_CASE("a target that passes behind an angle is chased onward; a cut takes the shorter way",
          "[angle]") {
    AngleFollower<double> vane{{.frequency_hz = 0.2, .damping_ratio = 1}, 0.0};
    for (int frame = 1; frame <= 60; ++frame)
        vane.step(wrapped_rad(frame * 4 * degree), 1.0 / 240);  // 240 degrees in 0.25 s
    for (int frame = 0; frame < 100; ++frame) {
        vane.step(-120 * degree, 0.05);
        CHECK(vane.velocity() > 0);
    }
    AngleFollower<double> other{{.frequency_hz = 0.2, .damping_ratio = 1}, 0.0};
    other.cut(-120 * degree);
    other.step(-120 * degree, 0.5);
    CHECK(other.velocity() < 0);
    CHECK(other.value() < 0);
}

TEST_CASE("an angle given as a count of turns makes them", "[angle]") {
    AngleFollower<double> capstan{{.frequency_hz = 1, .damping_ratio = 1}, 0.0, AngleWay::as_given};
    capstan.jump(6 * pi);
    for (int frame = 0; frame < 2000; ++frame)
        capstan.step(6 * pi, 0.01);
    CHECK(capstan.turned() == Approx(6 * pi));
    CHECK(capstan.value() == Approx(0).margin(1e-9));
}

TEST_CASE("a float angle arrives exactly and what cannot be is refused", "[angle]") {
    AngleFollower<float> needle{{.frequency_hz = 2, .damping_ratio = 1}, 3.f};
    for (int frame = 0; frame < 3000; ++frame)
        needle.step(-3.f, 1.0 / 60);
    CHECK(needle.value() == -3.f);
    CHECK(needle.still());
    CHECK(needle.turned() == Approx(2 * pi - 3).epsilon(1e-6));
    needle.step(NAN, 0.1);
    needle.cut(INFINITY);
    needle.step(1.f, -1);
    CHECK(needle.rejected_inputs() == 3);
    CHECK(needle.value() == -3.f);
    STATIC_REQUIRE(System<AngleFollower<float>>);
}

TEST_CASE("every mover of a number moves an angle across the seam as it does a number", "[angle]") {
    Random random{42};
    const auto moves_alike = [&](auto angle_at, const auto& number_from) {
        for (int i = 0; i < 30; ++i) {
            const double about = random.between(-4, 4);
            auto angle = angle_at(wrapped_rad(about));
            auto number = number_from;
            double way = 0;
            for (int frame = 0; frame < 200; ++frame) {
                if (random.chance(0.1)) way += random.between(-1.5, 1.7);
                const double dt = random.between(0.001, 0.1);
                if (random.chance(0.05)) {
                    number.jump(way);
                    angle.jump(wrapped_rad(about + way));
                }
                number.step(way, dt);
                angle.step(wrapped_rad(about + way), dt);
                CHECK(turn_between(angle.value(), about + number.value()) < 1e-9);
                CHECK(angle.velocity() == Approx(number.velocity()).margin(1e-6));
                CHECK(std::fabs(angle.value()) <= pi);
                CHECK(angle.distance_to_target() ==
                      Approx(number.distance_to_target()).margin(1e-9));
            }
            CHECK(angle.turned() - wrapped_rad(about) == Approx(number.value()).margin(1e-9));
        }
    };
    const GlideTuning soon{.half_life_s = 0.1};
    moves_alike(
        [&](double start) {
            return AngleGlide<double>{soon, start};
        },
        Glide<double>{soon, 0.0});
    const PursuitTuning caps{.max_speed = 3, .max_acceleration = 8};
    moves_alike(
        [&](double start) {
            return AnglePursuit<double>{caps, start};
        },
        Pursuit<double>{caps, 0.0});
    const CurveMoveTuning lid{.duration_s = 0.4};
    moves_alike(
        [&](double start) {
            return AngleCurve<double>{lid, start};
        },
        CurveMove<double>{lid, 0.0});
}

TEST_CASE("a turret turns to face its target at a capped rate, the shorter way", "[angle]") {
    AnglePursuit<float> turret{{.max_speed = 1}, 3.f};
    for (int frame = 0; frame < 60; ++frame) {
        turret.cut(-3.f);
        turret.step(-3.f, 1.0 / 240);
    }
    CHECK(turret.turned() == Approx(3.25).epsilon(1e-6));
    CHECK(turret.value() == Approx(3.25 - 2 * pi).epsilon(1e-6));
    STATIC_REQUIRE(System<AnglePursuit<float>>);
    STATIC_REQUIRE(HasEnergy<AngleFollower<double>>);
    STATIC_REQUIRE_FALSE(HasEnergy<AngleGlide<double>>);
}
