#include <cmath>
#include <string>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/parts/balance_rig.hpp>

#include "support/allocations.hpp"

using namespace hopcoil;

namespace {

/// A sailor whose arms are spread, whose legs are a little apart and bent, at rest.
Skeleton sailor() {
    Skeleton made;
    const auto add = [&](const std::string& name, std::size_t parent, const Vector3& place,
                         const Vector3& turned = {}) {
        made.joints.push_back({name, parent, {place, turned_by(turned)}});
        return made.joints.size() - 1;
    };
    const std::size_t root = add("root", 0, {});
    const std::size_t hips = add("hips", root, {0, 0.95, 0.02}, {0, 0, 0.3});
    made.joints[hips].rest.rotation = turned_by({0.2, 0, 0});
    const std::size_t chest = add("chest", hips, {0, 0.3, 0});
    add("head", chest, {0, 0.28, 0});
    for (const double side : {1.0, -1.0}) {
        const std::string end = side > 0 ? ".l" : ".r";
        const std::size_t thigh = add("thigh" + end, hips, {0.1 * side, -0.03, 0});
        const std::size_t knee = add("knee" + end, thigh, {0.02 * side, -0.42, 0.04});
        const std::size_t ankle = add("ankle" + end, knee, {0, -0.41, -0.03}, {0.1, 0, 0});
        add("toe" + end, ankle, {0, -0.06, 0.15});
        const std::size_t arm = add("arm" + end, chest, {0.18 * side, 0.2, 0}, {0, 0, 0.4});
        const std::size_t elbow = add("elbow" + end, arm, {0.28 * side, 0, 0});
        add("hand" + end, elbow, {0.3 * side, 0, 0});
    }
    return made;
}

BalanceJoints sailor_joints() {
    return {.hips = {"thigh.l", "thigh.r"},
            .knees = {"knee.l", "knee.r"},
            .ankles = {"ankle.l", "ankle.r"},
            .chest = "chest",
            .head = "head",
            .shoulders = {"arm.l", "arm.r"},
            .elbows = {"elbow.l", "elbow.r"},
            .hands = {"hand.l", "hand.r"}};
}

double apart(const Vector3& a, const Vector3& b) {
    return std::sqrt(dot(a - b, a - b));
}

}  // namespace

TEST_CASE("a skeleton's joints go as the parts of its body", "[balance][rig]") {
    const BalanceRig rig{sailor(), sailor_joints()};
    BalanceSettings settings{.build = rig.build(75)};
    CHECK(settings.build.mass_kg == 75);
    CHECK(std::abs(settings.build.arm_length_m - 0.58) < 1e-12);
    CHECK(std::abs(settings.build.hip_width_m - 0.2) < 1e-12);
    CHECK(settings.build.leg_length_m > 0.85);
    const FlatGround ground;
    Balance body{settings, ground, {1, 0, 2}, 0.6};
    const std::size_t count = rig.skeleton().joints.size();
    std::vector<Pose> local(count);
    std::vector<Pose> world(count);
    body.push({1, 0, 0.5});
    double off_m = 0;
    double stretched_m = 0;
    const auto at = [&](const std::string& name) {
        return world[rig.skeleton().find(name)].position;
    };
    for (int frame = 0; frame < 300; ++frame) {
        if (frame == 150) body.become(BalanceState::limp);
        body.step({.velocity = {0, 0, 0.6}, .yaw_rad = 0.3, .ground = &ground}, 1.0 / 60);
        const long before = allocations();
        rig.pose(body, {}, local);
        CHECK(allocations() == before);
        to_model(rig.skeleton(), local, world);
        const Vector3 hips = (body.hip(0) + body.hip(1)) * 0.5;
        off_m = std::max(off_m, apart(hips, (at("thigh.l") + at("thigh.r")) * 0.5));
        // Ankles are over the soles: the joints of both are as long as each other.
        const BalanceFoot& foot = body.feet()[0];
        const double far = apart(at("ankle.l"), foot.position);
        if (frame > 20 && frame < 150 && foot.planted)
            off_m = std::max(off_m, far - settings.build.ankle_height_m - 0.08);
        stretched_m = std::max(
            stretched_m, std::abs(apart(at("knee.l"), at("ankle.l")) - std::hypot(0.41, 0.03)));
    }
    CHECK(off_m < 0.02);
    CHECK(stretched_m < 1e-9);
}

TEST_CASE("a pose of a skeleton is one of the body's parts", "[balance][rig]") {
    const BalanceRig rig{sailor(), sailor_joints()};
    BalanceSettings settings{.build = rig.build(75)};
    const FlatGround ground;
    const Balance body{settings, ground, {0.5, 0, 1}, -0.4};
    const std::size_t count = rig.skeleton().joints.size();
    std::vector<Pose> local(count);
    std::vector<Pose> model(count);
    std::vector<Placement> parts(body.body_size());
    rig.pose(body, {}, local);
    rig.place_parts(local, {}, model, parts);
    for (std::size_t i = 0; i < parts.size(); ++i) {
        INFO(i);
        CHECK(apart(parts[i].position, body.placements()[i].position) < 0.003);
        const Quaternion off = parts[i].rotation * conjugate(body.placements()[i].rotation);
        const Vector3 turn = rotation_vector(off);
        CHECK(std::sqrt(dot(turn, turn)) < 1e-9);
    }
    BalanceJoints wrong = sailor_joints();
    wrong.knees[1] = "kneee.r";
    CHECK_THROWS_AS(BalanceRig(sailor(), wrong), InvalidValue);
    BalanceJoints legs_only = sailor_joints();
    legs_only.shoulders = legs_only.elbows = legs_only.hands = {};
    CHECK(BalanceRig(sailor(), legs_only).build(60).arm_length_m == 0);
}
