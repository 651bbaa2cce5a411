// The loops of nets over links, bends and tethers, compiled once for each instruction set: plain
// arrays, no branches. Contraction is off, so every set gives the same bits.

#include <cmath>

#include "net_loops.hpp"

namespace hopcoil::net {
namespace {

/// Forces are computed for so many elements, then added to their first points, then to the next:
/// within one such loop no point occurs twice.
constexpr std::size_t block = 64;

/// Vectors of one block.
struct Room {
    alignas(64) double x[block];
    alignas(64) double y[block];
    alignas(64) double z[block];
};

/// 1 over a length, or 0 for a length of 0.
HOPCOIL_INTO_EACH double inverse_of(double length) {
    return length > 0 ? 1 / length : 0;
}

/// How far a length is from its range, or from the rest length.
template <bool has_range>
HOPCOIL_INTO_EACH double excess_of(double length, double shortest, double longest) {
    const double too_long = length - longest;
    if (!has_range) return too_long;
    const double too_short = length < shortest ? length - shortest : 0;
    return length > longest ? too_long : too_short;
}

// Forces.

struct Strength {
    const double* shortest;
    const double* longest;
    const double* stiffness;
    const double* damping;
};

template <bool has_range, bool has_damping>
HOPCOIL_INTO_EACH Vector3 link_force(const Strength& of, std::size_t row, const ConstArrays& x,
                                     const ConstArrays& v, std::size_t a, std::size_t b) {
    const Vector3 way = x[b] - x[a];
    const double length = std::sqrt(dot(way, way));
    const double excess =
        excess_of<has_range>(length, has_range ? of.shortest[row] : 0, of.longest[row]);
    const double inverse = inverse_of(length);
    double force = of.stiffness[row] * excess;
    if (has_damping) {
        const double rate = dot(v[b] - v[a], way) * inverse;
        force = force + of.damping[row] * rate;
        if (has_range) force = excess == 0 ? 0 : force;
    }
    return way * (force * inverse);
}

template <bool has_range, bool has_damping>
HOPCOIL_INTO_EACH void add_link_batch(const ForcePass& pass, const Batch& batch) {
    const LinkTable& links = pass.links;
    const Strength of{links.shortest_m.data(), links.longest_m.data(), links.stiffness.data(),
                      links.damping.data()};
    const ConstArrays x = arrays_of(pass.x);
    const ConstArrays v = arrays_of(pass.v);
    const Arrays force = arrays_of(pass.force);
    if (batch.layout == Layout::loose) {
        for (std::size_t row = batch.first; row < batch.first + batch.count; ++row) {
            const std::size_t a = links.a[row];
            const std::size_t b = links.b[row];
            const Vector3 pull = link_force<has_range, has_damping>(of, row, x, v, a, b);
            force.add(a, pull);
            force.add(b, pull * -1);
        }
        return;
    }
    Room room{};
    const Arrays pulls{room.x, room.y, room.z};
    for (std::size_t from = 0; from < batch.count; from += block) {
        const std::size_t count = batch.count - from < block ? batch.count - from : block;
        const std::size_t row = batch.first + from;
        const std::size_t a = batch.points[0] + from;
        const std::size_t b = batch.points[1] + from;
        HOPCOIL_SIDE_BY_SIDE
        for (std::size_t k = 0; k < count; ++k)
            pulls.put(k, link_force<has_range, has_damping>(of, row + k, x, v, a + k, b + k));
        HOPCOIL_SIDE_BY_SIDE
        for (std::size_t k = 0; k < count; ++k)
            force.add(a + k, pulls[k]);
        HOPCOIL_SIDE_BY_SIDE
        for (std::size_t k = 0; k < count; ++k)
            force.add(b + k, pulls[k] * -1);
    }
}

struct BendStrength {
    const double* weight_a;
    const double* weight_c;
    const double* rest;
    const double* stiffness;
    const double* damping;
};
HOPCOIL_INTO_EACH BendStrength strength_of(const BendTable& bends) {
    return {bends.weight_a.data(), bends.weight_c.data(), bends.rest_m.data(),
            bends.stiffness.data(), bends.damping.data()};
}

/// Three points of x, weighted so that the sum is zero where they are in line.
template <class Points>
HOPCOIL_INTO_EACH Vector3 bend_of(const BendStrength& of, std::size_t row, const Points& x,
                                  std::size_t a, std::size_t middle, std::size_t c) {
    const double wa = of.weight_a[row];
    const double wc = of.weight_c[row];
    return x[a] * wa + x[c] * wc - x[middle] * (wa + wc);
}

template <bool is_special>
HOPCOIL_INTO_EACH Vector3 bend_force(const BendStrength& of, std::size_t row, const ConstArrays& x,
                                     const ConstArrays& v, std::size_t a, std::size_t middle,
                                     std::size_t c) {
    const Vector3 bend = bend_of(of, row, x, a, middle, c);
    if (!is_special) return bend * of.stiffness[row];
    const double length = std::sqrt(dot(bend, bend));
    const double inverse = inverse_of(length);
    const double rate = dot(bend_of(of, row, v, a, middle, c), bend) * inverse;
    const double force = of.stiffness[row] * (length - of.rest[row]) + of.damping[row] * rate;
    return bend * (force * inverse);
}

template <bool is_special>
HOPCOIL_INTO_EACH void add_bend_batch(const ForcePass& pass, const Batch& batch) {
    const BendTable& bends = pass.bends;
    const BendStrength of = strength_of(bends);
    const ConstArrays x = arrays_of(pass.x);
    const ConstArrays v = arrays_of(pass.v);
    const Arrays force = arrays_of(pass.force);
    if (batch.layout == Layout::loose) {
        for (std::size_t row = batch.first; row < batch.first + batch.count; ++row) {
            const std::size_t a = bends.a[row];
            const std::size_t middle = bends.middle[row];
            const std::size_t c = bends.c[row];
            const Vector3 pull = bend_force<is_special>(of, row, x, v, a, middle, c);
            force.add(a, pull * -of.weight_a[row]);
            force.add(middle, pull * (of.weight_a[row] + of.weight_c[row]));
            force.add(c, pull * -of.weight_c[row]);
        }
        return;
    }
    Room room{};
    const Arrays pulls{room.x, room.y, room.z};
    for (std::size_t from = 0; from < batch.count; from += block) {
        const std::size_t count = batch.count - from < block ? batch.count - from : block;
        const std::size_t row = batch.first + from;
        const std::size_t a = batch.points[0] + from;
        const std::size_t middle = batch.points[1] + from;
        const std::size_t c = batch.points[2] + from;
        HOPCOIL_SIDE_BY_SIDE
        for (std::size_t k = 0; k < count; ++k)
            pulls.put(k, bend_force<is_special>(of, row + k, x, v, a + k, middle + k, c + k));
        HOPCOIL_SIDE_BY_SIDE
        for (std::size_t k = 0; k < count; ++k)
            force.add(a + k, pulls[k] * -of.weight_a[row + k]);
        HOPCOIL_SIDE_BY_SIDE
        for (std::size_t k = 0; k < count; ++k)
            force.add(middle + k, pulls[k] * (of.weight_a[row + k] + of.weight_c[row + k]));
        HOPCOIL_SIDE_BY_SIDE
        for (std::size_t k = 0; k < count; ++k)
            force.add(c + k, pulls[k] * -of.weight_c[row + k]);
    }
}

template <bool has_damping>
HOPCOIL_INTO_EACH void add_forces_loop(const ForcePass& pass) {
    for (const Batch& batch : pass.links.batches) {
        batch.is_special ? add_link_batch<true, has_damping>(pass, batch)
                         : add_link_batch<false, has_damping>(pass, batch);
    }
    for (const Batch& batch : pass.bends.batches)
        batch.is_special ? add_bend_batch<true>(pass, batch) : add_bend_batch<false>(pass, batch);
}

// Positions.

/// What satisfying links or bends works with.
struct Rows {
    ConstArrays base;
    Arrays moved;
    const double* masses;  ///< inverse
    const double* damping;
    const double* share;
    const double* compliance;
    Arrays corrections;
};

/// One that is visited again is corrected by what is still missing.
template <bool has_range, bool is_twice>
HOPCOIL_INTO_EACH void satisfy_link(const Rows& rows, const Strength& of, std::size_t row,
                                    std::size_t a, std::size_t b) {
    const Vector3 at_a = rows.moved[a];
    const Vector3 at_b = rows.moved[b];
    const Vector3 way = at_b - at_a;
    const double length = std::sqrt(dot(way, way));
    const double excess = excess_of<has_range>(length, of.shortest[row], of.longest[row]);
    const double inverse = inverse_of(length);
    const double moved = dot(way - (rows.base[b] - rows.base[a]), way) * inverse;
    const double before = is_twice ? rows.corrections.x[row] : 0;
    double error = excess + rows.damping[row] * moved;
    if (is_twice) error = error - rows.compliance[row] * before;
    double size = error * rows.share[row];
    if (has_range) {
        // Damping slows a pull; it does not turn it into a push.
        const double whole = before + size;
        const double pull = excess > 0 && whole > 0 ? whole : 0;
        const double push = excess < 0 && whole < 0 ? whole : 0;
        size = pull + push - before;
    }
    if (is_twice) rows.corrections.x[row] = before + size;
    const Vector3 by = way * (size * inverse);
    rows.moved.put(a, at_a + by * rows.masses[a]);
    rows.moved.put(b, at_b - by * rows.masses[b]);
}

/// The k-th to visit of a batch whose elements follow one another.
HOPCOIL_INTO_EACH std::size_t loose_row(const Batch& batch, std::size_t k, bool is_back) {
    return batch.first + (is_back ? batch.count - 1 - k : k);
}

template <bool has_range, bool is_twice>
HOPCOIL_INTO_EACH void satisfy_link_batch(const LinkTable& links, const Rows& rows,
                                          const Batch& batch, bool is_back) {
    const Strength of{links.shortest_m.data(), links.longest_m.data(), nullptr, nullptr};
    const std::size_t row = batch.first;
    const std::size_t a = batch.points[0];
    const std::size_t b = batch.points[1];
    if (batch.layout == Layout::side_by_side) {
        HOPCOIL_SIDE_BY_SIDE
        for (std::size_t k = 0; k < batch.count; ++k)
            satisfy_link<has_range, is_twice>(rows, of, row + k, a + k, b + k);
    } else if (batch.layout == Layout::adjacent) {
        HOPCOIL_SIDE_BY_SIDE
        for (std::size_t k = 0; k < batch.count; ++k)
            satisfy_link<has_range, is_twice>(rows, of, row + k, a + 2 * k, a + 2 * k + 1);
    } else {
        for (std::size_t k = 0; k < batch.count; ++k) {
            const std::size_t i = loose_row(batch, k, is_back);
            satisfy_link<has_range, is_twice>(rows, of, i, links.a[i], links.b[i]);
        }
    }
}

template <bool is_special, bool is_twice>
HOPCOIL_INTO_EACH void satisfy_bend(const Rows& rows, const BendStrength& of, std::size_t row,
                                    std::size_t a, std::size_t middle, std::size_t c) {
    const Vector3 bend = bend_of(of, row, rows.moved, a, middle, c);
    const Vector3 moved = bend - bend_of(of, row, rows.base, a, middle, c);
    Vector3 error = bend + moved * rows.damping[row];
    if (is_twice) error = error - rows.corrections[row] * rows.compliance[row];
    Vector3 by = error * rows.share[row];
    if (is_special) {
        const double length = std::sqrt(dot(bend, bend));
        const double inverse = inverse_of(length);
        const double along = dot(error - bend, bend) * inverse;
        by = bend * (((length - of.rest[row]) + along) * rows.share[row] * inverse);
    }
    if (is_twice) rows.corrections.add(row, by);
    const double wa = of.weight_a[row];
    const double wc = of.weight_c[row];
    rows.moved.put(a, rows.moved[a] - by * (wa * rows.masses[a]));
    rows.moved.put(middle, rows.moved[middle] + by * ((wa + wc) * rows.masses[middle]));
    rows.moved.put(c, rows.moved[c] - by * (wc * rows.masses[c]));
}

template <bool is_special, bool is_twice>
HOPCOIL_INTO_EACH void satisfy_bend_batch(const BendTable& bends, const Rows& rows,
                                          const Batch& batch, bool is_back) {
    const BendStrength of = strength_of(bends);
    const std::size_t row = batch.first;
    const auto& [a, middle, c] = batch.points;
    if (batch.layout == Layout::side_by_side) {
        HOPCOIL_SIDE_BY_SIDE
        for (std::size_t k = 0; k < batch.count; ++k)
            satisfy_bend<is_special, is_twice>(rows, of, row + k, a + k, middle + k, c + k);
    } else if (batch.layout == Layout::adjacent) {
        HOPCOIL_SIDE_BY_SIDE
        for (std::size_t k = 0; k < batch.count; ++k) {
            const std::size_t first = a + 3 * k;
            satisfy_bend<is_special, is_twice>(rows, of, row + k, first, first + 1, first + 2);
        }
    } else {
        for (std::size_t k = 0; k < batch.count; ++k) {
            const std::size_t i = loose_row(batch, k, is_back);
            satisfy_bend<is_special, is_twice>(rows, of, i, bends.a[i], bends.middle[i],
                                               bends.c[i]);
        }
    }
}

HOPCOIL_INTO_EACH bool is_too_far(const Vector3& way, double longest) {
    return dot(way, way) > longest * longest;
}
HOPCOIL_INTO_EACH Vector3 drawn_in(const Vector3& point, const Vector3& pin, double longest) {
    const Vector3 way = point - pin;
    const double part = longest / std::sqrt(dot(way, way));
    return is_too_far(way, longest) ? pin + way * part : point;
}
HOPCOIL_INTO_EACH void satisfy_tether_batch(const TetherTable& tethers, const Arrays& moved,
                                            const Batch& batch) {
    const double* const longest = tethers.longest_m.data();
    if (batch.layout == Layout::loose) {
        for (std::size_t i = batch.first; i < batch.first + batch.count; ++i) {
            const std::size_t point = tethers.point[i];
            const Vector3 pin = moved[tethers.pin[i]];
            if (is_too_far(moved[point] - pin, longest[i]))
                moved.put(point, drawn_in(moved[point], pin, longest[i]));
        }
        return;
    }
    for (std::size_t from = 0; from < batch.count; from += block) {
        const std::size_t count = batch.count - from < block ? batch.count - from : block;
        const std::size_t row = batch.first + from;
        const std::size_t point = batch.points[0] + from;
        const std::size_t pin = batch.points[1] + from;
        std::uint64_t far = 0;  // most of the time none is
        for (std::size_t k = 0; k < count; ++k)
            far += is_too_far(moved[point + k] - moved[pin + k], longest[row + k]) ? 1U : 0U;
        if (far == 0) continue;
        HOPCOIL_SIDE_BY_SIDE
        for (std::size_t k = 0; k < count; ++k)
            moved.put(point + k, drawn_in(moved[point + k], moved[pin + k], longest[row + k]));
    }
}

HOPCOIL_INTO_EACH Rows rows_of(const PositionPass& pass, const PositionPass::Strength& strength,
                               std::size_t first_correction) {
    Arrays corrections{nullptr, nullptr, nullptr};
    if (pass.corrections != nullptr) {
        const Arrays all = arrays_of(*pass.corrections);
        corrections = {all.x + first_correction, all.y + first_correction,
                       all.z + first_correction};
    }
    return {arrays_of(pass.base),
            arrays_of(pass.moved),
            pass.inverse_masses.data(),
            strength.damping.data(),
            strength.share.data(),
            strength.compliance.data(),
            corrections};
}

template <bool is_twice>
HOPCOIL_INTO_EACH void satisfy_loop(const PositionPass& pass) {
    const Rows link_rows = rows_of(pass, pass.link_strength, 0);
    const Rows bend_rows = rows_of(pass, pass.bend_strength, pass.links.size());
    const std::size_t links = pass.links.batches.size();
    const std::size_t all = links + pass.bends.batches.size();
    for (std::size_t visit = 0; visit < (is_twice ? 2 * all : all); ++visit) {
        const bool is_back = visit >= all;
        const std::size_t i = is_back ? 2 * all - 1 - visit : visit;
        if (i < links) {
            const Batch& batch = pass.links.batches[i];
            if constexpr (is_twice) {
                if (batch.is_special) {
                    satisfy_link_batch<true, true>(pass.links, link_rows, batch, is_back);
                    continue;
                }
            }
            satisfy_link_batch<false, is_twice>(pass.links, link_rows, batch, is_back);
        } else {
            const Batch& batch = pass.bends.batches[i - links];
            batch.is_special
                ? satisfy_bend_batch<true, is_twice>(pass.bends, bend_rows, batch, is_back)
                : satisfy_bend_batch<false, is_twice>(pass.bends, bend_rows, batch, is_back);
        }
    }
    for (const Batch& batch : pass.tethers.batches)
        satisfy_tether_batch(pass.tethers, link_rows.moved, batch);
}

HOPCOIL_FOR_EACH_SET(add_damped_forces, add_forces_loop<true>, ForcePass)
HOPCOIL_FOR_EACH_SET(add_undamped_forces, add_forces_loop<false>, ForcePass)

HOPCOIL_FOR_EACH_SET(satisfy_once, satisfy_loop<false>, PositionPass)
HOPCOIL_FOR_EACH_SET(satisfy_twice, satisfy_loop<true>, PositionPass)

}  // namespace

void add_forces(InstructionSet set, const ForcePass& pass) noexcept {
    pass.has_damping ? add_damped_forces(set, pass) : add_undamped_forces(set, pass);
}

void satisfy(InstructionSet set, const PositionPass& pass) noexcept {
    pass.corrections == nullptr ? satisfy_once(set, pass) : satisfy_twice(set, pass);
}

}  // namespace hopcoil::net
