#pragma once

#include <array>
#include <cstdint>
#include <span>
#include <vector>

#include <hopcoil/base/quaternion.hpp>
#include <hopcoil/base/vector3.hpp>

/// @file
/// Drawing along a row of points: a smooth curve, rotations that follow it, ribbons and tubes.

namespace hopcoil {

/// A point on the smooth curve through all points, 0 (first) to 1 (last); by their number, not by
/// length.
///
/// Model   cubics between neighbours, with the slope of the chord between the neighbours'
///         neighbours (Catmull and Rom, 1974); at the ends that of the parabola.
[[nodiscard]] Vector3 smooth_point(std::span<const Vector3> points, double part) noexcept;

/// The direction from a point to the one before it; at the first point, as at the second.
[[nodiscard]] Vector3 up_the_chain(std::span<const Vector3> points, std::size_t index) noexcept;
/// Part of the shortest turn from one direction to another.
[[nodiscard]] Quaternion turned_part(const Vector3& from, const Vector3& to, double part) noexcept;
/// The rotation of a root, turned further so that its `forward` points up the row: first as in the
/// rest shape, which leaves the root along `rest_direction`, then the shortest way. So it twists
/// only where the row points against its rest direction.
[[nodiscard]] Quaternion first_frame(std::span<const Vector3> points, const Quaternion& root,
                                     const Vector3& rest_direction,
                                     const Vector3& forward) noexcept;

/// Triangles with a normal and a texture coordinate at each corner.
struct Mesh {
    std::vector<Vector3> positions{};
    std::vector<Vector3> normals{};
    std::vector<std::array<double, 2>> texture{};  ///< u along the row, v across it, 0 to 1
    std::vector<std::array<std::uint32_t, 3>> triangles{};
};

/// A flat band along points, as wide as said at each (one width for all), square to `normal`.
/// Errors  std::invalid_argument for fewer than two points, or widths that are not as many.
[[nodiscard]] Mesh ribbon(std::span<const Vector3> points, std::span<const double> widths,
                          const Vector3& normal = {0, 0, 1});
/// A round tube along points, closed at both ends, `sides` round it. Its rings do not twist.
/// Errors  as ribbon; fewer than three sides.
[[nodiscard]] Mesh tube(std::span<const Vector3> points, std::span<const double> radii,
                        std::size_t sides = 12);

}  // namespace hopcoil
