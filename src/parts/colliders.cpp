#include "colliders.hpp"

#include <algorithm>
#include <array>

namespace hopcoil::parts {
namespace {

std::vector<Vector3> extruded(std::span<const Vector3> outline, double half) {
    std::vector<Vector3> points;
    points.reserve(2 * outline.size());
    for (const Vector3& corner : outline)
        points.push_back({corner.x, corner.y, half});
    for (const Vector3& corner : outline)
        points.push_back({corner.x, corner.y, -half});
    return points;
}

std::array<Vector3, 4> rectangle(double x, double y) {
    return {{{-x, -y, 0}, {x, -y, 0}, {x, y, 0}, {-x, y, 0}}};
}

/// Made before the first step: it allocates.
const Polytope& box_sides() {
    static const Polytope sides = prism(rectangle(1, 1));
    return sides;
}

std::uint64_t both(std::uint32_t a, std::uint32_t b) {
    return (std::uint64_t{std::min(a, b)} << 32) | std::max(a, b);
}

}  // namespace

Colliders::Colliders(const PartsStructure& structure, std::span<const Body> bodies) {
    for (std::uint32_t i = 0; i < structure.parts.size(); ++i) {
        for (const PartShape& shape : structure.parts[i].shapes) {
            if (shape.is_solid) add(i, shape, bodies[i]);
        }
    }
    std::size_t first = 0;
    for (Collider& each : all_) {
        each.first = first;
        first += each.points.size();
    }
    points_.resize(first);
    boxes_.resize(all_.size());
    static_cast<void>(box_sides());
    pairs_.resize(16 * all_.size() + 64);
    for (const PartJoint& joint : structure.joints) {
        if (joint.a != no_part && !joint.lets_touch) joined_.push_back(both(joint.a, joint.b));
    }
    std::sort(joined_.begin(), joined_.end());
    no_contact_groups_.reserve(structure.parts.size());
    for (const Part& part : structure.parts)
        no_contact_groups_.push_back(part.no_contact_group);
}

void Colliders::add(std::uint32_t body, const PartShape& shape, const Body& at) {
    using Type = PartShape::Type;
    const Placement own =
        inverse(at.own) * Placement{shape.placement.position, normalized(shape.placement.rotation)};
    const auto push = [&](std::vector<Vector3> points, const Polytope& sides, double radius) {
        for (Vector3& point : points)
            point = to_world(own, point);
        all_.push_back({body, std::move(points), sides, own.rotation, radius, 0});
    };
    const Vector3& half = shape.half_size_m;
    if (shape.type == Type::sphere) push({{}}, {}, shape.radius_m);
    if (shape.type == Type::capsule) push({{0, -half.y, 0}, {0, half.y, 0}}, {}, shape.radius_m);
    if (shape.type == Type::box) {
        const auto outline = rectangle(half.x, half.y);
        push(extruded(outline, half.z), prism(outline), 0);
    }
    if (shape.type == Type::outline) {
        for (const std::vector<Vector3>& piece : convex_pieces(shape.outline))
            push(extruded(piece, half.z), prism(piece), 0);
    }
}

bool Colliders::are_joined(std::uint32_t a, std::uint32_t b) const noexcept {
    const std::uint32_t group = no_contact_groups_[a];
    const bool are_of_a_group = group != 0 && group == no_contact_groups_[b];
    return a == b || are_of_a_group ||
           std::binary_search(joined_.begin(), joined_.end(), both(a, b));
}

void Colliders::find_pairs(std::span<const Body> bodies, double seconds) noexcept {
    place(bodies);
    for (std::uint32_t i = 0; i < all_.size(); ++i) {
        const Body& body = bodies[all_[i].body];
        const double way =
            (norm(body.velocity) + body.radius * norm(body.angular_velocity())) * seconds;
        const double margin = all_[i].radius + way + 0.02;
        Box box{points_[all_[i].first], points_[all_[i].first], i};
        for (std::size_t k = 1; k < all_[i].points.size(); ++k) {
            const Vector3& point = points_[all_[i].first + k];
            box.least = {std::min(box.least.x, point.x), std::min(box.least.y, point.y),
                         std::min(box.least.z, point.z)};
            box.most = {std::max(box.most.x, point.x), std::max(box.most.y, point.y),
                        std::max(box.most.z, point.z)};
        }
        box.least = box.least - Vector3{margin, margin, margin};
        box.most = box.most + Vector3{margin, margin, margin};
        boxes_[i] = box;
    }
    std::sort(boxes_.begin(), boxes_.end(), [](const Box& a, const Box& b) {
        return a.least.x != b.least.x ? a.least.x < b.least.x : a.collider < b.collider;
    });
    std::size_t count = 0;
    for (std::size_t i = 0; i < boxes_.size(); ++i) {
        for (std::size_t j = i + 1; j < boxes_.size(); ++j) {
            const Box& a = boxes_[i];
            const Box& b = boxes_[j];
            if (b.least.x > a.most.x) break;
            const bool apart = b.least.y > a.most.y || a.least.y > b.most.y ||
                               b.least.z > a.most.z || a.least.z > b.most.z;
            if (apart || are_joined(all_[a.collider].body, all_[b.collider].body)) continue;
            const bool can_move = bodies[all_[a.collider].body].inverse_mass > 0 ||
                                  bodies[all_[b.collider].body].inverse_mass > 0;
            if (!can_move || count == pairs_.size()) continue;
            pairs_[count++] = {std::min(a.collider, b.collider), std::max(a.collider, b.collider)};
        }
    }
    const std::span<ColliderPair> found{pairs_.data(), count};
    std::sort(found.begin(), found.end(), [](const ColliderPair& a, const ColliderPair& b) {
        return a.a != b.a ? a.a < b.a : a.b < b.b;
    });
    pair_count_ = count;
}

void Colliders::place(std::span<const Body> bodies) noexcept {
    for (const Collider& each : all_) {
        const Body& body = bodies[each.body];
        const Axes axes = axes_of(body.rotation);
        for (std::size_t k = 0; k < each.points.size(); ++k)
            points_[each.first + k] = body.position + along(axes, each.points[k]);
    }
}

Convex Colliders::convex(std::size_t index, std::span<const Body> bodies) const noexcept {
    const Collider& one = all_[index];
    const bool has_sides = !one.sides.faces.empty();
    return {{&points_[one.first], one.points.size()},
            has_sides ? &one.sides : nullptr,
            has_sides ? axes_of(bodies[one.body].rotation * one.turn) : Axes{},
            one.radius};
}

ShapeSolid solid_of(const ContactShape& shape) noexcept {
    ShapeSolid solid;
    solid.axes = axes_of(normalized(shape.rotation));
    solid.radius = shape.radius_m;
    const Vector3& half = shape.half_size_m;
    const auto add = [&](const Vector3& local) {
        solid.points[solid.count++] = shape.position + along(solid.axes, local);
    };
    switch (shape.type) {
        case ContactShape::Type::plane:
            break;
        case ContactShape::Type::sphere:
            add({});
            break;
        case ContactShape::Type::capsule:
            add({0, -half.y, 0});
            add({0, half.y, 0});
            break;
        case ContactShape::Type::box:
            solid.is_box = true;
            for (const double z : {half.z, -half.z}) {
                for (const Vector3& corner : rectangle(half.x, half.y))
                    add({corner.x, corner.y, z});
            }
            break;
    }
    return solid;
}

Convex convex_of(const ShapeSolid& solid) noexcept {
    return {{solid.points.data(), solid.count},
            solid.is_box ? &box_sides() : nullptr,
            solid.axes,
            solid.radius};
}

}  // namespace hopcoil::parts
