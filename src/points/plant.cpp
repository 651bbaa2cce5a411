#include <hopcoil/base/dials_through.hpp>
#include <hopcoil/points/plant.hpp>

namespace hopcoil {

Plant::Plant(std::shared_ptr<const PlantStructure> structure, const PlantSettings& settings,
             const Vector3& base, const Quaternion& facing)
    : bed_{std::move(structure), settings,
           std::span{std::initializer_list<PlantBase>{{.place = base, .facing = facing}}}} {}

StepStatus Plant::step(const PlantInputs& inputs, double dt) noexcept {
    const PlantBase base{inputs.base, inputs.facing, inputs.base_velocity, inputs.base_spin};
    return bed_.step(
        {.bases = {&base, 1}, .wind = inputs.wind, .time_s = inputs.time_s, .pulls = inputs.pulls},
        dt);
}

std::span<const Dial<Plant>> Plant::dials() noexcept {
    return dials_through<Plant, PlantSettings, ReadSettings>();
}

}  // namespace hopcoil
