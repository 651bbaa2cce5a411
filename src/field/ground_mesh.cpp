#include <algorithm>
#include <cmath>

#include <hopcoil/base/components.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/field/ground_mesh.hpp>

namespace hopcoil {
namespace {

constexpr std::size_t leaf_size = 4;

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
}

GroundMesh::Node GroundMesh::bounds_of(std::size_t first, std::size_t count) const noexcept {
    const Vector3& start = corners_[triangles_[first][0]];
    Node node{start.x,
              start.x,
              start.z,
              start.z,
              static_cast<std::uint32_t>(first),
              static_cast<std::uint32_t>(count)};
    for (std::size_t i = first; i < first + count; ++i) {
        for (const std::uint32_t index : triangles_[i]) {
            const Vector3& corner = corners_[index];
            node.low_x = std::min(node.low_x, corner.x);
            node.high_x = std::max(node.high_x, corner.x);
            node.low_z = std::min(node.low_z, corner.z);
            node.high_z = std::max(node.high_z, corner.z);
        }
    }
    return node;
}

/// Halves by the middle of the triangles along the longer side; the first half's node follows.
void GroundMesh::build(std::size_t first, std::size_t count) {
    const std::size_t here = nodes_.size();
    nodes_.push_back(bounds_of(first, count));
    if (count <= leaf_size) return;
    const Node& box = nodes_[here];
    const bool along_x = box.high_x - box.low_x > box.high_z - box.low_z;
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

std::optional<HeightField::Spot> GroundMesh::at(double x, double z, double top) const noexcept {
    std::optional<HeightField::Spot> best;
    std::array<std::uint32_t, 64> waiting{};
    std::size_t count = 0;
    if (!nodes_.empty()) waiting[count++] = 0;
    while (count > 0) {
        const std::uint32_t at = waiting[--count];
        const Node& node = nodes_[at];
        if (!(x >= node.low_x && x <= node.high_x && z >= node.low_z && z <= node.high_z)) continue;
        if (node.count == 0) {
            waiting[count++] = at + 1;
            waiting[count++] = node.first;
            continue;
        }
        for (std::size_t i = node.first; i < node.first + node.count; ++i) {
            const Vector3& a = corners_[triangles_[i][0]];
            const Vector3 ab = corners_[triangles_[i][1]] - a;
            const Vector3 ac = corners_[triangles_[i][2]] - a;
            const double area = ab.z * ac.x - ab.x * ac.z;
            if (!(area > 0)) continue;  // from below, or upright
            const double s = ((z - a.z) * ac.x - (x - a.x) * ac.z) / area;
            const double t = ((x - a.x) * ab.z - (z - a.z) * ab.x) / area;
            if (!(s >= 0 && t >= 0 && s + t <= 1)) continue;
            const double height = a.y + s * ab.y + t * ac.y;
            if (height > top || (best && height <= best->height)) continue;
            const Vector3 up = cross(ab, ac);
            best = {height, up * (1 / length_of(up))};
        }
    }
    return best;
}

}  // namespace hopcoil
