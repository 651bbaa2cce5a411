// The loops of a bank of chains, compiled once for each instruction set: plain arrays, no branches.
// Contraction is off, so every set gives the same bits.

#include "chain_kernels.hpp"

#include <cmath>

#include "../base/instruction_sets.hpp"

namespace hopcoil::chain {
namespace {

struct V {
    float x, y, z;
};
HOPCOIL_INTO_EACH V operator+(const V& a, const V& b) {
    return {a.x + b.x, a.y + b.y, a.z + b.z};
}
HOPCOIL_INTO_EACH V operator-(const V& a, const V& b) {
    return {a.x - b.x, a.y - b.y, a.z - b.z};
}
HOPCOIL_INTO_EACH V operator*(const V& a, float s) {
    return {a.x * s, a.y * s, a.z * s};
}
HOPCOIL_INTO_EACH float dot(const V& a, const V& b) {
    return (a.x * b.x + a.y * b.y) + a.z * b.z;
}
HOPCOIL_INTO_EACH V either(bool first, const V& a, const V& b) {
    return {first ? a.x : b.x, first ? a.y : b.y, first ? a.z : b.z};
}

/// Three arrays over the chains.
struct Lane {
    float* x;
    float* y;
    float* z;
    HOPCOIL_INTO_EACH V operator[](std::size_t i) const { return {x[i], y[i], z[i]}; }
    HOPCOIL_INTO_EACH void put(std::size_t i, const V& v) const {
        x[i] = v.x;
        y[i] = v.y;
        z[i] = v.z;
    }
};
struct ConstLane {
    const float* x;
    const float* y;
    const float* z;
    HOPCOIL_INTO_EACH V operator[](std::size_t i) const { return {x[i], y[i], z[i]}; }
};
HOPCOIL_INTO_EACH ConstLane lane_of(const std::array<const float*, 3>& axes) {
    return {axes[0], axes[1], axes[2]};
}

/// Work space of each chain while the loop goes from node to node.
struct Room {
    alignas(64) float x[lanes];
    alignas(64) float y[lanes];
    alignas(64) float z[lanes];
    HOPCOIL_INTO_EACH Lane lane() { return {x, y, z}; }
};

HOPCOIL_INTO_EACH Lane field_of(float* links, std::size_t node, std::size_t field) {
    float* const first = links + (node * field_count + field) * lanes;
    return {first, first + lanes, first + 2 * lanes};
}
HOPCOIL_INTO_EACH Lane output_of(float* outputs, std::size_t node, std::size_t which) {
    float* const first = outputs + (node * 6 + which * 3) * lanes;
    return {first, first + lanes, first + 2 * lanes};
}

/// A direction and its rate of change; `otherwise`, at rest, for a vector too short to have one.
struct Turning {
    V unit, rate;
};
HOPCOIL_INTO_EACH Turning turning_of(const V& v, const V& rate, const V& otherwise) {
    const float square = dot(v, v);
    const bool has = square > 1e-16F;
    const float inverse = 1 / std::sqrt(has ? square : 1.0F);
    const V unit = v * inverse;
    const V turns = (rate - unit * dot(unit, rate)) * inverse;
    return {either(has, unit, otherwise), either(has, turns, V{0, 0, 0})};
}

/// Numbers too small to matter become zero: steps with subnormal numbers are slow.
HOPCOIL_INTO_EACH float dropped(float number) {
    return std::abs(number) < 1e-18F ? 0.0F : number;
}
HOPCOIL_INTO_EACH V dropped(const V& v) {
    return {dropped(v.x), dropped(v.y), dropped(v.z)};
}

/// A link's state after a step in which its target moved along a cubic.
struct Answer {
    V gap, velocity;
};
HOPCOIL_INTO_EACH Answer answer_to(const V& travel, const V& first, const V& last, const V& g,
                                   const V& v, const std::array<float, 10>& r) {
    return {
        dropped((g * r[gap_of_gap] + v * r[gap_of_velocity]) +
                ((travel * r[gap_of_travel] + first * r[gap_of_first]) + last * r[gap_of_last])),
        dropped((g * r[velocity_of_gap] + v * r[velocity_of_velocity]) +
                ((travel * r[velocity_of_travel] + first * r[velocity_of_first]) +
                 last * r[velocity_of_last]))};
}

/// The root on the cubic of its step, from where that begins.
struct Root {
    V place, velocity;
};
HOPCOIL_INTO_EACH Root root_at(float u, const V& way, const V& first, const V& last, float dt) {
    const float whole = u * u * (3 - 2 * u);
    const float early = u * (1 - u) * (1 - u);
    const float late = u * u * (u - 1);
    return {(way * whole + first * (dt * early)) + last * (dt * late),
            (way * (6 * u * (1 - u) / dt) + first * ((1 - u) * (1 - 3 * u))) +
                last * (u * (3 * u - 2))};
}

/// Any number in a chain that is not finite makes its tip so, and its `sound` NaN.
HOPCOIL_INTO_EACH void note_sound(const BankStep& step, const Lane& tip, const Lane& velocity) {
    for (std::size_t i = 0; i < lanes; ++i) {
        const V zero = (tip[i] + velocity[i]) * 0.0F;
        step.sound[i] = (zero.x + zero.y) + zero.z;
    }
}

HOPCOIL_INTO_EACH void stretchy_loop(const BankStep& given) {
    const BankStep step = given;
    Room last_room{}, velocity_room{}, link_room{}, turn_room{}, shift_room{};
    const Lane last = last_room.lane();
    const Lane last_velocity = velocity_room.lane();
    const Lane link_before = link_room.lane();
    const Lane turn_before = turn_room.lane();
    const Lane shift = shift_room.lane();
    const ConstLane way = lane_of(step.way);
    const ConstLane first = lane_of(step.first_velocity);
    const ConstLane end = lane_of(step.last_velocity);
    const ConstLane rest = lane_of(step.rest);
    const ConstLane rest_rate = lane_of(step.rest_rate);
    HOPCOIL_SIDE_BY_SIDE
    for (std::size_t i = 0; i < lanes; ++i) {
        const Root from = root_at(step.from, way[i], first[i], end[i], step.dt);
        const Root to = root_at(step.to, way[i], first[i], end[i], step.dt);
        shift.put(i, to.place - from.place);
        last.put(i, {0, 0, 0});
        last_velocity.put(i, to.velocity);
        link_before.put(i, rest[i]);
        turn_before.put(i, rest_rate[i]);
    }
    const float own = 1 - step.carry;
    for (std::size_t node = 0; node < step.nodes; ++node) {
        const std::array<float, 10> rows = step.rows[node];
        const Lane places = field_of(step.links, node, place);
        const Lane gaps = field_of(step.links, node, gap);
        const Lane speeds = field_of(step.links, node, velocity);
        const Lane target_velocities = field_of(step.links, node, target_velocity);
        HOPCOIL_SIDE_BY_SIDE
        for (std::size_t i = 0; i < lanes; ++i) {
            const Turning along =
                turning_of(rest[i] * own + link_before[i] * step.carry,
                           rest_rate[i] * own + turn_before[i] * step.carry, rest[i]);
            const V to = last[i] + along.unit * step.spacing;
            const V to_velocity = last_velocity[i] + along.rate * step.spacing;
            const V old_gap = gaps[i];
            const V travel = (to - (places[i] - old_gap)) + shift[i];
            const Answer now =
                answer_to(travel, target_velocities[i], to_velocity, old_gap, speeds[i], rows);
            target_velocities.put(i, to_velocity);
            gaps.put(i, now.gap);
            speeds.put(i, now.velocity);
            const V here = to + now.gap;
            const Turning link =
                turning_of(here - last[i], now.velocity - last_velocity[i], rest[i]);
            link_before.put(i, link.unit);
            turn_before.put(i, link.rate);
            last.put(i, here);
            last_velocity.put(i, now.velocity);
            places.put(i, here);
        }
    }
    note_sound(step, last, last_velocity);
}

/// cosh m - 1 and sinh m, up to m = 1.5, from their series.
struct Hyperbolic {
    float cosh_less_1, sinh;
};
HOPCOIL_INTO_EACH Hyperbolic hyperbolic_of(float m) {
    const float x = m * m;
    return {
        x * (0.5F + x * (1 / 24.0F + x * (1 / 720.0F + x * (1 / 40320.0F + x * (1 / 3628800.0F))))),
        m * (1 + x * (1 / 6.0F + x * (1 / 120.0F + x * (1 / 5040.0F + x * (1 / 362880.0F)))))};
}

/// docs/math/chain.md (6), normalised, so that its denominator need not be known; where the way is
/// long, the head is simply drawn behind it.
HOPCOIL_INTO_EACH V dragged(const V& g, const V& way, float per_spacing) {
    const float square = dot(way, way);
    const bool moves = square > 1e-30F;
    const float length = std::sqrt(moves ? square : 1.0F);
    const V e = way * (1 / length);
    const float m = length * per_spacing;
    const bool is_long = m > 1.5F;
    const float c = dot(g, e);
    const auto [cosh_less_1, sinh] = hyperbolic_of(is_long ? 1.5F : m);
    const V turned = g + e * (is_long ? m : sinh + c * cosh_less_1);
    const float turned_square = dot(turned, turned);
    // Pushed straight back, it stays straight.
    const bool turns =
        moves && 1 + cosh_less_1 + c * sinh > 1e-6F * (1 + cosh_less_1) && turned_square > 1e-20F;
    return dropped(either(turns, turned * (1 / std::sqrt(turns ? turned_square : 1.0F)), g));
}

HOPCOIL_INTO_EACH void fixed_loop(const BankStep& given) {
    const BankStep step = given;
    Room moved_room{}, velocity_room{};
    const Lane moved = moved_room.lane();
    const Lane speed = velocity_room.lane();
    const ConstLane way = lane_of(step.way);
    const ConstLane first = lane_of(step.first_velocity);
    const ConstLane end = lane_of(step.last_velocity);
    const ConstLane stream = lane_of(step.stream);
    HOPCOIL_SIDE_BY_SIDE
    for (std::size_t i = 0; i < lanes; ++i) {
        const Root from = root_at(step.from, way[i], first[i], end[i], step.dt);
        const Root to = root_at(step.to, way[i], first[i], end[i], step.dt);
        moved.put(i, to.place - from.place);
        speed.put(i, to.velocity);
    }
    const float per_spacing = 1 / step.spacing;
    for (std::size_t node = 0; node < step.nodes; ++node) {
        const std::array<float, 10> rows = step.rows[node];
        const Lane ghosts = field_of(step.links, node, place);
        const Lane gaps = field_of(step.links, node, gap);
        const Lane speeds = field_of(step.links, node, velocity);
        const Lane target_velocities = field_of(step.links, node, target_velocity);
        HOPCOIL_SIDE_BY_SIDE
        for (std::size_t i = 0; i < lanes; ++i) {
            const V old = ghosts[i];
            const V ghost = dragged(old, stream[i] * step.h - moved[i], per_spacing);
            const V pull = stream[i] - speed[i];
            const V rate = dropped((pull - ghost * dot(ghost, pull)) * per_spacing);
            const Answer now =
                answer_to(ghost - old, target_velocities[i], rate, gaps[i], speeds[i], rows);
            ghosts.put(i, ghost);
            target_velocities.put(i, rate);
            gaps.put(i, now.gap);
            speeds.put(i, now.velocity);
            moved.put(i, moved[i] + (ghost - old) * step.spacing);
            speed.put(i, speed[i] + rate * step.spacing);
        }
    }
}

HOPCOIL_INTO_EACH void fixed_outputs_loop(const BankStep& given) {
    const BankStep step = given;
    Room place_room{}, velocity_room{}, sum_room{};
    const Lane speed_and_gap = sum_room.lane();
    const Lane reached = place_room.lane();
    const Lane speed = velocity_room.lane();
    const ConstLane end = lane_of(step.last_velocity);
    HOPCOIL_SIDE_BY_SIDE
    for (std::size_t i = 0; i < lanes; ++i) {
        reached.put(i, {0, 0, 0});
        speed_and_gap.put(i, {0, 0, 0});
        speed.put(i, end[i]);
    }
    for (std::size_t node = 0; node < step.nodes; ++node) {
        const Lane ghosts = field_of(step.links, node, place);
        const Lane gaps = field_of(step.links, node, gap);
        const Lane speeds = field_of(step.links, node, velocity);
        const Lane offsets = output_of(step.outputs, node, 0);
        const Lane velocities = output_of(step.outputs, node, 1);
        HOPCOIL_SIDE_BY_SIDE
        for (std::size_t i = 0; i < lanes; ++i) {
            const Turning link = turning_of(ghosts[i] + gaps[i], speeds[i], ghosts[i]);
            const V here = reached[i] + link.unit * step.spacing;
            const V rate = speed[i] + link.rate * step.spacing;
            reached.put(i, here);
            speed.put(i, rate);
            offsets.put(i, here);
            velocities.put(i, rate);
            // A gap that is not finite may not show in a direction.
            speed_and_gap.put(i, speed_and_gap[i] + (gaps[i] + speeds[i]) * 0.0F);
        }
    }
    HOPCOIL_SIDE_BY_SIDE
    for (std::size_t i = 0; i < lanes; ++i)
        speed_and_gap.put(i, speed_and_gap[i] + speed[i]);
    note_sound(step, reached, speed_and_gap);
}

}  // namespace

HOPCOIL_FOR_EACH_SET(step_stretchy, stretchy_loop, BankStep)
HOPCOIL_FOR_EACH_SET(step_fixed, fixed_loop, BankStep)
HOPCOIL_FOR_EACH_SET(find_fixed_outputs, fixed_outputs_loop, BankStep)

}  // namespace hopcoil::chain
