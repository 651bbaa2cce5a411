#pragma once

#include <array>
#include <cstdint>
#include <vector>

#include <hopcoil/base/quaternion.hpp>
#include <hopcoil/field/terrain.hpp>

/// The same block as triangles: `cells` by `cells` squares on each of its sides.
inline hopcoil::GroundMesh mesh_of(const hopcoil::Terrain::Box& box, std::uint32_t cells = 1) {
    using hopcoil::Vector3;
    std::vector<Vector3> corners;
    std::vector<std::array<std::uint32_t, 3>> triangles;
    const hopcoil::Quaternion turned = hopcoil::turned_by({0, box.yaw_rad, 0});
    const auto add_corner = [&](const Vector3& at) {
        const Vector3 local{0.5 * at.x * box.size.x, 0.5 * at.y * box.size.y,
                            0.5 * at.z * box.size.z};
        corners.push_back(box.middle + rotated(turned, local));
    };
    constexpr std::array<Vector3, 6> outs{
        {{1, 0, 0}, {-1, 0, 0}, {0, 1, 0}, {0, -1, 0}, {0, 0, 1}, {0, 0, -1}}};
    for (const Vector3& out : outs) {
        const Vector3 u{out.y, out.z, out.x};
        const Vector3 v = cross(out, u);
        const auto first = static_cast<std::uint32_t>(corners.size());
        const std::uint32_t row = cells + 1;
        for (std::uint32_t i = 0; i < row; ++i) {
            for (std::uint32_t j = 0; j < row; ++j)
                add_corner(out + u * (2.0 * i / cells - 1) + v * (2.0 * j / cells - 1));
        }
        for (std::uint32_t i = 0; i < cells; ++i) {
            for (std::uint32_t j = 0; j < cells; ++j) {
                const std::uint32_t at = first + i * row + j;
                triangles.push_back({at, at + row, at + row + 1});
                triangles.push_back({at, at + row + 1, at + 1});
            }
        }
    }
    return {std::move(corners), std::move(triangles)};
}
