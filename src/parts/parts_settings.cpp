#include <algorithm>
#include <array>
#include <cmath>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/parts/parts_settings.hpp>

#include "parts_body.hpp"
#include "parts_math.hpp"

namespace hopcoil {
namespace {

constexpr double most_substeps = 1000;

constexpr Dial<PartsSettings> factor_dial(std::string_view path) {
    return {path, "", {0, 1e9}, {0.01, 100}, DialScale::logarithmic};
}

constexpr std::array<Dial<PartsSettings>, PartsSettings::dial_count> all_dials{
    Dial<PartsSettings>{"substeps",
                        "",
                        {1, most_substeps},
                        {4, 60},
                        DialScale::logarithmic,
                        12,
                        [](const PartsSettings& s) { return static_cast<double>(s.substeps); },
                        [](PartsSettings& s, double value) {
                            if (!(value >= 1 && value <= most_substeps)) return DialStatus::refused;
                            s.substeps = static_cast<std::size_t>(std::round(value));
                            return DialStatus::set;
                        }},
    field_dial<&PartsSettings::link_stiffness_factor>(factor_dial("link_stiffness_factor")),
    field_dial<&PartsSettings::link_damping_factor>(factor_dial("link_damping_factor")),
    field_dial<&PartsSettings::spring_stiffness_factor>(factor_dial("spring_stiffness_factor")),
    field_dial<&PartsSettings::spring_damping_factor>(factor_dial("spring_damping_factor")),
    field_dial<&PartsSettings::friction>(Dial<PartsSettings>{"friction", "", {0, 1e3}, {0, 1}}),
    field_dial<&PartsSettings::restitution>(Dial<PartsSettings>{"restitution", "", {0, 1}, {0, 1}}),
    field_dial<&PartsSettings::drag_per_s>(
        Dial<PartsSettings>{"drag_per_s", "1/s", {0, 1e6}, {0, 5}}),
    field_dial<&PartsSettings::sleep_speed_m_per_s>(
        Dial<PartsSettings>{"sleep_speed_m_per_s", "m/s", {0, 1e3}, {0, 0.1}}),
    field_dial<&PartsSettings::air_density_kg_per_m3>(
        Dial<PartsSettings>{"air_density_kg_per_m3", "kg/m3", {0, 1e6}, {0, 5}}),
    field_dial<&PartsSettings::drag_coefficient>(
        Dial<PartsSettings>{"drag_coefficient", "", {0, 1e6}, {0, 3}}),
    Dial<PartsSettings>{"gravity_m_per_s2",
                        "m/s2",
                        {0, 1e3},
                        {0, 20},
                        DialScale::linear,
                        9.80665,
                        [](const PartsSettings& s) { return -s.gravity.y; },
                        [](PartsSettings& s, double value) {
                            if (!(value >= 0 && value <= 1e3)) return DialStatus::refused;
                            s.gravity.y = -value;
                            return DialStatus::set;
                        }},
};

}  // namespace

std::span<const Dial<PartsSettings>> PartsSettings::dials() noexcept {
    return all_dials;
}

void require_valid(const PartsSettings& settings) {
    const auto substeps = static_cast<double>(settings.substeps);
    if (!(substeps >= 1 && substeps <= most_substeps))
        throw InvalidValue{"substeps", substeps, "1 to 1000"};
    for (const double number : {settings.gravity.x, settings.gravity.y, settings.gravity.z})
        require_finite("gravity", number);
    require_at_least_zero("friction", settings.friction);
    if (!(settings.restitution >= 0 && settings.restitution <= 1))
        throw InvalidValue{"restitution", settings.restitution, "0 to 1"};
    require_at_least_zero("drag_per_s", settings.drag_per_s);
    require_at_least_zero("air_density_kg_per_m3", settings.air_density_kg_per_m3);
    require_at_least_zero("drag_coefficient", settings.drag_coefficient);
    require_at_least_zero("link_stiffness_factor", settings.link_stiffness_factor);
    require_at_least_zero("link_damping_factor", settings.link_damping_factor);
    require_at_least_zero("spring_stiffness_factor", settings.spring_stiffness_factor);
    require_at_least_zero("spring_damping_factor", settings.spring_damping_factor);
    require_at_least_zero("sleep_speed_m_per_s", settings.sleep_speed_m_per_s);
}

bool is_valid(const PartsSettings& settings) noexcept {
    return passes_require_valid(settings);
}

}  // namespace hopcoil
