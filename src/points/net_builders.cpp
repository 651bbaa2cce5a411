#include <cmath>
#include <map>
#include <utility>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/points/net_builders.hpp>

#include "../base/vectors.hpp"

namespace hopcoil {

namespace {

constexpr std::size_t most_built_points = 4'000'000;

void require_count(const char* field, std::size_t count, std::size_t least) {
    if (count < least || count > most_built_points) {
        throw InvalidValue{field, static_cast<double>(count),
                           std::to_string(least) + " to " + std::to_string(most_built_points)};
    }
}

void place(NetStructure& structure, const Placement& placement) {
    const Quaternion turn = normalized(placement.rotation);
    if (!is_finite_vector(placement.position) || !(turn.w == turn.w))
        throw InvalidValue{"placement", norm(placement.position), "a finite place and a rotation"};
    for (NetPoint& point : structure.points)
        point.position = placement.position + rotated(turn, point.position);
}

/// Points a segment apart, with links and bending, not placed yet.
NetStructure rope_of(const RopeSettings& settings) {
    require_valid(settings);
    const double h = settings.length_m / static_cast<double>(settings.segments);
    const LinkStrength strength{settings.stretch_n / h, settings.stretch_damping_n_s / h};
    NetStructure made{.link_diameter_m = settings.diameter_m};
    for (std::uint32_t i = 0; i <= settings.segments; ++i) {
        const bool is_end = i == 0 || i == settings.segments;
        made.points.push_back({.position = {0, -h * i, 0},
                               .mass_kg = settings.mass_kg_per_m * h * (is_end ? 0.5 : 1)});
        if (i == 0) continue;
        made.links.push_back(settings.pulls_only ? rope_link(i - 1, i, h, strength)
                                                 : spring_link(i - 1, i, h, strength));
        if (i == 1 || settings.bending_n_m2 == 0) continue;
        made.bends.push_back({.a = i - 2,
                              .middle = i - 1,
                              .c = i,
                              .stiffness_n_per_m = settings.bending_n_m2 / (h * h * h)});
    }
    return made;
}

/// A hanging rope of length s whose ends are `across` and `up` apart: the a of y = a cosh(x/a), by
/// halving. sqrt(s^2 - up^2)/across = sinh(q)/q with q = across/(2a).
double catenary_parameter(double length, double across, double up) {
    const double wanted = std::sqrt(length * length - up * up) / across;
    const auto too_small = [&](double q) {
        return (math::exp(q) - math::exp(-q)) / (2 * q) < wanted;
    };
    double least = 1e-6;
    double most = 300;
    for (int i = 0; i < 200; ++i) {
        const double middle = (least + most) / 2;
        (too_small(middle) ? least : most) = middle;
    }
    return across / (2 * least);
}

}  // namespace

void require_valid(const RopeSettings& settings) {
    require_above_zero("length_m", settings.length_m);
    require_count("segments", settings.segments, 1);
    require_above_zero("mass_kg_per_m", settings.mass_kg_per_m);
    require_at_least_zero("stretch_n", settings.stretch_n);
    require_at_least_zero("stretch_damping_n_s", settings.stretch_damping_n_s);
    require_at_least_zero("bending_n_m2", settings.bending_n_m2);
    require_at_least_zero("diameter_m", settings.diameter_m);
}

NetStructure rope(const RopeSettings& settings, const Placement& placement) {
    NetStructure made = rope_of(settings);
    place(made, placement);
    return made;
}

NetStructure rope_between(const RopeSettings& settings, const Vector3& from, const Vector3& to) {
    NetStructure made = rope_of(settings);
    const Vector3 way = to - from;
    const double apart = norm(way);
    if (!is_finite_vector(way)) throw InvalidValue{"to", apart, "a finite place"};
    const double length = settings.length_m;
    const double across = std::sqrt(way.x * way.x + way.z * way.z);
    const auto part = [&](std::size_t i) {
        return static_cast<double>(i) / static_cast<double>(settings.segments);
    };
    made.points.front().is_pinned = made.points.back().is_pinned = true;
    const bool is_taut = length <= apart * (1 + 1e-9);
    const bool is_upright = across < 1e-6 * length;
    for (std::size_t i = 0; i <= settings.segments; ++i) {
        Vector3& p = made.points[i].position;
        if (is_taut) {
            p = from + way * part(i);
        } else if (is_upright) {  // down, and up again
            const double down = (length - way.y) / 2;
            const double along = length * part(i);
            p = from + Vector3{0, along < down ? -along : along - 2 * down, 0};
        } else {
            const double a = catenary_parameter(length, across, way.y);
            // Arc length from the lowest point: a sinh(x/a); of the first end -(tail).
            const double q = across / (2 * a);
            const double tanh = -math::expm1(-2 * q) / (1 + math::exp(-2 * q));
            const double tail = (length - way.y / tanh) / 2;
            const double s = length * part(i) - tail;
            const auto x_at = [&](double arc) {
                const double ratio = arc / a;
                const double size = std::abs(ratio);
                const double x = a * math::log(size + std::sqrt(size * size + 1));
                return ratio < 0 ? -x : x;
            };
            const auto y_at = [&](double arc) {
                return std::sqrt(a * a + arc * arc);
            };
            const double x = x_at(s) - x_at(-tail);
            p = from + Vector3{way.x * x / across, y_at(s) - y_at(-tail), way.z * x / across};
        }
    }
    made.points.front().position = from;
    made.points.back().position = to;
    return made;
}

void require_valid(const ClothSettings& settings) {
    require_above_zero("width_m", settings.width_m);
    require_above_zero("height_m", settings.height_m);
    require_count("columns", settings.columns, 2);
    require_count("rows", settings.rows, 2);
    require_count("columns", settings.columns * settings.rows, 4);
    require_above_zero("mass_kg_per_m2", settings.mass_kg_per_m2);
    require_at_least_zero("stretch_n_per_m", settings.stretch_n_per_m);
    require_at_least_zero("shear_n_per_m", settings.shear_n_per_m);
    require_at_least_zero("bending_n_m", settings.bending_n_m);
    require_at_least_zero("stretch_damping_n_s_per_m", settings.stretch_damping_n_s_per_m);
}

namespace {

/// The grid of a cloth, and what its links are made of.
class ClothGrid {
  public:
    explicit ClothGrid(const ClothSettings& s)
        : columns_{static_cast<std::uint32_t>(s.columns)},
          rows_{static_cast<std::uint32_t>(s.rows)},
          hx_{s.width_m / (columns_ - 1)},
          hy_{s.height_m / (rows_ - 1)},
          s_{s} {
        const double k = s.stretch_n_per_m;
        const double g = s.shear_n_per_m;
        // Diagonals carry a part of the pull along a strip: the stiffness left for the others.
        along_ = ((k - 2 * g) + std::sqrt(k * k + 4 * g * g)) / 2;
        diagonal_ = g * (hx_ * hx_ + hy_ * hy_) / (2 * hx_ * hy_);
        damping_s_ = k > 0 ? s.stretch_damping_n_s_per_m / k : 0;
    }

