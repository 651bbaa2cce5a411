#include "ground_scenery.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstddef>

#include <hopcoil/base/quaternion.hpp>

namespace hopcoil::scene {
namespace {

/// How much of a plane is drawn.
constexpr double wide_m = 100;
constexpr double slab_m = 0.1;

std::array<double, 3> corner_of(const Vector3& place) {
    return {place.x, place.y, place.z};
}

/// What a height field is seen as: of a large one every second row and column, or fewer.
class FieldSurface {
  public:
    explicit FieldSurface(const HeightField& field) : field_{field} {
        const HeightField::Grid& grid = field.grid();
        constexpr std::size_t most_cells = 20'000;
        while ((grid.columns / stride_) * (grid.rows / stride_) > most_cells)
            ++stride_;
        columns_ = kept(grid.columns);
        rows_ = kept(grid.rows);
    }

    [[nodiscard]] io::Solid solid() {
        for (const std::size_t row : rows_) {
            for (const std::size_t column : columns_)
                solid_.corners_m.push_back(corner(row, column));
        }
        const std::size_t across = columns_.size();
        for (std::size_t row = 0; row + 1 < rows_.size(); ++row) {
            for (std::size_t column = 0; column + 1 < across; ++column) {
                // Divided as the field itself divides its cells.
                const std::size_t first = row * across + column;
                solid_.faces.push_back({first, first + across + 1, first + 1});
                solid_.faces.push_back({first, first + across, first + across + 1});
            }
        }
        add_walls();
        return std::move(solid_);
    }

  private:
    [[nodiscard]] std::vector<std::size_t> kept(std::size_t count) const {
        std::vector<std::size_t> all;
        for (std::size_t i = 0; i < count - 1; i += stride_)
            all.push_back(i);
        all.push_back(count - 1);
        return all;
    }
    [[nodiscard]] std::array<double, 3> corner(std::size_t row, std::size_t column) const {
        const HeightField::Grid& grid = field_.grid();
        return {grid.from_x + grid.spacing_m * static_cast<double>(column),
                field_.heights()[row * grid.columns + column],
                grid.from_z + grid.spacing_m * static_cast<double>(row)};
    }
    void add_walls() {
        const std::size_t across = columns_.size();
        const std::size_t last = (rows_.size() - 1) * across;
        for (std::size_t i = 0; i + 1 < across; ++i) {
            add_wall(i, i + 1);
            add_wall(last + i + 1, last + i);
        }
        for (std::size_t first = 0; first < last; first += across) {
            add_wall(first + across, first);
            add_wall(first + across - 1, first + 2 * across - 1);
        }
    }
    /// Below an edge whose outer side is on the right of the way from `a` to `b`, seen from above.
    void add_wall(std::size_t a, std::size_t b) {
        const std::vector<double>& heights = field_.heights();
        const double low =
            *std::min_element(heights.begin(), heights.end()) - 0.5 * field_.grid().spacing_m;
        const std::size_t below = solid_.corners_m.size();
        for (const std::size_t corner : {a, b}) {
            solid_.corners_m.push_back(solid_.corners_m[corner]);
            solid_.corners_m.back()[1] = low;
        }
        solid_.faces.push_back({a, b, below + 1, below});
    }

    const HeightField& field_;
    std::size_t stride_ = 1;
    std::vector<std::size_t> columns_{};
    std::vector<std::size_t> rows_{};
    io::Solid solid_{};
};

}  // namespace

io::Solid solid_of(const Terrain::Box& box) {
    io::Solid solid;
    const Quaternion turn = turned_by({0, box.yaw_rad, 0});
    for (const double x : {-0.5, 0.5}) {
        for (const double y : {-0.5, 0.5}) {
            for (const double z : {-0.5, 0.5}) {
                const Vector3 corner{x * box.size.x, y * box.size.y, z * box.size.z};
                solid.corners_m.push_back(corner_of(box.middle + rotated(turn, corner)));
            }
        }
    }
    solid.faces = {{0, 1, 3, 2}, {4, 6, 7, 5}, {0, 4, 5, 1},
                   {2, 3, 7, 6}, {0, 2, 6, 4}, {1, 5, 7, 3}};
    return solid;
}

io::Solid solid_of(const HeightField& field) {
    return FieldSurface{field}.solid();
}

io::Solid solid_of(const GroundMesh& mesh) {
    io::Solid solid;
    for (const Vector3& corner : mesh.corners())
        solid.corners_m.push_back(corner_of(corner));
    for (const auto& [a, b, c] : mesh.triangles())
        solid.faces.push_back({a, b, c});
    return solid;
}

io::Solid solid_of(const Terrain::Plane& plane) {
    io::Solid slab =
        solid_of(Terrain::Box{.middle = {0, -0.5 * slab_m, 0}, .size = {wide_m, slab_m, wide_m}});
    for (auto& [x, y, z] : slab.corners_m) {
        y += plane.point.y + plane.slope_x * x + plane.slope_z * z;
        x += plane.point.x;
        z += plane.point.z;
    }
    return slab;
}

}  // namespace hopcoil::scene
