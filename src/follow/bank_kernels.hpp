#pragma once

#include <cstddef>
#include <cstdint>

#include <hopcoil/follow/follower_bank.hpp>
#include <hopcoil/spring/step_coefficients.hpp>

namespace hopcoil::bank {

/// Coefficients of many followers lie in batches: of each kind so many side by side. One stream of
/// memory is all that a loop over them follows.
inline constexpr std::size_t batch_size = 16;
/// The most followers in one call: the work in between stays in the first-level cache.
inline constexpr std::size_t tile_size = 256;

/// The coefficients of their steps, in the order of StraightRows.
template <class S>
struct alignas(64) RowBatch {
    S gap_of_gap[batch_size];
    S gap_of_velocity[batch_size];
    S gap_of_travel[batch_size];
    S velocity_of_gap[batch_size];
    S velocity_of_velocity[batch_size];
    S velocity_of_travel[batch_size];
};

/// A run of one component of a group: the target before and after, gap and velocity.
template <class S>
struct Lanes {
    const S* target;
    const S* next;  ///< the same as target where it is held
    S* gap;
    S* velocity;
    std::size_t count;
};

/// One tuning for all.
template <class S>
void move_shared(InstructionSet set, const Lanes<S>& lanes, const StraightRows<S>& rows) noexcept;

/// Numbers below these become zero.
template <class S>
struct Least {
    S gap;
    S velocity;
};
/// At which step each is checked for numbers that are too small.
struct FlushSchedule {
    const std::uint8_t* of_each;
    std::uint8_t now;
};
/// One tuning for all, and numbers that are too small become zero: for all, and only for those
/// whose turn it is.
template <class S>
void move_shared_settling(InstructionSet set, const Lanes<S>& lanes, const StraightRows<S>& rows,
                          const Least<S>& least) noexcept;
template <class S>
void move_shared_settling_due(InstructionSet set, const Lanes<S>& lanes,
                              const StraightRows<S>& rows, const Least<S>& least,
                              const FlushSchedule& turns) noexcept;

/// A tuning for each.
template <class S>
void move_varied(InstructionSet set, const Lanes<S>& lanes, const RowBatch<S>* rows) noexcept;

/// Numbers below these become zero: for all, and only for those whose turn it is.
template <class S>
struct VariedLeast {
    S gap;
    const S* velocities;  ///< one for each of the lanes
};
template <class S>
void settle_varied(InstructionSet set, const Lanes<S>& lanes, const VariedLeast<S>& least) noexcept;
template <class S>
void settle_varied_due(InstructionSet set, const Lanes<S>& lanes, const VariedLeast<S>& least,
                       const FlushSchedule& turns) noexcept;

/// Whether every number is below `calm_limit` in size; NaN is not.
template <class S>
[[nodiscard]] bool are_within_safe_range(InstructionSet set, const S* numbers,
                                         std::size_t count) noexcept;

/// Far beyond any scene, and far below overflow.
template <class S>
inline constexpr S calm_limit = sizeof(S) == 4 ? S(0x1p41F) : S(0x1p497);
/// Calm numbers may grow by so many bits and a sum of two still not overflow.
template <class S>
inline constexpr int calm_headroom_bits = sizeof(S) == 4 ? 127 - 2 - 41 : 1023 - 2 - 497;

}  // namespace hopcoil::bank
