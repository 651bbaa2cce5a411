#pragma once

#include <hopcoil/base/math.hpp>

#include "plant_modes.hpp"
#include "plant_pose.hpp"
#include "plant_search.hpp"
#include "plant_sway.hpp"

/// @file
/// The drag of plants' own motion. As for plant_lanes.hpp.

namespace hopcoil::plant {
namespace {

HOPCOIL_INTO_EACH double radians_per_s(const Sway& sway, const PlantStructure::Mode& mode) {
    return 2 * math::pi * sway.settings.frequency_hz * mode.ratio;
}

/// The loads of all branches as forces on the modes, over their masses, in `slowings`.
template <std::size_t lanes>
HOPCOIL_INTO_EACH void put_on_modes(const Sway& sway) {
    Room& room = sway.room;
    find_torques<lanes>(sway.structure, room);
    sum_on_modes<lanes>(sway.structure, turns_of, room.torques.data(), room.slowings.data());
    const double density = density_of(sway.settings);
    for (double& slowing : room.slowings)
        slowing /= density;
}

/// The modal forces of drag while the modes move at these rates.
template <std::size_t lanes>
HOPCOIL_INTO_EACH void drag_on_modes(const Sway& sway, const double* of_modes) {
    Room& room = sway.room;
    sum_modes<lanes>(sway.structure, of_modes, room.rates.data());
    move<lanes>(sway.structure, room);
    const auto rods = sway.structure.rods();
    for (std::size_t i = 0; i < rods.size(); ++i) {
        const std::size_t from = foot_of(rods[i]);
        const double inverse_length = 1 / rods[i].length_m;
        HOPCOIL_EACH_LANE {
            const Vector3 foot_velocity = vector_in<lanes>(room.velocities.data(), from, k);
            const Vector3 along = vector_in<lanes>(room.ends.data(), i + 1, k) -
                                  vector_in<lanes>(room.ends.data(), from, k);
            const Vector3 spin = vector_in<lanes>(room.spins.data(), i + 1, k);
            const Vector3 direction = along * inverse_length;
            Load load;
            HOPCOIL_UNROLLED(2)
            for (std::size_t half = 0; half < 2; ++half) {
                const Vector3 arm = along * lump_parts[half];
                const Vector3 own = across(foot_velocity + cross(spin, arm), direction);
                const Vector3 stream = vector_in<lanes>(room.drag_streams.data(), 2 * i + half, k);
                load.add_at(arm, (own + stream * dot(stream, own)) *
                                     room.drag_slopes[(2 * i + half) * lanes + k]);
            }
            put_load<lanes>(room, i, k, load);
        }
    }
    put_on_modes<lanes>(sway);
}

/// Change of each mode's bend and rate under a unit force that lasts for half a substep.
template <std::size_t lanes>
HOPCOIL_INTO_EACH void find_responses(const Sway& sway) {
    const auto modes = sway.structure.modes();
    Room& room = sway.room;
    for (std::size_t m = 0; m < modes.size(); ++m) {
        const double* const rows = sway.block.rows.data() + m * row_count * lanes;
        const double w = radians_per_s(sway, modes[m]);
        const double still = 1 / (w * w);
        HOPCOIL_EACH_LANE {
            const auto row = [&](Row which) {
                return rows[which * lanes + k];
            };
            const double gap = -row(gap_of_gap) * still;
            const double rate = -row(velocity_of_gap) * still;
            const double bend_response =
                still + row(gap_of_gap) * gap + row(gap_of_velocity) * rate;
            const double rate_response =
                row(velocity_of_gap) * gap + row(velocity_of_velocity) * rate;
            const bool is_there = rate_response > 0;
            room.bend_responses[m * lanes + k] = is_there ? bend_response : 0;
            room.rate_responses[m * lanes + k] = is_there ? rate_response : 1e-12;
        }
    }
}

/// What of the drag is missing at the rates without it.
template <std::size_t lanes>
HOPCOIL_INTO_EACH void find_missing_drag(const Sway& sway) {
    Room& room = sway.room;
    const Swings& swings = sway.block.swings;
    for (std::size_t at = 0; at < swings.rates.size(); ++at)
        room.wanted[at] = swings.rates[at];
    drag_on_modes<lanes>(sway, room.wanted.data());
    for (std::size_t at = 0; at < swings.rates.size(); ++at)
        room.missing[at] = swings.drags[at] * room.wanted[at] - room.slowings[at];
}

/// Drag couples the modes. Each mode's own damping d is in the exact step; the rest is implicit, so
/// that it is stable however strong: with v the rates without it, D the whole drag and q a mode's
/// unit response, the rates u at the end satisfy (1/q + D - d) u = v / q. Conjugate gradients solve
/// that in a few iterations, as many as each plant needs.
template <std::size_t lanes>
HOPCOIL_INTO_EACH void solve_drag(const Sway& sway) {
    Room& room = sway.room;
    Swings& swings = sway.block.swings;
    find_responses<lanes>(sway);
    find_missing_drag<lanes>(sway);
    Search<lanes> search;
    start_search<lanes>(room, search);
    constexpr int most_rounds = 12;
    for (int round = 0; round < most_rounds && needs_round<lanes>(room, search); ++round) {
        drag_on_modes<lanes>(sway, room.toward.data());
        for (std::size_t at = 0; at < swings.rates.size(); ++at)
            room.slowings[at] += (1 / room.rate_responses[at] - swings.drags[at]) * room.toward[at];
        go_round<lanes>(room, search);
    }
    for (std::size_t at = 0; at < swings.rates.size(); ++at) {
        const double change = room.wanted[at] - swings.rates[at];
        swings.bends[at] += room.bend_responses[at] * change / room.rate_responses[at];
        swings.rates[at] = room.wanted[at];
    }
}

}  // namespace
}  // namespace hopcoil::plant
