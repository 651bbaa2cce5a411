#pragma once

#include <cstddef>
#include <span>

#include <hopcoil/base/dial.hpp>

namespace hopcoil {

/// The numbers of a plant: how stiff and heavy it is, and how the air or water pulls at it.
struct PlantSettings {
    double frequency_hz = 0.8;       ///< of its slowest sway; the rest keep their ratio to it
    double damping_ratio = 0.06;     ///< of every mode, besides the drag
    double drag_coefficient = 1.1;   ///< of a branch across the stream; more for one with leaves
    double density_kg_per_m3 = 700;  ///< wood 700; a soft coral 1100
    double fluid_density_kg_per_m3 = 1.225;  ///< air 1.225, sea water 1025
    double wind_share = 1;                   ///< part of the wind's or current's speed that acts

    static constexpr std::size_t dial_count = 6;
    [[nodiscard]] static std::span<const Dial<PlantSettings>> dials() noexcept;
};
/// Errors  InvalidValue names the field, its value and its range.
void require_valid(const PlantSettings& settings);
[[nodiscard]] bool is_valid(const PlantSettings& settings) noexcept;

}  // namespace hopcoil
