#pragma once

// The quick way to the rows of many springs, written once over packs of doubles: `Pack` says how
// many, and what the processor does with them (bank_rows_avx2.cpp, bank_rows_avx512.cpp).

#include "../spring/short_series.hpp"
#include "bank_rows.hpp"

namespace hopcoil::bank {

/// Two packs in step, so that the processor need not wait for what it has just computed.
template <class Pack>
struct Twice {
    struct Parameters {
        typename Pack::Parameters a, b;
        friend Parameters operator+(const Parameters& x, const Parameters& y) {
            return {x.a + y.a, x.b + y.b};
        }
        friend Parameters operator-(const Parameters& x, const Parameters& y) {
            return {x.a - y.a, x.b - y.b};
        }
        friend Parameters operator*(const Parameters& x, const Parameters& y) {
            return {x.a * y.a, x.b * y.b};
        }
    };
    static constexpr std::size_t size = 2 * Pack::size;

    static Parameters all(double number) { return {Pack::all(number), Pack::all(number)}; }
    static Parameters load(const double* from) {
        return {Pack::load(from), Pack::load(from + Pack::size)};
    }
    static void store(double* to, const Parameters& x) {
        Pack::store(to, x.a);
        Pack::store(to + Pack::size, x.b);
    }
    static Parameters times_plus(const Parameters& a, const Parameters& b, const Parameters& c) {
        return {Pack::times_plus(a.a, b.a, c.a), Pack::times_plus(a.b, b.b, c.b)};
    }
    static Parameters minus_times(const Parameters& c, const Parameters& a, const Parameters& b) {
        return {Pack::minus_times(c.a, a.a, b.a), Pack::minus_times(c.b, a.b, b.b)};
    }
};

/// c0 + c1 x + c2 x^2 + ...
template <class Pack, std::size_t count>
typename Pack::Parameters polynomial(const typename Pack::Parameters& x, const double (&c)[count]) {
    typename Pack::Parameters sum = Pack::all(c[count - 1]);
    for (std::size_t k = count - 1; k > 0; --k)
        sum = Pack::times_plus(sum, x, Pack::all(c[k - 1]));
    return sum;
}

/// What springs do by themselves in a time (equation (4)).
template <class Pack>
struct Free {
    typename Pack::Parameters kick;      ///< q/u
    typename Pack::Parameters approach;  ///< A
};

/// Over a time of w time <= 1/2 and z w time <= 1/2, for any damping (equations (16), (17)). The
/// coefficients interpolate at Chebyshev's nodes: to 3e-16.
template <class Pack>
Free<Pack> short_step(const typename Pack::Parameters& damping,
                      const typename Pack::Parameters& pull, double time) {
    using Parameters = typename Pack::Parameters;
    const Parameters one = Pack::all(1);
    const Parameters decay = damping * Pack::all(time / 2);
    const Parameters decay2 = decay * decay;
    const Parameters drawn = pull * Pack::all(time * time);  // -u^2
    const Parameters x = decay2 + drawn;
    const Parameters g = Pack::times_plus(polynomial<Pack>(decay2, ShortSeries::decay_odd), decay,
                                          polynomial<Pack>(decay2, ShortSeries::decay_even));
    const Parameters c = polynomial<Pack>(x, ShortSeries::cosh);
    const Parameters s = polynomial<Pack>(x, ShortSeries::sinh);
    const Parameters shortfall = Pack::minus_times(one, decay, g);
    const Parameters e = Pack::minus_times(one, decay, shortfall);
    const Parameters slow = shortfall - g;  // (1 - e^-t (1 + t))/t^2
    const Parameters difference = Pack::minus_times(slow, e, Pack::times_plus(decay, s, c));
    return {.kick = e * Pack::times_plus(x, s, one),
            .approach = Pack::minus_times(x * difference, drawn, slow)};
}

/// From a time to twice it (equation (18), times u^2).
template <class Pack>
Free<Pack> doubled(const Free<Pack>& half, const typename Pack::Parameters& damping,
                   const typename Pack::Parameters& pull, double time) {
    using Parameters = typename Pack::Parameters;
    const Parameters decay = damping * Pack::all(time / 2);
    const Parameters drawn = pull * Pack::all(time * time);
    const Parameters left = Pack::minus_times(Pack::all(1) - half.approach, decay, half.kick);
    return {.kick = half.kick * left,
            .approach = Pack::minus_times(half.approach * (Pack::all(2) - half.approach), drawn,
                                          half.kick * half.kick)};
}

/// What one stage leaves to the next: chains this short let the processor work at several at once.
struct alignas(64) FreeBatch {
    double kick[batch_size];
    double approach[batch_size];
};
using Tile = FreeBatch[tile_size / batch_size];

/// A pack at a time, with the numbers of its batch and of its first lane. Written out for a whole
/// batch: counting would take as long as a part of the work.
template <class Pack, std::size_t lane = 0, class Work>
void for_packs_of(std::size_t batch, const Work& work) {
    if constexpr (lane < batch_size) {
        work(batch, lane);
        for_packs_of<Pack, lane + Pack::size>(batch, work);
    }
}
template <class Pack, class Work>
void for_packs(std::size_t count, const Work& work) {
    const std::size_t batches = (count + batch_size - 1) / batch_size;
    for (std::size_t batch = 0; batch < batches; ++batch)
        for_packs_of<Pack>(batch, work);
}

template <class Pack>
void find_free(const SpringBatch* springs, std::size_t count, const QuickStep& step, Tile& tile) {
    for_packs<Pack>(count, [&](std::size_t batch, std::size_t lane) {
        const Free<Pack> free =
            short_step<Pack>(Pack::load(springs[batch].damping + lane),
                             Pack::load(springs[batch].pull + lane), step.shortest);
        Pack::store(tile[batch].kick + lane, free.kick);
        Pack::store(tile[batch].approach + lane, free.approach);
    });
    double time = step.shortest;
    for (int halving = 0; halving < step.halvings; ++halving, time += time) {
        for_packs<Pack>(count, [&](std::size_t batch, std::size_t lane) {
            const Free<Pack> free = doubled<Pack>(
                {Pack::load(tile[batch].kick + lane), Pack::load(tile[batch].approach + lane)},
                Pack::load(springs[batch].damping + lane), Pack::load(springs[batch].pull + lane),
                time);
            Pack::store(tile[batch].kick + lane, free.kick);
            Pack::store(tile[batch].approach + lane, free.approach);
        });
    }
}

template <class Pack>
struct Rows {
    typename Pack::Parameters gap_of_gap;
    typename Pack::Parameters gap_of_velocity;
    typename Pack::Parameters gap_of_travel;
    typename Pack::Parameters velocity_of_gap;
    typename Pack::Parameters velocity_of_velocity;
    typename Pack::Parameters velocity_of_travel;
};

/// Equations (2) and (3).
template <class Pack>
Rows<Pack> rows_of(const Free<Pack>& free, const SpringBatch& springs, std::size_t lane,
                   double dt) {
    using Parameters = typename Pack::Parameters;
    const Parameters approach_rate = free.approach * Pack::all(1 / dt);
    Rows<Pack> rows;
    rows.gap_of_gap = Pack::all(1) - free.approach;
    rows.gap_of_velocity = free.kick * Pack::all(dt);
    rows.gap_of_travel =
        Pack::times_minus(Pack::load(springs.lag + lane), approach_rate, free.kick);
    rows.velocity_of_gap = Pack::load(springs.pull + lane) * rows.gap_of_velocity;
    rows.velocity_of_velocity = Pack::minus_times(
        rows.gap_of_gap, Pack::load(springs.damping + lane), rows.gap_of_velocity);
    rows.velocity_of_travel =
        Pack::times_plus(Pack::load(springs.hold + lane), free.kick, approach_rate);
    return rows;
}

/// Where digits may be missing: differences that have cancelled, times beyond the series. NaN is
/// never at least anything.
template <class Pack>
typename Pack::Lanes doubtful(const Free<Pack>& free, const Rows<Pack>& rows,
                              const SpringBatch& springs, std::size_t lane, double shortest) {
    using Parameters = typename Pack::Parameters;
    const Parameters smallest = Pack::lesser(
        Pack::lesser(Pack::size_of(rows.gap_of_travel), Pack::size_of(rows.velocity_of_velocity)),
        Pack::lesser(Pack::size_of(rows.gap_of_gap), Pack::size_of(free.kick)));
    const Parameters pull = Pack::load(springs.pull + lane);
    const Parameters decay_rate = Pack::all(0.5) * Pack::load(springs.damping + lane);
    const Parameters push = rows.velocity_of_travel;
    // Of (w + z w)^2 at least.
    const Parameters least_push2 =
        Pack::all(0x1p-17) * Pack::times_minus(decay_rate, decay_rate, pull);
    const Parameters time = Pack::all(shortest);
    return Pack::not_at_least(smallest, Pack::all(0.125)) |
           Pack::not_at_least(push * push, least_push2) |
           Pack::not_at_least(time * time * pull, Pack::all(-0.25)) |
           Pack::not_at_least(Pack::all(0.5), time * decay_rate);
}

template <class Pack>
void store(const Rows<Pack>& from, RowBatch<float>& to, std::size_t lane) {
    Pack::store(to.gap_of_gap + lane, from.gap_of_gap);
    Pack::store(to.gap_of_velocity + lane, from.gap_of_velocity);
    Pack::store(to.gap_of_travel + lane, from.gap_of_travel);
    Pack::store(to.velocity_of_gap + lane, from.velocity_of_gap);
    Pack::store(to.velocity_of_velocity + lane, from.velocity_of_velocity);
    Pack::store(to.velocity_of_travel + lane, from.velocity_of_travel);
}

/// What is `plain` needs no look at whether its digits are there. The step comes as a copy: then
/// the compiler knows that no store reaches it.
template <class Pack, bool plain>
std::size_t quick_rows_if(const SpringBatch* springs, std::size_t count, const QuickStep step,
                          RowBatch<float>* rows, std::uint32_t* unsure) {
    static_assert(batch_size % Twice<Pack>::size == 0 && tile_size % batch_size == 0);
    Tile tile;
    find_free<Twice<Pack>>(springs, count, step, tile);
    std::size_t unsure_count = 0;
    for_packs<Pack>(count, [&](std::size_t batch, std::size_t lane) {
        const Free<Pack> free{Pack::load(tile[batch].kick + lane),
                              Pack::load(tile[batch].approach + lane)};
        const Rows<Pack> exact = rows_of<Pack>(free, springs[batch], lane, step.dt);
        typename Pack::Lanes bad = Pack::roundings_in_doubt(exact);
        if constexpr (!plain) {
            bad |= doubtful<Pack>(free, exact, springs[batch], lane, step.shortest);
        }
        store<Pack>(exact, rows[batch], lane);
        for (; bad != 0; bad &= bad - 1) {
            const std::size_t slot =
                batch * batch_size + lane + static_cast<std::size_t>(__builtin_ctz(bad));
            if (slot < count) unsure[unsure_count++] = static_cast<std::uint32_t>(slot);
        }
    });
    return unsure_count;
}

/// See bank_rows.hpp.
template <class Pack>
std::size_t quick_rows(const SpringBatch* springs, std::size_t count, const QuickStep& step,
                       RowBatch<float>* rows, std::uint32_t* unsure) {
    return step.plain ? quick_rows_if<Pack, true>(springs, count, step, rows, unsure)
                      : quick_rows_if<Pack, false>(springs, count, step, rows, unsure);
}

}  // namespace hopcoil::bank
