#pragma once

#include <cstddef>
#include <optional>
#include <vector>

#include <hopcoil/base/vector3.hpp>
#include <hopcoil/field/ground_face.hpp>

namespace hopcoil {

/// A surface over a grid of heights.
///
/// Model   each cell is two triangles, divided from its lowest x and z to its highest.
/// Shapes  heights row by row: x runs fastest, `columns` of them in each of `rows` along z.
/// Units   metres; the first height stands at (x, z) = (from_x, from_z).
/// Errors  InvalidValue unless there are at least 2 columns and 2 rows, as many heights, a spacing
///         above 0 and nothing but finite numbers.
class HeightField {
  public:
    struct Grid {
        std::size_t columns = 2;
        std::size_t rows = 2;
        double spacing_m = 1.0;
        double from_x = 0.0;
        double from_z = 0.0;
    };
    HeightField(const Grid& grid, std::vector<double> heights);

    struct Spot {
        double height = 0.0;
        Vector3 normal{0, 1, 0};
    };
    /// The surface at a place; nothing outside the grid.
    [[nodiscard]] std::optional<Spot> at(double x, double z) const noexcept;

    /// Faces that come as near as `radius` to a place.
    void visit_faces(const Vector3& place, double radius, FaceChoice choice,
                     FaceVisitor& visitor) const noexcept;

    [[nodiscard]] const Grid& grid() const noexcept { return grid_; }
    [[nodiscard]] const std::vector<double>& heights() const noexcept { return heights_; }

  private:
    [[nodiscard]] Vector3 corner(std::size_t column, std::size_t row) const noexcept;
    [[nodiscard]] GroundFace face(std::size_t column, std::size_t row,
                                  std::size_t half) const noexcept;
    [[nodiscard]] bool comes_near(std::size_t column, std::size_t row, const Vector3& place,
                                  double radius) const noexcept;

    Grid grid_;
    std::vector<double> heights_;
    std::vector<FaceChoice> narrowest_;  ///< of both faces of each cell, that either is in
};

}  // namespace hopcoil
