#include "balance_body.hpp"

#include <hopcoil/base/math.hpp>

namespace hopcoil {
namespace parts {
namespace {

// Parts of the whole mass.
constexpr double pelvis_share = 0.25;
constexpr double torso_share = 0.4;
constexpr double head_share = 0.09;
constexpr double upper_arm_share = 0.045;
constexpr double forearm_share = 0.035;
constexpr double thigh_share = 0.028;
constexpr double shin_share = 0.016;
constexpr double foot_share = 0.006;

Part capsule_part(const Vector3& middle, double length_m, double radius_m, double mass_kg) {
    Part part;
    part.placement.position = middle;
    const double half = 0.5 * length_m > 1.01 * radius_m ? 0.5 * length_m - radius_m : 0.01;
    part.shapes = {
        {.type = PartShape::Type::capsule, .radius_m = radius_m, .half_size_m = {0, half, 0}}};
    part.mass_kg = mass_kg;
    return part;
}

Part box_part(const Vector3& middle, const Vector3& half, const Vector3& own_place,
              double mass_kg) {
    Part part;
    part.placement.position = middle;
    part.shapes = {{.type = PartShape::Type::box, .placement = {own_place}, .half_size_m = half}};
    part.mass_kg = mass_kg;
    return part;
}

PartJoint ball(std::uint32_t a, std::uint32_t b, const Placement& frame, double most_lean_rad,
               double most_twist_rad) {
    PartJoint joint;
    joint.type = PartJoint::Type::ball;
    joint.a = a;
    joint.b = b;
    joint.frame = frame;
    joint.most_lean_rad = most_lean_rad;
    joint.most_twist_rad = most_twist_rad;
    return joint;
}

/// About the body's X axis: above 0 a hanging limb moves back.
PartJoint hinge(std::uint32_t a, std::uint32_t b, const Vector3& place, double lowest,
                double highest) {
    PartJoint joint;
    joint.a = a;
    joint.b = b;
    joint.frame.position = place;
    joint.lowest = lowest;
    joint.highest = highest;
    return joint;
}

void add_trunk(PartsStructure& made, const BalanceBuild& build, const BodyMeasures& at) {
    const double m = build.mass_kg;
    const double wide = 0.5 * build.hip_width_m;
    const double deep = 0.13 * build.torso_length_m + 0.02 * build.leg_length_m;
    made.parts.push_back(
        box_part(at.pelvis, {1.35 * wide, at.waist_y - at.pelvis.y, deep}, {}, pelvis_share * m));
    const double arms = build.arm_length_m > 0 ? 0 : 2 * (upper_arm_share + forearm_share);
    const double half_torso = 0.5 * (at.neck_y - at.waist_y);
    made.parts.push_back(box_part(at.torso, {0.42 * build.shoulder_width_m, half_torso, deep}, {},
                                  (torso_share + arms) * m));
    made.parts.push_back(capsule_part(at.head, build.head_length_m * 0.9, 0.3 * build.head_length_m,
                                      head_share * m));
}

void add_legs(PartsStructure& made, const BalanceBuild& build, const BodyMeasures& at) {
    const double m = build.mass_kg;
    const double thick = 0.075 * build.leg_length_m;
    const auto of_both = [&](auto&& make) {
        for (const std::size_t side : {0U, 1U})
            made.parts.push_back(make(way_of(side) * at.hip.x));
    };
    const double hip_y = build.leg_length_m;
    const double knee_y = hip_y - at.thigh_m;
    of_both([&](double x) {
        return capsule_part({x, hip_y - 0.5 * at.thigh_m, 0}, at.thigh_m, thick, thigh_share * m);
    });
    of_both([&](double x) {
        return capsule_part({x, knee_y - 0.5 * at.shin_m, 0}, at.shin_m, 0.75 * thick,
                            shin_share * m);
    });
    const double half = 0.5 * build.ankle_height_m;
    of_both([&](double x) {
        return box_part({x, 0, -at.ankle.z},
                        {0.5 * build.foot_width_m, half, 0.5 * build.foot_length_m}, {0, half, 0},
                        foot_share * m);
    });
}

void add_arms(PartsStructure& made, const BalanceBuild& build, const BodyMeasures& at) {
    const double m = build.mass_kg;
    const double thick = 0.07 * build.arm_length_m;
    const Vector3 shoulder = at.torso + at.shoulder;
    for (const std::size_t side : {0U, 1U}) {
        const Vector3 place{way_of(side) * shoulder.x, shoulder.y - 0.5 * at.upper_arm_m, 0};
        made.parts.push_back(capsule_part(place, at.upper_arm_m, thick, upper_arm_share * m));
    }
    for (const std::size_t side : {0U, 1U}) {
        const Vector3 place{way_of(side) * shoulder.x,
                            shoulder.y - at.upper_arm_m - 0.5 * at.forearm_m, 0};
        made.parts.push_back(capsule_part(place, at.forearm_m, 0.8 * thick, forearm_share * m));
    }
}

void add_joints(PartsStructure& made, const BalanceBuild& build, const BodyMeasures& at) {
    using enum BodyPart;
    const auto add = [&](const PartJoint& joint) {
        made.joints.push_back(joint);
    };
    add(ball(index_of(pelvis), index_of(torso), {{0, at.waist_y, 0}, frame_up()}, 0.8, 0.6));
    add(ball(index_of(torso), index_of(head), {{0, at.neck_y, 0}, frame_up()}, 0.7, 0.9));
    const double hip_y = build.leg_length_m;
    const auto x = [&](std::size_t side) {
        return way_of(side) * at.hip.x;
    };
    for (const std::size_t side : {0U, 1U})
        add(ball(index_of(pelvis), thigh_of(side), {{x(side), hip_y, 0}, frame_down()}, 1.7, 0.9));
    for (const std::size_t side : {0U, 1U})
        add(hinge(thigh_of(side), shin_of(side), {x(side), hip_y - at.thigh_m, 0}, 0, 2.6));
    for (const std::size_t side : {0U, 1U})
        add(ball(shin_of(side), foot_of(side), {{x(side), at.ankle.y, 0}, frame_down()}, 0.9, 0.6));
    if (build.arm_length_m == 0) return;
    const Vector3 shoulder = at.torso + at.shoulder;
    for (const std::size_t side : {0U, 1U}) {
        const Vector3 place{way_of(side) * shoulder.x, shoulder.y, 0};
        add(ball(index_of(torso), upper_arm_of(side), {place, frame_down()}, 2.2, 1));
    }
    for (const std::size_t side : {0U, 1U}) {
        const Vector3 place{way_of(side) * shoulder.x, shoulder.y - at.upper_arm_m, 0};
        add(hinge(upper_arm_of(side), forearm_of(side), place, -2.4, 0));
    }
}

}  // namespace

BodyMeasures::BodyMeasures(const BalanceBuild& build) noexcept
    : thigh_m{build.thigh_part * (build.leg_length_m - build.ankle_height_m)},
      shin_m{(1 - build.thigh_part) * (build.leg_length_m - build.ankle_height_m)},
      waist_y{build.leg_length_m + 0.22 * build.torso_length_m},
      neck_y{build.leg_length_m + build.torso_length_m},
      upper_arm_m{0.48 * build.arm_length_m},
      forearm_m{0.52 * build.arm_length_m} {
    pelvis = {0, build.leg_length_m + 0.06 * build.torso_length_m, 0};
    torso = {0, 0.5 * (waist_y + neck_y), 0};
    head = {0, neck_y + 0.55 * build.head_length_m, 0};
    hip = {0.5 * build.hip_width_m, build.leg_length_m - pelvis.y, 0};
    shoulder = {0.5 * build.shoulder_width_m, 0.92 * (neck_y - torso.y), 0};
    ankle = {0, build.ankle_height_m, -0.2 * build.foot_length_m};
}

Quaternion frame_down() noexcept {
    return from_axes({0, -1, 0}, {1, 0, 0}, {0, 0, 1});
}

Quaternion frame_up() noexcept {
    return from_axes({0, 1, 0}, {0, 0, 1}, {1, 0, 0});
}

JointSpring posture_spring(const BalanceBuild& build, BodyJoint joint, double hz,
                           const Vector3& wanted_rad) noexcept {
    // A hanging limb, as a rod that turns about its end.
    double mass_kg = head_share * build.mass_kg;
    double length_m = build.head_length_m;
    if (joint == BodyJoint::waist) {
        mass_kg = (1 - pelvis_share) * build.mass_kg;
        length_m = build.torso_length_m;
    }
    const bool is_arm = index_of(joint) >= index_of(BodyJoint::left_shoulder);
    const bool is_elbow = index_of(joint) >= index_of(BodyJoint::left_elbow);
    if (is_arm) {
        mass_kg = (is_elbow ? forearm_share : upper_arm_share + forearm_share) * build.mass_kg;
        length_m = (is_elbow ? 0.52 : 1) * build.arm_length_m;
        hz = 0.4 * hz;
    }
    const bool is_leg = !is_arm && index_of(joint) >= index_of(BodyJoint::left_hip);
    if (is_leg) {
        mass_kg = 0.05 * build.mass_kg;
        length_m = build.leg_length_m;
    }
    const double inertia = mass_kg * length_m * length_m / 3;
    const double rate = 2 * math::pi * hz;
    JointSpring spring;
    spring.stiffness = inertia * rate * rate;
    spring.damping = (is_arm ? 1.2 : 2.0) * inertia * rate;
    spring.wanted_rad = wanted_rad;
    spring.wanted = wanted_rad.x;
    spring.most = 6 * mass_kg * gravity * length_m;
    return spring;
}

}  // namespace parts

PartsStructure body_structure(const BalanceBuild& build) {
    require_valid(build);
    const parts::BodyMeasures at{build};
    PartsStructure made;
    parts::add_trunk(made, build, at);
    parts::add_legs(made, build, at);
    if (build.arm_length_m > 0) parts::add_arms(made, build, at);
    parts::add_joints(made, build, at);
    for (Part& part : made.parts) {
        part.no_contact_group = 1;
        part.friction = 0.7;
    }
    return made;
}

}  // namespace hopcoil
