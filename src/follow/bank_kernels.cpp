// The loops of the banks, compiled once for each instruction set. They are written so that the
// compiler sees plain arrays and no branches; contraction is off, so every set gives the same bits.

#include "bank_kernels.hpp"

#include <bit>
#include <cmath>
#include <cstdint>
#include <type_traits>

#if defined(__x86_64__)
#define HOPCOIL_FOR_AVX2 __attribute__((target("avx2")))
#if defined(__clang__)
#define HOPCOIL_FOR_AVX512 __attribute__((target("avx512f,avx512dq,avx512bw,avx512vl")))
#else
#define HOPCOIL_FOR_AVX512 \
    __attribute__((target("avx512f,avx512dq,avx512bw,avx512vl,prefer-vector-width=512")))
#endif
#endif
#define HOPCOIL_INTO_EACH inline __attribute__((always_inline))

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
                                   const StraightRows<S>& rows, const Least<S>& least) {
    const StraightRows<S> r = rows;
    const Least<S> l = least;
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
        gaps[i] = dropped(g, l.gap);
        velocities[i] = dropped(v, l.velocity);
    }
}

/// The same where the target is held: its travel is exactly 0, and so are the last two products,
/// but for their signs.
template <class S>
HOPCOIL_INTO_EACH void held_loop(S* __restrict gaps, S* __restrict velocities, std::size_t count,
                                 const StraightRows<S>& rows, const Least<S>& least) {
    const StraightRows<S> r = rows;
    const Least<S> l = least;
    gaps = aligned(gaps);
    velocities = aligned(velocities);
    const S gap_zero = S{0} * r.gap_of_travel;
    const S velocity_zero = S{0} * r.velocity_of_travel;
    for (std::size_t i = 0; i < count; ++i) {
        const S gap = gaps[i];
        const S velocity = velocities[i];
        const S g = (gap * r.gap_of_gap + velocity * r.gap_of_velocity) + gap_zero;
        const S v = (gap * r.velocity_of_gap + velocity * r.velocity_of_velocity) + velocity_zero;
        gaps[i] = dropped(g, l.gap);
        velocities[i] = dropped(v, l.velocity);
    }
}

template <class S>
HOPCOIL_INTO_EACH void varied_loop(const S* __restrict target, const S* __restrict next,
                                   S* __restrict gaps, S* __restrict velocities, std::size_t count,
                                   const S* __restrict gg, const S* __restrict gv,
                                   const S* __restrict gt, const S* __restrict vg,
                                   const S* __restrict vv, const S* __restrict vt,
                                   const S* __restrict least, S least_gap) {
#if defined(__clang__)
#pragma clang loop vectorize(enable) interleave(enable)
#else
#pragma GCC ivdep
#endif
    for (std::size_t i = 0; i < count; ++i) {
        const S travel = next[i] - target[i];
        const S gap = gaps[i];
        const S velocity = velocities[i];
        const S g = (gap * gg[i] + velocity * gv[i]) + travel * gt[i];
        const S v = (gap * vg[i] + velocity * vv[i]) + travel * vt[i];
        gaps[i] = dropped(g, least_gap);
        velocities[i] = dropped(v, least[i]);
    }
}

/// The top bit of (bits of |x|) + (top bit - bits of the limit) is set from the limit on; infinity
/// and NaN lie beyond every limit.
template <class S>
HOPCOIL_INTO_EACH bool calm_loop(const S* numbers, std::size_t count) {
    using Bits = std::conditional_t<sizeof(S) == 4, std::uint32_t, std::uint64_t>;
    constexpr Bits top = Bits{1} << (8 * sizeof(S) - 1);
    constexpr Bits shift = top - std::bit_cast<Bits>(calm_limit<S>);
    numbers = aligned(numbers);
    Bits beyond = 0;
    for (std::size_t i = 0; i < count; ++i)
        beyond |= (std::bit_cast<Bits>(numbers[i]) & ~top) + shift;
    return (beyond & top) == 0;
}

// A template cannot carry a target, so each set has its functions for float and for double.
// NOLINTBEGIN(bugprone-macro-parentheses): types and names cannot stand in parentheses
#define HOPCOIL_KERNELS(NAME, TARGET, S)                                                       \
    TARGET void shared_##NAME(const Lanes<S>& lanes, const StraightRows<S>& rows,              \
                              const Least<S>& least) {                                         \
        shared_loop(lanes.target, lanes.next, lanes.gap, lanes.velocity, lanes.count, rows,    \
                    least);                                                                    \
    }                                                                                          \
    TARGET void held_##NAME(const Lanes<S>& lanes, const StraightRows<S>& rows,                \
                            const Least<S>& least) {                                           \
        held_loop(lanes.gap, lanes.velocity, lanes.count, rows, least);                        \
    }                                                                                          \
    TARGET void varied_##NAME(const Lanes<S>& lanes, const VariedRows<S>& rows, S least_gap) { \
        varied_loop(lanes.target, lanes.next, lanes.gap, lanes.velocity, lanes.count,          \
                    rows.gap_of_gap, rows.gap_of_velocity, rows.gap_of_travel,                 \
                    rows.velocity_of_gap, rows.velocity_of_velocity, rows.velocity_of_travel,  \
                    rows.least_velocity, least_gap);                                           \
    }                                                                                          \
    TARGET bool calm_##NAME(const S* numbers, std::size_t count) {                             \
        return calm_loop(numbers, count);                                                      \
    }
// NOLINTEND(bugprone-macro-parentheses)

HOPCOIL_KERNELS(plain, , float)
HOPCOIL_KERNELS(plain, , double)
#if defined(__x86_64__)
HOPCOIL_KERNELS(avx2, HOPCOIL_FOR_AVX2, float)
HOPCOIL_KERNELS(avx2, HOPCOIL_FOR_AVX2, double)
HOPCOIL_KERNELS(avx512, HOPCOIL_FOR_AVX512, float)
HOPCOIL_KERNELS(avx512, HOPCOIL_FOR_AVX512, double)
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
void move_shared(InstructionSet set, const Lanes<S>& lanes, const StraightRows<S>& rows,
                 const Least<S>& least) noexcept {
    if (lanes.next == lanes.target) {
        HOPCOIL_CHOOSE(held, lanes, rows, least);
    }
    HOPCOIL_CHOOSE(shared, lanes, rows, least);
}

template <class S>
void move_varied(InstructionSet set, const Lanes<S>& lanes, const VariedRows<S>& rows,
                 S least_gap) noexcept {
    HOPCOIL_CHOOSE(varied, lanes, rows, least_gap);
}

template <class S>
bool are_calm(InstructionSet set, const S* numbers, std::size_t count) noexcept {
    HOPCOIL_CHOOSE(calm, numbers, count);
}

template void move_shared(InstructionSet, const Lanes<float>&, const StraightRows<float>&,
                          const Least<float>&) noexcept;
template void move_shared(InstructionSet, const Lanes<double>&, const StraightRows<double>&,
                          const Least<double>&) noexcept;
template void move_varied(InstructionSet, const Lanes<float>&, const VariedRows<float>&,
                          float) noexcept;
template void move_varied(InstructionSet, const Lanes<double>&, const VariedRows<double>&,
                          double) noexcept;
template bool are_calm(InstructionSet, const float*, std::size_t) noexcept;
template bool are_calm(InstructionSet, const double*, std::size_t) noexcept;

}  // namespace hopcoil::bank
