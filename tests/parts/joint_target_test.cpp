// Motors, and joints whose springs are drawn toward what moves.

#include <array>
#include <cmath>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/base/angles.hpp>
#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/base/random.hpp>
#include <hopcoil/follow/follower.hpp>
#include <hopcoil/parts/parts.hpp>

#include "parts/solids.hpp"

using namespace hopcoil;

namespace {

using Type = PartJoint::Type;

/// One part, of the same inertia about every axis (of a slide: its mass), on a joint to the world
/// with its X axis along z.
PartsStructure one_on(Type type, const JointSpring& spring, double inertia) {
    Part part;
    part.given = {type == Type::slide ? inertia : 2, {}, {}, {inertia, inertia, inertia}};
    PartsStructure made;
    made.parts = {part};
    made.joints = {{.type = type, .b = 0, .frame = {{}, facing({0, 0, 1}, {1, 0, 0}, {0, 1, 0})}}};
    made.joints[0].spring = spring;
    return made;
}

constexpr PartsSettings weightless{.gravity = {}};

double rate_of(const Parts& parts, Type type) {
    const PartMotion& motion = parts.motions()[0];
    return type == Type::slide ? motion.velocity.z : motion.angular_velocity.z;
}

/// Where the joint is, without wrapping or losing its sign.
double position_of(const Parts& parts, Type type) {
    if (type != Type::ball) return parts.joint_position(0);
    return rotation_vector(parts.placements()[0].rotation).z;
}

/// About the joint's X axis, for a joint of any type.
JointTarget target_at(double wanted) {
    return {.joint = 0, .wanted = wanted, .wanted_turn = turned_by({wanted, 0, 0})};
}

/// A path without corners or leaps, and its velocity.
struct Path {
    double amplitude = 0;
    double hz = 0;
    [[nodiscard]] double at(double t) const {
        return amplitude * (1 - math::cos(2 * math::pi * hz * t));
    }
};

}  // namespace

TEST_CASE("a motor brings its load to its rate as its damping says, no harder than it may",
          "[parts]") {
    for (const Type type : {Type::hinge, Type::slide, Type::ball}) {
        const double inertia = 0.4;
        const JointSpring motor{.damping = 1.5, .wanted_rate = 3};
        Parts free{one_on(type, motor, inertia), weightless};
        JointSpring weak = motor;
        weak.most = 0.5;
        Parts capped{one_on(type, weak, inertia), weightless};
        for (int i = 1; i <= 120; ++i) {
            REQUIRE(free.step({}, 1.0 / 60) == StepStatus::stepped);
            REQUIRE(capped.step({}, 1.0 / 60) == StepStatus::stepped);
            const double t = i / 60.0;
            const double wanted = 3 * (1 - math::exp(-1.5 / inertia * t));
            CHECK(rate_of(free, type) == Approx(wanted).margin(0.003));
            // As long as it would pull harder than it can, it pulls as hard as it can.
            const double capped_rate = 0.5 / inertia * t;
            if (1.5 * (3 - capped_rate) > 0.52)
                CHECK(rate_of(capped, type) == Approx(capped_rate).margin(0.003));
        }
    }
}

TEST_CASE("a motor that holds a load turns more slowly by load over damping, and never sleeps",
          "[parts]") {
    // A drum of 0.2 m radius: 5 kg at its rim, as a torque.
    Parts drum{one_on(Type::hinge, {.damping = 40, .wanted_rate = 0.3}, 0.5), weightless};
    const std::array load{PartForce{.part = 0, .torque_nm = {0, 0, -4}}};
    for (int i = 0; i < 1200; ++i)
        drum.step({.forces = load}, 1.0 / 60);
    CHECK(rate_of(drum, Type::hinge) == Approx(0.3 - 4.0 / 40).epsilon(1e-6));
    // Slower than what falls asleep.
    Parts slow{one_on(Type::slide, {.damping = 40, .wanted_rate = 0.004}, 2), weightless};
    for (int i = 0; i < 600; ++i)
        slow.step({}, 1.0 / 60);
    CHECK_FALSE(slow.still());
    CHECK(position_of(slow, Type::slide) == Approx(0.004 * 10).epsilon(0.01));
}

