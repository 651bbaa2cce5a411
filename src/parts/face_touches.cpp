#include "face_touches.hpp"

#include <algorithm>

#include "parts_math.hpp"

namespace hopcoil::parts {
namespace {

constexpr double on_edge_m = 0.002;

/// The direction of an edge, from its corner to the next.
Vector3 side_of(const GroundFace& face, std::size_t edge) {
    return unit(face.corners[(edge + 1) % 3] - face.corners[edge], {1, 0, 0});
}

/// How far a spot lies beyond an edge of a face; below 0 inside.
double distance_past(const GroundFace& face, std::size_t edge, const Vector3& spot) {
    return dot(spot - face.corners[edge], cross(side_of(face, edge), face.normal));
}

bool is_on_outer_edge(const Vector3& spot, const GroundFace& face) {
    for (std::size_t edge = 0; edge < 3; ++edge) {
        if (face.is_outer(edge) && distance_past(face, edge, spot) > -on_edge_m) return true;
    }
    return false;
}

/// Whether a touch is one of a face: of its front, or of an edge or corner of it from which the
/// normal does not lean over a neighbour. Others belong to that neighbour.
bool is_of_face(const Vector3& normal, const Vector3& spot, const GroundFace& face) {
    constexpr double lean = 1e-3;
    const double facing = dot(normal, face.normal);
    if (facing >= 1 - 1e-6) return true;
    bool is_on_edge = false;
    for (std::size_t edge = 0; edge < 3; ++edge) {
        if (distance_past(face, edge, spot) < -on_edge_m) continue;
        is_on_edge = true;
        if (dot(normal, cross(side_of(face, edge), face.beyond[edge])) > lean) return false;
    }
    return is_on_edge && facing > -lean;
}

Vector3 least_of(const Vector3& a, const Vector3& b) {
    return {std::min(a.x, b.x), std::min(a.y, b.y), std::min(a.z, b.z)};
}
Vector3 most_of(const Vector3& a, const Vector3& b) {
    return {std::max(a.x, b.x), std::max(a.y, b.y), std::max(a.z, b.z)};
}

}  // namespace

void FaceTouches::Group::add(const TouchPoint& point) noexcept {
    if (count == points.size()) count = keep_four(all(), normal).size();
    points[count++] = point;
    least_gap = count == 1 ? point.gap : std::min(least_gap, point.gap);
}

void FaceTouches::begin(const Convex& solid, const Vector3& velocity, double margin) noexcept {
    solid_ = solid;
    velocity_ = velocity;
    margin_ = margin;
    count_ = 0;
    least_ = most_ = solid.points[0];
    for (const Vector3& point : solid.points) {
        least_ = least_of(least_, point);
        most_ = most_of(most_, point);
    }
    const double around = solid.radius + margin;
    least_ = least_ - Vector3{around, around, around};
    most_ = most_ + Vector3{around, around, around};
}

FaceChoice FaceTouches::choice() const noexcept {
    return solid_.sides == nullptr ? FaceChoice::all : FaceChoice::edged;
}

/// By the boxes around both, and along the face's normal.
bool FaceTouches::is_near(const GroundFace& face) const noexcept {
    const auto& [a, b, c] = face.corners;
    const Vector3 low = least_of(least_of(a, b), c);
    const Vector3 high = most_of(most_of(a, b), c);
    if (low.x > most_.x || low.y > most_.y || low.z > most_.z || high.x < least_.x ||
        high.y < least_.y || high.z < least_.z) {
        return false;
    }
    return std::any_of(solid_.points.begin(), solid_.points.end(), [&](const Vector3& point) {
        return dot(point - face.corners[0], face.normal) <= solid_.radius + margin_;
    });
}

/// Where there are too many, the furthest one is replaced.
FaceTouches::Group* FaceTouches::group_of(const Vector3& normal, double gap,
                                          std::uint32_t part) noexcept {
    constexpr double same = 0.995;
    const auto begin = groups_.begin();
    const auto end = begin + static_cast<std::ptrdiff_t>(count_);
    const auto found = std::find_if(begin, end, [&](const Group& group) {
        return group.part == part && dot(group.normal, normal) > same;
    });
    if (found != end) return &*found;
    Group* group = nullptr;
    if (count_ < groups_.size()) {
        group = &groups_[count_++];
    } else {
        group = &*std::max_element(
            begin, end, [](const Group& a, const Group& b) { return a.least_gap < b.least_gap; });
        if (group->least_gap <= gap) return nullptr;
    }
    group->normal = normal;
    group->part = part;
    group->count = 0;
    return group;
}

void FaceTouches::visit(const GroundFace& face) noexcept {
    if (!is_near(face)) return;
    sides_.normals[0] = face.normal;
    for (std::size_t edge = 0; edge < 3; ++edge)
        sides_.edges[edge] = side_of(face, edge);
    const Touch touch = touch_of(solid_, {face.corners, &sides_, {}, 0}, margin_, velocity_);
    for (const TouchPoint& point : std::span{touch.points}.first(touch.count)) {
        const bool is_held_by_height =
            solid_.sides != nullptr && !face.is_steep() && !is_on_outer_edge(point.on_b, face);
        if (is_held_by_height || !is_of_face(touch.normal, point.on_b, face)) continue;
        if (Group* const group = group_of(touch.normal, point.gap, face.part); group != nullptr)
            group->add(point);
    }
}

}  // namespace hopcoil::parts
