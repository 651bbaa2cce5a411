#pragma once

// The rows of short steps of a batch of springs, written once over doubles side by side.

#include "../spring/short_steps.hpp"
#include "bank_rows.hpp"

namespace hopcoil::bank {

/// Doubles side by side. Vector types cannot be had by a template's number.
template <class NumbersType, class FloatsType, class MaskType>
struct SideBySide {
    using Parameters = NumbersType;
    using Mask = MaskType;
    static constexpr std::size_t size = sizeof(Parameters) / sizeof(double);

    static Parameters load(const double* from) {
        Parameters x;
        __builtin_memcpy(&x, from, sizeof x);
        return x;
    }
    static void store(double* to, const Parameters& x) { __builtin_memcpy(to, &x, sizeof x); }
    static void store(float* to, const Parameters& x) {
        const FloatsType rounded = __builtin_convertvector(x, FloatsType);
        __builtin_memcpy(to, &rounded, sizeof rounded);
    }
    static bool is_any(const Mask& mask) {
        long long any = 0;
        for (std::size_t i = 0; i < size; ++i)
            any |= mask[i];
        return any != 0;
    }
};
#define HOPCOIL_SIDE_BY_SIDE(NAME, BYTES)                                 \
    typedef double NAME##Doubles __attribute__((vector_size(BYTES)));     \
    typedef float NAME##Floats __attribute__((vector_size((BYTES) / 2))); \
    typedef long long NAME##Mask __attribute__((vector_size(BYTES)));     \
    using NAME = SideBySide<NAME##Doubles, NAME##Floats, NAME##Mask>

/// What a batch's springs do by themselves, after phases that grow to w dt.
struct ShortBatch {
    alignas(64) double phase[batch_size];
    alignas(64) double kick[batch_size];
    alignas(64) double approach[batch_size];
};

/// Halves the phases that are too long. Whether there are any.
template <class V>
bool halve_long(const NumbersBatch& springs, ShortBatch& free) {
    typename V::Mask is_any_long{};
    for (std::size_t lane = 0; lane < batch_size; lane += V::size) {
        const typename V::Parameters z = V::load(springs.z + lane);
        const typename V::Parameters u = V::load(free.phase + lane);
        const typename V::Mask is_long = (z > 1.0 ? z * u : u) > ShortSeries::longest_phase;
        V::store(free.phase + lane, is_long ? 0.5 * u : u);
        is_any_long |= is_long;
    }
    return V::is_any(is_any_long);
}

/// After phases halved until they are short. Returns how often the longest was.
template <class V>
int find_short(const NumbersBatch& springs, double dt, ShortBatch& free) {
    for (std::size_t lane = 0; lane < batch_size; lane += V::size)
        V::store(free.phase + lane, V::load(springs.w + lane) * dt);
    int halvings = 0;
    while (halvings < short_steps::most_halvings && halve_long<V>(springs, free))
        ++halvings;
    for (std::size_t lane = 0; lane < batch_size; lane += V::size) {
        const auto ratios =
            short_steps::short_ratios(V::load(springs.z + lane), V::load(free.phase + lane));
        V::store(free.kick + lane, ratios.kick);
        V::store(free.approach + lane, ratios.approach);
    }
    return halvings;
}

/// Those that are not there yet go on to twice their phase.
template <class V>
void double_once(const NumbersBatch& springs, double dt, ShortBatch& free) {
    using Parameters = typename V::Parameters;
    for (std::size_t lane = 0; lane < batch_size; lane += V::size) {
        const Parameters u = V::load(free.phase + lane);
        const short_steps::FreeRatios<Parameters> half{V::load(free.kick + lane),
                                                       V::load(free.approach + lane)};
        const auto whole = short_steps::doubled(half, V::load(springs.z + lane), u);
        const typename V::Mask goes_on = u < V::load(springs.w + lane) * dt;
        V::store(free.phase + lane, goes_on ? 2.0 * u : u);
        V::store(free.kick + lane, goes_on ? whole.kick : half.kick);
        V::store(free.approach + lane, goes_on ? whole.approach : half.approach);
    }
}

template <class S>
inline constexpr double least_normal = sizeof(S) == 4 ? 0x1p-126 : 0x1p-1022;
template <class S>
inline constexpr double largest_number = sizeof(S) == 4 ? 0x1.fffffep127 : 0x1.fffffffffffffp1023;

/// As rounded() does it, where S can hold the number; else it does not fit.
template <class V, class S>
void store_row(S* to, const typename V::Parameters& row, typename V::Mask& fits) {
    const typename V::Parameters size = row < 0.0 ? -row : row;
    fits &= size <= largest_number<S>;
    V::store(to, size < least_normal<S> ? typename V::Parameters{} : row);
}

/// See bank_rows.hpp.
template <class V, class S>
std::uint32_t short_rows_by(const NumbersBatch& springs, double dt, RowBatch<S>& to) {
    using Parameters = typename V::Parameters;
    ShortBatch free;
    for (int halvings = find_short<V>(springs, dt, free); halvings > 0; --halvings)
        double_once<V>(springs, dt, free);
    std::uint32_t left = 0;
    for (std::size_t lane = 0; lane < batch_size; lane += V::size) {
        const short_steps::SpringNumbers<Parameters> spring{
            V::load(springs.w + lane), V::load(springs.z + lane), V::load(springs.lag + lane),
            V::load(springs.hold + lane)};
        const short_steps::FreeRatios<Parameters> ratios{V::load(free.kick + lane),
                                                         V::load(free.approach + lane)};
        const auto rows = short_steps::rows_of(ratios, spring, dt);
        const Parameters u = spring.w * dt;
        typename V::Mask fits = (spring.z <= short_steps::most_damping) &
                                (u <= short_steps::longest_phase) &
                                (spring.z * u <= short_steps::longest_phase);
        store_row<V>(to.gap_of_gap + lane, rows.gap_of_gap, fits);
        store_row<V>(to.gap_of_velocity + lane, rows.gap_of_velocity, fits);
        store_row<V>(to.gap_of_travel + lane, rows.gap_of_travel, fits);
        store_row<V>(to.velocity_of_gap + lane, rows.velocity_of_gap, fits);
        store_row<V>(to.velocity_of_velocity + lane, rows.velocity_of_velocity, fits);
        store_row<V>(to.velocity_of_travel + lane, rows.velocity_of_travel, fits);
        if (!V::is_any(~fits)) continue;
        for (std::size_t i = 0; i < V::size; ++i)
            left |= fits[i] != 0 ? 0U : 1U << (lane + i);
    }
    return left;
}

}  // namespace hopcoil::bank
