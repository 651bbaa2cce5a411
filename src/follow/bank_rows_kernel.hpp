#pragma once

// The quick way to the rows of many springs, written once over packs of doubles: `Pack` says how
// many, and what the processor does with them (bank_rows_avx2.cpp, bank_rows_avx512.cpp).

#include "../spring/short_series.hpp"
#include "bank_rows.hpp"

namespace hopcoil::bank {

/// Two packs in step, so that the processor need not wait for what it has just computed.
template <class Pack>
struct Twice {
    struct Numbers {
        typename Pack::Numbers a, b;
        friend Numbers operator+(const Numbers& x, const Numbers& y) {
            return {x.a + y.a, x.b + y.b};
        }
        friend Numbers operator-(const Numbers& x, const Numbers& y) {
            return {x.a - y.a, x.b - y.b};
        }
        friend Numbers operator*(const Numbers& x, const Numbers& y) {
            return {x.a * y.a, x.b * y.b};
        }
        friend Numbers operator-(const Numbers& x) { return {-x.a, -x.b}; }
    };
    static constexpr std::size_t size = 2 * Pack::size;

    static Numbers all(double number) { return {Pack::all(number), Pack::all(number)}; }
    static Numbers load(const double* from) {
        return {Pack::load(from), Pack::load(from + Pack::size)};
    }
    static void store(double* to, const Numbers& x) {
        Pack::store(to, x.a);
        Pack::store(to + Pack::size, x.b);
    }
    static Numbers times_plus(const Numbers& a, const Numbers& b, const Numbers& c) {
        return {Pack::times_plus(a.a, b.a, c.a), Pack::times_plus(a.b, b.b, c.b)};
    }
    static Numbers minus_times(const Numbers& c, const Numbers& a, const Numbers& b) {
        return {Pack::minus_times(c.a, a.a, b.a), Pack::minus_times(c.b, a.b, b.b)};
    }
};

/// c0 + c1 x + c2 x^2 + ...
template <class Pack, std::size_t count>
typename Pack::Numbers polynomial(const typename Pack::Numbers& x, const double (&c)[count]) {
    typename Pack::Numbers sum = Pack::all(c[count - 1]);
    for (std::size_t k = count - 1; k > 0; --k)
        sum = Pack::times_plus(sum, x, Pack::all(c[k - 1]));
    return sum;
}

/// What springs do by themselves in a time (equation (4)), over what it tends to in a short one.
template <class Pack>
struct FreeRatios {
    typename Pack::Numbers kick;      ///< q/u
    typename Pack::Numbers approach;  ///< A/time^2, in 1/s^2
};

/// Over a time of w time <= 1/2 and z w time <= 1/2, for any damping (equations (16), (17)). The
/// coefficients interpolate at Chebyshev's nodes: to 3e-16.
template <class Pack>
FreeRatios<Pack> short_ratios(const typename Pack::Numbers& decay_rate,
                              const typename Pack::Numbers& stiffness, double time) {
    using Numbers = typename Pack::Numbers;
    const Numbers one = Pack::all(1);
    const Numbers decay = decay_rate * Pack::all(time);
    const Numbers decay2 = decay * decay;
    const Numbers excess = Pack::times_plus(decay_rate, decay_rate, -stiffness);  // (z^2 - 1) w^2
    const Numbers x = excess * Pack::all(time * time);
    const Numbers g = Pack::times_plus(polynomial<Pack>(decay2, ShortSeries::decay_odd), decay,
                                       polynomial<Pack>(decay2, ShortSeries::decay_even));
    const Numbers c = polynomial<Pack>(x, ShortSeries::cosh);
    const Numbers s = polynomial<Pack>(x, ShortSeries::sinh);
    const Numbers shortfall = Pack::minus_times(one, decay, g);
    const Numbers e = Pack::minus_times(one, decay, shortfall);
    const Numbers slow = shortfall - g;  // (1 - e^-t (1 + t))/t^2
    const Numbers difference = Pack::minus_times(slow, e, Pack::times_plus(decay, s, c));
    return {.kick = e * Pack::times_plus(x, s, one),
            .approach = Pack::times_plus(excess, difference, stiffness * slow)};
}

/// From a time to twice it (equation (18)).
template <class Pack>
FreeRatios<Pack> doubled(const FreeRatios<Pack>& half, const typename Pack::Numbers& decay_rate,
                         const typename Pack::Numbers& stiffness, double time) {
    using Numbers = typename Pack::Numbers;
    const Numbers approach = half.approach * Pack::all(time * time);
    const Numbers kick = half.kick * Pack::all(time);
    const Numbers left = Pack::minus_times(Pack::all(1) - approach, decay_rate, kick);
    const Numbers sum = Pack::times_plus(half.approach, Pack::all(2) - approach,
                                         stiffness * (half.kick * half.kick));
    return {.kick = half.kick * left, .approach = Pack::all(0.25) * sum};
}

/// What one stage leaves to the next: chains this short let the processor work at several at once.
struct Tile {
    alignas(64) double kick[tile_size];
    alignas(64) double approach[tile_size];
};

template <class Pack>
void find_ratios(const SpringLanes& springs, const QuickStep& step, Tile& tile) {
    for (std::size_t i = 0; i < springs.count; i += Pack::size) {
        const FreeRatios<Pack> free = short_ratios<Pack>(
            Pack::load(springs.decay_rate + i), Pack::load(springs.stiffness + i), step.shortest);
        Pack::store(tile.kick + i, free.kick);
        Pack::store(tile.approach + i, free.approach);
    }
    double time = step.shortest;
    for (int halving = 0; halving < step.halvings; ++halving, time += time) {
        for (std::size_t i = 0; i < springs.count; i += Pack::size) {
            const FreeRatios<Pack> free = doubled<Pack>(
                {Pack::load(tile.kick + i), Pack::load(tile.approach + i)},
                Pack::load(springs.decay_rate + i), Pack::load(springs.stiffness + i), time);
            Pack::store(tile.kick + i, free.kick);
            Pack::store(tile.approach + i, free.approach);
        }
    }
}

template <class Pack>
struct Rows {
    typename Pack::Numbers gap_of_gap;
    typename Pack::Numbers gap_of_velocity;
    typename Pack::Numbers gap_of_travel;
    typename Pack::Numbers velocity_of_gap;
    typename Pack::Numbers velocity_of_velocity;
    typename Pack::Numbers velocity_of_travel;
};

/// Equations (2) and (3).
template <class Pack>
Rows<Pack> rows_of(const FreeRatios<Pack>& free, const SpringLanes& springs, std::size_t i,
                   double dt) {
    using Numbers = typename Pack::Numbers;
    const Numbers step = Pack::all(dt);
    const Numbers decay_rate = Pack::load(springs.decay_rate + i);
    const Numbers approach = step * free.approach;
    Rows<Pack> rows;
    rows.gap_of_gap = Pack::minus_times(Pack::all(1), step, approach);
    rows.gap_of_velocity = step * free.kick;
    rows.gap_of_travel = Pack::times_plus(Pack::load(springs.lag + i), approach, -free.kick);
    rows.velocity_of_gap = -(Pack::load(springs.stiffness + i) * rows.gap_of_velocity);
    rows.velocity_of_velocity =
        Pack::minus_times(rows.gap_of_gap, decay_rate + decay_rate, rows.gap_of_velocity);
    rows.velocity_of_travel = Pack::times_plus(Pack::load(springs.hold + i), free.kick, approach);
    return rows;
}

/// Where digits may be missing: differences that have cancelled, times beyond the series. NaN is
/// never at least anything.
template <class Pack>
typename Pack::Lanes doubtful(const FreeRatios<Pack>& free, const Rows<Pack>& rows,
                              const SpringLanes& springs, std::size_t i, double shortest) {
    using Numbers = typename Pack::Numbers;
    const Numbers time = Pack::all(shortest);
    const Numbers smallest = Pack::lesser(
        Pack::lesser(Pack::size_of(rows.gap_of_travel), Pack::size_of(rows.velocity_of_velocity)),
        Pack::lesser(Pack::size_of(rows.gap_of_gap), Pack::size_of(free.kick)));
    const Numbers least_push = Pack::all(0x1p-9) * Pack::load(springs.least_push + i);
    return Pack::not_at_least(smallest, Pack::all(0.125)) |
           Pack::not_at_least(Pack::size_of(rows.velocity_of_travel), least_push) |
           Pack::not_at_least(Pack::all(0.25), time * time * Pack::load(springs.stiffness + i)) |
           Pack::not_at_least(Pack::all(0.5), time * Pack::load(springs.decay_rate + i));
}

template <class Pack>
void store(const Rows<Pack>& from, const RowLanes<float>& to, std::size_t i) {
    Pack::store(to.gap_of_gap + i, from.gap_of_gap);
    Pack::store(to.gap_of_velocity + i, from.gap_of_velocity);
    Pack::store(to.gap_of_travel + i, from.gap_of_travel);
    Pack::store(to.velocity_of_gap + i, from.velocity_of_gap);
    Pack::store(to.velocity_of_velocity + i, from.velocity_of_velocity);
    Pack::store(to.velocity_of_travel + i, from.velocity_of_travel);
}

/// What is `plain` needs no look at whether its digits are there. The structs come as copies: then
/// the compiler knows that no store reaches them.
template <class Pack, bool plain>
std::size_t quick_rows_if(SpringLanes springs, QuickStep step, RowLanes<float> rows,
                          std::uint32_t* unsure) {
    static_assert(Twice<Pack>::size <= batch_size && tile_size % batch_size == 0);
    Tile tile;
    find_ratios<Twice<Pack>>(springs, step, tile);
    std::size_t unsure_count = 0;
    for (std::size_t i = 0; i < springs.count; i += Pack::size) {
        const FreeRatios<Pack> free{Pack::load(tile.kick + i), Pack::load(tile.approach + i)};
        const Rows<Pack> exact = rows_of<Pack>(free, springs, i, step.dt);
        typename Pack::Lanes bad = Pack::roundings_in_doubt(exact);
        if constexpr (!plain) bad |= doubtful<Pack>(free, exact, springs, i, step.shortest);
        store<Pack>(exact, rows, i);
        for (; bad != 0; bad &= bad - 1) {
            const std::size_t lane = i + static_cast<std::size_t>(__builtin_ctz(bad));
            if (lane < springs.count) unsure[unsure_count++] = static_cast<std::uint32_t>(lane);
        }
    }
    return unsure_count;
}

/// See bank_rows.hpp.
template <class Pack>
std::size_t quick_rows(const SpringLanes& springs, const QuickStep& step,
                       const RowLanes<float>& rows, std::uint32_t* unsure) {
    return step.plain ? quick_rows_if<Pack, true>(springs, step, rows, unsure)
                      : quick_rows_if<Pack, false>(springs, step, rows, unsure);
}

}  // namespace hopcoil::bank
