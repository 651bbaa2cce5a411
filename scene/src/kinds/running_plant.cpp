#include <algorithm>
#include <limits>
#include <utility>

#include <hopcoil/base/math.hpp>
#include <hopcoil/field/wind.hpp>

#include "plant_parts.hpp"
#include "vectors.hpp"

namespace hopcoil::scene {

RunningPlant::RunningPlant(PlantParts parts, const SystemInputs& inputs)
    : parts_{std::move(parts)}, time_s_{inputs.time_s} {
    for (const Placement& place : parts_.places) {
        const Placement base = placement_of(parts_.mount, inputs) * place;
        plants_.emplace_back(parts_.structure, parts_.settings, base.position, base.rotation);
    }
    pulls_.reserve(parts_.pushes.size() + 1);
}

/// Steps end where pushes begin and end, so each lasts for all of a step or for none of it. A hand
/// pulls as a spring that the whole plant would give way to.
void RunningPlant::find_pulls(std::size_t plant, double from_s, double to_s) {
    pulls_.clear();
    const double middle_s = (from_s + to_s) / 2;
    for (const PlantPush& push : parts_.pushes) {
        const bool lasts = middle_s > push.at_s && middle_s < push.at_s + push.for_s;
        if (lasts) pulls_.push_back({push.branch, push.force_n});
    }
    if (!grab_ || grab_->plant != plant) return;
    const PlantSettings& settings = parts_.settings;
    const PlantStructure::Mode& slowest = parts_.structure->modes()[0];
    const double w = 2 * math::pi * settings.frequency_hz / slowest.reach_m;
    const double stiffness =
        3 * (settings.density_kg_per_m3 + settings.fluid_density_kg_per_m3) * w * w;
    const Vector3 way = grab_->place - plants_[plant].positions()[grab_->branch + 1];
    pulls_.push_back({grab_->branch, way * stiffness});
}

bool RunningPlant::advance(double time_s, const SystemInputs& inputs) {
    const double dt = step_length_.from_to(time_s_, time_s);
    const Wind* const wind = field_in<Wind>(inputs, 0);
    for (std::size_t i = 0; i < plants_.size(); ++i) {
        const Placement base = placement_of(parts_.mount, inputs) * parts_.places[i];
        PlantInputs given{
            .base = base.position, .facing = base.rotation, .wind = wind, .time_s = time_s};
        // Away from what turns, a velocity is not that of what carries it.
        if (!parts_.mount.rotation && parts_.mount.position) {
            const InputSample& carrier = inputs.targets[*parts_.mount.position];
            if (carrier.knows_velocity) given.base_velocity = vector_of(carrier.point.velocity);
        }
        find_pulls(i, time_s_, time_s);
        given.pulls = pulls_;
        if (plants_[i].step(given, dt) == StepStatus::rejected) return false;
    }
    time_s_ = time_s;
    return true;
}

void RunningPlant::change(const SystemInputs& inputs) {
    for (std::size_t i = 0; i < plants_.size(); ++i) {
        const Placement base = placement_of(parts_.mount, inputs) * parts_.places[i];
        plants_[i].cut(base.position, base.rotation);
    }
}

/// Of the last branch, as a blow that gives what of its mass is there this velocity.
bool RunningPlant::push(std::size_t /*port*/, const ValueArray& delta_velocity) {
    const PlantSettings& settings = parts_.settings;
    const double mass_kg = (settings.density_kg_per_m3 + settings.fluid_density_kg_per_m3) *
                           parts_.structure->rods().back().volume_m3;
    const Vector3 impulse = vector_of(delta_velocity) * mass_kg;
    return plants_.back().push(parts_.structure->size() - 1, impulse) == StepStatus::stepped;
}

bool RunningPlant::grab(std::size_t port, std::size_t index,
                        const std::optional<ValueArray>& place) {
    grab_.reset();
    if (!place) return true;
    const std::size_t each = parts_.points_of_each();
    const std::size_t point = port == 0 ? index % each : 0;
    if (point == 0) return false;  // its base is where it is
    grab_ = Grab{index / each, point - 1, vector_of(*place)};
    return true;
}

double RunningPlant::next_event_s(double time_s) const {
    double next = std::numeric_limits<double>::infinity();
    for (const PlantPush& push : parts_.pushes) {
        for (const double at_s : {push.at_s, push.at_s + push.for_s}) {
            if (at_s > time_s) next = std::min(next, at_s);
        }
    }
    return next;
}

ValueAndVelocity RunningPlant::output(std::size_t port, std::size_t index) const {
    if (port == 0) {
        const std::size_t each = parts_.points_of_each();
        const Plant& plant = plants_[index / each];
        return {array_of(plant.positions()[index % each]),
                array_of(plant.velocities()[index % each])};
    }
    const Plant& plant = plants_.front();
    const std::size_t point = parts_.spots[(port - 1) / 2].branch + 1;
    if ((port - 1) % 2 == 0)
        return {array_of(plant.positions()[point]), array_of(plant.velocities()[point])};
    return {array_of(plant.rotations()[point]), array_of(plant.spin(point))};
}

void RunningPlant::read_signals(std::span<double> numbers) {
    double energy = 0;
    for (const Plant& plant : plants_)
        energy += plant.energy();
    numbers[0] = energy;
}

bool RunningPlant::retune(const SystemSpec& spec) {
    const PlantParts& parts = dynamic_cast<const PlantSpec&>(spec).parts();
    const bool is_set_up_alike =
        parts.structure == parts_.structure && parts.pushes == parts_.pushes &&
        parts.places.size() == parts_.places.size() && parts.mount == parts_.mount;
    if (!is_set_up_alike) return false;
    for (Plant& plant : plants_) {
        if (!plant.try_retune(parts.settings)) return false;
    }
    parts_ = parts;
    return true;
}

}  // namespace hopcoil::scene
