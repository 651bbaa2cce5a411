#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <span>
#include <vector>

#include <hopcoil/base/dial.hpp>
#include <hopcoil/base/placement.hpp>
#include <hopcoil/points/net_structure.hpp>

/// @file
/// Ropes, cloths and soft bodies, each in its rest shape, at any place and rotation.

namespace hopcoil {

/// A rope by its material: with more segments it moves the same.
struct RopeSettings {
    double length_m = 1.0;
    std::size_t segments = 20;
    double mass_kg_per_m = 0.2;
    double stretch_n = 2000.0;       ///< force over relative stretch
    double stretch_damping_n_s = 5;  ///< force over rate of relative stretch
    double bending_n_m2 = 0.0;       ///< bending moment over curvature
    double diameter_m = 0.01;        ///< what the air sees
    bool pulls_only = true;

    static constexpr std::size_t dial_count = 5;
    [[nodiscard]] static std::span<const Dial<RopeSettings>> dials() noexcept;
};
void require_valid(const RopeSettings& settings);
[[nodiscard]] bool is_valid(const RopeSettings& settings) noexcept;

/// Its first point is at the placement; it hangs down from there.
/// Errors  InvalidValue for invalid settings.
[[nodiscard]] NetStructure rope(const RopeSettings& settings, const Placement& placement = {});
/// Between two places, pinned at both, in the shape in which an inextensible rope hangs there; in a
/// straight line, stretched, where it is too short for that. From one place it hangs as a loop.
/// Errors  InvalidValue for invalid settings, or places that are not finite.
[[nodiscard]] NetStructure rope_between(const RopeSettings& settings, const Vector3& from,
                                        const Vector3& to);

/// A cloth by its material: with more columns and rows it looks the same.
struct ClothSettings {
    double width_m = 1.0;
    double height_m = 1.0;
    std::size_t columns = 33;  ///< of points
    std::size_t rows = 33;
    double mass_kg_per_m2 = 0.2;
    double stretch_n_per_m = 500.0;  ///< of a strip: force for each metre of width over stretch
    double shear_n_per_m = 50.0;
    double bending_n_m = 1e-4;
    /// Of a strip, over the rate of its stretch; shear is damped in proportion.
    double stretch_damping_n_s_per_m = 0.1;

    static constexpr std::size_t dial_count = 5;
    [[nodiscard]] static std::span<const Dial<ClothSettings>> dials() noexcept;
};
void require_valid(const ClothSettings& settings);
[[nodiscard]] bool is_valid(const ClothSettings& settings) noexcept;

/// Flat in the XY plane of its placement, its middle there, seen from +Z; its points row after row
/// from the top left, `columns` each.
///
/// Source  docs/nets.md: stiffness of links from that of the fabric, independent of the grid.
/// Errors  InvalidValue for invalid settings.
[[nodiscard]] NetStructure cloth(const ClothSettings& settings, const Placement& placement = {});

enum class ClothEdge : std::uint8_t { top, bottom, left, right };
enum class ClothCorner : std::uint8_t { top_left, top_right, bottom_left, bottom_right };
[[nodiscard]] std::vector<std::uint32_t> points_at(const ClothSettings& settings, ClothEdge edge);
/// All points of a square patch of this size at a corner: with finer grids a cloth that hangs by
/// single points sags more and more.
[[nodiscard]] std::vector<std::uint32_t> points_at(const ClothSettings& settings,
                                                   ClothCorner corner, double patch_m = 0.0);

/// A soft ball: a skin of triangles, held to its middle by spokes.
struct SoftBallSettings {
    double radius_m = 0.25;
    int refinement = 2;  ///< 12, 42, 162, 642 points of skin
    double mass_kg = 1.0;
    double stiffness_n_per_m = 2000.0;  ///< over how far its halves move apart when it is pulled
    double damping_n_s_per_m = 4.0;

    static constexpr std::size_t dial_count = 3;
    [[nodiscard]] static std::span<const Dial<SoftBallSettings>> dials() noexcept;
};
void require_valid(const SoftBallSettings& settings);
[[nodiscard]] bool is_valid(const SoftBallSettings& settings) noexcept;
/// The number of points with its middle, which is the last one.
[[nodiscard]] std::size_t point_count(const SoftBallSettings& settings) noexcept;
/// Its middle is the last point.
[[nodiscard]] NetStructure soft_ball(const SoftBallSettings& settings,
                                     const Placement& placement = {});

/// A stiff cluster of six points that has a place and a full orientation (`frame_of`), so that
/// limbs can be attached to it: ends of other structures linked to its points.
struct OrientedSettings {
    Vector3 half_size_m{0.1, 0.1, 0.1};
    double mass_kg = 1.0;
    double stiffness_n_per_m = 2e4;
    double damping_n_s_per_m = 10.0;
};
void require_valid(const OrientedSettings& settings);
/// Its points: -X, +X, -Y, +Y, -Z, +Z of it.
[[nodiscard]] NetStructure oriented_body(const OrientedSettings& settings,
                                         const Placement& placement = {});
/// The place and rotation of an oriented body from its six points.
[[nodiscard]] Placement frame_of(const std::array<Vector3, 6>& points) noexcept;

/// Links an end of one structure to a point of another, both in `all`, at distance 0.
void attach(NetStructure& all, std::uint32_t a, std::uint32_t b, const LinkStrength& strength);

}  // namespace hopcoil
