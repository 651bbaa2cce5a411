#pragma once

#include <cstddef>
#include <span>

#include <hopcoil/base/vector3.hpp>

namespace hopcoil {

/// How far inside the support polygon a spot is, over the ground: the least distance to its rim,
/// negative outside.
///
/// Model   the convex hull of the feet's x and z; two feet are a line, one is a point, both
///         without an inside. Without a foot the margin is -1e9.
/// Units   metres.
[[nodiscard]] double support_margin(std::span<const Vector3> feet, const Vector3& spot) noexcept;

/// The feet at the corners of the support polygon, as indices, counter-clockwise from above; how
/// many they are. Of feet on one line its ends.
/// Shapes  `corners` has room for all feet.
std::size_t support_polygon(std::span<const Vector3> feet, std::span<std::size_t> corners) noexcept;

/// The spot over the ground nearest to a spot that lies in the support polygon; its y is not used.
/// Without a foot that is the spot itself.
[[nodiscard]] Vector3 nearest_supported(std::span<const Vector3> feet,
                                        const Vector3& spot) noexcept;

/// The least distance between two line segments.
[[nodiscard]] double stretches_apart(const Vector3& a, const Vector3& b, const Vector3& c,
                                     const Vector3& d) noexcept;

}  // namespace hopcoil
