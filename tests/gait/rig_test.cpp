// Legs of a skeleton under a walker: ankles over their spots, bones of their lengths, all else as
// it was.

#include <algorithm>
#include <cmath>
#include <string>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/base/components.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/field/ground.hpp>
#include <hopcoil/gait/rig.hpp>

#include "support/allocations.hpp"
#include "support/random.hpp"
#include "support/vectors.hpp"

using namespace hopcoil;
using Catch::Matchers::Contains;

namespace {

/// Two or four legs below a spine, every joint turned at random: what a modeller leaves behind.
Skeleton animal(std::size_t legs, Random& random, std::vector<LegNames>& names) {
    Skeleton skeleton;
    std::vector<Pose> model;
    const auto add = [&](const std::string& name, std::size_t parent, const Vector3& place) {
        const std::size_t index = skeleton.joints.size();
        const Quaternion turn = index == 0 ? Quaternion{} : turned_by(random_vector(random, 1));
        Pose rest{place, turn, {1, 1, 1}};
        if (parent != index) {
            const Quaternion back = conjugate(model[parent].rotation);
            rest = {
                rotated(back, place - model[parent].position), normalized(back * turn), {1, 1, 1}};
        }
        skeleton.joints.push_back({name, parent, rest});
        model.push_back({place, turn, {1, 1, 1}});
        return index;
    };
    const std::size_t root = add("root", 0, {0, 0, 0});
    const std::size_t spine = add("spine", root, {0, 0.9, 0});
    add("head", spine, {0, 1.4, 0.2});
    for (std::size_t i = 0; i < legs; ++i) {
        const double x = i % 2 == 0 ? 0.1 : -0.1;
        const double z = legs == 2 ? 0 : i < 2 ? 0.45 : -0.45;
        const std::string name = "leg" + std::to_string(i);
        const std::size_t hip = add(name + ".hip", spine, {x, 0.85, z});
        const std::size_t knee = add(name + ".knee", hip, {1.1 * x, 0.47, z + 0.04});
        const std::size_t ankle = add(name + ".ankle", knee, {1.1 * x, 0.08, z});
        add(name + ".toe", ankle, {1.1 * x, 0, z + 0.12});
        names.push_back({name + ".hip", name + ".knee", name + ".ankle", name + ".toe"});
    }
    return skeleton;
}

}  // namespace

