#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <span>

#include <hopcoil/base/instruction_set.hpp>
#include <hopcoil/base/vector3.hpp>

namespace hopcoil {

inline constexpr std::size_t particles_at_a_time = 64;

/// At most `particles_at_a_time`, slot after slot.
struct ParticleBlock {
    std::span<Vector3> places;
    std::span<Vector3> velocities;
    std::span<const std::uint8_t> alive;
    std::span<const std::uint8_t> resting;
    std::span<const double> born_s;
    std::span<const double> lifetimes;
    std::span<std::uint8_t> done;    ///< 1: it is where it will be at the end of the frame
    std::span<const Vector3> winds;  ///< at each
};

/// What a step is for all particles that meet nothing in it.
///
/// Model   v' = gravity - drag (v - wind): v = u + (v0 - u) e^(-drag h), u = wind + fall.
struct FreeFlight {
    double step_s = 0;
    double end_s = 0;          ///< what lives beyond it lives through the whole step
    double clear_above_m = 0;  ///< nothing is met above this height
    double gone = 0;           ///< 1 - e^(-drag h)
    double way_s = 0;          ///< that over the drag
    Vector3 fall{};            ///< the speed at which drag holds gravity
    double drag_per_s = 0;
    Vector3 gravity{};
    bool is_drag_small = false;  ///< so that a parabola is exact to the last digits
};

/// Several steps at once, in still air.
struct FrameFlight {
    FrameFlight(const FreeFlight& each, std::size_t count) noexcept;

    FreeFlight step;  ///< each of them; it ends with the last, and is clear above the highest
    std::size_t steps;
    /// Three numbers for each of a block: gravity where drag is small, else the speed at which drag
    /// balances it.
    std::array<double, 3 * particles_at_a_time> pulls;
};

/// Takes all steps of a frame with those particles of a block that meet nothing and stay alive:
/// they are done, as are those at rest. Returns whether all are done.
bool fly_through(InstructionSet set, const FrameFlight& flight,
                 const ParticleBlock& block) noexcept;

/// Steps those of a block that are not done, are alive, move and stay above `clear_above_m`. Others
/// that move, and those that die, are marked in `left` for the full treatment; returns whether
/// there are none.
bool fly_freely(InstructionSet set, const FreeFlight& flight, const ParticleBlock& block,
                std::array<double, particles_at_a_time>& left) noexcept;

/// Places some time later, of a block.
void find_later(InstructionSet set, const ParticleBlock& block, double ahead_s,
                std::span<Vector3> shown) noexcept;

}  // namespace hopcoil