TEST_CASE("a joint follows its target as a follower with lead 1 follows one", "[parts]") {
    RandomNumbers random{41};
    for (std::size_t trial = 0; trial < 30; ++trial) {
        const Type type = std::array{Type::hinge, Type::slide, Type::ball}[trial % 3];
        const double inertia = random.between(0.05, 2);
        const double frequency_hz = random.between(0.5, 4);
        const double ratio = random.between(0.1, 1.5);
        const double w = 2 * math::pi * frequency_hz;
        const JointSpring spring{.stiffness = inertia * w * w, .damping = 2 * ratio * w * inertia};
        const Path path{random.between(0.2, 0.9), random.between(0.1, 1)};
        const double rate_hz = random.between(30, 240);
        Parts parts{one_on(type, spring, inertia), weightless};
        Follower<double> truth{{.frequency_hz = frequency_hz, .damping_ratio = ratio, .lead = 1},
                               0};
        INFO("trial " << trial << ", " << frequency_hz << " Hz, ratio " << ratio << ", " << rate_hz
                      << " steps a second");
        const std::array first{target_at(0)};
        parts.step({.targets = first}, 0);
        double worst = 0;
        for (int i = 0; i < 3 * rate_hz; ++i) {
            const double now = path.at(i / rate_hz);
            const std::array target{target_at(now)};
            REQUIRE(parts.step({.targets = target}, 1 / rate_hz) == StepStatus::stepped);
            truth.step(now, 1 / rate_hz);
            worst = std::max(worst, std::fabs(position_of(parts, type) - truth.value()));
        }
        CHECK(worst < 0.01 * path.amplitude);
    }
}

TEST_CASE("a hinge whose target goes round is carried round without unwinding", "[parts]") {
    Parts wheel{one_on(Type::hinge, {.stiffness = 60, .damping = 8}, 0.2), weightless};
    double turned = 0;
    double before = 0;
    for (int i = 1; i <= 600; ++i) {
        const double t = i / 60.0;
        const std::array target{target_at(wrapped_rad(4 * t))};
        REQUIRE(wheel.step({.targets = target}, 1.0 / 60) == StepStatus::stepped);
        turned += wrapped_rad(wheel.joint_position(0) - before);
        before = wheel.joint_position(0);
    }
    CHECK(turned == Approx(40).margin(0.02));
}

TEST_CASE("a target that leaps draws by its spring, not by its damper", "[parts]") {
    for (const bool leaps : {false, true}) {
        Parts arm{one_on(Type::hinge, {.stiffness = 20, .damping = 2}, 0.2), weightless};
        std::array target{target_at(0)};
        arm.step({.targets = target}, 0.01);
        target[0] = target_at(1);
        target[0].leaps = leaps;
        arm.step({.targets = target}, 0.001);
        const double by_spring = 20 / 0.2 * 0.001;
        const double by_damper = leaps ? 0 : 2 / 0.2;
        CHECK(rate_of(arm, Type::hinge) == Approx(by_spring + by_damper).epsilon(0.03));
    }
}

TEST_CASE("joints keep their targets: between steps, through copies, blobs and new numbers",
          "[parts]") {
    const PartsStructure made = one_on(Type::hinge, {.stiffness = 20, .damping = 2}, 0.2);
    Parts arm{made, weightless};
    const std::array target{target_at(0.7)};
    for (int i = 0; i < 30; ++i)
        arm.step({.targets = target}, 1.0 / 60);
    const std::vector<std::byte> blob = save_state(arm);
    Parts copy = arm;
    Parts loaded{made, weightless};
    REQUIRE(load_state(loaded, blob));
    Parts retuned = arm;
    JointSpring firmer = made.joints[0].spring;
    firmer.stiffness = 80;
    retuned.set_spring(0, firmer);
    for (int i = 0; i < 300; ++i) {
        for (Parts* each : {&arm, &copy, &loaded, &retuned})
            each->step({}, 1.0 / 60);
        REQUIRE(copy.joint_position(0) == arm.joint_position(0));
        REQUIRE(loaded.joint_position(0) == arm.joint_position(0));
    }
    CHECK(arm.joint_position(0) == Approx(0.7).margin(1e-3));
    CHECK(retuned.joint_position(0) == Approx(0.7).margin(1e-3));
}

