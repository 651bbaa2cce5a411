// Bones that reach: closed form for two, by rounds for more.

#include <array>
#include <cmath>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/base/components.hpp>
#include <hopcoil/base/math.hpp>
#include <hopcoil/gait/foot_swing.hpp>
#include <hopcoil/gait/leg_ik.hpp>

#include "support/random.hpp"
#include "support/vectors.hpp"

using namespace hopcoil;

TEST_CASE("two bones keep their lengths, end on the spot, and bend to the pole's side", "[ik]") {
    Random random{31};
    for (int i = 0; i < 2000; ++i) {
        const double thigh = random.between(0.2, 1);
        const double shin = random.between(0.2, 1);
        const Vector3 hip = random_vector(random, 3);
        const Vector3 spot = hip + random_vector(random, 1.3);
        const Vector3 pole = random_vector(random, 1);
        const TwoBonePose pose = bend_two_bones(hip, spot, pole, thigh, shin);
        CHECK(apart(hip, pose.knee) == Approx(thigh).epsilon(1e-9));
        CHECK(apart(pose.knee, pose.ankle) == Approx(shin).epsilon(1e-9));
        const double asked = apart(hip, spot);
        const bool in_reach = asked <= thigh + shin && asked >= std::abs(thigh - shin);
        if (in_reach) {
            CHECK(pose.ankle == spot);  // a planted ankle stays put, bit for bit
            CHECK(pose.error_m == 0);
        } else {
            CHECK(pose.error_m == Approx(apart(pose.ankle, spot)).margin(1e-9));
        }
        const Vector3 way = spot - hip;
        const Vector3 side = pose.knee - hip;
        const double along = dot(side, way) / dot(way, way);
        CHECK(dot(side - way * along, pole) > -1e-9);
        // The law of cosines.
        const double d = apart(hip, pose.ankle);
        const double inner = std::acos(std::fmax(
            -1, std::fmin(1, (thigh * thigh + shin * shin - d * d) / (2 * thigh * shin))));
        CHECK(knee_angle_rad(hip, pose) == Approx(math::pi - inner).margin(1e-6));
    }
    // Straight and folded legs are no trouble.
    CHECK(bend_two_bones({}, {0, -1, 0}, {0, 0, 1}, 0.5, 0.5).ankle == Vector3{0, -1, 0});
    CHECK(is_finite(bend_two_bones({}, {}, {}, 0.5, 0.5).knee));
}

TEST_CASE("a limb of many bones reaches what it can, within its bend", "[ik]") {
    Random random{32};
    for (int i = 0; i < 200; ++i) {
        std::vector<Vector3> joints{{0, 0, 0}};
        std::vector<double> lengths;
        double whole = 0;
        for (int k = 0; k < 6; ++k) {
            lengths.push_back(random.between(0.1, 0.3));
            whole += lengths.back();
            joints.push_back(joints.back() + Vector3{0, -lengths.back(), 0.01 * k});
        }
        for (std::size_t k = 0; k < lengths.size(); ++k)
            lengths[k] = apart(joints[k], joints[k + 1]);
        const Vector3 way = random_vector(random, 1);
        const Vector3 spot = way * (random.between(0.3, 1.2) * whole / length_of(way));
        const LimbSettings settings{.most_bend_rad = 1.2};
        const double left = bend_limb(joints, spot, settings);
        CHECK(left == Approx(apart(joints.back(), spot)).margin(1e-9));
        for (std::size_t k = 0; k < lengths.size(); ++k)
            CHECK(apart(joints[k], joints[k + 1]) == Approx(lengths[k]).epsilon(1e-9));
        CHECK(joints[0] == Vector3{});
        for (std::size_t k = 0; k + 2 < joints.size(); ++k) {
            const Vector3 a = joints[k + 1] - joints[k];
            const Vector3 b = joints[k + 2] - joints[k + 1];
            const double bend = std::atan2(length_of(cross(a, b)), dot(a, b));
            CHECK(bend < 1.2 + 1e-6);
        }
        const double distance = length_of(spot);
        if (distance > whole) CHECK(left < distance - whole + 0.05 * whole);
        // Free to bend it is there.
        if (distance < 0.95 * whole) CHECK(bend_limb(joints, spot) < 0.01 * whole);
    }
    CHECK(bend_limb({}, {1, 2, 3}) == 0);
}

TEST_CASE("a swing leaves and lands as it was asked to, and goes on smoothly when planned anew",
          "[swing]") {
    Random random{33};
    for (int i = 0; i < 200; ++i) {
        const SwingWish wish{.from = {random_vector(random, 0.3), random_vector(random, 1),
                                      random_vector(random, 3)},
                             .spot = random_vector(random, 0.5),
                             .now_s = 1,
                             .land_s = 1 + random.between(0.2, 0.6),
                             .aside = {random.between(-0.1, 0.1), 0, 0.05},
                             .apex_m = 0.7,
                             .apex_s = 1.09,
                             .down_s = 1.1};
        const FootSwing swing = plan_swing(wish);
        const SwingPoint start = swing.at(1);
        CHECK(apart(start.position, wish.from.position) < 1e-12);
        CHECK(apart(start.velocity, wish.from.velocity) < 1e-9);
        CHECK(apart(start.acceleration, wish.from.acceleration) < 1e-6);
        const SwingPoint end = swing.at(wish.land_s);
        CHECK(apart(end.position, wish.spot) < 1e-12);
        CHECK(length_of(end.velocity) < 1e-9);
        double highest = -9;
        for (double t = 1; t < wish.land_s; t += 1e-3) {
            const SwingPoint a = swing.at(t);
            const SwingPoint b = swing.at(t + 1e-3);
            highest = std::fmax(highest, a.position.y);
            const Vector3 rate = (b.position - a.position) * 1e3;
            CHECK(apart(rate, (a.velocity + b.velocity) * 0.5) < 0.05);
        }
        CHECK(highest >= 0.7 - 1e-3);
    }
}