TEST_CASE("a rig's ankles are where the walker's feet are, its bones keep their lengths", "[rig]") {
    Random random{71};
    for (int i = 0; i < 20; ++i) {
        const std::size_t legs = i % 2 == 0 ? 2 : 4;
        std::vector<LegNames> names;
        const Skeleton skeleton = animal(legs, random, names);
        std::reverse(names.begin(), names.end());  // in any order
        const Rig rig{skeleton, names};
        const HeightGround ground{[](double x, double z) {
            return 0.1 * std::sin(2 * x + z);
        }};
        Walker walker{rig.settings(), ground, {0, 0, 0}, random.between(-3, 3)};
        CHECK(walker.settings().leg_length_m == Approx(0.38 + 0.39 + 0.85 * 0.08).epsilon(0.01));
        std::vector<Pose> local(skeleton.joints.size());
        std::vector<Pose> model(skeleton.joints.size());
        std::vector<Pose> rest(skeleton.joints.size());
        for (std::size_t k = 0; k < rest.size(); ++k)
            local[k] = skeleton.joints[k].rest;
        to_model(skeleton, local, rest);
        double highest_heel = 0;
        // Some clip below: the head nods, the spine bends a little.
        std::vector<Pose> base;
        for (const Joint& joint : skeleton.joints)
            base.push_back(joint.rest);
        const std::size_t head = skeleton.find("head");
        base[head].rotation = turned_by({0.3, 0, 0}) * base[head].rotation;
        for (int tick = 0; tick < 480; ++tick) {
            walker.step({.ahead = 1, .turn_rate = 0.3}, ground, Walker::tick_s);
            const long before = allocations();
            const double missed = rig.pose(walker, base, local);
            CHECK(allocations() == before);
            CHECK(missed < 1e-6);
            to_model(skeleton, local, model);
            for (std::size_t leg = 0; leg < legs; ++leg) {
                const WalkerFoot& foot = walker.feet()[leg];
                const auto joints = rig.leg(leg);
                CHECK(apart(model[joints[0]].position, model[joints[1]].position) ==
                      Approx(std::hypot(0.38, 0.01, 0.04)).epsilon(1e-6));
                // The ankle is over a sole that rolls about its toe joint or its heel.
                const double heel_m = WalkerSole::heel_part * rig.settings().foot_radius_m;
                const WalkerSole sole = rolled_sole(foot, heel_m, 0.12);
                const Vector3 ankle = sole.heel + sole.forward * heel_m + sole.normal * 0.08;
                CHECK(apart(model[joints[2]].position, ankle) < 1e-6);
                if (!foot.planted || foot.pitch_rad <= 0) continue;
                const std::size_t toe = joints[2] + 1;
                const Quaternion turn = model[toe].rotation * conjugate(rest[toe].rotation);
                CHECK(apart(model[toe].position, sole.toe) < 1e-6);
                CHECK(std::abs(dot(rotated(turn, {0, 0, 1}), foot.normal)) < 1e-6);
                highest_heel = std::max(highest_heel, dot(sole.heel - sole.toe, foot.normal));
            }
            CHECK(local[head] == base[head]);
        }
        CHECK(highest_heel > 0.02);
        // The knees point ahead of the line from hip to ankle.
        const Vector3 ahead = rotated(walker.rotation(), {0, 0, 1});
        for (std::size_t leg = 0; leg < legs; ++leg) {
            const auto joints = rig.leg(leg);
            const Vector3 hip = model[joints[0]].position;
            const Vector3 middle = (hip + model[joints[2]].position) * 0.5;
            CHECK(dot(model[joints[1]].position - middle, ahead) > 0);
        }
    }
}

TEST_CASE("standing as it was modelled, a rig's joints are turned as they were modelled", "[rig]") {
    Random random{72};
    std::vector<LegNames> names;
    const Skeleton skeleton = animal(2, random, names);
    const Rig rig{skeleton, names};
    const FlatGround flat;
    Walker walker{rig.settings(), flat, {0, 0, 0}};
    std::vector<Pose> local(skeleton.joints.size());
    std::vector<Pose> model(skeleton.joints.size());
    rig.pose(walker, {}, local);
    to_model(skeleton, local, model);
    std::vector<Pose> rest;
    for (const Joint& joint : skeleton.joints)
        rest.push_back(joint.rest);
    std::vector<Pose> modelled(rest.size());
    to_model(skeleton, rest, modelled);
    for (std::size_t i = 0; i < model.size(); ++i) {
        // It stands a little lower or higher than it was modelled: its legs turn a little for that.
        const Quaternion off = model[i].rotation * conjugate(modelled[i].rotation);
        CHECK(length_of(rotation_vector(off)) < 0.4);
        CHECK(apart(model[i].position, modelled[i].position) < 0.12);
    }
    CHECK(local[skeleton.find("head")] == skeleton.joints[skeleton.find("head")].rest);
}

TEST_CASE("a rig says which joint is not there, or hangs from another", "[rig]") {
    Random random{73};
    std::vector<LegNames> names;
    const Skeleton skeleton = animal(2, random, names);
    const auto with = [&](const LegNames& leg) {
        return std::vector<LegNames>{names[0], leg};
    };
    CHECK_THROWS_WITH((Rig{skeleton, with({"leg1.hip", "leg1.kneee", "leg1.ankle", ""})}),
                      Contains("leg1.kneee"));
    CHECK_THROWS_WITH((Rig{skeleton, with({"leg1.hip", "leg0.knee", "leg1.ankle", ""})}),
                      Contains("leg0.knee") && Contains("a child of 'leg1.hip'"));
    CHECK_THROWS_AS((Rig{skeleton, {}}), InvalidValue);
}
