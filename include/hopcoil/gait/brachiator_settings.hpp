#pragma once

#include <cstddef>
#include <span>

#include <hopcoil/base/dial.hpp>

namespace hopcoil {

/// A body that goes hand over hand: its sizes and the numbers of its swing.
///
/// Units   metres, seconds, radians, kilograms.
struct BrachiatorSettings {
    double arm_length_m = 1.05;       ///< shoulder to grip, stretched: how far apart holds may be
    double shoulder_width_m = 0.36;   ///< from one to the other
    double shoulder_height_m = 0.15;  ///< above the centre of mass
    double hip_width_m = 0.2;
    double hip_depth_m = 0.3;         ///< below the centre of mass
    double leg_length_m = 0.85;       ///< hip to sole, stretched
    double mass_kg = 70.0;            ///< for the forces of its hands
    double most_speed_m_per_s = 2.5;  ///< along the holds; 0.1 to 3
    double lean = 0.6;                ///< 0: upright; 1: it hangs in line with its holding arm
    double twist_rad = 0.5;           ///< the shoulder of the reaching arm goes ahead by this
    double fold = 1.0;                ///< how far it folds its legs ahead of a hold; 0 to 1.5
    double push_decay_hz = 0.6;       ///< how quickly the effect of a push decays
    /// The highest speed of a leap off the ground; from its hands, and into them, 0.8 of that.
    double most_leap_speed_m_per_s = 4.5;

    static constexpr std::size_t dial_count = 6;
    [[nodiscard]] static std::span<const Dial<BrachiatorSettings>> dials() noexcept;
};

/// Errors  InvalidValue for a number out of its range.
void require_valid(const BrachiatorSettings& settings);
[[nodiscard]] bool is_valid(const BrachiatorSettings& settings) noexcept;

/// Neighbouring holds further apart than this are not crossed.
[[nodiscard]] double longest_gap_m(const BrachiatorSettings& settings) noexcept;

}  // namespace hopcoil
