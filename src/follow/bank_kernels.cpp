// The loops of the banks, compiled once for each instruction set. They are written so that the
// compiler sees plain arrays and no branches; contraction is off, so every set gives the same bits.

#include "bank_kernels.hpp"

#include <bit>
#include <cmath>
#include <cstdint>
#include <limits>
#include <type_traits>

#if defined(__x86_64__)
#include <emmintrin.h>
#endif

#include "../base/instruction_sets.hpp"

namespace hopcoil::bank {
namespace {

/// Blocks begin at whole cache lines.
template <class S>
HOPCOIL_INTO_EACH S* aligned(S* numbers) {
    return static_cast<S*>(__builtin_assume_aligned(numbers, 64));
}

template <class S>
HOPCOIL_INTO_EACH S dropped(S v, S least) {
    return std::abs(v) < least ? S{0} : v;
}

template <class S>
HOPCOIL_INTO_EACH void shared_loop(const S* __restrict target, const S* __restrict next,
                                   S* __restrict gaps, S* __restrict velocities, std::size_t count,
                                   const StraightRows<S>& rows) {
    const StraightRows<S> r = rows;
    target = aligned(target);
    next = aligned(next);
    gaps = aligned(gaps);
    velocities = aligned(velocities);
    HOPCOIL_UNROLLED(4)
    for (std::size_t i = 0; i < count; ++i) {
        const S travel = next[i] - target[i];
        const S gap = gaps[i];
        const S velocity = velocities[i];
        gaps[i] = (gap * r.gap_of_gap + velocity * r.gap_of_velocity) + travel * r.gap_of_travel;
        velocities[i] = (gap * r.velocity_of_gap + velocity * r.velocity_of_velocity) +
                        travel * r.velocity_of_travel;
    }
}

/// Checks those whose turn it is for numbers that are too small; for all others the limit is 0.
struct Everyone {
    HOPCOIL_INTO_EACH bool operator()(std::size_t /*i*/) const { return true; }
};
struct Due {
    const std::uint8_t* __restrict turns;
    std::uint8_t now;
    HOPCOIL_INTO_EACH bool operator()(std::size_t i) const { return turns[i] == now; }
};

/// The same, and what is too small becomes zero.
template <class S, class IsDue>
HOPCOIL_INTO_EACH void shared_settling_loop(const S* __restrict target, const S* __restrict next,
                                            S* __restrict gaps, S* __restrict velocities,
                                            std::size_t count, const StraightRows<S>& rows,
                                            const Least<S>& all_least, const IsDue& is_due) {
    const StraightRows<S> r = rows;
    const Least<S> least = all_least;
    target = aligned(target);
    next = aligned(next);
    gaps = aligned(gaps);
    velocities = aligned(velocities);
    for (std::size_t i = 0; i < count; ++i) {
        const S travel = next[i] - target[i];
        const S gap = gaps[i];
        const S velocity = velocities[i];
        const S g = (gap * r.gap_of_gap + velocity * r.gap_of_velocity) + travel * r.gap_of_travel;
        const S v = (gap * r.velocity_of_gap + velocity * r.velocity_of_velocity) +
                    travel * r.velocity_of_travel;
        const bool due = is_due(i);
        gaps[i] = dropped(g, due ? least.gap : S{0});
        velocities[i] = dropped(v, due ? least.velocity : S{0});
    }
}

/// The same where the target is held: its travel is exactly 0, and so are the last two products,
/// but for their signs.
template <class S>
HOPCOIL_INTO_EACH void held_loop(S* __restrict gaps, S* __restrict velocities, std::size_t count,
                                 const StraightRows<S>& rows) {
    const StraightRows<S> r = rows;
    gaps = aligned(gaps);
    velocities = aligned(velocities);
    const S gap_zero = S{0} * r.gap_of_travel;
    const S velocity_zero = S{0} * r.velocity_of_travel;
    HOPCOIL_UNROLLED(4)
    for (std::size_t i = 0; i < count; ++i) {
        const S gap = gaps[i];
        const S velocity = velocities[i];
        gaps[i] = (gap * r.gap_of_gap + velocity * r.gap_of_velocity) + gap_zero;
        velocities[i] =
            (gap * r.velocity_of_gap + velocity * r.velocity_of_velocity) + velocity_zero;
    }
}

template <class S>
HOPCOIL_INTO_EACH void varied_loop(const S* __restrict target, const S* __restrict next,
                                   S* __restrict gaps, S* __restrict velocities, std::size_t count,
                                   const RowBatch<S>& rows) {
#if defined(__clang__)
#pragma clang loop vectorize(enable) interleave(enable)
#else
#pragma GCC ivdep
#endif
    for (std::size_t i = 0; i < count; ++i) {
        const S travel = next[i] - target[i];
        const S gap = gaps[i];
        const S velocity = velocities[i];
        gaps[i] = (gap * rows.gap_of_gap[i] + velocity * rows.gap_of_velocity[i]) +
                  travel * rows.gap_of_travel[i];
        velocities[i] = (gap * rows.velocity_of_gap[i] + velocity * rows.velocity_of_velocity[i]) +
                        travel * rows.velocity_of_travel[i];
    }
}

template <class S>
HOPCOIL_INTO_EACH void varied_batches(const Lanes<S>& lanes, const RowBatch<S>* rows) {
    const S* const target = aligned(lanes.target);
    const S* const next = aligned(lanes.next);
    S* const gaps = aligned(lanes.gap);
    S* const velocities = aligned(lanes.velocity);
    const std::size_t whole = lanes.count / batch_size * batch_size;
    for (std::size_t i = 0; i < whole; i += batch_size, ++rows)
        varied_loop(target + i, next + i, gaps + i, velocities + i, batch_size, *rows);
    if (whole < lanes.count) {
        varied_loop(target + whole, next + whole, gaps + whole, velocities + whole,
                    lanes.count - whole, *rows);
    }
}

template <class S, class IsDue>
HOPCOIL_INTO_EACH void settle_loop(S* __restrict gaps, S* __restrict velocities, std::size_t count,
                                   S least_gap, const S* __restrict least_velocities,
                                   const IsDue& is_due) {
    for (std::size_t i = 0; i < count; ++i) {
        const bool due = is_due(i);
        gaps[i] = dropped(gaps[i], due ? least_gap : S{0});
        velocities[i] = dropped(velocities[i], due ? least_velocities[i] : S{0});
    }
}

/// The largest of some magnitudes as bits: they are ordered as |x| is, infinity and NaN above all
/// limits.
template <class S>
HOPCOIL_INTO_EACH bool calm_loop(const S* numbers, std::size_t count) {
    using Bits = std::conditional_t<sizeof(S) == 4, std::int32_t, std::int64_t>;
    Bits largest = 0;
    HOPCOIL_UNROLLED(4)
    for (std::size_t i = 0; i < count; ++i) {
        const Bits size = std::bit_cast<Bits>(numbers[i]) & std::numeric_limits<Bits>::max();
        largest = size > largest ? size : largest;
    }
    return largest < std::bit_cast<Bits>(calm_limit<S>);
}

#if defined(__x86_64__)
__m128i loaded_bits(const float* numbers) {
    return _mm_castps_si128(_mm_load_ps(numbers));
}
__m128i loaded_bits(const double* numbers) {
    return _mm_castpd_si128(_mm_load_pd(numbers));
}

/// The plain set has no maximum of 32 bits, and to drop the signs first would take half as long
/// again. What is in order without that: the highest 16 bits of the positive, as signed numbers,
/// and the highest bytes of the negative, as unsigned ones. The limit has no bits below its highest
/// byte.
template <class S>
bool calm_bytes_loop(const S* numbers, std::size_t count) {
    using Bits = std::conditional_t<sizeof(S) == 4, std::int32_t, std::int64_t>;
    constexpr std::size_t pack = sizeof(__m128i) / sizeof(S);
    constexpr int to_highest = 8 * (sizeof(S) - 2);
    constexpr int limit = std::bit_cast<Bits>(calm_limit<S>) >> to_highest;
    static_assert(S{std::bit_cast<S>(Bits{limit & 0x7F00} << to_highest)} == calm_limit<S>);
    constexpr int highest_bytes = sizeof(S) == 4 ? 0x8888 : 0x8080;
    const std::size_t whole = count / pack * pack;
    __m128i positive = _mm_setzero_si128();
    __m128i negative = _mm_setzero_si128();
    HOPCOIL_UNROLLED(8)
    for (std::size_t i = 0; i < whole; i += pack) {
        positive = _mm_max_epi16(positive, loaded_bits(numbers + i));
        negative = _mm_max_epu8(negative, loaded_bits(numbers + i));
    }
    const __m128i unsigned_bytes = _mm_and_si128(negative, _mm_set1_epi16(0x7F00));
    const __m128i below =
        _mm_cmplt_epi16(_mm_max_epi16(positive, unsigned_bytes), _mm_set1_epi16(limit));
    return (_mm_movemask_epi8(below) & highest_bytes) == highest_bytes &&
           calm_loop(numbers + whole, count - whole);
}
#endif

// A template cannot carry a target, so each set has its functions for float and for double.
// NOLINTBEGIN(bugprone-macro-parentheses): types and names cannot stand in parentheses
#define HOPCOIL_KERNELS(NAME, TARGET, S, CALM)                                                  \
    TARGET void shared_##NAME(const Lanes<S>& lanes, const StraightRows<S>& rows) {             \
        shared_loop(lanes.target, lanes.next, lanes.gap, lanes.velocity, lanes.count, rows);    \
    }                                                                                           \
    TARGET void shared_settling_##NAME(const Lanes<S>& lanes, const StraightRows<S>& rows,      \
                                       const Least<S>& least) {                                 \
        shared_settling_loop(lanes.target, lanes.next, lanes.gap, lanes.velocity, lanes.count,  \
                             rows, least, Everyone{});                                          \
    }                                                                                           \
    TARGET void shared_settling_due_##NAME(const Lanes<S>& lanes, const StraightRows<S>& rows,  \
                                           const Least<S>& least, const FlushSchedule& turns) { \
        shared_settling_loop(lanes.target, lanes.next, lanes.gap, lanes.velocity, lanes.count,  \
                             rows, least, Due{turns.of_each, turns.now});                       \
    }                                                                                           \
    TARGET void held_##NAME(const Lanes<S>& lanes, const StraightRows<S>& rows) {               \
        held_loop(lanes.gap, lanes.velocity, lanes.count, rows);                                \
    }                                                                                           \
    TARGET void varied_##NAME(const Lanes<S>& lanes, const RowBatch<S>* rows) {                 \
        varied_batches(lanes, rows);                                                            \
    }                                                                                           \
    TARGET void settle_varied_##NAME(const Lanes<S>& lanes, const VariedLeast<S>& least) {      \
        settle_loop(lanes.gap, lanes.velocity, lanes.count, least.gap, least.velocities,        \
                    Everyone{});                                                                \
    }                                                                                           \
    TARGET void settle_varied_due_##NAME(const Lanes<S>& lanes, const VariedLeast<S>& least,    \
                                         const FlushSchedule& turns) {                          \
        settle_loop(lanes.gap, lanes.velocity, lanes.count, least.gap, least.velocities,        \
                    Due{turns.of_each, turns.now});                                             \
    }                                                                                           \
    TARGET bool calm_##NAME(const S* numbers, std::size_t count) {                              \
        return CALM(numbers, count);                                                            \
    }
