#include "joint_limits.hpp"

#include <algorithm>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/quaternion.hpp>

#include "jointed.hpp"

namespace hopcoil::scene {
namespace {

constexpr std::size_t needle = limit_points - 1;

bool is_limited(const PartJoint& joint) {
    switch (joint.type) {
        case PartJoint::Type::hinge:
            return joint.lowest > -math::pi || joint.highest < math::pi;
        case PartJoint::Type::slide:
            return joint.lowest > -1e8 && joint.highest < 1e8;
        case PartJoint::Type::ball:
            return joint.most_lean_rad < math::pi;
        case PartJoint::Type::fixed:
            break;
    }
    return false;
}

/// How a part has turned since the start.
Quaternion turned_since(const PartsStructure& structure, std::span<const Placement> places,
                        std::uint32_t part) {
    if (part == no_part) return {};
    return places[part].rotation * conjugate(normalized(structure.parts[part].placement.rotation));
}

/// The joint at the start: its axis, where its other part lies, and how far away.
struct LimitFrame {
    Vector3 axis{};
    Vector3 ahead{};
    Vector3 aside{};
    double reach_m = 0.0;
};

LimitFrame frame_of(const PartsStructure& structure, const PartJoint& joint) {
    const Quaternion turn = normalized(joint.frame.rotation);
    LimitFrame frame{.axis = rotated(turn, {1, 0, 0})};
    const Vector3 way = structure.parts[joint.b].placement.position - joint.frame.position;
    const Vector3 across = way - frame.axis * dot(way, frame.axis);
    const double far = math::sqrt(dot(across, across));
    frame.ahead = far > 1e-9 ? across * (1 / far) : rotated(turn, {0, 1, 0});
    frame.aside = cross(frame.axis, frame.ahead);
    constexpr double least_m = 0.05;
    frame.reach_m = std::max(least_m, 0.7 * math::sqrt(dot(way, way)));
    return frame;
}

/// `part` of the way from the lowest to the highest angle, or round a cone's rim.
Vector3 on_limit(const LimitFrame& frame, const PartJoint& joint, double part) {
    if (joint.type == PartJoint::Type::hinge) {
        const double low = std::max(joint.lowest, -math::pi);
        const double high = std::min(joint.highest, math::pi);
        const double angle = low + (high - low) * part;
        return frame.ahead * math::cos(angle) + frame.aside * math::sin(angle);
    }
    const double round = 2 * math::pi * part;
    return frame.axis * math::cos(joint.most_lean_rad) +
           (frame.ahead * math::cos(round) + frame.aside * math::sin(round)) *
               math::sin(joint.most_lean_rad);
}

/// Which point of the same joint a point is drawn from: itself, where a line begins.
std::size_t limit_parent(const PartJoint& joint, std::size_t index) {
    if (index == 0) return 0;
    if (index == needle) return joint.type == PartJoint::Type::slide ? needle : 0;
    const bool begins = index == 1 && joint.type == PartJoint::Type::ball;
    return begins ? 1 : index - 1;
}

}  // namespace

std::vector<std::size_t> limited_joints(const PartsStructure& structure) {
    std::vector<std::size_t> limited;
    for (std::size_t i = 0; i < structure.joints.size(); ++i)
        if (is_limited(structure.joints[i])) limited.push_back(i);
    return limited;
}

Vector3 limit_point(const PartsStructure& structure, std::span<const Placement> places,
                    std::size_t joint, std::size_t index) {
    const PartJoint& one = structure.joints[joint];
    const LimitFrame frame = frame_of(structure, one);
    const Vector3 place = joint_place(structure, places, joint);
    const Quaternion of_a = turned_since(structure, places, one.a);
    if (one.type == PartJoint::Type::slide) {
        // The way lies where a is; the needle is where the joint is on it.
        if (index == needle) return place;
        const Vector3 start =
            one.a == no_part
                ? one.frame.position
                : places[one.a].position +
                      rotated(of_a, one.frame.position - structure.parts[one.a].placement.position);
        const double part = static_cast<double>(index) / static_cast<double>(needle - 1);
        return start + rotated(of_a, frame.axis * (one.lowest + (one.highest - one.lowest) * part));
    }
    const bool is_hinge = one.type == PartJoint::Type::hinge;
    if (index == needle) {
        const Vector3 now =
            rotated(turned_since(structure, places, one.b), is_hinge ? frame.ahead : frame.axis);
        return place + now * frame.reach_m;
    }
    if (index == 0 || (is_hinge && index == needle - 1)) return place;
    const auto last = static_cast<double>(is_hinge ? needle - 2 : needle - 1);
    const double part = (static_cast<double>(index) - 1) / (last - 1);
    return place + rotated(of_a, on_limit(frame, one, part)) * frame.reach_m;
}

View view_of_limits(const PartsStructure& structure, std::span<const std::size_t> limited,
                    std::size_t port, double order) {
    constexpr double thickness_m = 0.003;
    View view{.type = View::Type::branches, .name = "limits", .position = port, .is_aid = true};
    view.colours = {{0.75, 0.45, 0.1}};
    view.look.order = order;
    view.parents.reserve(limit_points * limited.size());
    for (const std::size_t joint : limited) {
        const std::size_t first = view.parents.size();
        for (std::size_t k = 0; k < limit_points; ++k)
            view.parents.push_back(first + limit_parent(structure.joints[joint], k));
    }
    view.radius_m.resize(view.parents.size(), thickness_m);
    return view;
}

}  // namespace hopcoil::scene
