// Rotations: as a number about one axis, smooth about all of them, never flipped, always unit.

#include <cmath>

#include <Eigen/Geometry>
#include <catch2/catch.hpp>

#include <hopcoil/base/components.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/base/quaternion.hpp>
#include <hopcoil/follow/rotation_mover.hpp>

#include "support/allocations.hpp"
#include "support/numbers.hpp"
#include "support/random.hpp"
#include "support/vectors.hpp"

using namespace hopcoil;

namespace {

Eigen::Quaterniond in_eigen(const Quaternion& q) {
    return {q.w, q.x, q.y, q.z};
}

}  // namespace

TEST_CASE("quaternions agree with an independent implementation", "[quaternion]") {
    Random random{51};
    for (int i = 0; i < 500; ++i) {
        const Vector3 r = random_vector(random, 3);
        const Vector3 v = random_vector(random, 5);
        const double angle = length_of(r);
        const Eigen::Vector3d axis = Eigen::Vector3d{r.x, r.y, r.z} / angle;
        const Eigen::Quaterniond expected{Eigen::AngleAxisd{angle, axis}};
        const Quaternion q = turned_by(r);
        CHECK(in_eigen(q).coeffs().isApprox(expected.coeffs(), 1e-14));
        const Eigen::Vector3d turned = expected * Eigen::Vector3d{v.x, v.y, v.z};
        CHECK(length_of(rotated(q, v) - vector3_from(turned)) < 1e-13);
        const Quaternion p = turned_by(random_vector(random, 2));
        CHECK(in_eigen(q * p).coeffs().isApprox((in_eigen(q) * in_eigen(p)).coeffs(), 1e-14));
        CHECK(length_of(rotation_vector_near(q, r) - r) < 1e-12);
        CHECK(quaternion_from(expected).w == expected.w());
    }
    CHECK(std::isnan(normalized(Quaternion{0, 0, 0, 0}).w));
    CHECK(length_of(rotation_vector(turned_by({0, 1e-200, 0}))) == Approx(1e-200));
}

TEST_CASE("a rotation vector's rate and its angular velocity belong together", "[quaternion]") {
    Random random{52};
    for (int i = 0; i < 300; ++i) {
        const Vector3 r = random_vector(random, 2);
        const Vector3 rate = random_vector(random, 3);
        constexpr double h = 1e-6;
        const Quaternion before = turned_by(r - rate * h);
        const Quaternion after_it = turned_by(r + rate * h);
        const Vector3 measured = rotation_vector(after_it * conjugate(before)) * (0.5 / h);
        const Vector3 w = angular_velocity_from(r, rate);
        CHECK(length_of(w - measured) < 1e-8);
        CHECK(length_of(rate_from(r, w) - rate) < 1e-11);
    }
}

TEST_CASE("about one axis a rotation follows as a number does", "[rotation]") {
    Random random{53};
    for (int i = 0; i < 100; ++i) {
        const Tuning tuning{.frequency_hz = random.between(0.2, 3),
                            .damping_ratio = random.between(0, 2),
                            .lead = random.between(-1, 1.5)};
        const Vector3 direction = random_vector(random, 1);
        const Vector3 axis = direction * (1 / length_of(direction));
        Follower<double> number{tuning, 0.0};
        RotationFollower rotation{tuning, Quaternion{}};
        double angle = 0;
        for (int frame = 0; frame < 200; ++frame) {
            const double dt = random.between(0.001, 0.05);
            const double speed = random.between(-8, 8);
            angle += speed * dt;
            if (frame % 3 == 0) {
                number.step(angle, speed, dt);
                rotation.step(turned_by(axis * angle), axis * speed, dt);
            } else {
                number.step(angle, dt);
                rotation.step(turned_by(axis * angle), dt);
            }
            CHECK(angle_between(rotation.value(), turned_by(axis * number.value())) < 1e-9);
            CHECK(length_of(rotation.velocity() - axis * number.velocity()) < 1e-8);
        }
    }
}

