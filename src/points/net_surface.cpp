#include <algorithm>
#include <map>
#include <utility>

#include <hopcoil/points/net_surface.hpp>

#include "../base/vectors.hpp"

namespace hopcoil {

namespace {

void put(const FloatRows& out, std::size_t i, const Vector3& v) noexcept {
    float* row = out.first + i * out.stride;
    row[0] = static_cast<float>(v.x);
    row[1] = static_cast<float>(v.y);
    row[2] = static_cast<float>(v.z);
}

void sum_normals(std::span<const Vector3> positions, NetTriangles triangles,
                 std::span<Vector3> sums) noexcept {
    std::fill(sums.begin(), sums.end(), Vector3{});
    for (const auto& [a, b, c] : triangles) {
        const Vector3 n = cross(positions[b] - positions[a], positions[c] - positions[a]);
        for (const std::uint32_t corner : {a, b, c})
            sums[corner] = sums[corner] + n;
    }
}

}  // namespace

void write_positions(std::span<const Vector3> positions, const FloatRows& out) noexcept {
    for (std::size_t i = 0; i < std::min(positions.size(), out.count); ++i)
        put(out, i, positions[i]);
}

void write_normals(std::span<const Vector3> positions, NetTriangles triangles,
                   std::span<Vector3> sums, const FloatRows& out) noexcept {
    if (sums.size() < positions.size()) return;
    sum_normals(positions, triangles, sums.first(positions.size()));
    for (std::size_t i = 0; i < std::min(positions.size(), out.count); ++i)
        put(out, i, unit(sums[i], {0, 0, 1}));
}

void write_tangents(std::span<const Vector3> positions, NetTriangles triangles,
                    std::span<const std::array<float, 2>> texture, std::span<Vector3> sums,
                    const FloatRows& out) noexcept {
    const std::size_t size = positions.size();
    if (texture.size() < size || sums.size() < 2 * size) return;
    const std::span<Vector3> normals = sums.first(size);
    const std::span<Vector3> along = sums.subspan(size, size);
    sum_normals(positions, triangles, normals);
    std::fill(along.begin(), along.end(), Vector3{});
    double turned = 0;  // whether the texture is mirrored
    for (const auto& [a, b, c] : triangles) {
        const Vector3 ab = positions[b] - positions[a];
        const Vector3 ac = positions[c] - positions[a];
        const double u1 = static_cast<double>(texture[b][0]) - static_cast<double>(texture[a][0]);
        const double v1 = static_cast<double>(texture[b][1]) - static_cast<double>(texture[a][1]);
        const double u2 = static_cast<double>(texture[c][0]) - static_cast<double>(texture[a][0]);
        const double v2 = static_cast<double>(texture[c][1]) - static_cast<double>(texture[a][1]);
        const double area = u1 * v2 - u2 * v1;
        const Vector3 tangent = (ab * v2 - ac * v1) * (area < 0 ? -1 : 1);
        turned += area;
        for (const std::uint32_t corner : {a, b, c})
            along[corner] = along[corner] + tangent;
    }
    for (std::size_t i = 0; i < std::min(size, out.count); ++i) {
        const Vector3 n = unit(normals[i], {0, 0, 1});
        put(out, i, unit(along[i] - n * dot(n, along[i]), {1, 0, 0}));
        out.first[i * out.stride + 3] = turned < 0 ? -1.0F : 1.0F;
    }
}

std::vector<std::uint32_t> triangle_list(NetTriangles triangles) {
    std::vector<std::uint32_t> corners;
    for (const auto& triangle : triangles)
        corners.insert(corners.end(), triangle.begin(), triangle.end());
    return corners;
}

namespace {

/// Which triangle has an edge, in the direction that it goes round.
using Edges = std::map<std::pair<std::uint32_t, std::uint32_t>, std::size_t>;

/// The triangle on the other side of the edge that a strip would go on over, if it is free.
std::size_t next_over(const Edges& edges, const std::vector<bool>& used, std::uint32_t from,
                      std::uint32_t to) {
    const auto found = edges.find({from, to});
    return found == edges.end() || used[found->second] ? used.size() : found->second;
}

}  // namespace

std::vector<std::uint32_t> triangle_strips(NetTriangles triangles) {
    Edges edges;
    for (std::size_t i = 0; i < triangles.size(); ++i) {
        for (std::size_t k = 0; k < 3; ++k)
            edges[{triangles[i][k], triangles[i][(k + 1) % 3]}] = i;
    }
    std::vector<std::uint32_t> strips;
    std::vector<bool> used(triangles.size());
    for (std::size_t first = 0; first < triangles.size(); ++first) {
        if (used[first]) continue;
        if (!strips.empty()) strips.push_back(strip_restart);
        used[first] = true;
        strips.insert(strips.end(), triangles[first].begin(), triangles[first].end());
        // Every second triangle of a strip goes round the other way.
        for (bool is_odd = true;; is_odd = !is_odd) {
            const std::uint32_t before = strips[strips.size() - 2];
            const std::uint32_t last = strips.back();
            const std::size_t next = is_odd ? next_over(edges, used, last, before)
                                            : next_over(edges, used, before, last);
            if (next == used.size()) break;
            used[next] = true;
            for (const std::uint32_t corner : triangles[next]) {
                if (corner != before && corner != last) {
                    strips.push_back(corner);
                    break;
                }
            }
        }
    }
    return strips;
}

}  // namespace hopcoil
