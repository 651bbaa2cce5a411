#pragma once

#include <array>
#include <cstdint>
#include <span>
#include <vector>

#include <hopcoil/base/placement.hpp>
#include <hopcoil/base/quaternion.hpp>
#include <hopcoil/base/vector3.hpp>

/// @file
/// Shapes of rigid parts, and the mass that follows from them.

namespace hopcoil {

/// One solid of a part, in the part's own frame.
struct PartShape {
    enum class Type : std::uint8_t {
        sphere,   ///< of radius_m
        capsule,  ///< about its Y axis from -half_size_m.y to +half_size_m.y, of radius_m
        box,      ///< of half_size_m
        outline,  ///< in its XY plane, from -half_size_m.z to +half_size_m.z
    };
    Type type = Type::box;
    Placement placement{};
    double radius_m = 0.1;
    Vector3 half_size_m{0.1, 0.1, 0.1};
    std::vector<Vector3> outline{};  ///< corners in order, either way round; z is not used
    double density_kg_per_m3 = 500.0;
    bool is_solid = true;  ///< false: it weighs something, but nothing touches it

    friend bool operator==(const PartShape&, const PartShape&) = default;
};

/// Errors  InvalidValue names the field: sizes or a density that are not above 0, numbers that are
///         not finite, a rotation of no length, an outline of fewer than three corners, without
///         area, or that crosses itself.
void require_valid(const PartShape& shape);

/// The mass of a body and how it is spread.
///
/// Units   kilograms, metres, kg m2.
struct MassProperties {
    double mass_kg = 0.0;
    Vector3 centre{};   ///< of mass
    Quaternion axes{};  ///< turns x, y and z onto the principal axes
    Vector3 inertia{};  ///< about the principal axes through the centre

    friend bool operator==(const MassProperties&, const MassProperties&) = default;
};
/// The mass of several solids together, which may overlap: each counts in full.
/// Errors  InvalidValue for an invalid shape, or for no shape.
[[nodiscard]] MassProperties mass_properties(std::span<const PartShape> shapes);
/// The same body, of another mass.
[[nodiscard]] MassProperties with_mass(const MassProperties& properties, double mass_kg);

/// Convex outlines, counter-clockwise, that together cover an outline and do not overlap.
///
/// Source  ears are cut off one by one, then joined again while they stay convex (Hertel and
///         Mehlhorn, Fast triangulation of simple polygons, 1983): at most four times as many
///         pieces as would be needed.
/// Errors  InvalidValue for fewer than three corners, no area, or an outline that crosses itself.
/// Cost    n^2; allocates.
[[nodiscard]] std::vector<std::vector<Vector3>> convex_pieces(std::span<const Vector3> outline);

}  // namespace hopcoil
