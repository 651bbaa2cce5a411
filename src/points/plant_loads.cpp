// How a plant stands, and what the stream does to it as it does.

#include <algorithm>
#include <cmath>

#include "chain_math.hpp"
#include "plant_modes.hpp"
#include "plant_step.hpp"

namespace hopcoil {

using chain::length_of;

namespace {

/// That a load is taken to bring a mode to, over the plant's size: more is no plant's bend.
constexpr double most_bend = 3;
/// Of a mode, per second.
constexpr double most_drag = 1e6;

// Rotations as in base/quaternion.hpp, here to be compiled into the loops.

// In this order, g++ 12 finds no sums and differences side by side that it would fuse with their
// products, whatever it is told.
Quaternion product(const Quaternion& a, const Quaternion& b) noexcept {
    return {((a.w * b.w - a.x * b.x) - a.y * b.y) - a.z * b.z,
            ((a.w * b.x + a.x * b.w) + a.y * b.z) - a.z * b.y,
            ((a.w * b.y + a.y * b.w) + a.z * b.x) - a.x * b.z,
            ((a.w * b.z + a.z * b.w) + a.x * b.y) - a.y * b.x};
}

Vector3 turned(const Quaternion& q, const Vector3& v) noexcept {
    const Vector3 u{q.x, q.y, q.z};
    const Vector3 t = cross(u, v) * 2;
    return v + t * q.w + cross(u, t);
}

Vector3 turned_back(const Quaternion& q, const Vector3& v) noexcept {
    return turned({q.w, -q.x, -q.y, -q.z}, v);
}

/// turned_by for the turns of branches, which are short: by series, to 1e-12 for up to 2 radians.
Quaternion bent_by(const Vector3& turn) noexcept {
    const double s = dot(turn, turn) / 4;  // of half the angle, squared
    if (!(s < 1)) return turned_by(turn);
    const double cosine =
        1 + s * (-1.0 / 2 +
                 s * (1.0 / 24 +
                      s * (-1.0 / 720 + s * (1.0 / 40320 + s * (-1.0 / 3628800 + s / 479001600)))));
    const double part =
        0.5 *
        (1 + s * (-1.0 / 6 +
                  s * (1.0 / 120 + s * (-1.0 / 5040 + s * (1.0 / 362880 + s * (-1.0 / 39916800 +
                                                                               s / 6227020800))))));
    return {cosine, turn.x * part, turn.y * part, turn.z * part};
}

/// (1 - cos t) / t^2 of a turn by t, nearly: the angular velocity of a changing turn has so much
/// of the turn's cross product with the change.
double twist_of(const Vector3& turn) noexcept {
    return 0.5 / (1 + dot(turn, turn) / 12);
}

/// What of a stream goes across a direction.
Vector3 across(const Vector3& stream, const Vector3& direction) noexcept {
    return stream - direction * dot(stream, direction);
}

}  // namespace

/// Every branch by its angles, from the base outward, in the base's frame.
void Plant::pose() noexcept {
    const auto rods = structure_->rods();
    for (std::size_t i = 0; i < rods.size(); ++i) {
        const PlantStructure::Rod& rod = rods[i];
        bends_[i] = rod.bends[0] * angles_[2 * i] + rod.bends[1] * angles_[2 * i + 1];
        const Quaternion bend = bent_by(bends_[i]);
        turns_[i] = rod.parent == plant_base ? bend : product(turns_[rod.parent], bend);
        ends_[i] = foot_of(i) + turned(turns_[i], rod.along);
    }
}

/// The same of its rates, in the pose that it has.
void Plant::move() noexcept {
    const auto rods = structure_->rods();
    for (std::size_t i = 0; i < rods.size(); ++i) {
        const PlantStructure::Rod& rod = rods[i];
        const std::size_t parent = rod.parent;
        const Vector3 rate = rod.bends[0] * rates_[2 * i] + rod.bends[1] * rates_[2 * i + 1];
        const Vector3 spin = rate + cross(bends_[i], rate) * twist_of(bends_[i]);
        if (parent == plant_base) {
            spins_[i] = spin;
            end_velocities_[i] = cross(spin, ends_[i]);
            continue;
        }
        spins_[i] = spins_[parent] + turned(turns_[parent], spin);
        end_velocities_[i] = end_velocities_[parent] + cross(spins_[i], ends_[i] - ends_[parent]);
    }
}

Vector3 Plant::foot_of(std::size_t branch) const noexcept {
    const std::size_t parent = structure_->rods()[branch].parent;
    return parent == plant_base ? Vector3{} : ends_[parent];
}

/// The drag on each branch as it stands: that of the stream alone, and how its own motion changes
/// it. |U| U - |U - v| (U - v) is nearly v times the slope half way between.
void Plant::add_stream_loads(const Moment& moment) noexcept {
    const auto rods = structure_->rods();
    const double drag = 0.5 * settings_.fluid_density_kg_per_m3 * settings_.drag_coefficient;
    for (std::size_t i = 0; i < rods.size(); ++i) {
        const PlantStructure::Rod& rod = rods[i];
        const Vector3 foot = foot_of(i);
        const Vector3 foot_velocity =
            rod.parent == plant_base ? Vector3{} : end_velocities_[rod.parent];
        const Vector3 along = ends_[i] - foot;
        const Vector3 direction = along * (1 / rod.length_m);
        const double c = drag * rod.radius_m * rod.length_m;  // of half the branch
        const double mass = 0.5 * density() * rod.volume_m3;
        loads_[i] = {};
        for (std::size_t half = 0; half < 2; ++half) {
            const Vector3 arm = along * plant::lump_parts[half];
            const Vector3 base_velocity = moment.velocity[1] + cross(moment.spin[1], foot + arm);
            const Vector3 stream = across(streams_[rod.wind_point] - base_velocity, direction);
            const Vector3 own = across(foot_velocity + cross(spins_[i], arm), direction);
            const Vector3 between = stream - own * 0.5;
            const double speed = length_of(between);
            drags_[2 * i + half] = {c * speed, chain::unit(between, {})};
            loads_[i].add_at(
                arm, stream * (c * length_of(stream)) - moment.acceleration_at(foot + arm) * mass);
        }
    }
}

/// The accelerations of all branches, in the present pose, for the modal accelerations in `rates_`;
/// and the inertial loads of their masses.
void Plant::add_inertia(const Moment& moment) noexcept {
    const auto rods = structure_->rods();
    for (std::size_t i = 0; i < rods.size(); ++i) {
        const PlantStructure::Rod& rod = rods[i];
        const bool is_first = rod.parent == plant_base;
        const Vector3 bend = rod.bends[0] * rates_[2 * i] + rod.bends[1] * rates_[2 * i + 1];
        const Vector3 own = bend + cross(bends_[i], bend) * twist_of(bends_[i]);
        const Vector3& spin = spins_[i];
        if (is_first) {
            spin_gains_[i] = own;
        } else {
            const Vector3& before = spins_[rod.parent];
            spin_gains_[i] = spin_gains_[rod.parent] + turned(turns_[rod.parent], own) +
                             cross(before, spin - before);
        }
        const Vector3 foot_gain = is_first ? Vector3{} : end_gains_[rod.parent];
        const Vector3 foot_velocity = is_first ? Vector3{} : end_velocities_[rod.parent];
        const auto gain_at = [&](const Vector3& arm) {
            return foot_gain + cross(spin_gains_[i], arm) + cross(spin, cross(spin, arm));
        };
        const Vector3 along = ends_[i] - foot_of(i);
        end_gains_[i] = gain_at(along);
        const double mass = 0.5 * density() * rod.volume_m3;
        loads_[i] = {};
        for (const double part : plant::lump_parts) {
            const Vector3 arm = along * part;
            const Vector3 aside = cross(moment.spin[1], foot_velocity + cross(spin, arm)) * 2;
            loads_[i].add_at(arm, (gain_at(arm) + aside) * -mass);
        }
    }
}

/// The modes' masses are those of the rest pose. This is what the present pose adds to the modal
/// forces, from the modal accelerations in `gains_`.
void Plant::find_inertia(const Moment& moment) noexcept {
    double shaken = 0;
    for (const PlantStructure::Mode& mode : structure_->modes()) {
        const double share = dot(mode.base_way, moment.pull) + dot(mode.base_turn, moment.twist);
        shaken += share * share;
    }
    if (!(shaken > 0)) {
        std::fill(gains_.begin(), gains_.end(), 0);
        return;
    }
    set_rates(gains_);
    add_inertia(moment);
    find_torques();
    double square = 0;
    for (std::size_t k = 0; k < gains_.size(); ++k) {
        gains_[k] += on_mode(k, angles_) / density();
        square += gains_[k] * gains_[k];
    }
    // No more than some times what the base shakes it by: a base at rest adds nothing, so that a
    // plant loses energy, and none gets out of hand.
    constexpr double most_times = 4;
    const double most = most_times * most_times * shaken;
    const double kept = square > most ? math::sqrt(most / square) : 1;
    for (double& gain : gains_)
        gain *= kept;
}

/// The modal force of torques about all bends.
double Plant::on_mode(std::size_t mode, std::span<const double> torques) const noexcept {
    const std::vector<double>& turns = structure_->modes()[mode].turns;
    double sum = 0;
    for (std::size_t i = 0; i < turns.size(); ++i)
        sum += turns[i] * torques[i];
    return sum;
}

void Plant::add_pull(std::size_t branch, const Vector3& force) noexcept {
    loads_[branch].add_at(ends_[branch] - foot_of(branch), force);
}

/// Loads summed toward the base; of each branch, the torques about its bends, which take the place
/// of its angles.
void Plant::find_torques() noexcept {
    const auto rods = structure_->rods();
    for (std::size_t i = rods.size(); i-- > 0;) {
        const PlantStructure::Rod& rod = rods[i];
        const std::size_t parent = rod.parent;
        Vector3 torque = loads_[i].moment;
        if (parent != plant_base) {
            loads_[parent].moment = loads_[parent].moment + loads_[i].moment;
            loads_[parent].add_at(ends_[parent] - foot_of(parent), loads_[i].force);
            torque = turned_back(turns_[parent], torque);
        }
        torque = torque + cross(torque, bends_[i] * twist_of(bends_[i]));
        angles_[2 * i] = dot(rod.bends[0], torque);
        angles_[2 * i + 1] = dot(rod.bends[1], torque);
    }
}

/// Of each mode, its static bend under the loads, and its own damping by drag.
void Plant::find_modal_loads(const Moment& moment) noexcept {
    find_torques();
    const auto rods = structure_->rods();
    load_rate_ = 0;
    for (std::size_t i = 0; i < rods.size(); ++i)
        load_rate_ += length_of(loads_[i].force) * rods[i].length_m * rods[i].turn_in_modes;
    load_rate_ /= density();
    for (std::size_t k = 0; k < swings_.size(); ++k) {
        const PlantStructure::Mode& mode = structure_->modes()[k];
        const double load = on_mode(k, angles_);
        // What the base's acceleration does at rest is in the exact step already.
        const double at_rest = dot(mode.base_way, moment.pull) + dot(mode.base_turn, moment.twist);
        const double w = radians_per_s(k);
        const double most = most_bend * structure_->reach_m() / mode.reach_m;
        next_loads_[k] =
            std::clamp((load / density() + at_rest + gains_[k]) / (w * w), -most, most);
        double drag = 0;
        for (std::size_t i = 0; i < drags_.size(); ++i)
            drag += mode.squares[i] * drags_[i].slope;
        // Between the drag along the stream and that across it.
        swings_[k].drag = std::min(1.5 * drag / density(), most_drag);
    }
}

/// Of all bends, from those of the modes.
void Plant::set_rates(std::span<const double> of_modes) noexcept {
    std::fill(rates_.begin(), rates_.end(), 0);
    for (std::size_t k = 0; k < of_modes.size(); ++k) {
        const std::vector<double>& turns = structure_->modes()[k].turns;
        for (std::size_t i = 0; i < turns.size(); ++i)
            rates_[i] += turns[i] * of_modes[k];
    }
}

/// The modal forces of drag while the modes move at these rates.
void Plant::drag_on_modes(std::span<const double> rates) noexcept {
    set_rates(rates);
    move();
    const auto rods = structure_->rods();
    for (std::size_t i = 0; i < rods.size(); ++i) {
        const std::size_t parent = rods[i].parent;
        const Vector3 foot_velocity = parent == plant_base ? Vector3{} : end_velocities_[parent];
        const Vector3 along = ends_[i] - foot_of(i);
        const Vector3 direction = along * (1 / rods[i].length_m);
        loads_[i] = {};
        for (std::size_t half = 0; half < 2; ++half) {
            const Vector3 arm = along * plant::lump_parts[half];
            const Vector3 own = across(foot_velocity + cross(spins_[i], arm), direction);
            const Drag& drag = drags_[2 * i + half];
            loads_[i].add_at(arm, (own + drag.stream * dot(drag.stream, own)) * drag.slope);
        }
    }
    find_torques();
    for (std::size_t k = 0; k < slowings_.size(); ++k)
        slowings_[k] = on_mode(k, angles_) / density();
}

/// Drag couples the modes. Each mode's own damping d is in the exact step; the rest is implicit,
/// so that it is stable however strong: with v the rates without it, D the whole drag and q a
/// mode's unit response, the rates u at the end satisfy (1/q + D - d) u = v / q. Conjugate
/// gradients settle that in a few rounds.
void Plant::solve_drag() noexcept {
    const std::size_t size = swings_.size();
    for (std::size_t k = 0; k < size; ++k) {
        wanted_[k] = swings_[k].rate;
        const CubicRows<double>& rows = rows_[k];
        const double w = radians_per_s(k);
        const double still = 1 / (w * w);
        const double gap = -rows.gap_of_gap * still;
        const double rate = -rows.velocity_of_gap * still;
        responses_[k] = {still + rows.gap_of_gap * gap + rows.gap_of_velocity * rate,
                         rows.velocity_of_gap * gap + rows.velocity_of_velocity * rate};
        if (!(responses_[k].rate > 0)) responses_[k] = {0, 1e-12};
    }
    drag_on_modes(wanted_);
    double left = 0;
    for (std::size_t k = 0; k < size; ++k) {
        missing_[k] = swings_[k].drag * wanted_[k] - slowings_[k];
        toward_[k] = responses_[k].rate * missing_[k];
        left += missing_[k] * toward_[k];
    }
    constexpr int most_rounds = 12;
    for (int round = 0; round < most_rounds; ++round) {
        double whole = 0;
        for (std::size_t k = 0; k < size; ++k)
            whole += wanted_[k] * wanted_[k] / responses_[k].rate;
        if (!(left > 1e-8 * whole)) break;
        drag_on_modes(toward_);
        double with = 0;
        for (std::size_t k = 0; k < size; ++k) {
            slowings_[k] += (1 / responses_[k].rate - swings_[k].drag) * toward_[k];
            with += toward_[k] * slowings_[k];
        }
        if (!(with > 0)) break;
        const double part = left / with;
        double next = 0;
        for (std::size_t k = 0; k < size; ++k) {
            wanted_[k] += part * toward_[k];
            missing_[k] -= part * slowings_[k];
            next += missing_[k] * responses_[k].rate * missing_[k];
        }
        for (std::size_t k = 0; k < size; ++k)
            toward_[k] = responses_[k].rate * missing_[k] + next / left * toward_[k];
        left = next;
    }
    for (std::size_t k = 0; k < size; ++k) {
        swings_[k].bend += responses_[k].bend * (wanted_[k] - swings_[k].rate) / responses_[k].rate;
        swings_[k].rate = wanted_[k];
    }
}

}  // namespace hopcoil
