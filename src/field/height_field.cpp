#include <algorithm>
#include <cmath>
#include <utility>

#include <hopcoil/base/components.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/field/ground.hpp>
#include <hopcoil/field/height_field.hpp>

namespace hopcoil {

HeightField::HeightField(const Grid& grid, std::vector<double> heights)
    : grid_{grid}, heights_{std::move(heights)} {
    const auto require_two = [](const char* name, std::size_t count) {
        if (count < 2) throw InvalidValue{name, static_cast<double>(count), "2 or more"};
    };
    require_two("columns", grid_.columns);
    require_two("rows", grid_.rows);
    require_above_zero("spacing_m", grid_.spacing_m);
    require_finite("from_x", grid_.from_x);
    require_finite("from_z", grid_.from_z);
    if (heights_.size() != grid_.columns * grid_.rows) {
        throw InvalidValue{"heights", static_cast<double>(heights_.size()),
                           "as many as columns times rows"};
    }
    for (const double height : heights_)
        require_finite("heights", height);
    narrowest_.reserve((grid_.columns - 1) * (grid_.rows - 1));
    for (std::size_t row = 0; row + 1 < grid_.rows; ++row) {
        for (std::size_t column = 0; column + 1 < grid_.columns; ++column) {
            FaceChoice narrowest = FaceChoice::all;
            for (const FaceChoice choice : {FaceChoice::edged, FaceChoice::steep}) {
                if (is_chosen(face(column, row, 0), choice) ||
                    is_chosen(face(column, row, 1), choice))
                    narrowest = choice;
            }
            narrowest_.push_back(narrowest);
        }
    }
}

std::optional<HeightField::Spot> HeightField::at(double x, double z) const noexcept {
    const double u = (x - grid_.from_x) / grid_.spacing_m;
    const double v = (z - grid_.from_z) / grid_.spacing_m;
    const auto columns = static_cast<double>(grid_.columns - 1);
    const auto rows = static_cast<double>(grid_.rows - 1);
    if (!(u >= 0 && u <= columns && v >= 0 && v <= rows)) return std::nullopt;
    const double column = std::min(std::floor(u), columns - 1);
    const double row = std::min(std::floor(v), rows - 1);
    const std::size_t first =
        static_cast<std::size_t>(row) * grid_.columns + static_cast<std::size_t>(column);
    const double a = u - column;
    const double b = v - row;
    const double low = heights_[first];
    const double high = heights_[first + grid_.columns + 1];
    // Of the two triangles that a cell is divided into, the one with more x, or with more z.
    const double side = a >= b ? heights_[first + 1] : heights_[first + grid_.columns];
    const double along_x = a >= b ? side - low : high - side;
    const double along_z = a >= b ? high - side : side - low;
    return Spot{low + a * along_x + b * along_z,
                normal_of_slopes(along_x / grid_.spacing_m, along_z / grid_.spacing_m)};
}

Vector3 HeightField::corner(std::size_t column, std::size_t row) const noexcept {
    return {grid_.from_x + static_cast<double>(column) * grid_.spacing_m,
            heights_[row * grid_.columns + column],
            grid_.from_z + static_cast<double>(row) * grid_.spacing_m};
}

/// The half of a cell with more x (0), or with more z (1).
GroundFace HeightField::face(std::size_t column, std::size_t row, std::size_t half) const noexcept {
    const Vector3 low = corner(column, row);
    const Vector3 high = corner(column + 1, row + 1);
    const Vector3 right = corner(column + 1, row);
    const Vector3 up = corner(column, row + 1);
    GroundFace made;
    made.corners = half == 0 ? std::array{low, high, right} : std::array{low, up, high};
    const Vector3 out = cross(made.corners[1] - made.corners[0], made.corners[2] - made.corners[0]);
    made.normal = out * (1 / length_of(out));
    const auto look = [&](std::size_t edge, bool exists, std::size_t c, std::size_t r) {
        if (exists) made.beyond[edge] = normal_beyond(made, edge, corner(c, r));
    };
    if (half == 0) {
        look(0, true, column, row + 1);
        look(1, column + 2 < grid_.columns, column + 2, row + 1);
        look(2, row > 0, column, row - 1);
    } else {
        look(0, column > 0, column - 1, row);
        look(1, row + 2 < grid_.rows, column + 1, row + 2);
        look(2, true, column + 1, row);
    }
    return made;
}

void HeightField::visit_faces(const Vector3& place, double radius, FaceChoice choice,
                              FaceVisitor& visitor) const noexcept {
    const auto cells = [&](double at, double from, std::size_t count) {
        const auto last = static_cast<double>(count - 2);
        const double low = (at - radius - from) / grid_.spacing_m;
        const double high = (at + radius - from) / grid_.spacing_m;
        if (!(high >= 0 && low <= last + 1)) return std::pair<std::size_t, std::size_t>{1, 0};
        return std::pair{static_cast<std::size_t>(std::clamp(std::floor(low), 0.0, last)),
                         static_cast<std::size_t>(std::clamp(std::floor(high), 0.0, last))};
    };
    const auto [first_column, last_column] = cells(place.x, grid_.from_x, grid_.columns);
    const auto [first_row, last_row] = cells(place.z, grid_.from_z, grid_.rows);
    for (std::size_t row = first_row; row <= last_row; ++row) {
        for (std::size_t column = first_column; column <= last_column; ++column) {
            if (narrowest_[row * (grid_.columns - 1) + column] < choice) continue;
            if (!comes_near(column, row, place, radius)) continue;
            for (const std::size_t half : {std::size_t{0}, std::size_t{1}}) {
                const GroundFace one = face(column, row, half);
                if (is_chosen(one, choice) && nearest_on(one, place).metres <= radius)
                    visitor.visit(one);
            }
        }
    }
}

/// By the box around a cell.
bool HeightField::comes_near(std::size_t column, std::size_t row, const Vector3& place,
                             double radius) const noexcept {
    const Vector3 low = corner(column, row);
    const Vector3 high = corner(column + 1, row + 1);
    const auto [least, most] =
        std::minmax({low.y, high.y, corner(column + 1, row).y, corner(column, row + 1).y});
    const Vector3 away{place.x - std::clamp(place.x, low.x, high.x),
                       place.y - std::clamp(place.y, least, most),
                       place.z - std::clamp(place.z, low.z, high.z)};
    return dot(away, away) <= radius * radius;
}

}  // namespace hopcoil
