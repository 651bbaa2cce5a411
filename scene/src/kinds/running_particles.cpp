#include <algorithm>
#include <cmath>

#include <fmt/format.h>

#include <hopcoil/field/ground.hpp>
#include <hopcoil/field/wind.hpp>

#include "particles_parts.hpp"
#include "vectors.hpp"

namespace hopcoil::scene {
namespace {

SceneEvent::Type scene_event(ParticleEvent::Type type) {
    switch (type) {
        case ParticleEvent::Type::born:
            return SceneEvent::Type::born;
        case ParticleEvent::Type::at_rest:
            return SceneEvent::Type::at_rest;
        case ParticleEvent::Type::died:
            return SceneEvent::Type::died;
        case ParticleEvent::Type::hit:
            break;
    }
    return SceneEvent::Type::hit;
}

}  // namespace

RunningParticles::RunningParticles(const ParticlesParts& parts, const SystemInputs& inputs)
    : parts_{parts},
      particles_{parts.settings, parts.stream, emitter(inputs).position, emitter(inputs).rotation},
      shape_places_(parts.shapes.size()),
      place_{emitter(inputs).position},
      time_s_{inputs.time_s} {
    place_shapes(inputs, 0);
    start_bursts(-1, inputs.time_s, inputs);
}

Placement RunningParticles::emitter(const SystemInputs& inputs) const {
    return placement_of(parts_.mount, inputs) * Placement{parts_.place, parts_.turned};
}

void RunningParticles::place_shapes(const SystemInputs& inputs, double dt) {
    shapes_.resize(parts_.shapes.size());
    for (std::size_t i = 0; i < shapes_.size(); ++i) {
        const MountedShape& own = parts_.shapes[i];
        const Placement now =
            placement_of(own.mount, inputs) * Placement{own.shape.position, own.shape.rotation};
        shapes_[i] = own.shape;
        shapes_[i].position = now.position;
        shapes_[i].rotation = now.rotation;
        const Placement& before = shape_places_[i];
        if (dt > 0) {
            shapes_[i].velocity = (now.position - before.position) * (1 / dt);
            shapes_[i].angular_velocity =
                rotation_vector(now.rotation * conjugate(before.rotation)) * (1 / dt);
        }
        shape_places_[i] = now;
    }
}

/// Those due after one time, up to another.
void RunningParticles::start_bursts(double from_s, double to_s, const SystemInputs& inputs) {
    for (const ParticleBurst& burst : parts_.bursts) {
        if (burst.at_s > from_s && burst.at_s <= to_s)
            particles_.burst(burst.count, emitter(inputs).position);
    }
    const auto* const source = field_in<EventSource>(inputs, particle_field::source);
    if (source == nullptr || parts_.count_for_each == 0) return;
    for (const SceneEvent& event : source->events()) {
        if (event.type == parts_.on) particles_.burst(parts_.count_for_each, event.place);
    }
}

bool RunningParticles::advance(double time_s, const SystemInputs& inputs) {
    const double dt = time_s - time_s_;
    place_shapes(inputs, dt);
    const Placement at = emitter(inputs);
    const ParticleInputs given{.emitter = at.position,
                               .facing = at.rotation,
                               .is_on = time_s > parts_.from_s && time_s_ < parts_.until_s,
                               .shapes = shapes_,
                               .ground = field_in<Ground>(inputs, particle_field::ground),
                               .wind = field_in<Wind>(inputs, particle_field::wind)};
    if (particles_.step(given, dt) == StepStatus::rejected) return false;
    events_.clear();
    for (const ParticleEvent& event : particles_.events()) {
        events_.push_back({scene_event(event.type), event.place});
        hits_ += event.type == ParticleEvent::Type::hit ? 1 : 0;
    }
    start_bursts(time_s_, time_s, inputs);
    place_ = at.position;
    time_s_ = time_s;
    return true;
}

void RunningParticles::change(const SystemInputs& inputs) {
    place_ = emitter(inputs).position;
}

double RunningParticles::next_event_s(double time_s) const {
    double next = std::numeric_limits<double>::infinity();
    const auto look = [&](double at_s) {
        if (at_s > time_s) next = std::min(next, at_s);
    };
    for (const ParticleBurst& burst : parts_.bursts)
        look(burst.at_s);
    look(parts_.from_s);
    look(parts_.until_s);
    return next;
}

ValueAndVelocity RunningParticles::output(std::size_t /*port*/, std::size_t index) const {
    const bool is_there = particles_.alive()[index] != 0;
    return {array_of(is_there ? particles_.position(index) : place_),
            array_of(is_there ? particles_.velocity(index) : Vector3{})};
}

void RunningParticles::read_signals(std::span<double> numbers) {
    const std::size_t capacity = particles_.capacity();
    for (std::size_t i = 0; i < capacity; ++i) {
        numbers[i] = particles_.alive()[i];
        numbers[capacity + i] = particles_.age(i);
    }
    numbers[2 * capacity] = static_cast<double>(particles_.alive_count());
    numbers[2 * capacity + 1] = static_cast<double>(hits_);
    for (std::size_t i = 0; parts_.are_turning() && i < capacity; ++i)
        numbers[2 * capacity + 2 + i] = particles_.turned_rad(i);
}

bool RunningParticles::retune(const SystemSpec& spec) {
    const ParticlesParts& parts = dynamic_cast<const ParticlesSpec&>(spec).parts();
    const bool is_set_up_alike =
        parts.place == parts_.place && parts.turned == parts_.turned &&
        parts.from_s == parts_.from_s && parts.until_s == parts_.until_s &&
        parts.bursts == parts_.bursts && parts.count_for_each == parts_.count_for_each &&
        parts.shapes == parts_.shapes && parts.are_turning() == parts_.are_turning();
    if (!is_set_up_alike || !particles_.try_retune(parts.settings)) return false;
    parts_ = parts;
    return true;
}

std::vector<std::string> RunningParticles::warnings(const std::string& name,
                                                    double /*rate_hz*/) const {
    if (particles_.missed_births() == 0) return {};
    return {
        fmt::format("{}: {} births found no room among {}; a larger capacity, a lower rate or "
                    "shorter lives would let them",
                    name, particles_.missed_births(), particles_.capacity())};
}

}  // namespace hopcoil::scene
