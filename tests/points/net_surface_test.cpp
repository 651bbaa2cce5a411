#include <algorithm>
#include <array>
#include <cmath>
#include <set>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/base/math.hpp>
#include <hopcoil/points/net_builders.hpp>
#include <hopcoil/points/net_surface.hpp>

#include "support/vectors.hpp"

using namespace hopcoil;

namespace {

std::vector<Vector3> positions_of(const NetStructure& structure) {
    std::vector<Vector3> all;
    for (const NetPoint& point : structure.points)
        all.push_back(point.position);
    return all;
}

using Corners = std::array<std::uint32_t, 3>;

/// From its least corner on, so that equal triangles compare equal.
Corners ordered(Corners corners) {
    std::rotate(corners.begin(), std::min_element(corners.begin(), corners.end()), corners.end());
    return corners;
}

}  // namespace

TEST_CASE("normals of a flat cloth point out of it everywhere, of a ball outward", "[net]") {
    const Quaternion turn = turned_by({0.4, 0.9, -0.3});
    const NetStructure flat = cloth({.columns = 6, .rows = 5}, {{1, 2, 3}, turn});
    std::vector<Vector3> positions = positions_of(flat);
    std::vector<Vector3> sums(2 * positions.size());
    // Interleaved with other numbers, as a program has them.
    std::vector<float> buffer(8 * positions.size(), -7.0F);
    const FloatRows rows{buffer.data() + 3, positions.size(), 8};
    write_normals(positions, flat.triangles, sums, rows);
    const Vector3 out = rotated(turn, {0, 0, 1});
    for (std::size_t i = 0; i < positions.size(); ++i) {
        const float* n = buffer.data() + 8 * i;
        CHECK(apart({n[3], n[4], n[5]}, out) < 1e-6);
        CHECK(n[2] == -7.0F);
        CHECK(n[6] == -7.0F);
    }
    write_tangents(positions, flat.triangles, flat.texture, sums,
                   {buffer.data(), positions.size(), 8});
    const Vector3 along = rotated(turn, {1, 0, 0});
    for (std::size_t i = 0; i < positions.size(); ++i) {
        const float* t = buffer.data() + 8 * i;
        CHECK(apart({t[0], t[1], t[2]}, along) < 1e-6);
        CHECK(std::abs(t[3]) == 1.0F);
    }
    const NetStructure ball = soft_ball({.radius_m = 2, .refinement = 3});
    positions = positions_of(ball);
    sums.resize(positions.size());
    std::vector<float> normals(3 * positions.size());
    write_normals(positions, ball.triangles, sums, {normals.data(), positions.size()});
    for (std::size_t i = 0; i + 1 < positions.size(); ++i) {
        const float* n = normals.data() + 3 * i;
        CHECK(apart({n[0], n[1], n[2]}, positions[i] * 0.5) < 0.02);
    }
}

TEST_CASE("strips have the same triangles as the list, the same way round", "[net]") {
    for (const NetStructure& made :
         {cloth({.columns = 7, .rows = 6}), soft_ball({.refinement = 1})}) {
        std::multiset<Corners> wanted;
        for (const Corners& corners : made.triangles)
            wanted.insert(ordered(corners));
        const std::vector<std::uint32_t> strips = triangle_strips(made.triangles);
        std::multiset<Corners> found;
        std::size_t start = 0;
        for (std::size_t i = 0; i <= strips.size(); ++i) {
            if (i < strips.size() && strips[i] != strip_restart) continue;
            for (std::size_t k = start; k + 2 < i; ++k) {
                const bool is_odd = (k - start) % 2 == 1;
                found.insert(ordered(
                    {strips[k], strips[k + (is_odd ? 2U : 1U)], strips[k + (is_odd ? 1U : 2U)]}));
            }
            start = i + 1;
        }
        CHECK(found == wanted);
        CHECK(triangle_list(made.triangles).size() == 3 * made.triangles.size());
        CHECK(strips.size() < triangle_list(made.triangles).size());
    }
}
