#pragma once

#include <cstddef>
#include <span>
#include <vector>

#include <hopcoil/base/vector3.hpp>
#include <hopcoil/parts/parts_structure.hpp>

namespace hopcoil::scene {

/// How the limits of a joint are seen: a hinge's as a fan from its lowest to its highest angle, a
/// ball's as the rim of its cone, a slide's as its way; and where the joint is now as a needle.
inline constexpr std::size_t limit_points = 14;

/// The joints of a structure that have limits.
[[nodiscard]] std::vector<std::size_t> limited_joints(const PartsStructure& structure);

/// A point of them, when the parts are at these places.
[[nodiscard]] Vector3 limit_point(const PartsStructure& structure,
                                  std::span<const Placement> places, std::size_t joint,
                                  std::size_t index);

/// Which point of the same joint a point is drawn from: itself, where a line begins.
[[nodiscard]] std::size_t limit_parent(const PartJoint& joint, std::size_t index);

}  // namespace hopcoil::scene
