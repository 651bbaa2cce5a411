#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <span>
#include <vector>

#include <hopcoil/base/vector3.hpp>

/// @file
/// The surface of a net for drawing, once a frame, into buffers of a program's own.

namespace hopcoil {

/// Rows of floats in a buffer: a row of `width` floats each `stride` floats.
struct FloatRows {
    float* first = nullptr;
    std::size_t count = 0;
    std::size_t stride = 3;
};

using NetTriangles = std::span<const std::array<std::uint32_t, 3>>;

/// The positions as floats; as many as there is room for.
void write_positions(std::span<const Vector3> positions, const FloatRows& out) noexcept;
/// The normal of each point: the mean of the triangles about it, by their area; (0, 0, 1) where
/// there is none. Seams and edges are right too, since each triangle counts for its own points
/// only.
///
/// Shapes  `sums`, a work array, is as long as the positions.
void write_normals(std::span<const Vector3> positions, NetTriangles triangles,
                   std::span<Vector3> sums, const FloatRows& out) noexcept;
/// The direction in which the first texture coordinate grows, in the surface, and a sign: x, y, z,
/// w with the other direction w (normal x tangent).
///
/// Shapes  rows of four; `sums` twice as long as the positions.
void write_tangents(std::span<const Vector3> positions, NetTriangles triangles,
                    std::span<const std::array<float, 2>> texture, std::span<Vector3> sums,
                    const FloatRows& out) noexcept;

/// Corners of triangles one after the other.
[[nodiscard]] std::vector<std::uint32_t> triangle_list(NetTriangles triangles);
/// Ends a strip and begins another.
inline constexpr std::uint32_t strip_restart = 0xFFFFFFFFU;
/// The same triangles as strips, each corner after the first two making one more.
[[nodiscard]] std::vector<std::uint32_t> triangle_strips(NetTriangles triangles);

}  // namespace hopcoil
