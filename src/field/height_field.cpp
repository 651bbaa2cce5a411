#include <algorithm>
#include <cmath>

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

}  // namespace hopcoil