// NOLINTEND(bugprone-macro-parentheses)

#if defined(__x86_64__)
HOPCOIL_KERNELS(plain, , float, calm_bytes_loop)
HOPCOIL_KERNELS(plain, , double, calm_bytes_loop)
HOPCOIL_KERNELS(avx2, HOPCOIL_FOR_AVX2, float, calm_loop)
HOPCOIL_KERNELS(avx2, HOPCOIL_FOR_AVX2, double, calm_loop)
HOPCOIL_KERNELS(avx512, HOPCOIL_FOR_AVX512, float, calm_loop)
HOPCOIL_KERNELS(avx512, HOPCOIL_FOR_AVX512, double, calm_loop)
#else
HOPCOIL_KERNELS(plain, , float, calm_loop)
HOPCOIL_KERNELS(plain, , double, calm_loop)
#endif

}  // namespace

#if defined(__x86_64__)
#define HOPCOIL_CHOOSE(FUNCTION, ...)              \
    switch (set) {                                 \
        case InstructionSet::avx512:               \
            return FUNCTION##_avx512(__VA_ARGS__); \
        case InstructionSet::avx2:                 \
            return FUNCTION##_avx2(__VA_ARGS__);   \
        case InstructionSet::plain:                \
            break;                                 \
    }                                              \
    return FUNCTION##_plain(__VA_ARGS__)
