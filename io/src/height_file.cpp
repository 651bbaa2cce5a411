#include <algorithm>
#include <cmath>
#include <vector>

#include <fmt/format.h>

#include <hopcoil/io/csv.hpp>
#include <hopcoil/io/height_file.hpp>

namespace hopcoil::io {
namespace {

std::vector<double> sorted_once(std::vector<double> numbers) {
    std::sort(numbers.begin(), numbers.end());
    numbers.erase(std::unique(numbers.begin(), numbers.end()), numbers.end());
    return numbers;
}

}  // namespace

HeightField read_height_field(const std::string& path) {
    const CsvTable table = read_csv(path);
    const std::vector<double> x = number_column(table, "x_m");
    const std::vector<double> z = number_column(table, "z_m");
    const std::vector<double> height = number_column(table, "height_m");
    const std::vector<double> columns = sorted_once(x);
    const std::vector<double> rows = sorted_once(z);
    const auto refuse = [&](const std::string& what) {
        refuse_input({path, 0, 0}, "", what);
    };
    if (columns.size() < 2 || rows.size() < 2 || columns.size() * rows.size() != x.size()) {
        refuse(fmt::format(
            "expected a grid, a row for each corner: {} places along x and {} along z are {} "
            "corners, found {} rows",
            columns.size(), rows.size(), columns.size() * rows.size(), x.size()));
    }
    const double spacing =
        (columns.back() - columns.front()) / static_cast<double>(columns.size() - 1);
    const auto require_even = [&](const std::vector<double>& places, const char* name) {
        for (std::size_t i = 1; i < places.size(); ++i) {
            if (std::abs(places[i] - places[i - 1] - spacing) <= 1e-6 * spacing) continue;
            refuse(fmt::format("expected even steps of {:.6g} m along {}, found {:.6g} to {:.6g}",
                               spacing, name, places[i - 1], places[i]));
        }
    };
    require_even(columns, "x_m");
    require_even(rows, "z_m");
    std::vector<double> heights(x.size());
    for (std::size_t i = 0; i < x.size(); ++i) {
        const auto column =
            static_cast<std::size_t>(std::lround((x[i] - columns.front()) / spacing));
        const auto row = static_cast<std::size_t>(std::lround((z[i] - rows.front()) / spacing));
        heights[row * columns.size() + column] = height[i];
    }
    return {{columns.size(), rows.size(), spacing, columns.front(), rows.front()},
            std::move(heights)};
}

}  // namespace hopcoil::io
