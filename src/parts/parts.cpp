#include <algorithm>
#include <array>
#include <cmath>
#include <stdexcept>
#include <string>
#include <utility>

#include <hopcoil/base/dials_through.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/base/time_step.hpp>
#include <hopcoil/parts/parts.hpp>

#include "works.hpp"

namespace hopcoil {
namespace {

using parts::Body;
using parts::Connection;
using parts::is_placement;

constexpr double frame_s = 1.0 / 60;
constexpr double most_substeps_a_step = 20'000;
constexpr std::size_t most_shapes = 64;

double substep_of(const PartsSettings& settings) {
    return frame_s / static_cast<double>(settings.substeps);
}

std::vector<std::uint32_t> driven_parts(const PartsStructure& structure) {
    std::vector<std::uint32_t> driven;
    for (std::uint32_t i = 0; i < structure.parts.size(); ++i) {
        if (structure.parts[i].is_driven) driven.push_back(i);
    }
    driven.reserve(structure.parts.size());
    return driven;
}

std::vector<Channel> channels_for(std::size_t count) {
    using enum ChannelKind;
    return {{"position", vector, 3, "m", count},
            {"rotation", rotation, 4, "", count},
            {"velocity", vector, 3, "m_per_s", count},
            {"angular_velocity", vector, 3, "rad_per_s", count},
            {"energy", scalar, 1, "j"},
            {"joint_gap", scalar, 1, "m"},
            {"contacts", scalar, 1, ""}};
}

const PartsStructure& checked(const PartsStructure& structure, const PartsSettings& settings) {
    require_valid(structure);
    require_valid(settings);
    return structure;
}

}  // namespace

PartsPlan plan_for(const PartsStructure& structure, const PartsSettings& settings) {
    const std::vector<Body> bodies = parts::bodies_of(checked(structure, settings));
    const parts::Connections connections{structure, settings, bodies};
    PartsPlan plan{.substep_s = substep_of(settings)};
    plan.stiffest = connections.stiffest(bodies, plan.substep_s);
    const double more = std::sqrt(std::min(plan.stiffest, 1e12));
    plan.exact_substeps = std::max<std::size_t>(
        1,
        static_cast<std::size_t>(std::ceil(static_cast<double>(settings.substeps) * more - 1e-9)));
    return plan;
}

Parts::Parts(PartsStructure structure, const PartsSettings& settings)
    : structure_{std::move(structure)},
      settings_{settings},
      works_{std::make_unique<PartsWorks>(checked(structure_, settings_), settings_)},
      driven_{driven_parts(structure_)},
      placements_(structure_.parts.size()),
      motions_(structure_.parts.size()),
      channels_{channels_for(structure_.parts.size())} {
    works_->allow_energy();
    find_outputs();
}

Parts::Parts(const Parts& other)
    : structure_{other.structure_},
      settings_{other.settings_},
      works_{std::make_unique<PartsWorks>(*other.works_)},
      driven_{other.driven_},
      placements_{other.placements_},
      motions_{other.motions_},
      channels_{other.channels_},
      rejected_inputs_{other.rejected_inputs_},
      guarded_substeps_{other.guarded_substeps_} {
    driven_.reserve(size());
}

Parts::Parts(Parts&&) noexcept = default;
Parts& Parts::operator=(Parts&&) noexcept = default;
Parts::~Parts() = default;

Parts& Parts::operator=(const Parts& other) {
    if (this != &other) *this = Parts{other};
    return *this;
}

StepStatus Parts::reject() noexcept {
    ++rejected_inputs_;
    return StepStatus::rejected;
}

bool Parts::accepts(const PartsInputs& inputs, double dt) const noexcept {
    if (!is_time_step(dt) || dt > most_substeps_a_step * substep_of(settings_)) return false;
    if (!inputs.driven.empty() && inputs.driven.size() != driven_.size()) return false;
    if (inputs.shapes.size() > most_shapes || !std::isfinite(inputs.time_s)) return false;
    const auto is_usable_force = [&](const PartForce& force) {
        return force.part < size() && is_finite_vector(force.place) &&
               is_finite_vector(force.newtons) && is_finite_vector(force.torque_nm);
    };
    const auto is_usable_grab = [&](const PartGrab& grab) {
        return grab.part < size() && is_finite_vector(grab.place) &&
               is_finite_vector(grab.target) && grab.most_force_n >= 0 &&
               std::isfinite(grab.most_force_n);
    };
    const auto is_usable_shape = [](const ContactShape& shape) {
        return is_placement({shape.position, shape.rotation}) &&
               is_finite_vector(shape.half_size_m) && is_finite_vector(shape.velocity) &&
               is_finite_vector(shape.angular_velocity) && shape.radius_m >= 0 &&
               shape.friction >= 0 && std::isfinite(shape.radius_m + shape.friction);
    };
    const auto is_usable_target = [&](const JointTarget& target) {
        const auto& joints = structure_.joints;
        return target.joint < joints.size() &&
               joints[target.joint].type != PartJoint::Type::fixed &&
               is_placement({{target.wanted, 0, 0}, target.wanted_turn});
    };
    return std::all_of(inputs.driven.begin(), inputs.driven.end(), is_placement) &&
           std::all_of(inputs.targets.begin(), inputs.targets.end(), is_usable_target) &&
           std::all_of(inputs.forces.begin(), inputs.forces.end(), is_usable_force) &&
           std::all_of(inputs.grabs.begin(), inputs.grabs.end(), is_usable_grab) &&
           std::all_of(inputs.shapes.begin(), inputs.shapes.end(), is_usable_shape);
}

StepStatus Parts::step(const PartsInputs& inputs, double dt) noexcept {
    if (!accepts(inputs, dt)) return reject();
    PartsWorks& works = *works_;
    works.impact_count = 0;
    if (dt == 0) return StepStatus::stepped;
    works.is_guarded = false;
    const double most_h = substep_of(settings_);
    const int count = static_cast<int>(std::max(std::ceil(dt / most_h - 1e-6), 1.0));
    const double h = dt / count;
    const bool leaps = works.drive(driven_, inputs.driven, dt, h);
    if (leaps) works.allow_energy();
    works.aim(inputs.targets, dt);
    works.air.find(inputs.wind, inputs.time_s, works.bodies);
    works.contacts.begin_step(works.bodies, dt);
    works.wake_touched(inputs);
    works.wake_where_ground_moves(inputs.ground);
    for (int done = 1; done <= count; ++done) {
        works.substep(inputs, h, dt - done * h);
        if (works.is_guarded) ++guarded_substeps_;
    }
    works.islands.update(works.bodies, works.connections, works.contacts, dt,
                         settings_.sleep_speed_m_per_s);
    find_outputs();
    return leaps || works.is_guarded ? StepStatus::guarded : StepStatus::stepped;
}

void Parts::find_outputs() noexcept {
    PartsWorks& works = *works_;
    for (std::size_t i = 0; i < size(); ++i) {
        placements_[i] = parts::placement_of(works.bodies[i]);
        motions_[i] = {works.bodies[i].velocity, works.bodies[i].angular_velocity()};
    }
    const double h = substep_of(settings_);
    works.touch_count = 0;
    for (const parts::Contact& contact : works.contacts.all()) {
        if (contact.impulse == 0 || works.touch_count == works.touches.size()) continue;
        const Body& a = works.bodies[contact.a];
        const bool is_world = contact.b + 1 == works.bodies.size();
        works.touches[works.touch_count++] = {
            contact.a, is_world ? no_part : contact.b,
            parts::to_world({a.position, a.rotation}, contact.local_a), contact.normal,
            contact.impulse / h};
    }
}

const MassProperties& Parts::mass(std::uint32_t part) const {
    return works_->masses.at(part);
}

Vector3 Parts::centre_of_mass(std::uint32_t part) const {
    return works_->bodies.at(part).position;
}

Vector3 Parts::centre_of_mass() const noexcept {
    Vector3 of_free{};
    Vector3 of_all{};
    double free_kg = 0;
    double all_kg = 0;
    for (std::size_t i = 0; i < size(); ++i) {
        const Body& body = works_->bodies[i];
        of_all = of_all + body.position * body.mass;
        all_kg += body.mass;
        if (body.inverse_mass == 0) continue;
        of_free = of_free + body.position * body.mass;
        free_kg += body.mass;
    }
    if (free_kg > 0) return of_free * (1 / free_kg);
    return all_kg > 0 ? of_all * (1 / all_kg) : Vector3{};
}

void Parts::retune(const PartsStructure& structure, const PartsSettings& settings) {
    if (structure.parts.size() != size() || structure.joints.size() != structure_.joints.size() ||
        structure.links.size() != structure_.links.size()) {
        throw InvalidValue{"parts", static_cast<double>(structure.parts.size()),
                           "as many parts, joints and links as there are"};
    }
    PartsStructure free = structure;
    for (std::uint32_t i = 0; i < size(); ++i)
        free.parts[i].is_driven = free.parts[i].is_driven && !works_->can_be_free(i);
    Parts changed{free, settings};
    changed.structure_ = structure;
    changed.drive_as_structured();
    for (std::size_t i = 0; i < size(); ++i) {
        Body& body = changed.works_->bodies[i];
        const Body& old = works_->bodies[i];
        parts::place(body, placements_[i]);
        body.velocity = old.velocity;
        body.momentum = old.inverse_mass > 0 ? old.momentum : Vector3{};
    }
    for (std::size_t i = 0; i < works_->connections.all().size(); ++i) {
        Connection& one = changed.works_->connections.all()[i];
        one.holds = works_->connections.all()[i].holds;
        one.aim_like(works_->connections.all()[i]);
    }
    changed.rejected_inputs_ = rejected_inputs_;
    changed.guarded_substeps_ = guarded_substeps_;
    changed.works_->allow_energy();
    changed.find_outputs();
    *this = std::move(changed);
}

bool Parts::try_retune(const PartsSettings& settings) noexcept {
    try {
        retune(structure_, settings);
        return true;
    } catch (const std::exception&) {
        ++rejected_inputs_;
        return false;
    }
}

void Parts::set_spring(std::size_t joint, const JointSpring& spring) {
    require_valid(spring);
    structure_.joints.at(joint).spring = spring;
    works_->connections.all()[joint].set_spring(spring);
    works_->wake(structure_.joints[joint].b);
    works_->allow_energy();
}

bool Parts::try_set_spring(std::size_t joint, const JointSpring& spring) noexcept {
    const bool fits = joint < structure_.joints.size() && passes_require_valid(spring);
    if (!fits) {
        ++rejected_inputs_;
        return false;
    }
    set_spring(joint, spring);
    return true;
}

void Parts::set_joint_holding(std::size_t joint, bool holds, bool anew) {
    static_cast<void>(structure_.joints.at(joint));
    parts::Connection& one = works_->connections.all()[joint];
    if (holds && !one.holds && anew) one.hold_here(works_->bodies);
    one.holds = holds;
    works_->wake_all();
    works_->allow_energy();
}

void Parts::set_link_holding(std::size_t link, bool holds) {
    static_cast<void>(structure_.links.at(link));
    works_->connections.all()[structure_.joints.size() + link].holds = holds;
    works_->wake_all();
    works_->allow_energy();
}

StepStatus Parts::push(std::uint32_t part, const Vector3& place,
                       const Vector3& impulse_n_s) noexcept {
    const bool fits = part < size() && is_finite_vector(place) && is_finite_vector(impulse_n_s) &&
                      works_->bodies[part].inverse_mass > 0;
    if (!fits) return reject();
    works_->wake(part);
    Body& body = works_->bodies[part];
    body.begin();
    body.strike(impulse_n_s, rotated(body.rotation, parts::to_local(body.own, place)), 0);
    works_->allow_energy();
    find_outputs();
    return StepStatus::stepped;
}

StepStatus Parts::set_motion(std::uint32_t part, const PartMotion& motion) noexcept {
    const bool fits = part < size() && is_finite_vector(motion.velocity) &&
                      is_finite_vector(motion.angular_velocity) &&
                      works_->bodies[part].inverse_mass > 0;
    if (!fits) return reject();
    works_->wake(part);
    Body& body = works_->bodies[part];
    body.velocity = motion.velocity;
    body.momentum = body.momentum_of(motion.angular_velocity);
    works_->allow_energy();
    find_outputs();
    return StepStatus::stepped;
}

StepStatus Parts::set_driven(std::uint32_t part, bool is_driven) noexcept {
    const bool fits = part < size() && (works_->can_be_free(part) || is_driven);
    if (!fits) return reject();
    if (structure_.parts[part].is_driven == is_driven) return StepStatus::stepped;
    structure_.parts[part].is_driven = is_driven;
    find_driven();
    works_->set_driven(part, is_driven);
    find_outputs();
    return StepStatus::stepped;
}

/// It has room for all parts: nothing is allocated.
void Parts::find_driven() noexcept {
    driven_.clear();
    for (std::uint32_t i = 0; i < size(); ++i) {
        if (structure_.parts[i].is_driven) driven_.push_back(i);
    }
}

StepStatus Parts::cut_part(std::uint32_t part, const Placement& to,
                           const PartMotion& motion) noexcept {
    if (part >= size() || !is_placement(to)) return reject();
    Body& body = works_->bodies[part];
    const Placement before = placements_[part];
    parts::place(body, {to.position, normalized(to.rotation)});
    works_->wake(part);
    if (body.inverse_mass > 0 && set_motion(part, motion) != StepStatus::stepped) {
        parts::place(body, before);
        return StepStatus::rejected;
    }
    works_->allow_energy();
    find_outputs();
    return StepStatus::stepped;
}

StepStatus Parts::cut(const Placement& way) noexcept {
    if (!is_placement(way)) return reject();
    const Placement moved{way.position, normalized(way.rotation)};
    for (std::size_t i = 0; i < size(); ++i) {
        Body& body = works_->bodies[i];
        const Placement at = moved * Placement{body.position, body.rotation};
        body.position = at.position;
        body.rotation = normalized(at.rotation);
        body.velocity = rotated(moved.rotation, body.velocity);
        body.momentum = rotated(moved.rotation, body.momentum);
    }
    works_->contacts.forget();
    works_->wake_all();
    works_->allow_energy();
    find_outputs();
    return StepStatus::stepped;
}

StepStatus Parts::cut_driven(std::span<const Placement> driven) noexcept {
    const bool fits =
        driven.size() == driven_.size() && std::all_of(driven.begin(), driven.end(), is_placement);
    if (!fits) return reject();
    for (std::size_t i = 0; i < driven.size(); ++i)
        works_->carry(driven_[i], {driven[i].position, normalized(driven[i].rotation)});
    works_->contacts.forget();
    works_->wake_all();
    works_->allow_energy();
    find_outputs();
    return StepStatus::stepped;
}

double Parts::joint_position(std::size_t joint) const {
    static_cast<void>(structure_.joints.at(joint));
    return works_->connections.all()[joint].position(works_->bodies);
}

double Parts::joint_gap_m(std::size_t joint) const {
    static_cast<void>(structure_.joints.at(joint));
    return works_->connections.all()[joint].gap(works_->bodies);
}

double Parts::largest_joint_gap_m() const noexcept {
    double largest = 0;
    for (const parts::Connection& each : works_->connections.all()) {
        if (each.holds) largest = std::max(largest, each.gap(works_->bodies));
    }
    return largest;
}

double Parts::link_length_m(std::size_t link) const {
    static_cast<void>(structure_.links.at(link));
    return works_->connections.all()[structure_.joints.size() + link].length(works_->bodies);
}

std::span<const PartContact> Parts::contacts() const noexcept {
    return {works_->touches.data(), works_->touch_count};
}

std::span<const PartImpact> Parts::impacts() const noexcept {
    return {works_->impacts.data(), works_->impact_count};
}

double Parts::contact_depth_m() const noexcept {
    return works_->contacts.deepest_m();
}

double Parts::energy() const noexcept {
    return works_->energy();
}

Vector3 Parts::momentum() const noexcept {
    Vector3 sum{};
    for (const Body& body : works_->bodies) {
        if (body.inverse_mass > 0) sum = sum + body.velocity * body.mass;
    }
    return sum;
}

Vector3 Parts::angular_momentum() const noexcept {
    Vector3 sum{};
    for (const Body& body : works_->bodies) {
        if (body.inverse_mass == 0) continue;
        sum = sum + body.momentum + cross(body.position, body.velocity * body.mass);
    }
    return sum;
}

bool Parts::still() const noexcept {
    return std::all_of(works_->bodies.begin(), works_->bodies.end(),
                       [](const Body& body) { return body.inverse_mass == 0 || body.is_asleep; });
}

bool Parts::is_asleep(std::uint32_t part) const {
    return works_->bodies.at(part).is_asleep;
}

void Parts::read(std::span<double> numbers) const noexcept {
    std::size_t at = parts::put_placements(placements_, numbers);
    const auto put = [&](const Vector3& v) {
        for (const double number : {v.x, v.y, v.z})
            numbers[at++] = number;
    };
    for (const PartMotion& each : motions_)
        put(each.velocity);
    for (const PartMotion& each : motions_)
        put(each.angular_velocity);
    numbers[at++] = energy();
    numbers[at++] = largest_joint_gap_m();
    numbers[at++] = static_cast<double>(works_->touch_count);
}

std::span<const Dial<Parts>> Parts::dials() noexcept {
    return dials_through<Parts, PartsSettings, ReadSettings>();
}

namespace {

template <class Fields>
void visit(PartsWorks& works, Fields& fields) {
    for (Body& body : works.bodies) {
        fields(body.position, body.rotation, body.velocity, body.momentum, body.slow_s,
               body.is_asleep, body.island);
    }
    for (Connection& each : works.connections.all())
        fields(each);
    fields(works.contacts, works.allowed_j, works.last_work_j, works.scale_j);
}

}  // namespace

void Parts::visit_works(StateWriter& fields) {
    visit(*works_, fields);
}

void Parts::visit_works(StateReader& fields) {
    visit(*works_, fields);
    for (Connection& each : works_->connections.all())
        each.aim_at(0);
    works_->impact_count = 0;
}

void Parts::drive_as_structured() noexcept {
    for (std::uint32_t i = 0; i < size(); ++i) {
        bool& is_driven = structure_.parts[i].is_driven;
        is_driven = is_driven || !works_->can_be_free(i);
        works_->set_driven(i, is_driven);
    }
    find_driven();
}

}  // namespace hopcoil
