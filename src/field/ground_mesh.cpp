#include <algorithm>
#include <cmath>
#include <map>

#include <hopcoil/base/components.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/field/ground_mesh.hpp>

namespace hopcoil {
namespace {

constexpr std::size_t leaf_size = 4;

/// From a place to another.
using EdgePlaces = std::array<double, 6>;

EdgePlaces places_of(const Vector3& from, const Vector3& to) {
    return {from.x, from.y, from.z, to.x, to.y, to.z};
}

double square_to_box(const Vector3& place, const Vector3& low, const Vector3& high) {
    const Vector3 inside{std::clamp(place.x, low.x, high.x), std::clamp(place.y, low.y, high.y),
                         std::clamp(place.z, low.z, high.z)};
    const Vector3 way = place - inside;
    return dot(way, way);
}

}  // namespace

GroundMesh::GroundMesh(std::vector<Vector3> corners,
                       std::vector<std::array<std::uint32_t, 3>> triangles)
    : corners_{std::move(corners)}, triangles_{std::move(triangles)} {
    for (const Vector3& corner : corners_) {
        require_finite("corners", corner.x);
        require_finite("corners", corner.y);
        require_finite("corners", corner.z);
    }
    for (const auto& triangle : triangles_) {
        for (const std::uint32_t index : triangle) {
            if (index < corners_.size()) continue;
            throw InvalidValue{"triangles", static_cast<double>(index), "the index of a corner"};
        }
    }
    if (!triangles_.empty()) build(0, triangles_.size());
    normals_.reserve(triangles_.size());
    for (const auto& [a, b, c] : triangles_) {
        const Vector3 out = cross(corners_[b] - corners_[a], corners_[c] - corners_[a]);
        const double length = length_of(out);
        normals_.push_back(length > 0 ? out * (1 / length) : Vector3{});
    }
    find_neighbours();
}

GroundMesh::Node GroundMesh::bounds_of(std::size_t first, std::size_t count) const noexcept {
    const Vector3& start = corners_[triangles_[first][0]];
    Node node{start, start, static_cast<std::uint32_t>(first), static_cast<std::uint32_t>(count)};
    for (std::size_t i = first; i < first + count; ++i) {
        for (const std::uint32_t index : triangles_[i]) {
            const Vector3& corner = corners_[index];
            node.low = {std::min(node.low.x, corner.x), std::min(node.low.y, corner.y),
                        std::min(node.low.z, corner.z)};
            node.high = {std::max(node.high.x, corner.x), std::max(node.high.y, corner.y),
                         std::max(node.high.z, corner.z)};
        }
    }
    return node;
}

/// Divided at the median along the longer side; the first half's node follows.
void GroundMesh::build(std::size_t first, std::size_t count) {
    const std::size_t here = nodes_.size();
    nodes_.push_back(bounds_of(first, count));
    if (count <= leaf_size) return;
    const Node& box = nodes_[here];
    const bool along_x = box.high.x - box.low.x > box.high.z - box.low.z;
    const auto middle_of = [&](const std::array<std::uint32_t, 3>& triangle) {
        double sum = 0;
        for (const std::uint32_t index : triangle)
            sum += along_x ? corners_[index].x : corners_[index].z;
        return sum;
    };
    const auto begin = triangles_.begin() + static_cast<std::ptrdiff_t>(first);
    const auto half = static_cast<std::ptrdiff_t>(count / 2);
    std::nth_element(begin, begin + half, begin + static_cast<std::ptrdiff_t>(count),
                     [&](const auto& a, const auto& b) { return middle_of(a) < middle_of(b); });
    build(first, count / 2);
    nodes_[here].first = static_cast<std::uint32_t>(nodes_.size());
    nodes_[here].count = 0;
    build(first + count / 2, count - count / 2);
}

void GroundMesh::find_neighbours() {
    std::map<EdgePlaces, Vector3> third_corners;  // of the triangle along an edge
    for (const auto& corner : triangles_) {
        for (std::size_t edge = 0; edge < 3; ++edge) {
            third_corners.insert_or_assign(
                places_of(corners_[corner[edge]], corners_[corner[(edge + 1) % 3]]),
                corners_[corner[(edge + 2) % 3]]);
        }
    }
    beyond_.resize(triangles_.size());
    for (std::size_t i = 0; i < triangles_.size(); ++i) {
        const GroundFace own = face(i);
        for (std::size_t edge = 0; edge < 3; ++edge) {
            const auto other =
                third_corners.find(places_of(own.corners[(edge + 1) % 3], own.corners[edge]));
            if (other != third_corners.end())
                beyond_[i][edge] = normal_beyond(own, edge, other->second);
        }
    }
}

GroundFace GroundMesh::face(std::size_t triangle) const noexcept {
    const auto& [a, b, c] = triangles_[triangle];
    return {.corners = {corners_[a], corners_[b], corners_[c]},
            .normal = normals_[triangle],
            .beyond = beyond_[triangle]};
}

template <class Holds, class Visit>
void GroundMesh::for_each_in(const Holds& holds, const Visit& visit) const noexcept {
    std::array<std::uint32_t, 64> waiting{};
    std::size_t count = 0;
    if (!nodes_.empty()) waiting[count++] = 0;
    while (count > 0) {
        const std::uint32_t at = waiting[--count];
        const Node& node = nodes_[at];
        if (!holds(node)) continue;
        if (node.count == 0) {
            waiting[count++] = at + 1;
            waiting[count++] = node.first;
            continue;
        }
        for (std::size_t i = node.first; i < node.first + node.count; ++i)
            visit(i);
    }
}

template <class Visit>
void GroundMesh::for_each_near(const Vector3& place, const double& radius,
                               const Visit& visit) const noexcept {
    const auto is_near = [&](const Node& node) {
        return square_to_box(place, node.low, node.high) <= radius * radius;
    };
    for_each_in(is_near, [&](std::size_t i) {
        if (normals_[i] != Vector3{}) visit(face(i));
    });
}

void GroundMesh::visit_faces(const Vector3& place, double radius, FaceChoice choice,
                             FaceVisitor& visitor) const noexcept {
    for_each_near(place, radius, [&](const GroundFace& face) {
        if (is_chosen(face, choice) && nearest_on(face, place).metres <= radius)
            visitor.visit(face);
    });
}

std::optional<GroundMesh::Wall> GroundMesh::nearest_wall(const Vector3& place,
                                                         double within) const noexcept {
    constexpr double deepest_m = 0.1;
    constexpr double same_m = 1e-9;
    double reach = within;
    double looked = within + same_m;  // rounding must not leave out one that is as near
    double facing = 0;
    bool is_steep = false;  // one of those that share the nearest spot
    std::optional<Wall> found;
    for_each_near(place, looked, [&](const GroundFace& face) {
        const FaceSpot spot = nearest_on(face, place);
        if (spot.metres > reach + same_m) return;
        const Vector3 way = place - spot.place;
        const double own = dot(way, face.normal);
        const bool is_nearer = spot.metres < reach - same_m;
        is_steep = face.is_steep() || (is_steep && !is_nearer);
        // Among faces that share the nearest spot, the one seen most from its front or back decides
        // on which side of both the place is.
        if (!is_nearer && std::abs(own) <= std::abs(facing)) return;
        reach = std::min(reach, spot.metres);
        looked = reach + same_m;
        facing = own;
        found.reset();
        if (spot.edge == 3) {
            if (own >= -deepest_m) found = {own, face.normal};
        } else if (own >= 0 && spot.metres > 0) {
            found = {spot.metres, way * (1 / spot.metres)};
        }
    });
    return is_steep ? found : std::nullopt;
}

std::optional<HeightField::Spot> GroundMesh::at(double x, double z, double top) const noexcept {
    std::optional<HeightField::Spot> best;
    const auto is_over = [&](const Node& node) {
        return x >= node.low.x && x <= node.high.x && z >= node.low.z && z <= node.high.z &&
               node.low.y <= top;
    };
    for_each_in(is_over, [&](std::size_t i) {
        const Vector3& a = corners_[triangles_[i][0]];
        const Vector3 ab = corners_[triangles_[i][1]] - a;
        const Vector3 ac = corners_[triangles_[i][2]] - a;
        const double area = ab.z * ac.x - ab.x * ac.z;
        if (!(area > 0)) return;  // from below, or upright
        const double s = ((z - a.z) * ac.x - (x - a.x) * ac.z) / area;
        const double t = ((x - a.x) * ab.z - (z - a.z) * ab.x) / area;
        if (!(s >= 0 && t >= 0 && s + t <= 1)) return;
        const double height = a.y + s * ab.y + t * ac.y;
        if (height > top || (best && height <= best->height)) return;
        best = {height, normals_[i]};
    });
    return best;
}

}  // namespace hopcoil
