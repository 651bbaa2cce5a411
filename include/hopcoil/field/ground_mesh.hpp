#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <optional>
#include <vector>

#include <hopcoil/base/vector3.hpp>
#include <hopcoil/field/height_field.hpp>

namespace hopcoil {

/// Triangles as ground: what faces upward can be stood on.
///
/// Shapes  corners, and three indices into them for each triangle.
/// Errors  InvalidValue for an index out of range or a corner that is not finite.
/// Cost    a place is found through a hierarchy of bounds in about log2 of the triangles.
class GroundMesh {
  public:
    GroundMesh(std::vector<Vector3> corners, std::vector<std::array<std::uint32_t, 3>> triangles);

    /// The highest spot at or below `top`; nothing where there is none.
    [[nodiscard]] std::optional<HeightField::Spot> at(double x, double z,
                                                      double top) const noexcept;
    [[nodiscard]] const std::vector<Vector3>& corners() const noexcept { return corners_; }
    [[nodiscard]] const std::vector<std::array<std::uint32_t, 3>>& triangles() const noexcept {
        return triangles_;
    }

  private:
    /// A box in x and z around some triangles; two halves follow, or it is a leaf.
    struct Node {
        double low_x = 0.0;
        double high_x = 0.0;
        double low_z = 0.0;
        double high_z = 0.0;
        std::uint32_t first = 0;  ///< of its triangles, or of its second half
        std::uint32_t count = 0;  ///< 0: it has halves
    };
    void build(std::size_t first, std::size_t count);
    [[nodiscard]] Node bounds_of(std::size_t first, std::size_t count) const noexcept;

    std::vector<Vector3> corners_;
    std::vector<std::array<std::uint32_t, 3>> triangles_;
    std::vector<Node> nodes_;
};

}  // namespace hopcoil
