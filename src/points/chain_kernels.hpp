#pragma once

#include <array>
#include <cstddef>

#include <hopcoil/follow/follower_bank.hpp>

#include "row_order.hpp"

namespace hopcoil::chain {

/// Numbers of a link, each of some chains side by side: where it is (a place from the root, or of
/// fixed spacing where its direction is dragged), how far it is from its target, and how fast both
/// move.
enum Field : std::size_t {
    place = 0,
    gap = 3,
    velocity = 6,
    target_velocity = 9,
    field_count = 12,
};

using namespace rows;

/// A part of a step of `lanes` chains side by side; every pointer is to the first of them.
struct BankStep {
    std::size_t nodes = 0;
    float* links = nullptr;    ///< of each node `field_count` numbers, each `lanes` times
    float* outputs = nullptr;  ///< of fixed spacing: of each node a place and a velocity
    const std::array<float, 10>* rows = nullptr;
    std::array<const float*, 3> way{};             ///< of the root, in the whole step
    std::array<const float*, 3> first_velocity{};  ///< of the root
    std::array<const float*, 3> last_velocity{};
    std::array<const float*, 3> rest{};
    std::array<const float*, 3> rest_rate{};
    std::array<const float*, 3> stream{};
    float* sound = nullptr;
    float dt = 0;    ///< of the whole step
    float from = 0;  ///< this part of it, 0 to 1
    float to = 1;
    float h = 0;  ///< in seconds
    float spacing = 0.1F;
    float carry = 0;
};

/// So many chains lie side by side and are stepped in one call: all of their numbers lie in one
/// piece of memory.
inline constexpr std::size_t lanes = 32;

void step_stretchy(InstructionSet set, const BankStep& pass) noexcept;
void step_fixed(InstructionSet set, const BankStep& pass) noexcept;
/// Places and velocities of chains of fixed spacing, from the directions of their links.
void find_fixed_outputs(InstructionSet set, const BankStep& pass) noexcept;

}  // namespace hopcoil::chain
