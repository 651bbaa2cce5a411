#pragma once

#include <array>
#include <cstddef>
#include <span>
#include <vector>

#include <hopcoil/points/plant_structure.hpp>

namespace hopcoil::plant {

using Rod = PlantStructure::Rod;

/// Positions of a branch's two lumps of mass along it, which give it the moment of inertia of an
/// even rod.
inline constexpr double lump_parts[2] = {0.21132486540518711775, 0.78867513459481288225};

/// How all branches move for small turns about their bends.
struct Ways {
    std::vector<Vector3> turns{};
    std::vector<Vector3> ends{};
};
[[nodiscard]] Ways ways_of(std::span<const Rod> rods, std::span<const double> turns);

/// How the two lumps of a branch move.
[[nodiscard]] std::array<Vector3, 2> lump_ways(std::span<const Rod> rods, const Ways& ways,
                                               std::size_t branch);

/// The participation of a mode in the base's acceleration along and about each axis.
struct BaseShare {
    Vector3 way{};
    Vector3 turn{};
};
[[nodiscard]] BaseShare base_share(std::span<const Rod> rods, std::span<const double> turns);

/// Of unit mass for unit density.
struct FoundMode {
    double eigenvalue = 0;
    std::vector<double> turns{};
};
/// The lowest modes of the coupled tree, the slowest first; fewer where there are not so many.
[[nodiscard]] std::vector<FoundMode> lowest_modes(std::span<const Rod> rods, std::size_t count,
                                                  bool is_flat);

}  // namespace hopcoil::plant
