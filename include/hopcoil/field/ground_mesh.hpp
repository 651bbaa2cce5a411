#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <optional>
#include <vector>

#include <hopcoil/base/vector3.hpp>
#include <hopcoil/field/ground_face.hpp>
#include <hopcoil/field/height_field.hpp>

namespace hopcoil {

/// Triangles as ground: what faces upward can be stood on; the others are walls and ceilings for
/// what collides. Each is solid behind, and open in front.
///
/// Shapes  corners, and three indices into them for each triangle, counter-clockwise seen from
///         outside. Triangles are neighbours where an edge has the same places at both ends.
/// Errors  InvalidValue for an index out of range or a corner that is not finite.
/// Cost    a place is found through a hierarchy of bounds in about log2 of the triangles.
class GroundMesh {
  public:
    GroundMesh(std::vector<Vector3> corners, std::vector<std::array<std::uint32_t, 3>> triangles);

    /// The highest spot at or below `top`; nothing where there is none.
    [[nodiscard]] std::optional<HeightField::Spot> at(double x, double z,
                                                      double top) const noexcept;
    /// Faces that come as near as `radius` to a place.
    void visit_faces(const Vector3& place, double radius, FaceChoice choice,
                     FaceVisitor& visitor) const noexcept;
    struct Wall {
        double metres = 0.0;  ///< below 0 behind it
        Vector3 normal{};     ///< toward the place, or out of the ground
    };
    /// The nearest face, where it is steep: up to `within` in front and 0.1 m behind; nothing where
    /// it is seen from beside or from further behind.
    [[nodiscard]] std::optional<Wall> nearest_wall(const Vector3& place,
                                                   double within) const noexcept;
    [[nodiscard]] const std::vector<Vector3>& corners() const noexcept { return corners_; }
    [[nodiscard]] const std::vector<std::array<std::uint32_t, 3>>& triangles() const noexcept {
        return triangles_;
    }

  private:
    /// A box around some triangles; two halves follow, or it is a leaf.
    struct Node {
        Vector3 low{};
        Vector3 high{};
        std::uint32_t first = 0;  ///< of its triangles, or of its second half
        std::uint32_t count = 0;  ///< 0: it has halves
    };
    void build(std::size_t first, std::size_t count);
    [[nodiscard]] Node bounds_of(std::size_t first, std::size_t count) const noexcept;
    void find_neighbours();
    /// Visits the triangles in boxes that hold something.
    template <class Holds, class Visit>
    void for_each_in(const Holds& holds, const Visit& visit) const noexcept;
    /// The faces in those that come as near as a distance, which the visit can shorten.
    template <class Visit>
    void for_each_near(const Vector3& place, const double& radius,
                       const Visit& visit) const noexcept;
    [[nodiscard]] GroundFace face(std::size_t triangle) const noexcept;

    std::vector<Vector3> corners_;
    std::vector<std::array<std::uint32_t, 3>> triangles_;
    std::vector<Vector3> normals_;                ///< zero of those without an area
    std::vector<std::array<Vector3, 3>> beyond_;  ///< of each, as of its face
    std::vector<Node> nodes_;
};

}  // namespace hopcoil
