#pragma once

#include <array>
#include <cmath>
#include <cstddef>
#include <span>

#include <hopcoil/base/instruction_set.hpp>
#include <hopcoil/base/quaternion.hpp>
#include <hopcoil/base/vector3.hpp>
#include <hopcoil/points/detail/plant_room.hpp>
#include <hopcoil/points/plant_bed.hpp>

#include "row_order.hpp"

namespace hopcoil::plant {

using namespace rows;

/// A substep as each plant's own frame has it in the middle of it.
struct Moments {
    VectorLanes travel[2];    ///< of the base, in either half
    VectorLanes velocity[3];  ///< at its start, middle and end
    VectorLanes turned[2];
    VectorLanes spin[3];
    VectorLanes pull;  ///< its acceleration
    VectorLanes twist;
};

/// What a block is stepped with.
struct Sway {
    const PlantStructure& structure;
    const PlantSettings& settings;
    const Moments& moments;
    std::span<const PlantPull> pulls;
    std::size_t first = 0;                            ///< the block's first plant
    const std::array<Quaternion, most_lanes>& backs;  ///< from the world into the frames
    Block& block;
    Room& room;
};

/// Where the bases of a block are, and room for what its plants show: of each plant, all points.
struct Show {
    const PlantStructure& structure;
    const VectorLanes& base;
    const VectorLanes& velocity;
    const VectorLanes& spin;
    const std::array<Lanes, 4>& facing;
    std::size_t plants = 0;
    Vector3* positions = nullptr;
    Vector3* velocities = nullptr;
    Quaternion* rotations = nullptr;
    Vector3* spins = nullptr;
    const Block& block;
    Room& room;
};

/// Poses the plants in the middle of a substep and finds their next loads and drag.
void find_loads(InstructionSet set, std::size_t lanes, const Sway& sway) noexcept;
/// On to its end, once the rows are those for the drag.
void swing_on(InstructionSet set, std::size_t lanes, const Sway& sway) noexcept;
void show(InstructionSet set, std::size_t lanes, const Show& show) noexcept;

/// With the added mass of the fluid that is moved along: as much as the branches displace.
[[nodiscard]] inline double density_of(const PlantSettings& settings) noexcept {
    return settings.density_kg_per_m3 + settings.fluid_density_kg_per_m3;
}

/// Of one plant.
inline void copy_lane(const Swings& from, Swings& to, std::size_t lane,
                      std::size_t lanes) noexcept {
    for (std::size_t at = lane; at < from.bends.size(); at += lanes) {
        to.bends[at] = from.bends[at];
        to.rates[at] = from.rates[at];
        to.loads[at] = from.loads[at];
        to.drags[at] = from.drags[at];
    }
}

inline void clear_lane(Swings& swings, std::size_t lane, std::size_t lanes) noexcept {
    for (std::size_t at = lane; at < swings.bends.size(); at += lanes)
        swings.bends[at] = swings.rates[at] = swings.loads[at] = swings.drags[at] = 0;
}

inline bool is_finite_lane(const Swings& swings, std::size_t lane, std::size_t lanes) noexcept {
    constexpr double most = 1e100;
    for (std::size_t at = lane; at < swings.bends.size(); at += lanes) {
        const bool is_small = std::abs(swings.bends[at]) < most &&
                              std::abs(swings.rates[at]) < most &&
                              std::abs(swings.loads[at]) < most;
        if (!is_small) return false;
    }
    return true;
}

}  // namespace hopcoil::plant
