#pragma once

// Files compiled for newer processors include this: nothing in it, nor in what it includes, may be
// an inline function.

#include <cstddef>
#include <cstdint>

namespace hopcoil {
enum class InstructionSet : std::uint8_t;
}

namespace hopcoil::bank {

/// Springs are worked at so many at a time; arrays of them have room for a whole number of batches.
inline constexpr std::size_t batch_size = 16;
/// At most so many in one call: what is left in between stays in the first cache.
inline constexpr std::size_t tile_size = 256;

/// Springs in numbers, an array each. What is not for the quick way has NaN for its stiffness.
struct SpringLanes {
    const double* decay_rate;  ///< z w, 1/s
    const double* stiffness;   ///< w^2, 1/s^2
    const double* lag;         ///< 2 z (L - 1)/w, s
    const double* hold;        ///< 2 z w L, 1/s
    const double* least_push;  ///< w (1 + z)
    std::size_t count;
};

/// A time step, and how to come to it.
struct QuickStep {
    double dt;
    int halvings;
    double shortest;  ///< dt halved so many times
    bool plain;       ///< no spring is beyond the series, slow, or has a lead outside [0, 1]
};

/// The rows of each, an array a row.
template <class S>
struct RowLanes {
    S* gap_of_gap;
    S* gap_of_velocity;
    S* gap_of_travel;
    S* velocity_of_gap;
    S* velocity_of_velocity;
    S* velocity_of_travel;
};

/// The rows of straight_rows(), rounded to float, of many springs for one dt: the same bits, or
/// none.
///
/// Works several springs at once from series of a few terms, with a thousand times the digits that
/// are needed to know in nearly all cases how a number rounds. Where the rounding hangs on digits
/// that it does not have, or a spring is beyond its series, it says so: the spring is in `unsure`
/// (room for all), and its rows are the caller's to compute.
///
/// Returns     how many are unsure; with the plain instruction set, all.
/// Source      docs/math/follower.md (16)-(18).
std::size_t quick_rows(InstructionSet set, const SpringLanes& springs, const QuickStep& step,
                       const RowLanes<float>& rows, std::uint32_t* unsure) noexcept;
std::size_t quick_rows_avx2(const SpringLanes& springs, const QuickStep& step,
                            const RowLanes<float>& rows, std::uint32_t* unsure) noexcept;
std::size_t quick_rows_avx512(const SpringLanes& springs, const QuickStep& step,
                              const RowLanes<float>& rows, std::uint32_t* unsure) noexcept;

}  // namespace hopcoil::bank
