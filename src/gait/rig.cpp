#include <algorithm>
#include <array>
#include <utility>

#include <hopcoil/base/components.hpp>
#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/gait/leg_ik.hpp>
#include <hopcoil/gait/rig.hpp>

#include "../base/vectors.hpp"

namespace hopcoil {
namespace {

Vector3 across(const Vector3& v, const Vector3& direction) noexcept {
    return v - direction * dot(v, direction);
}

/// The rotation that takes one direction to another, and a second one, across the first, to a
/// fourth.
Quaternion turn_of(const Vector3& from, const Vector3& beside, const Vector3& to,
                   const Vector3& beside_then) noexcept {
    const Vector3 axis = cross(from, to);
    const double sine = length_of(axis);
    const Vector3 about = sine > 1e-12 ? axis * (1 / sine) : beside;
    const Quaternion first = turned_by(about * math::atan2(sine, dot(from, to)));
    const Vector3 now = rotated(first, beside);
    const double off = math::atan2(dot(cross(now, beside_then), to), dot(now, beside_then));
    return turned_by(to * off) * first;
}

Pose child_of(const Pose& parent, const Pose& local) noexcept {
    const Vector3& s = parent.scale;
    const Vector3 at{s.x * local.position.x, s.y * local.position.y, s.z * local.position.z};
    return {parent.position + rotated(parent.rotation, at),
            normalized(parent.rotation * local.rotation),
            {s.x * local.scale.x, s.y * local.scale.y, s.z * local.scale.z}};
}

}  // namespace

std::size_t Skeleton::find(const std::string& name) const {
    for (std::size_t i = 0; i < joints.size(); ++i) {
        if (joints[i].name == name) return i;
    }
    throw InvalidValue{name.empty() ? "joint" : name, static_cast<double>(joints.size()),
                       "the name of a joint of the skeleton"};
}

void to_model(const Skeleton& skeleton, std::span<const Pose> local,
              std::span<Pose> model) noexcept {
    for (std::size_t i = 0; i < skeleton.joints.size(); ++i) {
        const std::size_t parent = skeleton.joints[i].parent;
        model[i] = parent == i ? local[i] : child_of(model[parent], local[i]);
    }
}

Rig::Rig(Skeleton skeleton, const std::vector<LegNames>& legs) : skeleton_{std::move(skeleton)} {
    const std::vector<Joint>& joints = skeleton_.joints;
    std::vector<Pose> local;
    for (std::size_t i = 0; i < joints.size(); ++i) {
        if (joints[i].parent > i) {
            throw InvalidValue{joints[i].name, static_cast<double>(joints[i].parent),
                               "a parent that comes before it"};
        }
        local.push_back(joints[i].rest);
    }
    rest_.resize(joints.size());
    to_model(skeleton_, local, rest_);
    if (legs.empty() || legs.size() > WalkerSettings::most_legs)
        throw InvalidValue{"legs", static_cast<double>(legs.size()), "1 to 16"};
    for (const LegNames& names : legs)
        read_leg(names);
    sort_legs();
    derive_settings();
}

void Rig::read_leg(const LegNames& names) {
    Leg leg;
    const std::array chain{&names.hip, &names.knee, &names.ankle};
    for (std::size_t k = 0; k < chain.size(); ++k) {
        leg.joints.at(k) = skeleton_.find(*chain.at(k));
        if (k == 0) continue;
        const std::size_t parent = skeleton_.joints[leg.joints.at(k)].parent;
        if (parent != leg.joints.at(k - 1)) {
            throw InvalidValue{*chain.at(k), static_cast<double>(parent),
                               "a child of '" + *chain.at(k - 1) + "'"};
        }
    }
    const Vector3 hip = rest_[leg.joints[0]].position;
    const Vector3 knee = rest_[leg.joints[1]].position;
    const Vector3 ankle = rest_[leg.joints[2]].position;
    leg.thigh_m = length_of(knee - hip);
    leg.shin_m = length_of(ankle - knee);
    if (!(leg.thigh_m > 1e-9)) throw InvalidValue{names.knee, leg.thigh_m, "a bone with a length"};
    if (!(leg.shin_m > 1e-9)) throw InvalidValue{names.ankle, leg.shin_m, "a bone with a length"};
    leg.spot = ankle;
    Vector3 ahead{0, 0, 1};
    if (!names.toe.empty()) {
        leg.toe = skeleton_.find(names.toe);
        const Vector3 toe = rest_[leg.toe].position;
        leg.spot.y = std::min(ankle.y, toe.y);
        const Vector3 way{toe.x - ankle.x, 0, toe.z - ankle.z};
        leg.toe_m = length_of(way);
        ahead = unit(way, ahead);
    }
    // A straight leg bends in the direction of its foot.
    const Vector3 way = unit(ankle - hip, {0, -1, 0});
    const Vector3 bend = across(knee - hip, way);
    const bool is_bent = length_of(bend) > 0.01 * (leg.thigh_m + leg.shin_m);
    leg.pole = unit(is_bent ? bend : across(ahead, way), {0, 0, 1});
    sole_y_ = legs_.empty() ? leg.spot.y : std::min(sole_y_, leg.spot.y);
    legs_.push_back(leg);
}

/// Left and right alternating, from the front to the rear, as far as there are as many of both.
void Rig::sort_legs() {
    std::array<std::vector<Leg>, 2> sides;
    for (const Leg& leg : legs_)
        sides.at(rest_[leg.joints[0]].position.x >= middle_.x ? 0 : 1).push_back(leg);
    const auto hip_z = [&](const Leg& leg) {
        return rest_[leg.joints[0]].position.z;
    };
    for (std::vector<Leg>& side : sides) {
        std::stable_sort(side.begin(), side.end(),
                         [&](const Leg& a, const Leg& b) { return hip_z(a) > hip_z(b); });
    }
    legs_.clear();
    for (std::size_t row = 0; row < std::max(sides[0].size(), sides[1].size()); ++row) {
        for (const std::vector<Leg>& side : sides) {
            if (row < side.size()) legs_.push_back(side[row]);
        }
    }
}

void Rig::derive_settings() {
    const std::size_t count = legs_.size();
    double length = 1e300;
    double thigh_part = 0;
    for (Leg& leg : legs_) {
        const Vector3 hip = rest_[leg.joints[0]].position;
        middle_ = middle_ + hip * (1 / static_cast<double>(count));
        leg.ankle_m = std::max(0.0, rest_[leg.joints[2]].position.y - sole_y_);
        length = std::min(length, leg.thigh_m + leg.shin_m + 0.85 * leg.ankle_m);
        thigh_part += leg.thigh_m / (leg.thigh_m + leg.shin_m) / static_cast<double>(count);
    }
    settings_ = walker_with(count + count % 2, length);
    settings_.leg_count = count;
    settings_.thigh_part = std::clamp(thigh_part, 0.1, 0.9);
    const double stands = std::clamp((middle_.y - sole_y_) / length, 0.35, 0.95);
    if (stands < settings_.standing_height) {
        const double rises = settings_.upright_height - settings_.standing_height;
        settings_.lowest_height -= settings_.standing_height - stands;
        settings_.lowest_height = std::max(0.3, settings_.lowest_height);
        settings_.standing_height = stands;
        settings_.upright_height = stands + rises;
    }
    for (std::size_t i = 0; i < count; ++i) {
        const Vector3 hip = rest_[legs_[i].joints[0]].position - middle_;
        const Vector3 spot = rest_[legs_[i].joints[2]].position - middle_;
        WalkerLeg& leg = settings_.legs[i];
        leg.hip = {hip.x, 0, hip.z};
        leg.neutral = {spot.x, 0, spot.z};
        leg.pole = legs_[i].pole;
        leg.group = static_cast<std::uint32_t>((i / 2 + i) % 2);
    }
    // A spot that the leg cannot reach while standing is moved nearer to the hip.
    const double reach = 0.8 * limits_of(settings_).soft_reach_m;
    for (std::size_t i = 0; i < count; ++i) {
        WalkerLeg& leg = settings_.legs[i];
        const Vector3 off = leg.neutral - leg.hip;
        const double away = length_of(off);
        if (away > reach) leg.neutral = leg.hip + off * (reach / away);
    }
    require_valid(settings_);
}

Pose Rig::in_model(std::size_t joint, std::span<const Pose> local) const noexcept {
    Pose pose = local[joint];
    while (skeleton_.joints[joint].parent != joint) {
        joint = skeleton_.joints[joint].parent;
        pose = child_of(local[joint], pose);
    }
    return pose;
}

double Rig::pose(const Walker& walker, std::span<const Pose> base,
                 std::span<Pose> local) const noexcept {
    const std::vector<Joint>& joints = skeleton_.joints;
    const Quaternion turn = walker.rotation();
    const Vector3 place = walker.position();
    for (std::size_t i = 0; i < joints.size(); ++i) {
        local[i] = base.empty() ? joints[i].rest : base[i];
        if (joints[i].parent != i) continue;
        local[i].position = place + rotated(turn, local[i].position - middle_);
        local[i].rotation = normalized(turn * local[i].rotation);
    }
    double worst = 0;
    for (std::size_t i = 0; i < legs_.size(); ++i)
        worst = std::max(worst, pose_leg(i, walker, local));
    return worst;
}

/// The toe stays flat on the ground while the heel rises, and straightens in the air.
void Rig::flatten_toe(const Leg& leg, const WalkerFoot& foot,
                      std::span<Pose> local) const noexcept {
    if (leg.toe == no_joint || skeleton_.joints[leg.toe].parent != leg.joints[2]) return;
    constexpr double straight_at = 0.25;  // of the swing
    const double share = foot.planted ? 1 : std::max(0.0, 1 - foot.phase / straight_at);
    const double bend = share * std::max(0.0, foot.pitch_rad);
    if (bend == 0) return;
    const Quaternion rest = rest_[leg.joints[2]].rotation;
    const Quaternion back = conjugate(rest) * turned_by({-bend, 0, 0}) * rest;
    local[leg.toe].rotation = normalized(back * local[leg.toe].rotation);
}

double Rig::pose_leg(std::size_t index, const Walker& walker,
                     std::span<Pose> local) const noexcept {
    const Leg& leg = legs_[index];
    const WalkerFoot& foot = walker.feet()[index];
    const auto [hip, knee, ankle] = leg.joints;
    const std::size_t above = skeleton_.joints[hip].parent;
    const Pose at = in_model(hip, local);
    const Vector3 rest_hip = rest_[hip].position;
    const Vector3 rest_knee = rest_[knee].position;
    const Vector3 rest_ankle = rest_[ankle].position;
    const double r = settings_.foot_radius_m;
    const double heel_m = WalkerSole::heel_part * r;
    const double toe_m = leg.toe == no_joint ? WalkerSole::toe_part * r : leg.toe_m;
    const WalkerSole rolled = rolled_sole(foot, heel_m, toe_m);
    const Vector3 spot = rolled.heel + rolled.forward * heel_m + rolled.normal * leg.ankle_m;
    const Vector3 pole = rotated(walker.rotation(), leg.pole);
    const TwoBonePose bent = bend_two_bones(at.position, spot, pole, leg.thigh_m, leg.shin_m);
    // One plane for both bones, at rest and now.
    const Vector3 rest_side = unit(cross(rest_ankle - rest_hip, leg.pole), {1, 0, 0});
    const Vector3 side =
        unit(cross(bent.ankle - at.position, pole), rotated(walker.rotation(), rest_side));
    const auto turned = [&](const Vector3& bone, const Vector3& now) {
        const Vector3 from = unit(bone, {0, -1, 0});
        const Vector3 to = unit(now, {0, -1, 0});
        return turn_of(from, unit(across(rest_side, from), {1, 0, 0}), to,
                       unit(across(side, to), {1, 0, 0}));
    };
    const Quaternion thigh =
        turned(rest_knee - rest_hip, bent.knee - at.position) * rest_[hip].rotation;
    const Quaternion shin =
        turned(rest_ankle - rest_knee, bent.ankle - bent.knee) * rest_[knee].rotation;
    const Quaternion sole =
        turn_of({0, 1, 0}, {0, 0, 1}, rolled.normal, rolled.forward) * rest_[ankle].rotation;
    const Quaternion parent = above == hip ? Quaternion{} : in_model(above, local).rotation;
    local[hip].rotation = normalized(conjugate(parent) * thigh);
    local[knee].rotation = normalized(conjugate(thigh) * shin);
    local[ankle].rotation = normalized(conjugate(shin) * sole);
    flatten_toe(leg, foot, local);
    return bent.error_m;
}

}  // namespace hopcoil
