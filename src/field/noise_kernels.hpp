#pragma once

#include <array>
#include <cstddef>
#include <cstdint>

#include <hopcoil/base/instruction_set.hpp>

namespace hopcoil::lattice {

/// How many points one call computes.
inline constexpr std::size_t points_at_a_time = 8;

/// Numbers of points side by side.
using Lanes = std::array<double, points_at_a_time>;

/// One octave of noise, which does not repeat, at some points.
template <int n>
struct OctavePass {
    const std::array<Lanes, n>& points;  ///< axis by axis, in cells
    std::uint64_t stream;
    Lanes& values;  ///< 0 where a coordinate is beyond 2^50 or no number
};
/// The same with its change along each axis.
template <int n>
struct SlopesPass {
    OctavePass<n> octave;
    std::array<Lanes, n>& slopes;
};

void find_values(InstructionSet set, const OctavePass<1>& pass) noexcept;
void find_values(InstructionSet set, const OctavePass<2>& pass) noexcept;
void find_values(InstructionSet set, const OctavePass<3>& pass) noexcept;
void find_values(InstructionSet set, const OctavePass<4>& pass) noexcept;
void find_slopes(InstructionSet set, const SlopesPass<1>& pass) noexcept;
void find_slopes(InstructionSet set, const SlopesPass<2>& pass) noexcept;
void find_slopes(InstructionSet set, const SlopesPass<3>& pass) noexcept;
void find_slopes(InstructionSet set, const SlopesPass<4>& pass) noexcept;

}  // namespace hopcoil::lattice
