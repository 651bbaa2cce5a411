#include <array>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/points/plant_settings.hpp>

namespace hopcoil {
namespace {

using S = PlantSettings;
constexpr auto by_factors = DialScale::logarithmic;
constexpr std::array<Dial<S>, S::dial_count> all_dials{
    field_dial<&S::frequency_hz>(Dial<S>{"frequency_hz", "Hz", {1e-3, 1e3}, {0.2, 5}, by_factors}),
    field_dial<&S::damping_ratio>(Dial<S>{"damping_ratio", "", {0, 100}, {0, 0.5}}),
    field_dial<&S::drag_coefficient>(Dial<S>{"drag_coefficient", "", {0, 1e4}, {0, 10}}),
    field_dial<&S::density_kg_per_m3>(
        Dial<S>{"density_kg_per_m3", "kg/m3", {1e-3, 1e5}, {100, 2000}, by_factors}),
    field_dial<&S::fluid_density_kg_per_m3>(
        Dial<S>{"fluid_density_kg_per_m3", "kg/m3", {0, 1e5}, {0, 1100}}),
    field_dial<&S::wind_share>(Dial<S>{"wind_share", "", {0, 1e3}, {0, 3}}),
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
    for (const Dial<S>& dial : all_dials)
        require_within(dial.path.data(), dial.get(settings), dial.hard);
}

bool is_valid(const PlantSettings& settings) noexcept {
    return passes_require_valid(settings);
}

}  // namespace hopcoil
