#pragma once

#include <hopcoil/base/math.hpp>

#include "plant_modes.hpp"
#include "plant_pose.hpp"
#include "plant_sway.hpp"

/// @file
/// The drag of plants' own motion. As for plant_lanes.hpp.

namespace hopcoil::plant {
namespace {

HOPCOIL_INTO_EACH double radians_per_s(const Sway& sway, const PlantStructure::Mode& mode) {
    return 2 * math::pi * sway.settings.frequency_hz * mode.ratio;
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
    find_torques<lanes>(sway.structure, room);
    sum_on_modes<lanes>(sway.structure, turns_of, room.torques.data(), room.slowings.data());
    const double density = density_of(sway.settings);
    for (double& slowing : room.slowings)
        slowing /= density;
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

/// The state of the conjugate gradients of each plant.
template <std::size_t lanes>
struct DragSearch {
    alignas(64) double left[lanes]{};
    bool goes_on[lanes];
};

template <std::size_t lanes>
HOPCOIL_INTO_EACH void start_search(const Sway& sway, DragSearch<lanes>& search) {
    const std::size_t size = sway.structure.mode_count();
    Room& room = sway.room;
    const Swings& swings = sway.block.swings;
    for (std::size_t at = 0; at < size * lanes; ++at)
        room.wanted[at] = swings.rates[at];
    drag_on_modes<lanes>(sway, room.wanted.data());
    for (std::size_t m = 0; m < size; ++m) {
        HOPCOIL_EACH_LANE {
            const std::size_t at = m * lanes + k;
            room.missing[at] = swings.drags[at] * room.wanted[at] - room.slowings[at];
            room.toward[at] = room.rate_responses[at] * room.missing[at];
            search.left[k] += room.missing[at] * room.toward[at];
        }
    }
    for (std::size_t k = 0; k < lanes; ++k)
        search.goes_on[k] = true;
}

/// Whether any plant needs another round.
template <std::size_t lanes>
HOPCOIL_INTO_EACH bool needs_round(const Sway& sway, DragSearch<lanes>& search) {
    const Room& room = sway.room;
    alignas(64) double whole[lanes]{};
    for (std::size_t m = 0; m < sway.structure.mode_count(); ++m) {
        HOPCOIL_EACH_LANE {
            const double wanted = room.wanted[m * lanes + k];
            whole[k] += wanted * wanted / room.rate_responses[m * lanes + k];
        }
    }
    bool is_any_left = false;
    for (std::size_t k = 0; k < lanes; ++k) {
        search.goes_on[k] = search.goes_on[k] && search.left[k] > 1e-8 * whole[k];
        is_any_left = is_any_left || search.goes_on[k];
    }
    return is_any_left;
}

/// One iteration; plants that have converged keep their result.
template <std::size_t lanes>
HOPCOIL_INTO_EACH void go_round(const Sway& sway, DragSearch<lanes>& search) {
    const std::size_t size = sway.structure.mode_count();
    Room& room = sway.room;
    drag_on_modes<lanes>(sway, room.toward.data());
    alignas(64) double with[lanes]{};
    for (std::size_t m = 0; m < size; ++m) {
        HOPCOIL_EACH_LANE {
            const std::size_t at = m * lanes + k;
            room.slowings[at] +=
                (1 / room.rate_responses[at] - sway.block.swings.drags[at]) * room.toward[at];
            with[k] += room.toward[at] * room.slowings[at];
        }
    }
    for (std::size_t k = 0; k < lanes; ++k) {
        search.goes_on[k] = search.goes_on[k] && with[k] > 0;
        if (!search.goes_on[k]) continue;
        const double part = search.left[k] / with[k];
        double next = 0;
        for (std::size_t at = k; at < size * lanes; at += lanes) {
            room.wanted[at] += part * room.toward[at];
            room.missing[at] -= part * room.slowings[at];
            next += room.missing[at] * room.rate_responses[at] * room.missing[at];
        }
        const double share = next / search.left[k];
        for (std::size_t at = k; at < size * lanes; at += lanes)
            room.toward[at] = room.rate_responses[at] * room.missing[at] + share * room.toward[at];
        search.left[k] = next;
    }
}

/// Drag couples the modes. Each mode's own damping d is in the exact step; the rest is implicit, so
/// that it is stable however strong: with v the rates without it, D the whole drag and q a mode's
/// unit response, the rates u at the end satisfy (1/q + D - d) u = v / q. Conjugate gradients solve
/// that in a few iterations, as many as each plant needs.
template <std::size_t lanes>
HOPCOIL_INTO_EACH void solve_drag(const Sway& sway) {
    find_responses<lanes>(sway);
    DragSearch<lanes> search;
    start_search<lanes>(sway, search);
    constexpr int most_rounds = 12;
    for (int round = 0; round < most_rounds && needs_round<lanes>(sway, search); ++round)
        go_round<lanes>(sway, search);
    const Room& room = sway.room;
    Swings& swings = sway.block.swings;
    for (std::size_t at = 0; at < swings.rates.size(); ++at) {
        const double change = room.wanted[at] - swings.rates[at];
        swings.bends[at] += room.bend_responses[at] * change / room.rate_responses[at];
        swings.rates[at] = room.wanted[at];
    }
}

}  // namespace
}  // namespace hopcoil::plant
