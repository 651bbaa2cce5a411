#pragma once

#include <cstddef>
#include <cstdint>
#include <limits>
#include <span>
#include <vector>

#include <hopcoil/base/dial.hpp>
#include <hopcoil/base/vector3.hpp>

namespace hopcoil {

/// The parent of a branch that grows from the base.
inline constexpr std::size_t plant_base = std::numeric_limits<std::size_t>::max();

/// A straight piece of a plant, from the end of its parent (or from the base, at the origin).
struct PlantBranch {
    std::size_t parent = plant_base;  ///< comes before it
    Vector3 end{0, 1, 0};             ///< in the plant's frame, at rest
    double radius_m = 0.01;
    bool continues = false;  ///< it and its parent are pieces of one branch, which bends
};

/// The shape of a plant in a few numbers.
struct PlantShape {
    std::size_t levels = 4;    ///< 1 is a trunk alone
    std::size_t children = 3;  ///< that every branch splits into
    std::size_t pieces = 2;    ///< straight ones in a row, that a branch is made of; at most 8
    double trunk_length_m = 0.5;
    double trunk_radius_m = 0.012;
    double length_ratio = 0.75;  ///< of a child to its parent
    double radius_ratio = 0.6;
    double angle_rad = 0.5;  ///< between a branch and its children
    double twist_rad = 2.4;  ///< from the children of one level to those of the next, about it
    double variation = 0.2;  ///< of lengths and angles, either way, as a part of each
    double least_length_m = 0.01;  ///< a branch that would be shorter does not grow
    bool is_fan = false;           ///< all in the XY plane, children side by side

    static constexpr std::size_t dial_count = 8;
    [[nodiscard]] static std::span<const Dial<PlantShape>> dials() noexcept;
    friend bool operator==(const PlantShape&, const PlantShape&) = default;
};
/// Errors  InvalidValue names the field, its value and its range.
void require_valid(const PlantShape& shape);
[[nodiscard]] bool is_valid(const PlantShape& shape) noexcept;

/// How many pieces will grow, without growing them; counted no further than one above `most`.
/// Errors  InvalidValue for an invalid shape.
[[nodiscard]] std::size_t count_branches(const PlantShape& shape, std::uint64_t stream,
                                         std::size_t most = 20'000);
/// The branches, parents first, the trunk upward along Y. The same stream grows the same plant.
/// Errors  InvalidValue for an invalid shape, or one of more than `most` pieces.
[[nodiscard]] std::vector<PlantBranch> grown_branches(const PlantShape& shape, std::uint64_t stream,
                                                      std::size_t most = 20'000);

/// How a structure moves.
struct PlantModeSettings {
    std::size_t count = 20;       ///< modes that are kept, at most 32
    bool is_flat = false;         ///< it bends in the XY plane only
    std::size_t wind_points = 4;  ///< where the wind is sampled, at most 32
};

/// What plants of one shape have in common: their branches and modes of vibration, computed once.
/// It never changes: any number of plants may share it.
///
/// Model   Every branch is a rigid rod with an angular spring at its foot, as stiff as a beam of
///         its radius: k = c E I / L with I = pi r^4 / 4 and c so that a branch by itself has the
///         lowest natural frequency of a clamped beam, 0.56 (r / 2) / L^2 sqrt(E / density). Of
///         the coupled tree the lowest modes are kept, the last of them replaced by the
///         bends under an even load along each axis, so that such a load bends it fully.
/// Units   metres; stiffness and density are those of the plant (PlantSettings), so here E = 1
///         and density = 1.
/// Source  docs/plants.md.
/// Errors  InvalidValue for branches without length or radius, a parent that does not come before
///         its child, or settings out of range.
/// Cost    of making it: some 20 ms for 100 branches; in proportion to their number.
class PlantStructure {
  public:
    explicit PlantStructure(std::vector<PlantBranch> branches,
                            const PlantModeSettings& settings = {});
    /// Grown from a few numbers.
    PlantStructure(const PlantShape& shape, std::uint64_t stream,
                   const PlantModeSettings& settings = {})
        : PlantStructure{grown_branches(shape, stream), settings} {}

    [[nodiscard]] std::size_t size() const noexcept { return branches_.size(); }
    [[nodiscard]] std::span<const PlantBranch> branches() const noexcept { return branches_; }
    [[nodiscard]] const PlantModeSettings& settings() const noexcept { return settings_; }
    /// Of each point, the base first, then the end of every branch: the index of the point before
    /// it; the base's own.
    [[nodiscard]] std::vector<std::size_t> parents() const;
    /// Branches without children.
    [[nodiscard]] std::vector<std::size_t> tips() const;
    /// The largest distance of a point from the base, at rest.
    [[nodiscard]] double reach_m() const noexcept { return reach_m_; }
    [[nodiscard]] double volume_m3() const noexcept { return volume_m3_; }

    [[nodiscard]] std::size_t mode_count() const noexcept { return modes_.size(); }
    /// The frequency of a mode over that of the first, which is the slowest.
    [[nodiscard]] double frequency_ratio(std::size_t mode) const { return modes_.at(mode).ratio; }
    /// The frequency of the first mode for a material, in pascals and kilograms per cubic metre,
    /// which include the fluid that moves along.
    [[nodiscard]] double frequency_hz(double youngs_modulus_pa, double density_kg_per_m3) const;

    /// A branch as used in the computation.
    struct Rod {
        std::size_t parent = plant_base;
        Vector3 along{};     ///< from its foot to its end, at rest
        Vector3 bends[2]{};  ///< the axes that it turns about, across it; the second 0 when flat
        double length_m = 1;
        double radius_m = 1;
        double volume_m3 = 1;
        double stiffness = 1;      ///< of E = 1
        double turn_in_modes = 0;  ///< squares of its turn, summed over the modes
        std::size_t wind_point = 0;
    };
    /// A vibration mode, of unit modal mass for density 1.
    struct Mode {
        double ratio = 1;
        double reach_m = 1;             ///< the largest way of any point, for a unit of it
        Vector3 base_way{};             ///< its share of the base's acceleration
        Vector3 base_turn{};            ///< of its angular acceleration
        std::vector<double> turns{};    ///< two for each branch, about its bends
        std::vector<double> squares{};  ///< of how each half of a branch moves across it
    };
    [[nodiscard]] std::span<const Rod> rods() const noexcept { return rods_; }
    [[nodiscard]] std::span<const Mode> modes() const noexcept { return modes_; }
    /// Where the wind is sampled, at rest.
    [[nodiscard]] std::span<const Vector3> wind_points() const noexcept { return wind_points_; }

  private:
    void make_rods();
    void find_modes();
    void place_wind_points();

    std::vector<PlantBranch> branches_;
    PlantModeSettings settings_;
    std::vector<Rod> rods_;
    std::vector<Mode> modes_;
    std::vector<Vector3> wind_points_;
    double reach_m_ = 0;
    double volume_m3_ = 0;
    double first_eigenvalue_ = 1;  ///< w^2 of the first mode, of E = 1 and density = 1
};

}  // namespace hopcoil
