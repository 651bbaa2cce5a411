// Bones that reach: closed form for two, by rounds for more.

#include <array>
#include <cmath>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/base/components.hpp>
#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/gait/foot_swing.hpp>
#include <hopcoil/gait/leg_arrays.hpp>
#include <hopcoil/gait/leg_ik.hpp>

#include "support/allocations.hpp"
#include "support/instruction_sets.hpp"
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

TEST_CASE("many legs bend as one does, the same bits with every instruction set", "[ik]") {
    Random random{34};
    constexpr std::size_t count = 1003;
    std::array<std::array<std::vector<float>, 3>, 4> numbers;  // hip, spot, pole, knee
    std::vector<float> error(count);
    for (auto& each : numbers) {
        for (std::vector<float>& axis : each)
            axis.resize(count);
    }
    for (std::size_t i = 0; i < count; ++i) {
        const Vector3 hip = random_vector(random, 3);
        const Vector3 spot = hip + random_vector(random, 0.6);
        const Vector3 pole = random_vector(random, 1);
        for (std::size_t k = 0; k < 3; ++k) {
            numbers[0][k][i] = static_cast<float>(std::array{hip.x, hip.y, hip.z}[k]);
            numbers[1][k][i] = static_cast<float>(std::array{spot.x, spot.y, spot.z}[k]);
            numbers[2][k][i] = static_cast<float>(std::array{pole.x, pole.y, pole.z}[k]);
        }
    }
    LegArrays legs{.error_m = error, .thigh_m = 0.45F, .shin_m = 0.5F};
    for (std::size_t k = 0; k < 3; ++k) {
        legs.hip[k] = numbers[0][k];
        legs.spot[k] = numbers[1][k];
        legs.pole[k] = numbers[2][k];
        legs.knee[k] = numbers[3][k];
    }
    const auto at = [&](std::size_t which, std::size_t i) {
        return Vector3{numbers[which][0][i], numbers[which][1][i], numbers[which][2][i]};
    };
    std::array<std::vector<float>, 3> plain;
    for (const InstructionSet set : available_sets()) {
        const long before = allocations();
        bend_legs(legs, set);
        CHECK(allocations() == before);
        for (std::size_t i = 0; i < count; ++i) {
            const TwoBonePose pose = bend_two_bones(at(0, i), at(1, i), at(2, i), 0.45F, 0.5F);
            REQUIRE(apart(pose.knee, at(3, i)) < 3e-4);
            REQUIRE(error[i] == Approx(pose.error_m).margin(1e-6));
        }
        if (set == InstructionSet::plain) plain = numbers[3];
        CHECK(numbers[3] == plain);
    }
    // A hip on its spot, and a pole along the leg, leave finite numbers.
    for (std::size_t k = 0; k < 3; ++k) {
        numbers[1][k][0] = numbers[0][k][0];
        numbers[2][k][1] = numbers[1][k][1] - numbers[0][k][1];
    }
    bend_legs(legs);
    CHECK(is_finite(at(3, 0)));
    CHECK(is_finite(at(3, 1)));
    legs.pole[1] = legs.pole[1].first(5);
    CHECK_THROWS_AS(bend_legs(legs), InvalidValue);
}
