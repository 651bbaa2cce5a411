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

// Rotations as in base/quaternion.hpp, here to be compiled into the loops.

Quaternion product(const Quaternion& a, const Quaternion& b) noexcept {
    return {a.w * b.w - a.x * b.x - a.y * b.y - a.z * b.z,
            a.w * b.x + a.x * b.w + a.y * b.z - a.z * b.y,
            a.w * b.y - a.x * b.z + a.y * b.w + a.z * b.x,
            a.w * b.z + a.x * b.y - a.y * b.x + a.z * b.w};
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

/// (1 - cos t) / t^2 of a turn by t, nearly: the angular velocity of a turn that changes has so much
/// of the turn's cross product with the change.
double twist_of(const Vector3& turn) noexcept {
    return 0.5 / (1 + dot(turn, turn) / 12);
}

/// What of a stream goes across a direction.
Vector3 across(const Vector3& stream, const Vector3& direction) noexcept {
    return stream - direction * dot(stream, direction);
}

}  // namespace

/// Every branch by its angles and rates, from the base outward, in the base's frame.
void Plant::pose() noexcept {
    const auto rods = structure_->rods();
    for (std::size_t i = 0; i < rods.size(); ++i) {
        const PlantStructure::Rod& rod = rods[i];
        const Vector3& turn = bends_[i] =
            rod.bends[0] * angles_[2 * i] + rod.bends[1] * angles_[2 * i + 1];
        const Vector3 rate = rod.bends[0] * rates_[2 * i] + rod.bends[1] * rates_[2 * i + 1];
        const Vector3 spin = rate + cross(turn, rate) * twist_of(turn);
        if (rod.parent == plant_base) {
            turns_[i] = bent_by(turn);
            spins_[i] = spin;
            ends_[i] = turned(turns_[i], rod.along);
            end_velocities_[i] = cross(spins_[i], ends_[i]);
            continue;
        }
        const std::size_t parent = rod.parent;
        turns_[i] = product(turns_[parent], bent_by(turn));
        spins_[i] = spins_[parent] + turned(turns_[parent], spin);
        const Vector3 along = turned(turns_[i], rod.along);
        ends_[i] = ends_[parent] + along;
        end_velocities_[i] = end_velocities_[parent] + cross(spins_[i], along);
    }
}

/// The drag on each branch as it stands. What its own motion changes of it is held to what a
/// substep can take, so that the lightest twig is slowed and never thrown back.
void Plant::feel_stream(const Moment& moment, double h) noexcept {
    const auto rods = structure_->rods();
    const double drag = 0.5 * settings_.fluid_density_kg_per_m3 * settings_.drag_coefficient;
    for (std::size_t i = 0; i < rods.size(); ++i) {
        const PlantStructure::Rod& rod = rods[i];
        const bool is_root = rod.parent == plant_base;
        const Vector3 foot = is_root ? Vector3{} : ends_[rod.parent];
        const Vector3 foot_velocity = is_root ? Vector3{} : end_velocities_[rod.parent];
        const Vector3 along = ends_[i] - foot;
        const Vector3 direction = along * (1 / rod.length_m);
        const double c = drag * rod.radius_m * rod.length_m;  // of half the branch
        const double mass = 0.5 * density() * rod.volume_m3;
        loads_[i] = slowing_loads_[i] = {};
        for (const double part : plant::lump_parts) {
            const Vector3 arm = along * part;
            const Vector3 base_velocity = moment.velocity[1] + cross(moment.spin[1], foot + arm);
            const Vector3 stream = across(streams_[rod.wind_point] - base_velocity, direction);
            const Vector3 own = across(foot_velocity + cross(spins_[i], arm), direction);
            const double speed = length_of(stream);
            const Vector3 still = stream * (c * speed);
            const Vector3 relative = stream - own;
            const Vector3 moving = relative * (c * length_of(relative));
            const double rate = 2 * c * (speed + length_of(own)) / mass;
            const Vector3 force = still - moment.acceleration_at(foot + arm) * mass;
            const Vector3 slowing = (moving - still) * (1 / (1 + h * rate));
            loads_[i].force = loads_[i].force + force;
            loads_[i].moment = loads_[i].moment + cross(arm, force);
            slowing_loads_[i].force = slowing_loads_[i].force + slowing;
            slowing_loads_[i].moment = slowing_loads_[i].moment + cross(arm, slowing);
        }
    }
}

void Plant::feel_pull(std::size_t branch, const Vector3& force) noexcept {
    const std::size_t parent = structure_->rods()[branch].parent;
    const Vector3 foot = parent == plant_base ? Vector3{} : ends_[parent];
    loads_[branch].force = loads_[branch].force + force;
    loads_[branch].moment = loads_[branch].moment + cross(ends_[branch] - foot, force);
}

/// Forces and moments summed toward the base; of each branch, the torques about its bends, which
/// take the place of its angles and rates.
void Plant::find_torques() noexcept {
    const auto rods = structure_->rods();
    for (std::size_t i = rods.size(); i-- > 0;) {
        const PlantStructure::Rod& rod = rods[i];
        const std::size_t parent = rod.parent;
        Vector3 torque = loads_[i].moment;
        Vector3 slowing = slowing_loads_[i].moment;
        if (parent != plant_base) {
            const std::size_t above = rods[parent].parent;
            const Vector3 arm = above == plant_base ? ends_[parent] : ends_[parent] - ends_[above];
            loads_[parent].add(loads_[i], arm);
            slowing_loads_[parent].add(slowing_loads_[i], arm);
            torque = turned_back(turns_[parent], torque);
            slowing = turned_back(turns_[parent], slowing);
        }
        const Vector3 twist = bends_[i] * twist_of(bends_[i]);
        torque = torque + cross(torque, twist);
        slowing = slowing + cross(slowing, twist);
        for (std::size_t k = 0; k < 2; ++k) {
            angles_[2 * i + k] = dot(rod.bends[k], torque);
            rates_[2 * i + k] = dot(rod.bends[k], slowing);
        }
    }
}

/// What the torques do to each mode: the bend that it would come to, and how it is slowed.
void Plant::take_loads(const Moment& moment) noexcept {
    find_torques();
    const auto rods = structure_->rods();
    load_rate_ = 0;
    for (std::size_t i = 0; i < rods.size(); ++i)
        load_rate_ += length_of(loads_[i].force) * rods[i].length_m * rods[i].turn_in_modes;
    load_rate_ /= density();
    for (std::size_t k = 0; k < swings_.size(); ++k) {
        const PlantStructure::Mode& mode = structure_->modes()[k];
        double load = 0;
        double slowing = 0;
        for (std::size_t i = 0; i < angles_.size(); ++i) {
            load += mode.turns[i] * angles_[i];
            slowing += mode.turns[i] * rates_[i];
        }
        // What the base's acceleration does at rest is in the exact step already.
        const double at_rest = dot(mode.base_way, moment.pull) + dot(mode.base_turn, moment.twist);
        const double w = radians_per_s(k);
        const double most = most_bend * structure_->reach_m() / mode.reach_m;
        next_loads_[k] = std::clamp((load / density() + at_rest) / (w * w), -most, most);
        slowings_[k] = slowing / density();
    }
}

}  // namespace hopcoil
