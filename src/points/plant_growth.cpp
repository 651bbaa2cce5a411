// Branches from a few numbers.

#include <algorithm>
#include <array>
#include <cmath>
#include <optional>
#include <string>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/base/quaternion.hpp>
#include <hopcoil/base/random.hpp>
#include <hopcoil/points/plant_structure.hpp>

namespace hopcoil {
namespace {

constexpr auto by_factors = DialScale::logarithmic;
constexpr std::array<Dial<PlantShape>, PlantShape::dial_count> all_dials{
    field_dial<&PlantShape::trunk_length_m>(
        Dial<PlantShape>{"trunk_length_m", "m", {1e-4, 1e4}, {0.05, 3}, by_factors}),
    field_dial<&PlantShape::trunk_radius_m>(
        Dial<PlantShape>{"trunk_radius_m", "m", {1e-6, 1e3}, {0.002, 0.2}, by_factors}),
    field_dial<&PlantShape::length_ratio>(
        Dial<PlantShape>{"length_ratio", "", {1e-3, 2}, {0.4, 1}}),
    field_dial<&PlantShape::radius_ratio>(
        Dial<PlantShape>{"radius_ratio", "", {1e-3, 2}, {0.3, 1}}),
    field_dial<&PlantShape::angle_rad>(
        Dial<PlantShape>{"angle_rad", "rad", {0, math::pi}, {0, 1.5}}),
    field_dial<&PlantShape::twist_rad>(Dial<PlantShape>{"twist_rad", "rad", {-100, 100}, {0, 3.2}}),
    field_dial<&PlantShape::variation>(Dial<PlantShape>{"variation", "", {0, 0.999}, {0, 0.8}}),
    field_dial<&PlantShape::least_length_m>(
        Dial<PlantShape>{"least_length_m", "m", {1e-6, 1e4}, {0.005, 0.3}, by_factors}),
};

void require_ratio(const char* name, double value, double most) {
    require_above_zero(name, value);
    if (value > most) throw InvalidValue{name, value, "at most " + shortest(most)};
}

void require_between(const char* name, std::size_t value, std::size_t least, std::size_t most) {
    if (value >= least && value <= most) return;
    throw InvalidValue{
        name, static_cast<double>(value),
        shortest(static_cast<double>(least)) + " to " + shortest(static_cast<double>(most))};
}

/// A branch that is to grow.
struct Bud {
    std::size_t parent = plant_base;
    std::size_t level = 0;
    Vector3 foot{};
    Quaternion turn{};  ///< it grows along its Y
    double length_m = 1;
    double radius_m = 1;
    std::uint64_t stream = 0;  ///< its own: what else grows changes nothing here
};

/// The numbers of a branch's stream, by what they are for.
enum Draw : std::int64_t { of_length, of_angle, of_way };

double varied(double value, double variation, std::uint64_t stream, Draw draw) {
    return value * (1 + variation * (2 * unit_number(stream, draw) - 1));
}

/// How a child is turned against its parent.
Quaternion turn_of(const PlantShape& shape, const Bud& parent, std::size_t child,
                   std::uint64_t stream) {
    const auto count = static_cast<double>(shape.children);
    const auto index = static_cast<double>(child);
    if (shape.is_fan) {
        // Side by side, from one side to the other.
        const double at = shape.children == 1 ? 0 : 2 * index / (count - 1) - 1;
        const double off =
            shape.angle_rad * shape.variation * (2 * unit_number(stream, of_angle) - 1);
        return turned_by({0, 0, -(shape.angle_rad * at + off)});
    }
    const double around =
        2 * math::pi * (index + 0.5 * shape.variation * unit_number(stream, of_way)) / count +
        shape.twist_rad * static_cast<double>(parent.level + 1);
    const double angle = varied(shape.angle_rad, shape.variation, stream, of_angle);
    return turned_by({0, around, 0}) * turned_by({0, 0, angle});
}

/// Calls for every branch, level by level, until that returns false. It returns the index of the
/// branch's last piece.
template <class Grow>
void for_each_bud(const PlantShape& shape, std::uint64_t stream, const Grow& grow) {
    std::vector<Bud> buds{{.length_m = varied(shape.trunk_length_m, 0, stream, of_length),
                           .radius_m = shape.trunk_radius_m,
                           .stream = stream}};
    while (!buds.empty()) {
        std::vector<Bud> next;
        for (const Bud& bud : buds) {
            const std::optional<std::size_t> last = grow(bud);
            if (!last) return;
            if (bud.level + 1 >= shape.levels) continue;
            const Vector3 end = bud.foot + rotated(bud.turn, {0, bud.length_m, 0});
            for (std::size_t i = 0; i < shape.children; ++i) {
                const std::uint64_t own = mixed_bits(bud.stream + i + 1);
                const double length_m =
                    varied(bud.length_m * shape.length_ratio, shape.variation, own, of_length);
                if (length_m < shape.least_length_m) continue;
                next.push_back({*last, bud.level + 1, end,
                                normalized(bud.turn * turn_of(shape, bud, i, own)), length_m,
                                bud.radius_m * shape.radius_ratio, own});
            }
        }
        buds = std::move(next);
    }
}

}  // namespace

void require_valid(const PlantShape& shape) {
    require_between("levels", shape.levels, 1, 24);
    require_between("children", shape.children, 1, 64);
    require_between("pieces", shape.pieces, 1, 8);
    require_above_zero("trunk_length_m", shape.trunk_length_m);
    require_above_zero("trunk_radius_m", shape.trunk_radius_m);
    require_ratio("length_ratio", shape.length_ratio, 2);
    require_ratio("radius_ratio", shape.radius_ratio, 2);
    require_at_least_zero("angle_rad", shape.angle_rad);
    if (shape.angle_rad > math::pi) throw InvalidValue{"angle_rad", shape.angle_rad, "at most pi"};
    require_finite("twist_rad", shape.twist_rad);
    require_at_least_zero("variation", shape.variation);
    if (shape.variation >= 1) throw InvalidValue{"variation", shape.variation, "below 1"};
    require_above_zero("least_length_m", shape.least_length_m);
}

bool is_valid(const PlantShape& shape) noexcept {
    return passes_require_valid(shape);
}

std::span<const Dial<PlantShape>> PlantShape::dials() noexcept {
    return all_dials;
}

std::size_t count_branches(const PlantShape& shape, std::uint64_t stream, std::size_t most) {
    require_valid(shape);
    std::size_t count = 0;
    for_each_bud(shape, stream, [&](const Bud&) -> std::optional<std::size_t> {
        count += shape.pieces;
        if (count > most) return std::nullopt;
        return 0;
    });
    return std::min(count, most + 1);
}

std::vector<PlantBranch> grown_branches(const PlantShape& shape, std::uint64_t stream,
                                        std::size_t most) {
    if (count_branches(shape, stream, most) > most) {
        throw InvalidValue{"levels", static_cast<double>(shape.levels),
                           "a plant of at most " + shortest(static_cast<double>(most)) +
                               " pieces: fewer levels, children or pieces, or a larger "
                               "least_length_m"};
    }
    std::vector<PlantBranch> branches;
    for_each_bud(shape, stream, [&](const Bud& bud) -> std::optional<std::size_t> {
        std::size_t parent = bud.parent;
        for (std::size_t i = 0; i < shape.pieces; ++i) {
            const double part = static_cast<double>(i + 1) / static_cast<double>(shape.pieces);
            // Each branch tapers toward the radius of its children.
            const double middle =
                (static_cast<double>(i) + 0.5) / static_cast<double>(shape.pieces);
            const double taper = shape.pieces == 1 ? 1 : 1 + middle * (shape.radius_ratio - 1);
            branches.push_back({parent, bud.foot + rotated(bud.turn, {0, part * bud.length_m, 0}),
                                bud.radius_m * taper, i > 0});
            parent = branches.size() - 1;
        }
        return parent;
    });
    return branches;
}

}  // namespace hopcoil