#else
#define HOPCOIL_CHOOSE(FUNCTION, ...) \
    (void)set;                        \
    return FUNCTION##_plain(__VA_ARGS__)
#endif

template <class S>
void move_shared(InstructionSet set, const Lanes<S>& lanes, const StraightRows<S>& rows) noexcept {
    if (lanes.next == lanes.target) {
        HOPCOIL_CHOOSE(held, lanes, rows);
    }
    HOPCOIL_CHOOSE(shared, lanes, rows);
}

template <class S>
void move_shared_settling(InstructionSet set, const Lanes<S>& lanes, const StraightRows<S>& rows,
                          const Least<S>& least) noexcept {
    HOPCOIL_CHOOSE(shared_settling, lanes, rows, least);
}

template <class S>
void move_shared_settling_due(InstructionSet set, const Lanes<S>& lanes,
                              const StraightRows<S>& rows, const Least<S>& least,
                              const FlushSchedule& turns) noexcept {
    HOPCOIL_CHOOSE(shared_settling_due, lanes, rows, least, turns);
}

template <class S>
void move_varied(InstructionSet set, const Lanes<S>& lanes, const RowBatch<S>* rows) noexcept {
    HOPCOIL_CHOOSE(varied, lanes, rows);
}

template <class S>
void settle_varied(InstructionSet set, const Lanes<S>& lanes,
                   const VariedLeast<S>& least) noexcept {
    HOPCOIL_CHOOSE(settle_varied, lanes, least);
}

