#pragma once

#include "plant_lanes.hpp"

/// @file
/// How the branches of plants stand and move for the angles and rates of their bends, and what
/// torques loads have about these. As for plant_lanes.hpp.

namespace hopcoil::plant {
namespace {

/// turned_by for the turns of branches, which are short: by series, to 1e-12 for up to 2 radians.
HOPCOIL_INTO_EACH Quaternion bent_by(const Vector3& turn, double quarter_square) {
    const double s = quarter_square;
    const double cosine =
        1 + s * (-1.0 / 2 + s * (1.0 / 24 + s * (-1.0 / 720 +
                                                 s * (1.0 / 40320 + s * (-1.0 / 3628800 +
                                                                         s * (1.0 / 479001600))))));
    const double part =
        0.5 *
        (1 + s * (-1.0 / 6 +
                  s * (1.0 / 120 +
                       s * (-1.0 / 5040 +
                            s * (1.0 / 362880 + s * (-1.0 / 39916800 + s * (1.0 / 6227020800)))))));
    return {cosine, turn.x * part, turn.y * part, turn.z * part};
}

/// The point that a branch grows from: 0 is the base, and i + 1 the end of branch i.
HOPCOIL_INTO_EACH std::size_t foot_of(const PlantStructure::Rod& rod) {
    return rod.parent == plant_base ? 0 : rod.parent + 1;
}

/// Every branch by its angles, from the base outward.
template <std::size_t lanes>
HOPCOIL_INTO_EACH void pose(const PlantStructure& structure, Room& room) {
    const auto rods = structure.rods();
    const double* const angles = room.angles.data();
    double* const bends = room.bends.data();
    double* const twists = room.twists.data();
    double* const turns = room.turns.data();
    double* const ends = room.ends.data();
    alignas(64) double bent[4 * lanes];
    alignas(64) double squares[lanes];
    for (std::size_t i = 0; i < rods.size(); ++i) {
        const PlantStructure::Rod rod = rods[i];
        const std::size_t foot = foot_of(rod);
        HOPCOIL_EACH_LANE {
            const Vector3 bend = rod.bends[0] * angles[2 * i * lanes + k] +
                                 rod.bends[1] * angles[(2 * i + 1) * lanes + k];
            const double square = dot(bend, bend);
            put_in<lanes>(bends, i, k, bend);
            squares[k] = square / 4;
            twists[i * lanes + k] = 0.5 / (1 + square * (1.0 / 12));
            put_in<lanes>(bent, 0, k, bent_by(bend, square / 4));
        }
        for (std::size_t k = 0; k < lanes; ++k) {
            if (!(squares[k] < 1))
                put_in<lanes>(bent, 0, k, turned_by(vector_in<lanes>(bends, i, k)));
        }
        HOPCOIL_EACH_LANE {
            const Quaternion turn =
                product(quaternion_in<lanes>(turns, foot, k), quaternion_in<lanes>(bent, 0, k));
            put_in<lanes>(turns, i + 1, k, turn);
            put_in<lanes>(ends, i + 1, k,
                          vector_in<lanes>(ends, foot, k) + turned(turn, rod.along));
        }
    }
}

/// The turn of a branch against its parent, as its angles change at these rates.
template <std::size_t lanes>
HOPCOIL_INTO_EACH Vector3 own_spin(const PlantStructure::Rod& rod, const Room& room, std::size_t i,
                                   std::size_t k) {
    const Vector3 rate = rod.bends[0] * room.rates[2 * i * lanes + k] +
                         rod.bends[1] * room.rates[(2 * i + 1) * lanes + k];
    const Vector3 bend = vector_in<lanes>(room.bends.data(), i, k);
    return rate + cross(bend, rate) * room.twists[i * lanes + k];
}

/// The same of its rates, in the pose that it has.
template <std::size_t lanes>
HOPCOIL_INTO_EACH void move(const PlantStructure& structure, Room& room) {
    const auto rods = structure.rods();
    const double* const turns = room.turns.data();
    const double* const ends = room.ends.data();
    double* const spins = room.spins.data();
    double* const velocities = room.velocities.data();
    for (std::size_t i = 0; i < rods.size(); ++i) {
        const PlantStructure::Rod rod = rods[i];
        const std::size_t foot = foot_of(rod);
        HOPCOIL_EACH_LANE {
            const Vector3 own = own_spin<lanes>(rod, room, i, k);
            const Vector3 spin = vector_in<lanes>(spins, foot, k) +
                                 turned(quaternion_in<lanes>(turns, foot, k), own);
            const Vector3 along =
                vector_in<lanes>(ends, i + 1, k) - vector_in<lanes>(ends, foot, k);
            put_in<lanes>(spins, i + 1, k, spin);
            put_in<lanes>(velocities, i + 1, k,
                          vector_in<lanes>(velocities, foot, k) + cross(spin, along));
        }
    }
}

/// A force at an arm from the foot of a branch.
struct Load {
    Vector3 force{};
    Vector3 moment{};
    HOPCOIL_INTO_EACH void add_at(const Vector3& arm, const Vector3& more) {
        force = force + more;
        moment = moment + cross(arm, more);
    }
};
template <std::size_t lanes>
HOPCOIL_INTO_EACH void put_load(Room& room, std::size_t i, std::size_t k, const Load& load) {
    put_in<lanes>(room.forces.data(), i + 1, k, load.force);
    put_in<lanes>(room.moments.data(), i + 1, k, load.moment);
}

/// Loads summed toward the base; of each branch, the torques about its bends.
template <std::size_t lanes>
HOPCOIL_INTO_EACH void find_torques(const PlantStructure& structure, Room& room) {
    const auto rods = structure.rods();
    const double* const turns = room.turns.data();
    const double* const ends = room.ends.data();
    double* const forces = room.forces.data();
    double* const moments = room.moments.data();
    double* const torques = room.torques.data();
    const double* const bends = room.bends.data();
    const double* const twists = room.twists.data();
    for (std::size_t k = 0; k < 3 * lanes; ++k)
        forces[k] = moments[k] = 0;
    for (std::size_t i = rods.size(); i-- > 0;) {
        const PlantStructure::Rod rod = rods[i];
        const std::size_t foot = foot_of(rod);
        // What the base carries is not asked for.
        const std::size_t before = foot == 0 ? 0 : foot_of(rods[foot - 1]);
        HOPCOIL_EACH_LANE {
            const Vector3 force = vector_in<lanes>(forces, i + 1, k);
            const Vector3 moment = vector_in<lanes>(moments, i + 1, k);
            const Vector3 arm = vector_in<lanes>(ends, foot, k) - vector_in<lanes>(ends, before, k);
            put_in<lanes>(moments, foot, k,
                          vector_in<lanes>(moments, foot, k) + moment + cross(arm, force));
            put_in<lanes>(forces, foot, k, vector_in<lanes>(forces, foot, k) + force);
            const Vector3 here = turned_back(quaternion_in<lanes>(turns, foot, k), moment);
            const Vector3 bend = vector_in<lanes>(bends, i, k);
            const Vector3 torque = here + cross(here, bend * twists[i * lanes + k]);
            torques[2 * i * lanes + k] = dot(rod.bends[0], torque);
            torques[(2 * i + 1) * lanes + k] = dot(rod.bends[1], torque);
        }
    }
}

}  // namespace
}  // namespace hopcoil::plant