TEST_CASE("targets that no joint can have are rejected, and nothing moves", "[parts]") {
    PartsStructure made = one_on(Type::hinge, {.stiffness = 20}, 0.2);
    Parts arm{made, weightless};
    JointTarget none = target_at(1);
    none.joint = 1;
    JointTarget turnless = target_at(1);
    turnless.wanted_turn = {0, 0, 0, 0};
    for (const JointTarget& wrong : {none, turnless, target_at(NAN), target_at(INFINITY)}) {
        const std::array target{wrong};
        CHECK(arm.step({.targets = target}, 0.1) == StepStatus::rejected);
    }
    CHECK(arm.joint_position(0) == 0);
    CHECK(arm.rejected_inputs() == 4);
    made.joints[0].type = Type::fixed;
    Parts held{made, weightless};
    const std::array target{target_at(1)};
    CHECK(held.step({.targets = target}, 0.1) == StepStatus::rejected);
    made.joints[0].spring.wanted_rate = NAN;
    CHECK_THROWS_AS(Parts{made}, InvalidValue);
}

TEST_CASE("an arm under a storm of targets stays finite and takes no energy from nowhere",
          "[parts]") {
    RandomNumbers random{7};
    for (int trial = 0; trial < 6; ++trial) {
        PartsStructure made;
        made.parts.resize(4);
        for (std::size_t i = 0; i < made.parts.size(); ++i) {
            made.parts[i].placement.position = {0, -0.4 * static_cast<double>(i) - 0.2, 0};
            made.parts[i].shapes = {
                {.type = PartShape::Type::capsule, .radius_m = 0.05, .half_size_m = {0, 0.15, 0}}};
            PartJoint joint{.type = i % 2 == 0 ? Type::hinge : Type::ball,
                            .a = i == 0 ? no_part : static_cast<std::uint32_t>(i - 1),
                            .b = static_cast<std::uint32_t>(i)};
            joint.frame.position = {0, -0.4 * static_cast<double>(i), 0};
            joint.spring = {.stiffness = std::pow(10, random.between(-1, 5)),
                            .damping = std::pow(10, random.between(-2, 3)),
                            .wanted_rate = random.between(-5, 5),
                            .most = std::pow(10, random.between(0, 5))};
            made.joints.push_back(joint);
        }
        Parts arm{made};
        for (int i = 0; i < 200; ++i) {
            std::array<JointTarget, 4> targets;
            for (std::uint32_t joint = 0; joint < 4; ++joint) {
                targets[joint] = target_at(random.between(-3, 3));
                targets[joint].joint = joint;
                targets[joint].leaps = random.between(0, 1) < 0.2;
            }
            const double dt = std::pow(10, random.between(-3, -1));
            arm.step({.targets = targets}, dt);
            for (const Placement& each : arm.placements())
                REQUIRE(length(each.position) < 2.5);
            REQUIRE(std::isfinite(arm.energy()));
        }
        // What it was given is lost again once nothing draws it; its energy is read off velocities
        // of half a substep before.
        for (std::size_t joint = 0; joint < 4; ++joint)
            arm.set_spring(joint, {.damping = 5});
        double moving = 0;
        for (std::uint32_t part = 0; part < 4; ++part) {
            const Vector3 velocity = arm.motions()[part].velocity;
            moving += 0.5 * arm.mass(part).mass_kg * dot(velocity, velocity);
        }
        double least = arm.energy();
        for (int i = 0; i < 120; ++i) {
            arm.step({}, 1.0 / 60);
            CHECK(arm.energy() < least + 0.03 * moving + 0.05);
            least = std::min(least, arm.energy());
        }
    }
}