template <class S>
void settle_varied_due(InstructionSet set, const Lanes<S>& lanes, const VariedLeast<S>& least,
                       const FlushSchedule& turns) noexcept {
    HOPCOIL_CHOOSE(settle_varied_due, lanes, least, turns);
}

template <class S>
bool are_within_safe_range(InstructionSet set, const S* numbers, std::size_t count) noexcept {
    HOPCOIL_CHOOSE(calm, numbers, count);
}

// NOLINTNEXTLINE(bugprone-macro-parentheses): a type cannot stand in parentheses
#define HOPCOIL_INSTANTIATE(S)                                                                    \
    template void move_shared(InstructionSet, const Lanes<S>&, const StraightRows<S>&) noexcept;  \
    template void move_shared_settling(InstructionSet, const Lanes<S>&, const StraightRows<S>&,   \
                                       const Least<S>&) noexcept;                                 \
    template void move_shared_settling_due(InstructionSet, const Lanes<S>&,                       \
                                           const StraightRows<S>&, const Least<S>&,               \
                                           const FlushSchedule&) noexcept;                        \
    template void move_varied(InstructionSet, const Lanes<S>&, const RowBatch<S>*) noexcept;      \
    template void settle_varied(InstructionSet, const Lanes<S>&, const VariedLeast<S>&) noexcept; \
    template void settle_varied_due(InstructionSet, const Lanes<S>&, const VariedLeast<S>&,       \
                                    const FlushSchedule&) noexcept;                               \
    template bool are_within_safe_range(InstructionSet, const S*, std::size_t) noexcept;
HOPCOIL_INSTANTIATE(float)
HOPCOIL_INSTANTIATE(double)

}  // namespace hopcoil::bank
