#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <span>

#include <hopcoil/base/float_vector3.hpp>
#include <hopcoil/base/instruction_set.hpp>

namespace hopcoil {

inline constexpr std::size_t particles_at_a_time = 64;

/// At most `particles_at_a_time`, slot after slot.
struct ParticleBlock {
    std::span<FloatVector3> offsets;  ///< from the origin
    std::span<FloatVector3> velocities;
    std::span<const std::uint8_t> alive;
    std::span<const std::uint8_t> resting;
    std::span<const double> dies_s;
    std::span<std::uint8_t> done;         ///< 1: it is where it will be at the end of the frame
    std::span<const FloatVector3> winds;  ///< at each; none in still air
    /// Until then nothing is met in still air, and all of them move and live on.
    double* free_until_s = nullptr;
    double* still_until_s = nullptr;  ///< until then none of them moves or dies
};

/// What h seconds are for whatever meets nothing in them.
///
/// Model   v' = g - k (v - wind), solved exactly: x + v way + fallen + wind drift and
///         v kept + gained + wind gone; way = (1 - e^(-k h))/k and drift = h - way, without
///         cancellation where drag is small.
struct FreeFlight {
    FreeFlight() = default;
    FreeFlight(double gravity_m_per_s2, double drag_per_s, double h) noexcept;

    double h_s = 0;
    double way_s = 0;
    double drift_s = 0;
    double kept = 1;  ///< of the velocity
    double gone = 0;
    double fallen_m = 0;        ///< along Y
    double gained_m_per_s = 0;  ///< along Y
    double falls_m_per_s2 = 0;  ///< the most that its speed downward grows by
};

/// Steps of many particles.
struct BlockFlight {
    /// Below `clear_above_m`, over the origin, something may be met; what dies before `end_at_s`
    /// does so in the last of the steps.
    BlockFlight(const FreeFlight& each, std::size_t count, double clear_above_m,
                double end_at_s) noexcept;

    [[nodiscard]] double began_s() const noexcept {
        return end_s - static_cast<double>(steps) * step.h_s;
    }

    FreeFlight step;
    std::size_t steps;
    double end_s;
    float clear_above;
    /// Three numbers for each of a block.
    alignas(64) std::array<float, 3 * particles_at_a_time> fallen{};
    alignas(64) std::array<float, 3 * particles_at_a_time> gained{};
};

/// One step of one particle, by the same bits as in a block.
struct FloatFlight {
    FloatVector3 offset{};
    FloatVector3 velocity{};
};
[[nodiscard]] FloatFlight flown(const BlockFlight& flight, const FloatFlight& from,
                                const FloatVector3& wind) noexcept;

/// A hit slower than this does not bounce.
inline constexpr double slow_hit_m_per_s = 0.2;

/// A level floor, and steps over it.
struct FloorFlight {
    float height = 0;  ///< of particles that touch it, over the origin
    float restitution = 0;
    float friction = 0;
    float h_s = 0;
    float drag_per_s = 0;
    float gravity_m_per_s2 = 0;
};
/// The drag in a step, k h, up to which steps over a floor are accurate.
inline constexpr double most_floor_drag = 0.25;
/// One step over a floor, with one bounce at most.
struct FloorStep {
    bool is_known = false;  ///< false: it slides, or bounces again, and is found otherwise
    bool meets = false;
    float hit_after_s = 0;
    FloatFlight at_hit{};  ///< before the bounce
    FloatFlight after{};
};
/// `free` is where it would be without the floor. The same bits on every instruction set.
[[nodiscard]] FloorStep over_floor(const FloorFlight& floor, const FloatFlight& from,
                                   const FloatFlight& free, const FloatVector3& wind) noexcept;

/// Takes all steps of a frame, in still air, with those particles of a block that meet nothing and
/// stay alive: they are done, as are those at rest. Returns whether all are done.
bool fly_through(InstructionSet set, const BlockFlight& flight,
                 const ParticleBlock& block) noexcept;

/// Steps those of a block that are not done, are alive, move and stay clear. Others that move, and
/// those that die, are marked in `left` for the full treatment; returns whether there are none.
bool fly_freely(InstructionSet set, const BlockFlight& flight, const ParticleBlock& block,
                std::array<float, particles_at_a_time>& left) noexcept;

/// Offsets some time later, of a block.
void find_later(InstructionSet set, const ParticleBlock& block, double ahead_s,
                std::span<FloatVector3> shown) noexcept;

}  // namespace hopcoil