TEST_CASE("toward a held target a rotation is the same at every rate, from any motion",
          "[rotation]") {
    Random random{54};
    for (int i = 0; i < 100; ++i) {
        const Tuning tuning{.frequency_hz = random.between(0.2, 3),
                            .damping_ratio = random.between(0.1, 2)};
        RotationFollower often{tuning, turned_by(random_vector(random, 1.5))};
        often.push(random_vector(random, 2));
        const Quaternion target = turned_by(random_vector(random, 1.5));
        often.cut(target);
        RotationFollower once = often;
        double time_s = 0;
        for (int frame = 0; frame < 40; ++frame) {
            const double dt = random.between(0.001, 0.05);
            time_s += dt;
            often.step(target, dt);
        }
        once.step(target, time_s);
        CHECK(angle_between(often.value(), once.value()) < 1e-9);
        CHECK(length_of(often.velocity() - once.velocity()) < 1e-9);
    }
}

TEST_CASE("toward a turning target the rate matters less the higher it is", "[rotation]") {
    const auto target_at = [](double t) {
        return turned_by({std::sin(t), 0, 0}) * turned_by({0, 1.5 * std::sin(0.7 * t), 0});
    };
    const auto end_at = [&](double rate_hz) {
        RotationFollower head{{.frequency_hz = 1, .damping_ratio = 0.6}, target_at(0)};
        for (int frame = 1; frame <= 10 * rate_hz; ++frame)
            head.step(target_at(frame / rate_hz), 1 / rate_hz);
        return head.value();
    };
    const Quaternion fine = end_at(3840);
    CHECK(angle_between(end_at(30), fine) < 0.02);
    CHECK(angle_between(end_at(60), fine) < 0.01);
    CHECK(angle_between(end_at(240), fine) < 0.0025);
}

TEST_CASE("angular velocity is what the value does, and carries over whatever changes",
          "[rotation]") {
    Random random{55};
    RotationFollower head{{.frequency_hz = 1.5, .damping_ratio = 0.5}, Quaternion{}};
    for (int i = 0; i < 400; ++i) {
        const Quaternion value = head.value();
        const Vector3 velocity = head.velocity();
        head.retune({.frequency_hz = random.between(0.3, 3), .damping_ratio = 0.6});
        head.cut(turned_by(random_vector(random, 1.7)));
        CHECK(angle_between(head.value(), value) < 1e-12);
        CHECK(length_of(head.velocity() - velocity) < 1e-9 * (1 + length_of(velocity)));

        RotationFollower soon = head;
        constexpr double h = 1e-7;
        soon.step(head.target(), h);
        const Vector3 measured = rotation_vector(soon.value() * conjugate(head.value())) * (1 / h);
        CHECK(length_of(measured - head.velocity()) < 2e-4);
        head.step(head.target(), random.between(0.01, 0.3));
    }
}

TEST_CASE("a target turning past half a turn makes no flip", "[rotation]") {
    for (const double axis_tilt : {0.0, 0.3}) {
        RotationFollower vane{{.frequency_hz = 0.15, .damping_ratio = 1}, Quaternion{}};
        double before = 0;
        for (int frame = 1; frame <= 240; ++frame) {
            const double angle = frame * pi / 180;
            vane.step(turned_by(Vector3{std::sin(axis_tilt), std::cos(axis_tilt), 0} * angle),
                      1.0 / 480);
            CHECK(length_of(vane.velocity()) >= before - 1e-3);
            before = length_of(vane.velocity());
        }
        CHECK(length_of(vane.gap_rad()) > pi);
        CHECK(vane.velocity().y > 0);
    }
}

TEST_CASE("a rotation stays unit, finite and memory-free whatever comes", "[rotation]") {
    constexpr int steps = 2'000'000;
    RotationFollower head{{.frequency_hz = 3, .damping_ratio = 0.1, .lead = 1.2}, Quaternion{}};
    const long before = allocations();
    double worst = 0;
    Quaternion target{};
    const Quaternion turn = turned_by({0.02, 0.031, -0.017});
    for (int i = 0; i < steps; ++i) {
        if (i % 50 == 0) target = normalized(turn * target);
        head.step(target, 1.0 / 240);
        if (i % 10 == 0) worst = std::fmax(worst, std::fabs(length_of(head.value()) - 1));
    }
    CHECK(worst < 1e-12);

    Random random{56};
    for (int i = 0; i < 20000; ++i) {
        const auto wild = [&] {
            return random.chance(0.1) ? (random.chance(0.5) ? NAN : 1e308) : random.between(-2, 2);
        };
        head.step({wild(), wild(), wild(), wild()}, random.over_magnitudes(1e-6, 10));
        if (i % 5 == 0) head.push({wild(), wild(), wild()});
        if (i % 7 == 0) head.jump({wild(), wild(), wild(), wild()});
        const Quaternion q = head.value();
        if (!(std::fabs(length_of(q) - 1) < 1e-12) || !is_finite(length_of(head.velocity()))) {
            FAIL("lost at " << i << ": length " << length_of(q) << ", speed "
                            << length_of(head.velocity()));
        }
    }
    CHECK(allocations() == before);
    CHECK(head.rejected_inputs() > 0);
    CHECK_THROWS_AS((RotationFollower{{}, Quaternion{0, 0, 0, 0}}), InvalidValue);
    STATIC_REQUIRE(System<RotationFollower>);
}

