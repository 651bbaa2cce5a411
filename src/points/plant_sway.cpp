// How plants swing, several side by side, compiled once for each instruction set.

#include "plant_sway.hpp"

#include <cmath>

#include "plant_drag.hpp"
#include "plant_inertia.hpp"

namespace hopcoil::plant {
namespace {

/// That a load is taken to bring a mode to, over the plant's size: more is no plant's bend.
constexpr double most_bend = 3;
/// Of a mode, per second.
constexpr double most_drag = 1e6;

/// Of a point that goes along with the base.
HOPCOIL_INTO_EACH Vector3 acceleration_at(const Moments& moments, const Vector3& place,
                                          std::size_t k) {
    const Vector3 spin = lane_of(moments.spin[1], k);
    return lane_of(moments.pull, k) + cross(lane_of(moments.twist, k), place) +
           cross(spin, cross(spin, place));
}

/// The drag on each branch as it stands: that of the stream alone, and how its own motion changes
/// it. |U| U - |U - v| (U - v) is nearly v times the slope half way between.
template <std::size_t lanes>
HOPCOIL_INTO_EACH void add_stream_loads(const Sway& sway) {
    const auto rods = sway.structure.rods();
    const PlantSettings& settings = sway.settings;
    Room& room = sway.room;
    const Moments& moments = sway.moments;
    const double drag = 0.5 * settings.fluid_density_kg_per_m3 * settings.drag_coefficient;
    const double density = density_of(settings);
    for (std::size_t i = 0; i < rods.size(); ++i) {
        const PlantStructure::Rod rod = rods[i];
        const std::size_t from = foot_of(rod);
        const double inverse_length = 1 / rod.length_m;
        const double c = drag * rod.radius_m * rod.length_m;  // of half the branch
        const double mass = 0.5 * density * rod.volume_m3;
        HOPCOIL_EACH_LANE {
            const Vector3 foot = vector_in<lanes>(room.ends.data(), from, k);
            const Vector3 foot_velocity = vector_in<lanes>(room.velocities.data(), from, k);
            const Vector3 along = vector_in<lanes>(room.ends.data(), i + 1, k) - foot;
            const Vector3 spin = vector_in<lanes>(room.spins.data(), i + 1, k);
            const Vector3 wind = vector_in<lanes>(room.streams.data(), rod.wind_point, k);
            const Vector3 direction = along * inverse_length;
            Load load;
            HOPCOIL_UNROLLED(2)
            for (std::size_t half = 0; half < 2; ++half) {
                const Vector3 arm = along * lump_parts[half];
                const Vector3 base_velocity = lane_of(moments.velocity[1], k) +
                                              cross(lane_of(moments.spin[1], k), foot + arm);
                const Vector3 stream = across(wind - base_velocity, direction);
                const Vector3 own = across(foot_velocity + cross(spin, arm), direction);
                const Vector3 between = stream - own * 0.5;
                const double speed = length(between);
                const double inverse = speed > 1e-12 && speed < 1e150 ? 1 / speed : 0;
                room.drag_slopes[(2 * i + half) * lanes + k] = c * speed;
                put_in<lanes>(room.drag_streams.data(), 2 * i + half, k, between * inverse);
                load.add_at(arm, stream * (c * length(stream)) -
                                     acceleration_at(moments, foot + arm, k) * mass);
            }
            put_load<lanes>(room, i, k, load);
        }
    }
}

/// A mode's motion.
struct Swung {
    double bend;
    double rate;
};

/// A mode after one half of the substep, exactly: the load holds, the base goes along its cubic.
template <std::size_t lanes>
HOPCOIL_INTO_EACH Swung after_half(const Sway& sway, const PlantStructure::Mode& mode,
                                   std::size_t at, const double* rows, double load,
                                   std::size_t half, std::size_t k) {
    const Moments& moments = sway.moments;
    const double first = share_of(mode, moments.velocity[half], moments.spin[half], k);
    const double last = share_of(mode, moments.velocity[half + 1], moments.spin[half + 1], k);
    const double travel = share_of(mode, moments.travel[half], moments.turned[half], k);
    const double gap = sway.block.swings.bends[at] - load;
    const double velocity = sway.block.swings.rates[at] + first;
    const auto row = [&](Row which) {
        return rows[which * lanes + k];
    };
    const double new_gap =
        (gap * row(gap_of_gap) + velocity * row(gap_of_velocity)) +
        ((travel * row(gap_of_travel) + first * row(gap_of_first)) + last * row(gap_of_last));
    const double new_velocity =
        (gap * row(velocity_of_gap) + velocity * row(velocity_of_velocity)) +
        ((travel * row(velocity_of_travel) + first * row(velocity_of_first)) +
         last * row(velocity_of_last));
    return {new_gap + load, new_velocity - last};
}

/// Angles and rates in the middle of the substep, under the last load.
template <std::size_t lanes>
HOPCOIL_INTO_EACH void predict(const Sway& sway) {
    const auto modes = sway.structure.modes();
    Room& room = sway.room;
    for (std::size_t m = 0; m < modes.size(); ++m) {
        const double* const rows = sway.block.rows.data() + m * row_count * lanes;
        HOPCOIL_EACH_LANE {
            const std::size_t at = m * lanes + k;
            const double load = sway.block.swings.loads[at];
            const Swung there = after_half<lanes>(sway, modes[m], at, rows, load, 0, k);
            room.wanted[at] = there.bend;
            room.toward[at] = there.rate;
        }
    }
    sum_modes<lanes>(sway.structure, room.wanted.data(), room.angles.data());
    sum_modes<lanes>(sway.structure, room.toward.data(), room.rates.data());
}

template <std::size_t lanes>
HOPCOIL_INTO_EACH void add_pulls(const Sway& sway) {
    Room& room = sway.room;
    for (const PlantPull& pull : sway.pulls) {
        const std::size_t k = pull.plant - sway.first;
        if (pull.plant < sway.first || k >= lanes || pull.branch >= sway.structure.size()) continue;
        const std::size_t i = pull.branch;
        const Vector3 arm =
            vector_in<lanes>(room.ends.data(), i + 1, k) -
            vector_in<lanes>(room.ends.data(), foot_of(sway.structure.rods()[i]), k);
        Load load{vector_in<lanes>(room.forces.data(), i + 1, k),
                  vector_in<lanes>(room.moments.data(), i + 1, k)};
        load.add_at(arm, rotated(sway.backs[k], pull.force_n));
        put_load<lanes>(room, i, k, load);
    }
}

/// The force on each mode by the loads, and its own damping by drag.
template <std::size_t lanes>
HOPCOIL_INTO_EACH void find_modal_forces(const Sway& sway) {
    Room& room = sway.room;
    put_on_modes<lanes>(sway);
    const auto rods = sway.structure.rods();
    const double density = density_of(sway.settings);
    double* const load_rates = sway.block.load_rates.data();
    for (std::size_t k = 0; k < lanes; ++k)
        load_rates[k] = 0;
    for (std::size_t i = 0; i < rods.size(); ++i) {
        HOPCOIL_EACH_LANE
        load_rates[k] += length(vector_in<lanes>(room.forces.data(), i + 1, k)) * rods[i].length_m *
                         rods[i].turn_in_modes;
    }
    for (std::size_t k = 0; k < lanes; ++k)
        load_rates[k] /= density;
    sum_on_modes<lanes>(sway.structure, squares_of, room.drag_slopes.data(), room.missing.data());
    const auto modes = sway.structure.modes();
    for (std::size_t m = 0; m < modes.size(); ++m) {
        HOPCOIL_EACH_LANE {
            const std::size_t at = m * lanes + k;
            room.mode_forces[at] = room.slowings[at];
            // Between the drag along the stream and that across it.
            const double drag = 1.5 * room.missing[at] / density;
            sway.block.swings.drags[at] = drag < most_drag ? drag : most_drag;
        }
    }
}

/// Of each mode, its static bend under its forces.
template <std::size_t lanes>
HOPCOIL_INTO_EACH void find_next_loads(const Sway& sway) {
    const auto modes = sway.structure.modes();
    Room& room = sway.room;
    for (std::size_t m = 0; m < modes.size(); ++m) {
        const double w = radians_per_s(sway, modes[m]);
        const double most = most_bend * sway.structure.reach_m() / modes[m].reach_m;
        HOPCOIL_EACH_LANE {
            const std::size_t at = m * lanes + k;
            // What the base's acceleration does at rest is in the exact step already.
            const double at_rest = share_of(modes[m], sway.moments.pull, sway.moments.twist, k);
            const double load = (room.mode_forces[at] + at_rest + room.wanted[at]) / (w * w);
            room.next_loads[at] = load < -most ? -most : load > most ? most : load;
        }
    }
}

template <std::size_t lanes>
HOPCOIL_INTO_EACH void loads_loop(const Sway& sway) {
    predict<lanes>(sway);
    pose<lanes>(sway.structure, sway.room);
    move<lanes>(sway.structure, sway.room);
    add_stream_loads<lanes>(sway);
    add_pulls<lanes>(sway);
    find_modal_forces<lanes>(sway);
    find_inertia<lanes>(sway);
    find_next_loads<lanes>(sway);
}

template <std::size_t lanes>
HOPCOIL_INTO_EACH void swing_loop(const Sway& sway) {
    const auto modes = sway.structure.modes();
    Swings& swings = sway.block.swings;
    for (std::size_t half = 0; half < 2; ++half) {
        for (std::size_t m = 0; m < modes.size(); ++m) {
            const double* const rows = sway.block.rows.data() + m * row_count * lanes;
            HOPCOIL_EACH_LANE {
                const std::size_t at = m * lanes + k;
                const double load = sway.room.next_loads[at];
                const Swung next = after_half<lanes>(sway, modes[m], at, rows, load, half, k);
                swings.bends[at] = next.bend;
                swings.rates[at] = next.rate;
                swings.loads[at] = load;
            }
        }
    }
    if (sway.settings.fluid_density_kg_per_m3 > 0) solve_drag<lanes>(sway);
}

template <std::size_t lanes>
HOPCOIL_INTO_EACH void show_loop(const Show& show) {
    Room& room = show.room;
    sum_modes<lanes>(show.structure, show.block.swings.bends.data(), room.angles.data());
    sum_modes<lanes>(show.structure, show.block.swings.rates.data(), room.rates.data());
    pose<lanes>(show.structure, room);
    move<lanes>(show.structure, room);
    const std::size_t points = show.structure.size() + 1;
    alignas(64) double shown[13 * lanes];
    for (std::size_t i = 0; i < points; ++i) {
        HOPCOIL_EACH_LANE {
            const Quaternion facing{show.facing[0][k], show.facing[1][k], show.facing[2][k],
                                    show.facing[3][k]};
            const Vector3 base_spin = lane_of(show.spin, k);
            const Vector3 arm = turned(facing, vector_in<lanes>(room.ends.data(), i, k));
            put_in<lanes>(shown, 0, k, lane_of(show.base, k) + arm);
            put_in<lanes>(shown, 1, k,
                          lane_of(show.velocity, k) + cross(base_spin, arm) +
                              turned(facing, vector_in<lanes>(room.velocities.data(), i, k)));
            put_in<lanes>(shown, 2, k,
                          base_spin + turned(facing, vector_in<lanes>(room.spins.data(), i, k)));
            put_in<lanes>(shown + 9 * lanes, 0, k,
                          product(facing, quaternion_in<lanes>(room.turns.data(), i, k)));
        }
        for (std::size_t k = 0; k < show.plants; ++k) {
            const std::size_t at = k * points + i;
            show.positions[at] = vector_in<lanes>(shown, 0, k);
            show.velocities[at] = vector_in<lanes>(shown, 1, k);
            show.spins[at] = vector_in<lanes>(shown, 2, k);
            show.rotations[at] = quaternion_in<lanes>(shown + 9 * lanes, 0, k);
        }
    }
}

}  // namespace

HOPCOIL_FOR_EACH_SET(find_loads_of_many, loads_loop<most_lanes>, Sway)
HOPCOIL_FOR_EACH_SET(swing_many_on, swing_loop<most_lanes>, Sway)
HOPCOIL_FOR_EACH_SET(show_many, show_loop<most_lanes>, Show)

void find_loads(InstructionSet set, std::size_t lanes, const Sway& sway) noexcept {
    lanes == 1 ? loads_loop<1>(sway) : find_loads_of_many(set, sway);
}
void swing_on(InstructionSet set, std::size_t lanes, const Sway& sway) noexcept {
    lanes == 1 ? swing_loop<1>(sway) : swing_many_on(set, sway);
}
void show(InstructionSet set, std::size_t lanes, const Show& show) noexcept {
    lanes == 1 ? show_loop<1>(show) : show_many(set, show);
}

}  // namespace hopcoil::plant