    [[nodiscard]] NetStructure build() const {
        NetStructure made;
        for (std::uint32_t row = 0; row < rows_; ++row) {
            for (std::uint32_t column = 0; column < columns_; ++column) {
                add_point(made, row, column);
                add_links(made, row, column);
                if (row + 1 < rows_ && column + 1 < columns_) add_cell(made, row, column);
            }
        }
        return made;
    }

  private:
    [[nodiscard]] std::uint32_t at(std::uint32_t row, std::uint32_t column) const {
        return row * columns_ + column;
    }
    [[nodiscard]] static double share(std::uint32_t i, std::uint32_t count) {
        return i == 0 || i + 1 == count ? 0.5 : 1.0;
    }
    [[nodiscard]] LinkStrength strength(double k) const { return {k, k * damping_s_}; }

    void add_point(NetStructure& made, std::uint32_t row, std::uint32_t column) const {
        made.points.push_back(
            {.position = {hx_ * column - s_.width_m / 2, s_.height_m / 2 - hy_ * row, 0},
             .mass_kg =
                 s_.mass_kg_per_m2 * hx_ * hy_ * share(row, rows_) * share(column, columns_)});
        made.texture.push_back({static_cast<float>(column) / static_cast<float>(columns_ - 1),
                                static_cast<float>(row) / static_cast<float>(rows_ - 1)});
    }
    void add_links(NetStructure& made, std::uint32_t row, std::uint32_t column) const {
        const double across = share(row, rows_);
        const double down = share(column, columns_);
        if (column + 1 < columns_) {
            made.links.push_back(spring_link(at(row, column), at(row, column + 1), hx_,
                                             strength(along_ * across * hy_ / hx_)));
        }
        if (row + 1 < rows_) {
            made.links.push_back(spring_link(at(row, column), at(row + 1, column), hy_,
                                             strength(along_ * down * hx_ / hy_)));
        }
        if (s_.bending_n_m == 0) return;
        if (column > 0 && column + 1 < columns_) {
            made.bends.push_back(
                {.a = at(row, column - 1),
                 .middle = at(row, column),
                 .c = at(row, column + 1),
                 .stiffness_n_per_m = s_.bending_n_m * across * hy_ / (hx_ * hx_ * hx_)});
        }
        if (row > 0 && row + 1 < rows_) {
            made.bends.push_back(
                {.a = at(row - 1, column),
                 .middle = at(row, column),
                 .c = at(row + 1, column),
                 .stiffness_n_per_m = s_.bending_n_m * down * hx_ / (hy_ * hy_ * hy_)});
        }
    }
    void add_cell(NetStructure& made, std::uint32_t row, std::uint32_t column) const {
        const std::uint32_t a = at(row, column);
        const std::uint32_t b = at(row, column + 1);
        const std::uint32_t c = at(row + 1, column);
        const std::uint32_t d = at(row + 1, column + 1);
        if (s_.shear_n_per_m > 0) {
            const double length = std::sqrt(hx_ * hx_ + hy_ * hy_);
            made.links.push_back(spring_link(a, d, length, strength(diagonal_)));
            made.links.push_back(spring_link(b, c, length, strength(diagonal_)));
        }
        if ((row + column) % 2 == 0) {
            made.triangles.push_back({a, c, d});
            made.triangles.push_back({a, d, b});
        } else {
            made.triangles.push_back({a, c, b});
            made.triangles.push_back({b, c, d});
        }
    }

