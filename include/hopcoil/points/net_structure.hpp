#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <span>
#include <vector>

#include <hopcoil/base/vector3.hpp>

/// @file
/// What a net is made of: points, and what holds them together. Built by hand, or by the functions
/// of net_builders.hpp.

namespace hopcoil {

struct NetPoint {
    Vector3 position{};
    double mass_kg = 1.0;
    /// Above 0: a ball that all other points keep away from.
    double radius_m = 0.0;
    bool is_pinned = false;  ///< held where it is, or driven (NetInputs::pins)
};

/// As `longest_m`: no limit.
inline constexpr double unbounded_length_m = 1e100;

/// Holds the distance of two points within a range.
///
/// Model   force k (l - longest) where the length l is above `longest_m`, k (l - shortest) where it
///         is below `shortest_m`, none in between; damping c l' wherever the stiffness acts.
struct NetLink {
    std::uint32_t a = 0;
    std::uint32_t b = 0;
    double shortest_m = 0.0;
    double longest_m = 0.0;
    double stiffness_n_per_m = 1000.0;
    double damping_n_s_per_m = 0.0;
};

/// The numbers of a link, whatever it does.
struct LinkStrength {
    double stiffness_n_per_m = 1000.0;
    double damping_n_s_per_m = 0.0;
};
/// Pulls and pushes.
[[nodiscard]] NetLink spring_link(std::uint32_t a, std::uint32_t b, double rest_m,
                                  const LinkStrength& strength);
/// Only pulls: slack while its ends are nearer.
[[nodiscard]] NetLink rope_link(std::uint32_t a, std::uint32_t b, double rest_m,
                                const LinkStrength& strength);
/// Only pushes: free while its ends are further apart.
[[nodiscard]] NetLink strut_link(std::uint32_t a, std::uint32_t b, double rest_m,
                                 const LinkStrength& strength);

/// Holds three points in line, or at an angle.
///
/// Model   energy k/2 (|b| - rest)^2 with b = weight_a (a - middle) + weight_c (c - middle); with
///         rest = 0, the same everywhere, k/2 |b|^2.
struct NetBend {
    std::uint32_t a = 0;
    std::uint32_t middle = 0;
    std::uint32_t c = 0;
    double weight_a = 1.0;
    double weight_c = 1.0;
    double rest_m = 0.0;
    double stiffness_n_per_m = 0.0;
    double damping_n_s_per_m = 0.0;
};
/// Keeps the angle at `middle`, pi for straight, as an angular spring does near it.
///
/// Shapes  the two lengths are those of its arms at rest.
/// Errors  InvalidValue for an angle below 0.1 or above pi, or a length that is not above 0.
[[nodiscard]] NetBend angle_link(std::array<std::uint32_t, 3> points, double angle_rad,
                                 double stiffness_nm_per_rad, double length_a_m, double length_c_m);

struct NetStructure {
    std::vector<NetPoint> points{};
    std::vector<NetLink> links{};
    std::vector<NetBend> bends{};
    /// Corners, counter-clockwise seen from the front: what the air pushes on, and what is drawn.
    std::vector<std::array<std::uint32_t, 3>> triangles{};
    std::vector<std::array<float, 2>> texture{};  ///< of the first points; or none
    double link_diameter_m = 0.0;                 ///< what the air sees of links: of a rope

    /// Adds another structure with its links; returns the index of its first point.
    std::uint32_t add(const NetStructure& other);
};

/// Errors  InvalidValue names the field: a number that is not finite, a mass, length or stiffness
///         that cannot be; std::out_of_range for an index of no point, or two ends in one point.
void require_valid(const NetStructure& structure);

/// Pins points, by their indices.
/// Errors  std::out_of_range.
void pin(NetStructure& structure, std::span<const std::uint32_t> points);
/// The points for which a function of the place is true.
template <class Predicate>
[[nodiscard]] std::vector<std::uint32_t> points_where(const NetStructure& structure,
                                                      const Predicate& predicate) {
    std::vector<std::uint32_t> found;
    for (std::size_t i = 0; i < structure.points.size(); ++i) {
        if (predicate(structure.points[i].position)) found.push_back(static_cast<std::uint32_t>(i));
    }
    return found;
}

/// How far each point is from its nearest pin, along links at rest; infinity where no link leads.
struct PinDistances {
    std::vector<double> metres{};
    std::vector<std::uint32_t> pins{};   ///< the nearest
    std::vector<std::uint32_t> links{};  ///< on the way
};
/// Cost    n log n; allocates.
[[nodiscard]] PinDistances pin_distances(const NetStructure& structure);

}  // namespace hopcoil
