#include <array>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/points/plant_settings.hpp>

namespace hopcoil {
namespace {

constexpr auto by_factors = DialScale::logarithmic;
constexpr std::array<Dial<PlantSettings>, PlantSettings::dial_count> all_dials{
    field_dial<&PlantSettings::frequency_hz>(
        Dial<PlantSettings>{"frequency_hz", "Hz", {1e-3, 1e3}, {0.2, 5}, by_factors}),
    field_dial<&PlantSettings::damping_ratio>(
        Dial<PlantSettings>{"damping_ratio", "", {0, 100}, {0, 0.5}}),
    field_dial<&PlantSettings::drag_coefficient>(
        Dial<PlantSettings>{"drag_coefficient", "", {0, 1e4}, {0, 10}}),
    field_dial<&PlantSettings::density_kg_per_m3>(
        Dial<PlantSettings>{"density_kg_per_m3", "kg/m3", {1e-3, 1e5}, {100, 2000}, by_factors}),
    field_dial<&PlantSettings::fluid_density_kg_per_m3>(
        Dial<PlantSettings>{"fluid_density_kg_per_m3", "kg/m3", {0, 1e5}, {0, 1100}}),
    field_dial<&PlantSettings::wind_share>(Dial<PlantSettings>{"wind_share", "", {0, 1e3}, {0, 3}}),
};

void require_within(const char* name, double value, const DialRange& range) {
    if (value >= range.least && value <= range.most) return;
    throw InvalidValue{name, value, shortest(range.least) + " to " + shortest(range.most)};
}

}  // namespace

std::span<const Dial<PlantSettings>> PlantSettings::dials() noexcept {
    return all_dials;
}

void require_valid(const PlantSettings& settings) {
    for (const Dial<PlantSettings>& dial : all_dials)
        require_within(dial.path.data(), dial.get(settings), dial.hard);
}

bool is_valid(const PlantSettings& settings) noexcept {
    return passes_require_valid(settings);
}

}  // namespace hopcoil
