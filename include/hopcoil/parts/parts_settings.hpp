#pragma once

#include <cstddef>
#include <span>

#include <hopcoil/base/dial.hpp>
#include <hopcoil/base/vector3.hpp>
#include <hopcoil/parts/parts_structure.hpp>

namespace hopcoil {

/// The numbers of jointed parts besides their structure.
struct PartsSettings {
    /// Of every 1/60 s: a step of dt seconds takes as many of that length as it needs.
    std::size_t substeps = 12;
    Vector3 gravity{0, -9.80665, 0};
    double friction = 0.5;     ///< of the ground
    double restitution = 0.0;  ///< of the ground and of shapes
    double drag_per_s = 0.0;   ///< of all velocities, besides each part's own
    /// Over the stiffness and damping of all links, and of all joint springs, as built.
    double link_stiffness_factor = 1.0;
    double link_damping_factor = 1.0;
    double spring_stiffness_factor = 1.0;
    double spring_damping_factor = 1.0;
    double sleep_speed_m_per_s = 0.01;   ///< what is slower for half a second sleeps; 0: never
    double air_density_kg_per_m3 = 1.2;  ///< where there is a wind
    double drag_coefficient = 1.2;       ///< of flat sides; capsules have 0.9, spheres 0.4 of it

    static constexpr std::size_t dial_count = 12;
    [[nodiscard]] static std::span<const Dial<PartsSettings>> dials() noexcept;
};
/// Errors  InvalidValue names the field, its value and its range.
void require_valid(const PartsSettings& settings);
[[nodiscard]] bool is_valid(const PartsSettings& settings) noexcept;

/// What the substeps do to springs and links that are stiff for them.
struct PartsPlan {
    double substep_s = 0.0;
    /// The largest k h^2 w of a link or spring, w being the inverse mass that it acts on. Up to 1
    /// each acts as its numbers say; above that it is as stiff as the substeps allow, swings more
    /// slowly and is damped more, and gives way under a steady load as its numbers say.
    double stiffest = 0.0;
    std::size_t exact_substeps = 1;  ///< from so many on, all of them act as their numbers say
};
/// Errors  InvalidValue, std::out_of_range: those of both require_valid.
[[nodiscard]] PartsPlan plan_for(const PartsStructure& structure, const PartsSettings& settings);

}  // namespace hopcoil
