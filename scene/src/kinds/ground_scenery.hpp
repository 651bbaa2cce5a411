#pragma once

#include <hopcoil/field/ground_mesh.hpp>
#include <hopcoil/field/height_field.hpp>
#include <hopcoil/field/terrain.hpp>
#include <hopcoil/io/solid.hpp>
#include <hopcoil/scene/view.hpp>

/// @file
/// Ground as it is seen.

namespace hopcoil::scene {

constexpr Colour ground_colour{0.71, 0.66, 0.58};
constexpr double ground_order = -1;  ///< below everything else
constexpr Colour water_colour{0.55, 0.66, 0.7};

/// In the frame of the box's own platform.
[[nodiscard]] io::Solid solid_of(const Terrain::Box& box);
/// Its triangles, with walls down from its edges; a large field is seen coarser than it is.
[[nodiscard]] io::Solid solid_of(const HeightField& field);
[[nodiscard]] io::Solid solid_of(const GroundMesh& mesh);
/// A slab of it about the point it is given by.
[[nodiscard]] io::Solid solid_of(const Terrain::Plane& plane);

}  // namespace hopcoil::scene
