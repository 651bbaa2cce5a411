#pragma once

#include <algorithm>
#include <cmath>
#include <optional>

#include <hopcoil/points/particles.hpp>

#include "particle_flight.hpp"

namespace hopcoil {

inline constexpr double particle_steps_per_s = 120;
inline constexpr double particle_step_s = 1 / particle_steps_per_s;

/// What is the same for all particles in a step of 1/120 s.
struct Particles::Flight {
    ParticleSurfaces surfaces;
    BlockFlight free;
    std::optional<FloorFlight> floor{};  ///< where there is nothing else to meet
    Vector3 from{};                      ///< the emitter at its start
    Vector3 to{};                        ///< and at its end
    Quaternion turned{};
    double from_s = 0;
    const Wind* wind = nullptr;
};

/// Whether a place is so far from an origin that floats would be coarse there.
[[nodiscard]] inline bool is_far_from(const Vector3& origin, const Vector3& place) noexcept {
    constexpr double far_m = 64;
    const Vector3 way = place - origin;
    return !(std::max({std::abs(way.x), std::abs(way.y), std::abs(way.z)}) <= far_m);
}

}  // namespace hopcoil
