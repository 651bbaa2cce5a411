#include <algorithm>
#include <array>
#include <cmath>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/points/plant_structure.hpp>

#include "../base/vectors.hpp"
#include "plant_modes.hpp"

namespace hopcoil {

namespace {

/// c of k = c E I / L at the foot of a branch of so many pieces, L the length of one: with it the
/// whole branch has the lowest natural frequency of a clamped beam.
double foot_stiffness(std::size_t pieces) {
    constexpr std::array known{4.12079, 2.61878, 2.36670, 2.26128,
                               2.20311, 2.16617, 2.14065, 2.12192};
    if (pieces <= known.size()) return known.at(pieces - 1);
    return 2 + 0.95 / static_cast<double>(pieces);
}

/// Two axes across a direction, the first as near to Z as can be.
std::array<Vector3, 2> axes_across(const Vector3& along) {
    const Vector3 usual = std::abs(along.z) > 0.9 ? Vector3{1, 0, 0} : Vector3{0, 0, 1};
    const Vector3 first = unit(usual - along * dot(usual, along), {0, 0, 1});
    return {first, cross(along, first)};
}

void require_branch(const PlantBranch& branch, std::size_t index, double length_m) {
    const bool is_rooted = branch.parent == plant_base || branch.parent < index;
    if (!is_rooted) {
        throw InvalidValue{"parent", static_cast<double>(branch.parent),
                           "a branch before its child, " + shortest(static_cast<double>(index))};
    }
    if (!(length_m > 1e-9) || !(length_m < 1e6)) {
        throw InvalidValue{"end", length_m, "a branch with a length, 1e-9 to 1e6 m"};
    }
    require_above_zero("radius_m", branch.radius_m);
    if (branch.continues && branch.parent == plant_base)
        throw InvalidValue{"continues", 1, "0 for what grows from the base"};
}

}  // namespace

PlantStructure::PlantStructure(std::vector<PlantBranch> branches, const PlantModeSettings& settings)
    : branches_{std::move(branches)}, settings_{settings} {
    if (branches_.empty()) throw InvalidValue{"branches", 0, "at least one"};
    if (settings.count < 1 || settings.count > 32)
        throw InvalidValue{"count", static_cast<double>(settings.count), "1 to 32 modes"};
    if (settings.wind_points < 1 || settings.wind_points > 32)
        throw InvalidValue{"wind_points", static_cast<double>(settings.wind_points), "1 to 32"};
    make_rods();
    find_modes();
    place_wind_points();
}

void PlantStructure::make_rods() {
    std::vector<std::size_t> pieces(branches_.size(), 1);
    for (std::size_t i = 0; i < branches_.size(); ++i) {
        const PlantBranch& branch = branches_[i];
        const Vector3 foot = branch.parent < i ? branches_[branch.parent].end : Vector3{};
        Rod rod{.parent = branch.parent, .along = branch.end - foot, .radius_m = branch.radius_m};
        rod.length_m = norm(rod.along);
        require_branch(branch, i, rod.length_m);
        const Vector3 direction = rod.along * (1 / rod.length_m);
        const std::array<Vector3, 2> axes = axes_across(direction);
        rod.bends[0] = settings_.is_flat ? Vector3{0, 0, 1} : axes[0];
        rod.bends[1] = settings_.is_flat ? Vector3{} : axes[1];
        rod.volume_m3 = math::pi * rod.radius_m * rod.radius_m * rod.length_m;
        volume_m3_ += rod.volume_m3;
        reach_m_ = std::max(reach_m_, norm(branch.end));
        rods_.push_back(rod);
    }
    // From the last piece of a branch to its first: how many there are.
    for (std::size_t i = branches_.size(); i-- > 0;) {
        if (branches_[i].continues)
            pieces[branches_[i].parent] = std::max(pieces[branches_[i].parent], pieces[i] + 1);
    }
    for (std::size_t i = 0; i < rods_.size(); ++i) {
        Rod& rod = rods_[i];
        const double second_moment =
            math::pi / 4 * (rod.radius_m * rod.radius_m) * (rod.radius_m * rod.radius_m);
        const double factor = branches_[i].continues ? 1 : foot_stiffness(pieces[i]);
        rod.stiffness = factor * second_moment / rod.length_m;
    }
}

void PlantStructure::find_modes() {
    std::vector<plant::FoundMode> found =
        plant::lowest_modes(rods_, settings_.count, settings_.is_flat);
    first_eigenvalue_ = found.front().eigenvalue;
    for (plant::FoundMode& each : found) {
        Mode mode{.ratio = math::sqrt(each.eigenvalue / first_eigenvalue_)};
        const plant::Ways ways = plant::ways_of(rods_, each.turns);
        for (std::size_t i = 0; i < rods_.size(); ++i) {
            mode.reach_m = i == 0 ? norm(ways.ends[i]) : std::max(mode.reach_m, norm(ways.ends[i]));
            rods_[i].turn_in_modes += dot(ways.turns[i], ways.turns[i]);
            const Vector3 direction = rods_[i].along * (1 / rods_[i].length_m);
            for (const Vector3& way : plant::lump_ways(rods_, ways, i)) {
                const Vector3 across = way - direction * dot(way, direction);
                mode.squares.push_back(dot(across, across));
            }
        }
        const plant::BaseShare base = plant::base_share(rods_, each.turns);
        mode.base_way = base.way;
        mode.base_turn = base.turn;
        mode.turns = std::move(each.turns);
        modes_.push_back(std::move(mode));
    }
}

/// As far from one another as can be, one after the other; each branch takes the nearest.
void PlantStructure::place_wind_points() {
    std::vector<Vector3> middles;
    for (std::size_t i = 0; i < rods_.size(); ++i)
        middles.push_back(branches_[i].end - rods_[i].along * 0.5);
    std::vector<double> distances(middles.size(), std::numeric_limits<double>::infinity());
    std::size_t next = 0;
    for (std::size_t i = 0; i < middles.size(); ++i) {
        if (norm(middles[i]) > norm(middles[next])) next = i;
    }
    while (wind_points_.size() < std::min(settings_.wind_points, middles.size())) {
        const Vector3 point = middles[next];
        for (std::size_t i = 0; i < middles.size(); ++i) {
            const double distance = norm(middles[i] - point);
            if (distance >= distances[i]) continue;
            distances[i] = distance;
            rods_[i].wind_point = wind_points_.size();
        }
        wind_points_.push_back(point);
        next = static_cast<std::size_t>(std::max_element(distances.begin(), distances.end()) -
                                        distances.begin());
    }
}

std::vector<std::size_t> PlantStructure::parents() const {
    std::vector<std::size_t> all{0};
    for (const PlantBranch& branch : branches_)
        all.push_back(branch.parent == plant_base ? 0 : branch.parent + 1);
    return all;
}

std::vector<std::size_t> PlantStructure::tips() const {
    std::vector<bool> has_children(branches_.size(), false);
    for (const PlantBranch& branch : branches_) {
        if (branch.parent != plant_base) has_children[branch.parent] = true;
    }
    std::vector<std::size_t> all;
    for (std::size_t i = 0; i < branches_.size(); ++i) {
        if (!has_children[i]) all.push_back(i);
    }
    return all;
}

double PlantStructure::frequency_hz(double youngs_modulus_pa, double density_kg_per_m3) const {
    require_above_zero("youngs_modulus_pa", youngs_modulus_pa);
    require_above_zero("density_kg_per_m3", density_kg_per_m3);
    return math::sqrt(first_eigenvalue_ * (youngs_modulus_pa / density_kg_per_m3)) / (2 * math::pi);
}

}  // namespace hopcoil
