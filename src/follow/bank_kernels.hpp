#pragma once

#include <cstddef>

#include <hopcoil/follow/follower_bank.hpp>
#include <hopcoil/spring/step_coefficients.hpp>

namespace hopcoil::bank {

/// A stretch of a group's component: the target before and after, gap and velocity.
template <class S>
struct Lanes {
    const S* target;
    const S* next;  ///< the same as target where it is held
    S* gap;
    S* velocity;
    std::size_t count;
};

/// What is below these becomes zero.
template <class S>
struct Least {
    S gap;
    S velocity;
};

/// One tuning for all.
template <class S>
void move_shared(InstructionSet set, const Lanes<S>& lanes, const StraightRows<S>& rows,
                 const Least<S>& least) noexcept;

/// Coefficients of each, one array a row.
template <class S>
struct VariedRows {
    const S* gap_of_gap;
    const S* gap_of_velocity;
    const S* gap_of_travel;
    const S* velocity_of_gap;
    const S* velocity_of_velocity;
    const S* velocity_of_travel;
    const S* least_velocity;
};
template <class S>
void move_varied(InstructionSet set, const Lanes<S>& lanes, const VariedRows<S>& rows,
                 S least_gap) noexcept;

/// Whether every number is below `calm_limit` in size; NaN is not.
template <class S>
[[nodiscard]] bool are_calm(InstructionSet set, const S* numbers, std::size_t count) noexcept;

/// Far beyond any scene, and far below what overflows.
template <class S>
inline constexpr S calm_limit = sizeof(S) == 4 ? S(0x1p40F) : S(0x1p500);
/// By so many bits calm numbers may grow and a sum of two still not overflow.
template <class S>
inline constexpr int calm_headroom_bits = sizeof(S) == 4 ? 127 - 2 - 40 : 1023 - 2 - 500;

}  // namespace hopcoil::bank
