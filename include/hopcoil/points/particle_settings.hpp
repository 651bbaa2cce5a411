#pragma once

#include <cstddef>
#include <cstdint>
#include <span>
#include <string_view>
#include <vector>

#include <hopcoil/base/dial.hpp>
#include <hopcoil/base/vector3.hpp>

namespace hopcoil {

/// Where particles come out, in the emitter's frame; of half_size_m.
enum class EmitterShape : std::uint8_t {
    point,
    line,    ///< along X
    disc,    ///< in the XZ plane, of radius x
    box,     ///< anywhere in it
    sphere,  ///< anywhere in it, of radius x
};

/// The numbers of particles: how they are born, move, touch things and die.
struct ParticleSettings {
    std::size_t capacity = 500;  ///< so many at once; further births are left out

    double rate_per_s = 100;  ///< births while it is on
    EmitterShape shape = EmitterShape::point;
    Vector3 half_size_m{};
    Vector3 direction{0, 1, 0};  ///< in the emitter's frame; made unit
    double spread_rad = 0.3;     ///< half the opening of the cone that they leave in
    double speed_least_m_per_s = 1;
    double speed_most_m_per_s = 2;
    double emitter_share = 0.5;  ///< part of the emitter's own velocity that they get
    double lifetime_least_s = 1;
    double lifetime_most_s = 2;

    double gravity_m_per_s2 = 9.80665;  ///< downward; below 0 they rise
    double drag_per_s = 0.5;            ///< of the velocity relative to the air
    double wind_share = 1;
    double spin_rad_per_s = 0;  ///< the fastest that one turns, either way

    double radius_m = 0.01;
    double restitution = 0.3;
    double friction = 0.4;
    bool dies_on_contact = false;
    bool has_contact_among = false;  ///< they do not pass through one another

    /// Over the life from 0 to 1: factors of the radius, and colours (red, green, blue).
    std::vector<double> size_over_life{1.0};
    std::vector<Vector3> colour_over_life{{0.9, 0.9, 0.9}};

    static constexpr std::size_t dial_count = 14;
    [[nodiscard]] static std::span<const Dial<ParticleSettings>> dials() noexcept;
};
/// Errors  InvalidValue names the field, its value and its range.
void require_valid(const ParticleSettings& settings);
[[nodiscard]] bool is_valid(const ParticleSettings& settings) noexcept;

/// Ready-made settings, by name: rain, smoke, embers, splash, burst.
struct ParticleRecipe {
    std::string_view name{};
    std::string_view in_words{};
    ParticleSettings settings{};
};
[[nodiscard]] std::span<const ParticleRecipe> particle_recipes();
/// Errors  std::out_of_range for a name that is none of them.
[[nodiscard]] const ParticleSettings& particle_recipe(std::string_view name);

}  // namespace hopcoil
