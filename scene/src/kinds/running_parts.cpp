#include <algorithm>
#include <cmath>
#include <limits>
#include <utility>

#include <fmt/format.h>

#include <hopcoil/field/ground.hpp>

#include "joint_limits.hpp"
#include "jointed.hpp"
#include "timed.hpp"
#include "vectors.hpp"

namespace hopcoil::scene {

RunningParts::RunningParts(JointedParts parts, const SystemInputs& inputs)
    : parts_{std::move(parts)},
      ports_{parts_},
      running_{parts_.built(), parts_.settings},
      mounts_{inputs},
      driven_(parts_.driven.size()),
      targets_(parts_.aimed.size()),
      grid_s_{plan_for(running_.structure(), parts_.settings).substep_s},
      time_s_{inputs.time_s},
      stepped_s_{inputs.time_s} {
    place_driven(inputs, inputs.time_s);
    if (!driven_.empty()) running_.cut_driven(driven_);
    for (std::uint32_t i = 0; i < parts_.motions.size(); ++i) {
        const PartMotion& motion = parts_.motions[i];
        const bool moves = motion.velocity != Vector3{} || motion.angular_velocity != Vector3{};
        if (moves) running_.set_motion(i, motion);
    }
}

void RunningParts::place_driven(const SystemInputs& inputs, double time_s) {
    for (std::size_t i = 0; i < driven_.size(); ++i) {
        const DrivenPart& each = parts_.driven[i];
        driven_[i] = mounts_.at(each.mount, inputs, time_s) * each.own;
    }
}

void RunningParts::place_targets(const SystemInputs& inputs, double time_s) {
    for (std::size_t i = 0; i < targets_.size(); ++i) {
        const AimedJoint& each = parts_.aimed[i];
        targets_[i].joint = each.joint;
        if (each.type == PartJoint::Type::ball) {
            targets_[i].wanted_turn =
                mounts_.at({.rotation = each.target}, inputs, time_s).rotation;
        } else {
            const bool is_angle = each.type == PartJoint::Type::hinge;
            targets_[i].wanted = mounts_.number_at(each.target, inputs, time_s, is_angle);
        }
    }
}

bool RunningParts::step_to(double time_s, const SystemInputs& inputs) {
    place_driven(inputs, time_s);
    place_targets(inputs, time_s);
    mounts_.place(parts_.shapes, inputs, {time_s, grid_s_}, shapes_);
    std::span<const PartGrab> grabs;
    if (grab_) grabs = {&*grab_, 1};
    const PartsInputs given{.driven = driven_,
                            .shapes = shapes_,
                            .grabs = grabs,
                            .targets = targets_,
                            .ground = field_in<Ground>(inputs, 0),
                            .wind = field_in<Wind>(inputs, 1),
                            .time_s = time_s};
    stepped_s_ = time_s;
    if (running_.step(given, grid_s_) == StepStatus::rejected) return false;
    for (JointTarget& each : targets_)
        each.leaps = false;
    for (const PartImpact& each : running_.impacts()) {
        if (each.speed_m_per_s >= least_hit_m_per_s)
            events_.push_back({SceneEvent::Type::hit, each.place});
    }
    return true;
}

bool RunningParts::advance(double time_s, const SystemInputs& inputs) {
    events_.clear();
    const auto step = [&](double end_s) {
        return step_to(end_s, inputs);
    };
    if (!step_on_grid(stepped_s_, time_s, grid_s_, step)) return false;
    mounts_.note(inputs, time_s);
    time_s_ = time_s;
    return true;
}

/// What carries it jumps, and all that hangs on it goes along.
void RunningParts::change(const SystemInputs& inputs) {
    for (std::size_t i = 0; i < targets_.size(); ++i)
        targets_[i].leaps = targets_[i].leaps || mounts_.has_moved(parts_.aimed[i].target, inputs);
    mounts_.note(inputs, time_s_);
    const std::vector<Placement> before = driven_;
    place_driven(inputs, time_s_);
    if (driven_ != before) running_.cut_driven(driven_);
}

void RunningParts::act() {
    for (const PartBlow& blow : parts_.blows) {
        if (std::abs(blow.at_s - time_s_) < 1e-9)
            running_.push(blow.part, blow.place, blow.newton_seconds);
    }
}

double RunningParts::next_event_s(double time_s) const {
    return next_at_s(parts_.blows, time_s);
}

bool RunningParts::push(std::size_t port, const ValueArray& delta_velocity) {
    const auto part = static_cast<std::uint32_t>(port / 2);
    if (part >= running_.size()) return false;
    const MassProperties& mass = running_.mass(part);
    return running_.push(part, mass.centre, vector_of(delta_velocity) * mass.mass_kg) ==
           StepStatus::stepped;
}

/// With a hand as strong as it takes to lift all of it three times.
bool RunningParts::grab(std::size_t port, std::size_t /*index*/,
                        const std::optional<ValueArray>& place) {
    grab_.reset();
    if (!place) return true;
    const auto part = static_cast<std::uint32_t>(port / 2);
    if (part >= running_.size() || port % 2 == 1 || running_.structure().parts[part].is_driven)
        return false;
    double mass_kg = 0;
    for (std::uint32_t i = 0; i < running_.size(); ++i) {
        if (!running_.structure().parts[i].is_driven) mass_kg += running_.mass(i).mass_kg;
    }
    grab_ = PartGrab{.part = part,
                     .place = running_.mass(part).centre,
                     .target = vector_of(*place),
                     .most_force_n = 3 * 9.80665 * mass_kg};
    return true;
}

/// Of one that is not there the first part's place: it is not drawn.
Vector3 RunningParts::contact_place(std::size_t index) const {
    const auto contacts = running_.contacts();
    return index < contacts.size() ? contacts[index].place : running_.placements()[0].position;
}

/// Between two steps everything goes on as it moves.
ValueAndVelocity RunningParts::output(std::size_t port, std::size_t index) const {
    const std::size_t part = port / 2;
    if (part >= parts_.names.size()) {
        if (port == ports_.joints)
            return {array_of(joint_place(parts_.structure, running_.placements(), index)), {}};
        if (port == ports_.links)
            return {array_of(link_end(parts_.structure, running_.placements(), index)), {}};
        if (port == ports_.centre) return {array_of(running_.centre_of_mass()), {}};
        if (port == ports_.limits) {
            return {
                array_of(limit_point(parts_.structure, running_.placements(),
                                     ports_.limited[index / limit_points], index % limit_points)),
                {}};
        }
        return {array_of(contact_place(index)), {}};
    }
    const double ahead_s = time_s_ - stepped_s_;
    const Placement& at = running_.placements()[part];
    const PartMotion& motion = running_.motions()[part];
    if (port % 2 == 1) {
        const Quaternion turned = turned_by(motion.angular_velocity * ahead_s) * at.rotation;
        return {array_of(turned), array_of(motion.angular_velocity)};
    }
    const Vector3 arm = at.position - running_.centre_of_mass(static_cast<std::uint32_t>(part));
    const Vector3 velocity = motion.velocity + cross(motion.angular_velocity, arm);
    return {array_of(at.position + velocity * ahead_s), array_of(velocity)};
}

void RunningParts::read_signals(std::span<double> numbers) {
    numbers[parts_signal::energy] = running_.energy();
    numbers[parts_signal::gap] = running_.largest_joint_gap_m();
    numbers[parts_signal::contacts] = static_cast<double>(running_.contacts().size());
    numbers[parts_signal::depth] = running_.contact_depth_m();
    for (std::size_t i = 0; i < parts_.joint_names.size(); ++i)
        numbers[parts_signal::first_joint + i] = running_.joint_position(i);
    const std::size_t first = parts_signal::first_joint + parts_.joint_names.size();
    for (std::size_t i = 0; i < parts_.contact_points; ++i)
        numbers[first + i] = i < running_.contacts().size() ? 1 : 0;
}

bool RunningParts::retune(const SystemSpec& spec) {
    const JointedParts& parts = dynamic_cast<const PartsSpec&>(spec).parts();
    const bool is_set_up_alike = parts.names == parts_.names && parts.driven == parts_.driven &&
                                 parts.aimed == parts_.aimed && parts.blows == parts_.blows &&
                                 parts.shapes == parts_.shapes &&
                                 parts.joint_names == parts_.joint_names &&
                                 parts.contact_points == parts_.contact_points;
    if (!is_set_up_alike) return false;
    running_.retune(parts.built(), parts.settings);
    parts_ = parts;
    grid_s_ = plan_for(running_.structure(), parts_.settings).substep_s;
    stepped_s_ = std::round(stepped_s_ / grid_s_) * grid_s_;
    return true;
}

std::vector<std::string> RunningParts::warnings(const std::string& name, double /*rate_hz*/) const {
    std::vector<std::string> all;
    const std::uint64_t guarded = running_.guarded_substeps();
    if (guarded > 0) {
        all.push_back(
            fmt::format("{}: {} substeps were too long for the motion, which was slowed there; "
                        "more substeps would follow it",
                        name, guarded));
    }
    return all;
}

}  // namespace hopcoil::scene