TEST_CASE("the smallest turns are followed and faced without being lost", "[rotation]") {
    for (const double size : {1e-100, 1e-200, 1e-310}) {
        RotationFollower head{{.frequency_hz = 2, .damping_ratio = 1}, Quaternion{}};
        head.cut(turned_by({size, 0, 0}));
        head.push({0, size, 0});
        for (int i = 0; i < 5; ++i)
            CHECK(head.step(turned_by({size, 0, 0}), 0.1) == StepStatus::stepped);
        CHECK(length_of(head.velocity()) < 1e-90);
        CHECK(is_finite(length_of(facing({size, 0, 0}))));
    }
}

TEST_CASE("facing points any axis along a direction and keeps upright", "[rotation]") {
    Random random{57};
    for (int i = 0; i < 200; ++i) {
        const Vector3 direction = random_vector(random, 3);
        const Vector3 unit = direction * (1 / length_of(direction));
        CHECK(length_of(rotated(facing(direction), {0, 0, 1}) - unit) < 1e-12);
        CHECK(rotated(facing(direction), {0, 1, 0}).y >= 0);
        CHECK(rotated(facing(direction), {1, 0, 0}).y == Approx(0).margin(1e-12));
        const Quaternion by_side = facing(direction, {1, 0, 0});
        CHECK(length_of(rotated(by_side, {1, 0, 0}) - unit) < 1e-12);
    }
    CHECK(length_of(rotated(facing({0, 2, 0}), {0, 0, 1}) - Vector3{0, 1, 0}) < 1e-12);
    CHECK(facing({0, 0, 0}) == Quaternion{});
}

TEST_CASE("a rotation curve takes its time from the step in which its target changed",
          "[rotation]") {
    const CurveMoveTuning tuning{.duration_s = 0.4};
    const Quaternion there = turned_by({0, 1.2, 0});
    for (const double first_s : {0.01, 0.1, 0.35}) {
        RotationCurve lid{tuning, Quaternion{}};
        CurveMove<double> angle{tuning, 0.0};
        lid.step(there, first_s);
        angle.step(1.2, first_s);
        CHECK(angle_between(lid.value(), turned_by({0, angle.value(), 0})) < 1e-12);
        CHECK(lid.velocity().y == Approx(angle.velocity()).margin(1e-12));
        lid.step(there, 0.4 - first_s);
        CHECK(angle_between(lid.value(), there) < 1e-12);
        CHECK(lid.step({0, 0, 0, 0}, 0.1) == StepStatus::rejected);
        CHECK(lid.step(there, -0.1) == StepStatus::rejected);
        CHECK(lid.rejected_inputs() == 2);
    }
}

TEST_CASE("every rotation mover can be cut, and goes on to the new target", "[rotation]") {
    const auto goes_there = [](auto mover) {
        const Quaternion there = turned_by({0.4, -1.1, 0.3});
        CHECK(mover.cut(there) == StepStatus::stepped);
        for (int i = 0; i < 600; ++i)
            mover.step(there, 1.0 / 60);
        const Vector3 gap = rotation_vector(mover.value() * conjugate(there));
        CHECK(std::sqrt(dot(gap, gap)) < 1e-3);
    };
    goes_there(RotationFollower{Tuning{}, Quaternion{}});
    goes_there(RotationGlide{GlideTuning{}, Quaternion{}});
    goes_there(RotationPursuit{PursuitTuning{.max_speed = 2}, Quaternion{}});
    goes_there(RotationCurve{CurveMoveTuning{}, Quaternion{}});
}
