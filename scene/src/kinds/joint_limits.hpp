#pragma once

#include <cstddef>
#include <span>
#include <vector>

#include <hopcoil/base/vector3.hpp>
#include <hopcoil/parts/parts_structure.hpp>
#include <hopcoil/scene/view.hpp>

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

/// How those of the joints `limited` are drawn, with their points in one output.
[[nodiscard]] View view_of_limits(const PartsStructure& structure,
                                  std::span<const std::size_t> limited, std::size_t port,
                                  double order);

}  // namespace hopcoil::scene