    std::uint32_t columns_;
    std::uint32_t rows_;
    double hx_;
    double hy_;
    const ClothSettings& s_;
    double along_ = 0;
    double diagonal_ = 0;
    double damping_s_ = 0;
};

}  // namespace

NetStructure cloth(const ClothSettings& settings, const Placement& placement) {
    require_valid(settings);
    NetStructure made = ClothGrid{settings}.build();
    place(made, placement);
    return made;
}

std::vector<std::uint32_t> points_at(const ClothSettings& settings, ClothEdge edge) {
    require_valid(settings);
    const auto columns = static_cast<std::uint32_t>(settings.columns);
    const auto rows = static_cast<std::uint32_t>(settings.rows);
    std::vector<std::uint32_t> found;
    const bool is_level = edge == ClothEdge::top || edge == ClothEdge::bottom;
    for (std::uint32_t i = 0; i < (is_level ? columns : rows); ++i) {
        if (edge == ClothEdge::top) found.push_back(i);
        if (edge == ClothEdge::bottom) found.push_back((rows - 1) * columns + i);
        if (edge == ClothEdge::left) found.push_back(i * columns);
        if (edge == ClothEdge::right) found.push_back(i * columns + columns - 1);
    }
    return found;
}

std::vector<std::uint32_t> points_at(const ClothSettings& settings, ClothCorner corner,
                                     double patch_m) {
    require_valid(settings);
    require_at_least_zero("patch_m", patch_m);
    const auto columns = static_cast<std::uint32_t>(settings.columns);
    const auto rows = static_cast<std::uint32_t>(settings.rows);
    const double hx = settings.width_m / (columns - 1);
    const double hy = settings.height_m / (rows - 1);
    const bool right = corner == ClothCorner::top_right || corner == ClothCorner::bottom_right;
    const bool bottom = corner == ClothCorner::bottom_left || corner == ClothCorner::bottom_right;
    const double within = patch_m * (1 + 1e-9);
    std::vector<std::uint32_t> found;
    for (std::uint32_t row = 0; row < rows && hy * row <= within; ++row) {
        for (std::uint32_t column = 0; column < columns && hx * column <= within; ++column) {
            found.push_back((bottom ? rows - 1 - row : row) * columns +
                            (right ? columns - 1 - column : column));
        }
    }
    return found;
}

void require_valid(const OrientedSettings& settings) {
    for (const double number :
         {settings.half_size_m.x, settings.half_size_m.y, settings.half_size_m.z})
        require_above_zero("half_size_m", number);
    require_above_zero("mass_kg", settings.mass_kg);
    require_above_zero("stiffness_n_per_m", settings.stiffness_n_per_m);
    require_at_least_zero("damping_n_s_per_m", settings.damping_n_s_per_m);
}

NetStructure oriented_body(const OrientedSettings& settings, const Placement& placement) {
    require_valid(settings);
    NetStructure made;
    const Vector3& half = settings.half_size_m;
    for (const Vector3& p : {Vector3{-half.x, 0, 0}, Vector3{half.x, 0, 0}, Vector3{0, -half.y, 0},
                             Vector3{0, half.y, 0}, Vector3{0, 0, -half.z}, Vector3{0, 0, half.z}})
        made.points.push_back({.position = p, .mass_kg = settings.mass_kg / 6});
    const LinkStrength strength{settings.stiffness_n_per_m, settings.damping_n_s_per_m};
    for (std::uint32_t i = 0; i < 6; ++i) {
        for (std::uint32_t j = i + 1; j < 6; ++j) {
            const double length = norm(made.points[j].position - made.points[i].position);
            made.links.push_back(spring_link(i, j, length, strength));
        }
    }
    place(made, placement);
    return made;
}

Placement frame_of(const std::array<Vector3, 6>& points) noexcept {
    Vector3 middle{};
    for (const Vector3& each : points)
        middle = middle + each * (1.0 / 6);
    const Vector3 x = unit(points[1] - points[0], {1, 0, 0});
    const Vector3 y_way = points[3] - points[2];
    const Vector3 y = unit(y_way - x * dot(x, y_way), {0, 1, 0});
    const Vector3 z = cross(x, y);
    const double trace = x.x + y.y + z.z;
    Quaternion q{1 + trace, y.z - z.y, z.x - x.z, x.y - y.x};
    if (trace < -0.5) {  // near a half turn: by the largest of the diagonal
        if (x.x >= y.y && x.x >= z.z) {
            q = {y.z - z.y, 1 + x.x - y.y - z.z, x.y + y.x, z.x + x.z};
        } else if (y.y >= z.z) {
            q = {z.x - x.z, x.y + y.x, 1 + y.y - x.x - z.z, y.z + z.y};
        } else {
            q = {x.y - y.x, z.x + x.z, y.z + z.y, 1 + z.z - x.x - y.y};
        }
    }
    return {middle, normalized(q)};
}

void attach(NetStructure& all, std::uint32_t a, std::uint32_t b, const LinkStrength& strength) {
    all.links.push_back(spring_link(a, b, 0, strength));
}

}  // namespace hopcoil
