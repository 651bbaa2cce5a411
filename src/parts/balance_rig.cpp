#include <algorithm>
#include <utility>

#include <hopcoil/base/components.hpp>
#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/parts/balance_rig.hpp>

#include "balance_body.hpp"

namespace hopcoil {

using parts::index_of;

namespace {

/// The shortest turn from one direction to another.
Quaternion turn_between(const Vector3& from, const Vector3& to) noexcept {
    const Vector3 axis = cross(from, to);
    const double sine = length_of(axis);
    if (sine < 1e-12) return dot(from, to) > 0 ? Quaternion{} : Quaternion{0, 0, 0, 1};
    return turned_by(axis * (math::atan2(sine, dot(from, to)) / sine));
}

void require_bone(const std::string& name, double length_m) {
    if (!(length_m > 1e-9)) throw InvalidValue{name, length_m, "a bone with a length"};
}

}  // namespace

Vector3 BalanceRig::rest_of(const std::string& name) const {
    return rest_[skeleton_.find(name)].position;
}

Vector3 BalanceRig::middle_of(const std::array<std::string, 2>& names) const {
    return (rest_of(names[0]) + rest_of(names[1])) * 0.5;
}

void BalanceRig::add_trunk(const std::string& name, BodyPart part) {
    if (name.empty()) return;
    const std::size_t joint = skeleton_.find(name);
    bones_.push_back({joint, index_of(part), rest_[joint].rotation});
}

void BalanceRig::add_limb(const std::array<std::string, 2>& names,
                          const std::array<std::string, 2>& ends, BodyPart left) {
    for (const std::size_t side : {0U, 1U}) {
        const std::size_t joint = skeleton_.find(names.at(side));
        const Vector3 way = rest_of(ends.at(side)) - rest_[joint].position;
        const double length_m = length_of(way);
        require_bone(ends.at(side), length_m);
        const Quaternion down = turn_between(way * (1 / length_m), {0, -1, 0});
        bones_.push_back({joint, index_of(left) + static_cast<std::uint32_t>(side),
                          normalized(down * rest_[joint].rotation)});
    }
}

BalanceRig::BalanceRig(Skeleton skeleton, const BalanceJoints& names)
    : skeleton_{std::move(skeleton)} {
    std::vector<Pose> local;
    for (std::size_t i = 0; i < skeleton_.joints.size(); ++i) {
        const Joint& joint = skeleton_.joints[i];
        if (joint.parent > i) {
            throw InvalidValue{joint.name, static_cast<double>(joint.parent),
                               "a parent that comes before it"};
        }
        local.push_back(joint.rest);
    }
    rest_.resize(local.size());
    to_model(skeleton_, local, rest_);
    const std::size_t first_hip = skeleton_.find(names.hips[0]);
    pelvis_ =
        names.pelvis.empty() ? skeleton_.joints[first_hip].parent : skeleton_.find(names.pelvis);
    const Vector3 hips = middle_of(names.hips);
    pelvis_own_ = rest_[pelvis_].position - hips;
    bones_.push_back({pelvis_, index_of(BodyPart::pelvis), rest_[pelvis_].rotation});
    add_trunk(names.chest, BodyPart::torso);
    add_trunk(names.head, BodyPart::head);
    add_limb(names.hips, names.knees, BodyPart::left_thigh);
    add_limb(names.knees, names.ankles, BodyPart::left_shin);
    for (const std::size_t side : {0U, 1U}) {
        const std::size_t ankle = skeleton_.find(names.ankles.at(side));
        bones_.push_back({ankle, parts::foot_of(side), rest_[ankle].rotation});
    }
    // Sizes: those that the skeleton does not have are scaled with its legs.
    double sole_y = rest_[0].position.y;
    for (const Pose& each : rest_)
        sole_y = std::min(sole_y, each.position.y);
    const auto bone = [&](const std::string& from, const std::string& to) {
        return length_of(rest_of(to) - rest_of(from));
    };
    const double thigh_m = bone(names.hips[0], names.knees[0]);
    const double shin_m = bone(names.knees[0], names.ankles[0]);
    const BalanceBuild usual;
    const double scale = (thigh_m + shin_m) / (usual.leg_length_m - usual.ankle_height_m);
    build_ = body_of_height(
        scale * (usual.leg_length_m + usual.torso_length_m + usual.head_length_m), usual.mass_kg);
    const double ankle_m = rest_of(names.ankles[0]).y - sole_y;
    build_.ankle_height_m = std::max(ankle_m, 0.02 * (thigh_m + shin_m));
    build_.leg_length_m = thigh_m + shin_m + build_.ankle_height_m;
    build_.thigh_part = thigh_m / (thigh_m + shin_m);
    build_.hip_width_m = bone(names.hips[0], names.hips[1]);
    build_.arm_length_m = 0;
    if (!names.head.empty()) build_.torso_length_m = rest_of(names.head).y - hips.y;
    if (names.shoulders[0].empty()) return;
    add_limb(names.shoulders, names.elbows, BodyPart::left_upper_arm);
    add_limb(names.elbows, names.hands, BodyPart::left_forearm);
    build_.torso_length_m = middle_of(names.shoulders).y - hips.y;
    build_.shoulder_width_m = bone(names.shoulders[0], names.shoulders[1]);
    build_.arm_length_m =
        bone(names.shoulders[0], names.elbows[0]) + bone(names.elbows[0], names.hands[0]);
}

BalanceBuild BalanceRig::build(double mass_kg) const {
    BalanceBuild build = build_;
    build.mass_kg = mass_kg;
    require_valid(build);
    return build;
}

void BalanceRig::pose(const Balance& body, std::span<const Pose> base,
                      std::span<Pose> local) const noexcept {
    for (std::size_t i = 0; i < skeleton_.joints.size(); ++i)
        local[i] = i < base.size() ? base[i] : skeleton_.joints[i].rest;
    const Placement& pelvis = body.placements()[index_of(BodyPart::pelvis)];
    const Vector3 hips = (body.hip(0) + body.hip(1)) * 0.5;
    // From the root to the ends: each joint's parent is placed before it.
    const auto in_world = [&](std::size_t joint) {
        Placement at{local[joint].position, local[joint].rotation};
        while (skeleton_.joints[joint].parent != joint) {
            joint = skeleton_.joints[joint].parent;
            at = Placement{local[joint].position, local[joint].rotation} * at;
        }
        return at;
    };
    const auto parent_of = [&](std::size_t joint) {
        const std::size_t parent = skeleton_.joints[joint].parent;
        return parent == joint ? Placement{} : in_world(parent);
    };
    for (const Bone& bone : bones_) {
        const Placement parent = parent_of(bone.joint);
        const Quaternion turn = body.placements()[bone.part].rotation * bone.turn;
        local[bone.joint].rotation = normalized(conjugate(parent.rotation) * turn);
        if (bone.joint != pelvis_) continue;
        const Vector3 place = hips + rotated(pelvis.rotation, pelvis_own_);
        local[bone.joint].position = parts::to_local(parent, place);
    }
}

void BalanceRig::place_parts(std::span<const Pose> local, const Placement& at,
                             std::span<Pose> model, std::span<Placement> parts) const noexcept {
    to_model(skeleton_, local, model);
    const std::uint32_t pelvis = index_of(BodyPart::pelvis);
    const std::uint32_t torso = index_of(BodyPart::torso);
    const std::uint32_t head = index_of(BodyPart::head);
    bool has_torso = false;
    bool has_head = false;
    for (const Bone& bone : bones_) {
        if (bone.part >= parts.size()) continue;
        const Pose& joint = model[bone.joint];
        parts[bone.part].rotation = normalized(joint.rotation * conjugate(bone.turn));
        has_torso = has_torso || bone.part == torso;
        has_head = has_head || bone.part == head;
    }
    if (!has_torso) parts[torso].rotation = parts[pelvis].rotation;
    if (!has_head) parts[head].rotation = parts[torso].rotation;
    // From the pelvis outward, each where its joint holds it.
    const parts::BodyMeasures own{build_};
    const auto on = [&](std::uint32_t part, const Vector3& place) {
        return parts::to_world(parts[part], place);
    };
    const auto hang = [&](std::uint32_t part, const Vector3& from, const Vector3& joint) {
        parts[part].position = from - rotated(parts[part].rotation, joint);
    };
    const Vector3 hips = model[pelvis_].position - rotated(parts[pelvis].rotation, pelvis_own_);
    hang(pelvis, hips, {0, own.hip.y, 0});
    hang(torso, on(pelvis, {0, own.waist_y - own.pelvis.y, 0}), {0, own.waist_y - own.torso.y, 0});
    hang(head, on(torso, {0, own.neck_y - own.torso.y, 0}), {0, own.neck_y - own.head.y, 0});
    for (const std::size_t side : {0U, 1U}) {
        const std::uint32_t thigh = parts::thigh_of(side);
        const std::uint32_t shin = parts::shin_of(side);
        hang(thigh, on(pelvis, own.hip_of(side)), {0, 0.5 * own.thigh_m, 0});
        hang(shin, on(thigh, {0, -0.5 * own.thigh_m, 0}), {0, 0.5 * own.shin_m, 0});
        hang(parts::foot_of(side), on(shin, {0, -0.5 * own.shin_m, 0}), own.ankle);
        const std::uint32_t arm = parts::upper_arm_of(side);
        if (arm >= parts.size()) continue;
        const Vector3 shoulder{parts::way_of(side) * own.shoulder.x, own.shoulder.y,
                               own.shoulder.z};
        hang(arm, on(torso, shoulder), {0, 0.5 * own.upper_arm_m, 0});
        hang(parts::forearm_of(side), on(arm, {0, -0.5 * own.upper_arm_m, 0}),
             {0, 0.5 * own.forearm_m, 0});
    }
    for (Placement& each : parts)
        each = at * each;
}

}  // namespace hopcoil
