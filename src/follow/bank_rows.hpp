#pragma once

// Files compiled for newer processors include this: nothing in it, nor in what it includes, may be
// an inline function.

#include <cstddef>
#include <cstdint>

namespace hopcoil {
enum class InstructionSet : std::uint8_t;
}

namespace hopcoil::bank {

/// Parameters of many followers lie in batches: of each kind so many side by side. One stream of
/// memory is all that a loop over them follows.
inline constexpr std::size_t batch_size = 16;
/// At most so many followers in one call: what is left in between stays in the first cache.
inline constexpr std::size_t tile_size = 256;

/// Springs in numbers. What is not for the quick way has NaN for its pull.
struct alignas(64) SpringBatch {
    double damping[batch_size];  ///< 2 z w, 1/s
    double pull[batch_size];     ///< -w^2, 1/s^2
    double lag[batch_size];      ///< 2 z (L - 1)/w, s
    double hold[batch_size];     ///< 2 z w L, 1/s
};

/// The rows of their steps, in the order of StraightRows.
template <class S>
struct alignas(64) RowBatch {
    S gap_of_gap[batch_size];
    S gap_of_velocity[batch_size];
    S gap_of_travel[batch_size];
    S velocity_of_gap[batch_size];
    S velocity_of_velocity[batch_size];
    S velocity_of_travel[batch_size];
};

/// A time step, and how to come to it.
struct QuickStep {
    double dt;
    int halvings;
    double shortest;  ///< dt halved so many times
    bool plain;       ///< no spring is beyond the series, slow, or has a lead outside [0, 1]
};

/// A batch of springs as equations (2) and (3) take them: see SpringNumbers.
struct alignas(64) NumbersBatch {
    double w[batch_size];
    double z[batch_size];
    double lag[batch_size];
    double hold[batch_size];
};

/// The rows of straight_rows(), rounded to S, of a batch of springs for one dt, by the very
/// operations that it has for short steps: so with the same bits. For floats, newer instruction
/// sets have a quicker way: quick_rows.
///
/// Returns a bit for each spring whose step is not short, or whose rows S cannot hold: they are the
/// caller's to compute.
std::uint32_t short_rows(InstructionSet set, const NumbersBatch& springs, double dt,
                         RowBatch<double>& rows) noexcept;
std::uint32_t short_rows(InstructionSet set, const NumbersBatch& springs, double dt,
                         RowBatch<float>& rows) noexcept;
std::uint32_t short_rows_avx2(const NumbersBatch& springs, double dt,
                              RowBatch<double>& rows) noexcept;
std::uint32_t short_rows_avx512(const NumbersBatch& springs, double dt,
                                RowBatch<double>& rows) noexcept;

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
std::size_t quick_rows(InstructionSet set, const SpringBatch* springs, std::size_t count,
                       const QuickStep& step, RowBatch<float>* rows,
                       std::uint32_t* unsure) noexcept;
std::size_t quick_rows_avx2(const SpringBatch* springs, std::size_t count, const QuickStep& step,
                            RowBatch<float>* rows, std::uint32_t* unsure) noexcept;
std::size_t quick_rows_avx512(const SpringBatch* springs, std::size_t count, const QuickStep& step,
                              RowBatch<float>* rows, std::uint32_t* unsure) noexcept;

}  // namespace hopcoil::bank
