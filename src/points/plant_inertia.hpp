#pragma once

#include "plant_drag.hpp"

/// @file
/// The inertia of plants in their present pose. As for plant_lanes.hpp.

namespace hopcoil::plant {
namespace {

HOPCOIL_INTO_EACH double share_of(const PlantStructure::Mode& mode, const VectorLanes& way,
                                  const VectorLanes& turn, std::size_t k) {
    return dot(mode.base_way, lane_of(way, k)) + dot(mode.base_turn, lane_of(turn, k));
}

/// The inertial loads of all branches in the present pose, for the modal accelerations in `rates`:
/// as they move, or else of those accelerations alone.
template <std::size_t lanes, bool as_they_move>
HOPCOIL_INTO_EACH void add_inertia(const Sway& sway) {
    const auto rods = sway.structure.rods();
    Room& room = sway.room;
    const double density = density_of(sway.settings);
    for (std::size_t i = 0; i < rods.size(); ++i) {
        const PlantStructure::Rod rod = rods[i];
        const std::size_t from = foot_of(rod);
        const double mass = 0.5 * density * rod.volume_m3;
        HOPCOIL_EACH_LANE {
            Vector3 spin_gain = vector_in<lanes>(room.spin_gains.data(), from, k) +
                                turned(quaternion_in<lanes>(room.turns.data(), from, k),
                                       own_spin<lanes>(rod, room, i, k));
            const Vector3 spin = vector_in<lanes>(room.spins.data(), i + 1, k);
            if constexpr (as_they_move) {
                const Vector3 before = vector_in<lanes>(room.spins.data(), from, k);
                spin_gain = spin_gain + cross(before, spin - before);
            }
            put_in<lanes>(room.spin_gains.data(), i + 1, k, spin_gain);
            const Vector3 foot_gain = vector_in<lanes>(room.gains.data(), from, k);
            const Vector3 along = vector_in<lanes>(room.ends.data(), i + 1, k) -
                                  vector_in<lanes>(room.ends.data(), from, k);
            Vector3 per_length = cross(spin_gain, along);
            if constexpr (as_they_move) per_length = per_length + cross(spin, cross(spin, along));
            put_in<lanes>(room.gains.data(), i + 1, k, foot_gain + per_length);
            Load load;
            for (const double part : lump_parts) {
                Vector3 gain = foot_gain + per_length * part;
                if constexpr (as_they_move) {
                    const Vector3 foot_velocity = vector_in<lanes>(room.velocities.data(), from, k);
                    gain = gain + cross(lane_of(sway.moments.spin[1], k),
                                        foot_velocity + cross(spin, along * part)) *
                                      2;
                }
                load.add_at(along * part, gain * -mass);
            }
            put_load<lanes>(room, i, k, load);
        }
    }
}

/// The modal forces of inertia for modal accelerations, in `slowings`.
template <std::size_t lanes, bool as_they_move>
HOPCOIL_INTO_EACH void inertia_on_modes(const Sway& sway, const double* of_modes) {
    Room& room = sway.room;
    sum_modes<lanes>(sway.structure, of_modes, room.rates.data());
    add_inertia<lanes, as_they_move>(sway);
    put_on_modes<lanes>(sway);
}

/// The sum of squares of what the base does to the modes.
template <std::size_t lanes>
HOPCOIL_INTO_EACH void find_shaking(const Sway& sway, double* shaking) {
    for (const PlantStructure::Mode& mode : sway.structure.modes()) {
        HOPCOIL_EACH_LANE {
            const double share = share_of(mode, sway.moments.pull, sway.moments.twist, k);
            shaking[k] += share * share;
        }
    }
}

/// What find_inertia solves for: f - v - M f, into `missing`; and d, the share of a force that
/// still accelerates a mode after half a substep, into `rate_responses`. The rest bends it by then.
template <std::size_t lanes>
HOPCOIL_INTO_EACH void find_missing_inertia(const Sway& sway) {
    const auto modes = sway.structure.modes();
    Room& room = sway.room;
    for (std::size_t m = 0; m < modes.size(); ++m) {
        const double w = radians_per_s(sway, modes[m]);
        HOPCOIL_EACH_LANE {
            const std::size_t at = m * lanes + k;
            const double damping =
                2 * sway.settings.damping_ratio * w + sway.block.swings.drags[at];
            const double turn = 0.5 * w * sway.block.rows_dt[k];
            room.rate_responses[at] = 1 / (1 + 0.5 * turn * turn);
            room.missing[at] =
                (room.mode_forces[at] - w * w * room.wanted[at]) - damping * room.toward[at];
            room.wanted[at] = 0;
        }
    }
    inertia_on_modes<lanes, true>(sway, room.missing.data());
    for (std::size_t at = 0; at < room.missing.size(); ++at)
        room.missing[at] += room.slowings[at];
}

/// It fades where it is more than some times what the base shakes the plant by: a base at rest adds
/// nothing, so that a plant loses energy, and none gets out of hand.
template <std::size_t lanes>
HOPCOIL_INTO_EACH void keep_bounded(Room& room, const double* shaking) {
    constexpr double most_times = 20;
    alignas(64) double kept[lanes]{};
    for (std::size_t at = 0; at < room.wanted.size(); at += lanes) {
        HOPCOIL_EACH_LANE
        kept[k] += room.wanted[at + k] * room.wanted[at + k];
    }
    for (std::size_t k = 0; k < lanes; ++k) {
        const double part = kept[k] / (most_times * most_times * shaking[k]);
        kept[k] = shaking[k] > 0 ? 1 / (1 + part * part) : 0;
    }
    for (std::size_t at = 0; at < room.wanted.size(); at += lanes) {
        HOPCOIL_EACH_LANE {
            const double force = room.wanted[at + k] * kept[k];
            room.wanted[at + k] = kept[k] > 0 ? force : 0;
        }
    }
}

/// The modes' masses are those of the rest pose. With M those of the present one, f the forces on
/// the modes and v what centrifugal and Coriolis forces take of them, modes should be accelerated
/// by b'' = (f - v) / M and are by f: x, in `wanted`, makes up for that. While it acts the mode
/// bends, and a share d of it is left: (M d + 1 - d) x = f - v - M f, which conjugate gradients
/// solve for d x. So it is stable for modes that are quick beside the substep.
template <std::size_t lanes>
HOPCOIL_INTO_EACH void find_inertia(const Sway& sway) {
    Room& room = sway.room;
    alignas(64) double shaking[lanes]{};
    find_shaking<lanes>(sway, shaking);
    bool is_any_shaken = false;
    for (std::size_t k = 0; k < lanes; ++k)
        is_any_shaken = is_any_shaken || shaking[k] > 0;
    if (!is_any_shaken) {
        for (double& force : room.wanted)
            force = 0;
        return;
    }
    find_missing_inertia<lanes>(sway);
    Search<lanes> search;
    start_search<lanes>(room, search);
    constexpr int most_rounds = 8;
    for (int round = 0; round < most_rounds && needs_round<lanes>(room, search); ++round) {
        inertia_on_modes<lanes, false>(sway, room.toward.data());
        for (std::size_t at = 0; at < room.wanted.size(); ++at) {
            room.slowings[at] =
                (1 / room.rate_responses[at] - 1) * room.toward[at] - room.slowings[at];
        }
        go_round<lanes>(room, search);
    }
    for (std::size_t at = 0; at < room.wanted.size(); ++at)
        room.wanted[at] /= room.rate_responses[at];
    keep_bounded<lanes>(room, shaking);
}

}  // namespace
}  // namespace hopcoil::plant
