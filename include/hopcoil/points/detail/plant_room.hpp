#pragma once

#include <array>
#include <cstddef>
#include <vector>

#include <hopcoil/base/vector3.hpp>

/// @file
/// Numbers of plants that are stepped side by side. Of each number there are as many as there are
/// plants in a block, plant beside plant.

namespace hopcoil::plant {

inline constexpr std::size_t most_lanes = 8;

using Lanes = std::array<double, most_lanes>;

/// A vector of each plant of a block.
struct VectorLanes {
    alignas(64) Lanes x{};
    alignas(64) Lanes y{};
    alignas(64) Lanes z{};

    [[nodiscard]] Vector3 operator[](std::size_t lane) const noexcept {
        return {x[lane], y[lane], z[lane]};
    }
    void put(std::size_t lane, const Vector3& v) noexcept {
        x[lane] = v.x;
        y[lane] = v.y;
        z[lane] = v.z;
    }
};

/// The motion of the plants of a block, mode by mode.
struct Swings {
    std::vector<double> bends{};
    std::vector<double> rates{};
    std::vector<double> loads{};  ///< the static bend under the last load
    std::vector<double> drags{};  ///< damping by its own motion in the stream, per second

    Swings() = default;
    explicit Swings(std::size_t numbers)
        : bends(numbers), rates(numbers), loads(numbers), drags(numbers) {}
};

/// Plants side by side; where there are fewer than lanes, the last lanes are at rest.
struct Block {
    Swings swings{};
    std::vector<double> rows{};                    ///< of half a substep of each mode
    std::vector<double> rows_drag{};               ///< that the rows of each mode are for
    Lanes rows_dt{};                               ///< and the substep; below 0: none yet
    std::array<bool, most_lanes> has_base_rows{};  ///< those for the motion of the base too
    Lanes load_rates{};  ///< how quickly loads change with the bend, radians per second squared
};

/// What a substep computes with, in the frames of the plants' bases. Points: the base, then the end
/// of each branch.
struct Room {
    // Of each bend; two of each branch.
    std::vector<double> angles;
    std::vector<double> rates;
    std::vector<double> torques;
    std::vector<double> drag_slopes;   ///< of each half of a branch: newton seconds per metre
    std::vector<double> drag_streams;  ///< of unit length: along it, twice as much
    // Of each branch.
    std::vector<double> bends;   ///< against its parent: an axis times an angle
    std::vector<double> twists;  ///< (1 - cos t) / t^2 of it, nearly
    // Of each point.
    std::vector<double> turns;
    std::vector<double> ends;
    std::vector<double> velocities;
    std::vector<double> spins;
    std::vector<double> gains;  ///< of velocity, per second
    std::vector<double> spin_gains;
    std::vector<double> forces;   ///< on all that it carries
    std::vector<double> moments;  ///< about its foot
    std::vector<double> streams;  ///< at the wind points
    // Of each mode.
    std::vector<double> mode_forces;  ///< over its mass in the rest pose
    std::vector<double> next_loads;
    std::vector<double> bend_responses;  ///< to a unit force that lasts for half a substep
    std::vector<double> rate_responses;
    std::vector<double> slowings;
    std::vector<double> wanted;
    std::vector<double> missing;
    std::vector<double> toward;
    Swings kept;      ///< as they were before the step
    Swings finished;  ///< of plants that need fewer substeps than others of their block

    Room() = default;
    Room(std::size_t branches, std::size_t modes, std::size_t wind_points, std::size_t lanes);
};

}  // namespace hopcoil::plant
