#include <algorithm>
#include <limits>
#include <utility>

#include <hopcoil/base/math.hpp>
#include <hopcoil/field/wind.hpp>

#include "plant_parts.hpp"
#include "vectors.hpp"

namespace hopcoil::scene {

namespace {

void find_bases(const PlantParts& parts, const SystemInputs& inputs,
                std::vector<PlantBase>& bases) {
    const Placement mount = placement_of(parts.mount, inputs);
    // Without a carrier it stays where it is: its velocity is known to be zero.
    const auto rate_of = [&](const std::optional<std::size_t>& target) -> std::optional<Vector3> {
        if (!target) return Vector3{};
        const InputSample& carrier = inputs.targets[*target];
        if (!carrier.knows_velocity) return std::nullopt;
        return vector_of(carrier.point.velocity);
    };
    const std::optional<Vector3> velocity = rate_of(parts.mount.position);
    const std::optional<Vector3> spin = rate_of(parts.mount.rotation);
    bases.clear();
    for (const Placement& place : parts.places) {
        const Placement base = mount * place;
        std::optional<Vector3> own;
        if (velocity && spin) own = *velocity + cross(*spin, base.position - mount.position);
        bases.push_back({base.position, base.rotation, own, spin});
    }
}

std::vector<PlantBase> bases_of(const PlantParts& parts, const SystemInputs& inputs) {
    std::vector<PlantBase> bases;
    bases.reserve(parts.places.size());
    find_bases(parts, inputs, bases);
    return bases;
}

}  // namespace

RunningPlant::RunningPlant(PlantParts parts, const SystemInputs& inputs)
    : parts_{std::move(parts)},
      bases_{bases_of(parts_, inputs)},
      plants_{parts_.structure, parts_.settings, bases_},
      tips_{parts_.structure->tips()},
      time_s_{inputs.time_s} {
    pulls_.reserve(parts_.pushes.size() * bases_.size() + 1);
    // What carries them may be moving already.
    plants_.step({.bases = bases_}, 0);
}

/// Steps end where pushes begin and end, so each lasts for all of a step or for none of it. A hand
/// pulls as a spring that the whole plant would give way to.
void RunningPlant::find_pulls(double from_s, double to_s) {
    pulls_.clear();
    const double middle_s = (from_s + to_s) / 2;
    for (const PlantPush& push : parts_.pushes) {
        const bool lasts = middle_s > push.at_s && middle_s < push.at_s + push.for_s;
        for (std::size_t i = 0; lasts && i < plants_.size(); ++i)
            pulls_.push_back({push.branch, push.force_n, i});
    }
    if (!grab_) return;
    const PlantSettings& settings = parts_.settings;
    const PlantStructure::Mode& slowest = parts_.structure->modes()[0];
    const double w = 2 * math::pi * settings.frequency_hz / slowest.reach_m;
    const double stiffness =
        3 * (settings.density_kg_per_m3 + settings.fluid_density_kg_per_m3) * w * w;
    const Vector3 way = grab_->place - plants_.positions(grab_->plant)[grab_->branch + 1];
    pulls_.push_back({grab_->branch, way * stiffness, grab_->plant});
}

bool RunningPlant::advance(double time_s, const SystemInputs& inputs) {
    const double dt = step_length_.from_to(time_s_, time_s);
    find_bases(parts_, inputs, bases_);
    find_pulls(time_s_, time_s);
    const PlantBedInputs given{
        .bases = bases_, .wind = field_in<Wind>(inputs, 0), .time_s = time_s, .pulls = pulls_};
    if (plants_.step(given, dt) == StepStatus::rejected) return false;
    time_s_ = time_s;
    return true;
}

void RunningPlant::change(const SystemInputs& inputs) {
    const Placement mount = placement_of(parts_.mount, inputs);
    for (std::size_t i = 0; i < plants_.size(); ++i) {
        const Placement base = mount * parts_.places[i];
        plants_.cut(i, base.position, base.rotation);
    }
}

/// Of the last branch, as a blow that gives what of its mass is there this velocity.
bool RunningPlant::push(std::size_t /*port*/, const ValueArray& delta_velocity) {
    const PlantSettings& settings = parts_.settings;
    const double mass_kg = (settings.density_kg_per_m3 + settings.fluid_density_kg_per_m3) *
                           parts_.structure->rods().back().volume_m3;
    const Vector3 impulse = vector_of(delta_velocity) * mass_kg;
    return plants_.push(plants_.size() - 1, parts_.structure->size() - 1, impulse) ==
           StepStatus::stepped;
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
    const std::size_t each = parts_.points_of_each();
    const bool is_spot = port > 0;
    const std::size_t plant = is_spot ? 0 : index / each;
    const std::size_t point = is_spot ? parts_.spots[(port - 1) / 2].branch + 1 : index % each;
    if (is_spot && (port - 1) % 2 == 1)
        return {array_of(plants_.rotations(plant)[point]), array_of(plants_.spins(plant)[point])};
    return {array_of(plants_.positions(plant)[point]), array_of(plants_.velocities(plant)[point])};
}

void RunningPlant::read_signals(std::span<double> numbers) {
    numbers[0] = plants_.energy();
    double largest_m = 0;
    double mean_m = 0;
    double fastest = 0;
    for (std::size_t plant = 0; plant < plants_.size(); ++plant) {
        const PlantBase& base = bases_[plant];
        for (const std::size_t tip : tips_) {
            const Vector3& end = parts_.structure->branches()[tip].end;
            const Vector3 at_rest = base.place + rotated(base.facing, end);
            const Vector3 moved = plants_.positions(plant)[tip + 1] - at_rest;
            const Vector3& velocity = plants_.velocities(plant)[tip + 1];
            const double lean_m = math::sqrt(dot(moved, moved));
            largest_m = std::max(largest_m, lean_m);
            mean_m += lean_m;
            fastest = std::max(fastest, math::sqrt(dot(velocity, velocity)));
        }
    }
    numbers[1] = largest_m;
    numbers[2] = mean_m / static_cast<double>(tips_.size() * plants_.size());
    numbers[3] = fastest;
}

bool RunningPlant::retune(const SystemSpec& spec) {
    const PlantParts& parts = dynamic_cast<const PlantSpec&>(spec).parts();
    const bool is_set_up_alike =
        parts.structure == parts_.structure && parts.pushes == parts_.pushes &&
        parts.places.size() == parts_.places.size() && parts.mount == parts_.mount;
    if (!is_set_up_alike) return false;
    if (!plants_.try_retune(parts.settings)) return false;
    parts_ = parts;
    return true;
}

}  // namespace hopcoil::scene
