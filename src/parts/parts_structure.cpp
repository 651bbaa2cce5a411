#include <array>
#include <cmath>
#include <stdexcept>
#include <string>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/parts/parts_structure.hpp>

#include "parts_math.hpp"

namespace hopcoil {
namespace {

void require_vector(std::string_view name, const Vector3& v) {
    for (const double number : {v.x, v.y, v.z})
        require_finite(name, number);
}

void require_placement(std::string_view name, const Placement& placement) {
    require_vector(name, placement.position);
    const Quaternion& q = placement.rotation;
    for (const double number : {q.w, q.x, q.y, q.z})
        require_finite(name, number);
    if (!(length_of(q) > 0.1)) throw InvalidValue{name, length_of(q), "a rotation"};
}

void require_part(const PartsStructure& structure, std::uint32_t part, bool may_be_world) {
    if (part < structure.parts.size() || (may_be_world && part == no_part)) return;
    throw std::out_of_range{"part " + std::to_string(part) + ": there are " +
                            std::to_string(structure.parts.size())};
}

void require_two(const PartsStructure& structure, std::uint32_t a, std::uint32_t b) {
    require_part(structure, a, true);
    require_part(structure, b, false);
    if (a == b) throw std::out_of_range{"part " + std::to_string(a) + ": two ends in one part"};
}

void require_valid(const PartLink& link) {
    require_vector("point_a", link.point_a);
    require_vector("point_b", link.point_b);
    require_at_least_zero("longest_m", link.longest_m);
    require_between("shortest_m", link.shortest_m, 0, link.longest_m);
    require_at_least_zero("stiffness_n_per_m", link.stiffness_n_per_m);
    require_at_least_zero("damping_n_s_per_m", link.damping_n_s_per_m);
}

Vector3 centre_of(const Part& part) {
    const Placement place{part.placement.position, normalized(part.placement.rotation)};
    if (part.given.mass_kg > 0) return parts::to_world(place, part.given.centre);
    if (part.shapes.empty()) return place.position;
    return parts::to_world(place, mass_properties(part.shapes).centre);
}

}  // namespace

void require_valid(const Part& part) {
    require_placement("placement", part.placement);
    for (const PartShape& shape : part.shapes)
        require_valid(shape);
    require_at_least_zero("mass_kg", part.mass_kg);
    require_at_least_zero("drag_per_s", part.drag_per_s);
    require_at_least_zero("turning_drag_per_s", part.turning_drag_per_s);
    require_at_least_zero("friction", part.friction);
    require_at_least_zero("rolling_m", part.rolling_m);
    if (!(part.restitution >= 0 && part.restitution <= 1))
        throw InvalidValue{"restitution", part.restitution, "0 to 1"};
    if (part.is_driven) return;
    if (!(part.given.mass_kg > 0)) {
        if (part.shapes.empty()) throw InvalidValue{"mass_kg", part.mass_kg, "shapes"};
        return;
    }
    require_finite("given", part.given.mass_kg);
    require_placement("given", {part.given.centre, part.given.axes});
    for (const double inertia : {part.given.inertia.x, part.given.inertia.y, part.given.inertia.z})
        require_above_zero("inertia_kg_m2", inertia);
}

void require_valid(const PartJoint& joint) {
    require_placement("frame", joint.frame);
    require_finite("lowest", joint.lowest);
    require_finite("highest", joint.highest);
    if (!(joint.lowest <= joint.highest)) {
        throw InvalidValue{"lowest", joint.lowest,
                           "a number of at most " + shortest(joint.highest)};
    }
    require_at_least_zero("most_lean_rad", joint.most_lean_rad);
    require_at_least_zero("most_twist_rad", joint.most_twist_rad);
    require_valid(joint.spring);
}

void require_valid(const JointSpring& spring) {
    require_at_least_zero("stiffness", spring.stiffness);
    require_at_least_zero("damping", spring.damping);
    require_finite("wanted", spring.wanted);
    require_vector("wanted_rad", spring.wanted_rad);
    require_finite("wanted_rate", spring.wanted_rate);
    require_at_least_zero("most", spring.most);
}

bool is_valid(const JointSpring& spring) noexcept {
    return passes_require_valid(spring);
}

std::span<const Dial<JointSpring>> JointSpring::dials() noexcept {
    static constexpr std::array<Dial<JointSpring>, JointSpring::dial_count> all{
        field_dial<&JointSpring::stiffness>(
            Dial<JointSpring>{"stiffness", "", {0, unbounded}, {0.1, 1e5}, DialScale::logarithmic}),
        field_dial<&JointSpring::damping>(
            Dial<JointSpring>{"damping", "", {0, unbounded}, {0.001, 1e3}, DialScale::logarithmic}),
        field_dial<&JointSpring::wanted>(
            Dial<JointSpring>{"wanted", "", {-unbounded, unbounded}, {-2, 2}}),
        field_dial<&JointSpring::wanted_rate>(
            Dial<JointSpring>{"wanted_rate", "", {-unbounded, unbounded}, {-10, 10}}),
        field_dial<&JointSpring::most>(
            Dial<JointSpring>{"most", "", {0, unbounded}, {0.1, 1e4}, DialScale::logarithmic}),
    };
    return all;
}

void require_valid(const PartsStructure& structure) {
    for (const Part& part : structure.parts)
        require_valid(part);
    for (const PartJoint& joint : structure.joints) {
        require_two(structure, joint.a, joint.b);
        require_valid(joint);
    }
    for (const PartLink& link : structure.links) {
        require_two(structure, link.a, link.b);
        require_valid(link);
    }
}

std::uint32_t PartsStructure::add(const Part& part) {
    parts.push_back(part);
    return static_cast<std::uint32_t>(parts.size() - 1);
}

std::size_t PartsStructure::link(std::uint32_t a, const Vector3& point_a, std::uint32_t b,
                                 const Vector3& point_b, double stiffness_n_per_m,
                                 double damping_n_s_per_m) {
    require_two(*this, a, b);
    const Vector3 end_a =
        a == no_part ? point_a : hopcoil::parts::to_world(parts[a].placement, point_a);
    const Vector3 end_b = hopcoil::parts::to_world(parts[b].placement, point_b);
    const double length = hopcoil::norm(end_b - end_a);
    links.push_back({a, b, point_a, point_b, length, length, stiffness_n_per_m, damping_n_s_per_m});
    return links.size() - 1;
}

std::vector<PartJoint> row_of_hinges(const PartsStructure& structure,
                                     std::span<const std::uint32_t> row, const Vector3& axis) {
    const double length = norm(axis);
    if (!(length > 1e-12 && std::isfinite(length)))
        throw InvalidValue{"axis", length, "an axis of some length"};
    const Vector3 x = axis * (1 / length);
    const Quaternion onto = facing(x, {1, 0, 0}, {0, 1, 0});
    std::vector<PartJoint> joints;
    for (std::size_t i = 0; i + 1 < row.size(); ++i) {
        require_two(structure, row[i], row[i + 1]);
        require_part(structure, row[i], false);
        const Vector3 middle =
            (centre_of(structure.parts[row[i]]) + centre_of(structure.parts[row[i + 1]])) * 0.5;
        joints.push_back({.a = row[i], .b = row[i + 1], .frame = {middle, onto}});
    }
    return joints;
}

}  // namespace hopcoil
