// The loops over particles that meet nothing, compiled once for each instruction set.

#include "particle_kernels.hpp"

#include <bit>

#include "net_loops.hpp"

namespace hopcoil {

using net::put_at;
using net::vector_at;

namespace {

struct FlightPass {
    const FreeFlight& flight;
    const ParticleBlock& block;
    double* left;
    bool& is_any_left;
};

/// A choice by a bit mask, all ones or zeros: compilers do not vectorise many conditional choices
/// in one loop.
HOPCOIL_INTO_EACH double either(std::uint64_t first, double a, double b) {
    return std::bit_cast<double>((std::bit_cast<std::uint64_t>(a) & first) |
                                 (std::bit_cast<std::uint64_t>(b) & ~first));
}
HOPCOIL_INTO_EACH Vector3 either(std::uint64_t first, const Vector3& a, const Vector3& b) {
    return {either(first, a.x, b.x), either(first, a.y, b.y), either(first, a.z, b.z)};
}

struct Flown {
    Vector3 place;
    Vector3 velocity;
};
template <bool is_drag_small>
HOPCOIL_INTO_EACH Flown flown(const FreeFlight& flight, const Vector3& place,
                              const Vector3& velocity, const Vector3& wind) {
    const double h = flight.step_s;
    if (is_drag_small) {
        const Vector3 a = flight.gravity + (wind - velocity) * flight.drag_per_s;
        return {place + (velocity + a * (h / 2)) * h, velocity + a * h};
    }
    const Vector3 terminal = wind + flight.fall;
    const Vector3 beyond = velocity - terminal;
    return {place + terminal * h + beyond * flight.way_s, velocity - beyond * flight.gone};
}

/// 1 or 0 for each: whether it lives, and whether it moves.
HOPCOIL_INTO_EACH void find_flags(const ParticleBlock& block, double* lives, double* moves) {
    const std::uint8_t* const alive = block.alive.data();
    const std::uint8_t* const resting = block.resting.data();
    for (std::size_t i = 0; i < block.alive.size(); ++i) {
        lives[i] = static_cast<double>(alive[i]);
        moves[i] = static_cast<double>(alive[i] & (resting[i] ^ 1U));
    }
}

template <bool is_drag_small>
HOPCOIL_INTO_EACH void flight_loop(const FlightPass& pass) {
    const FreeFlight flight = pass.flight;
    const std::size_t count = pass.block.alive.size();
    double* const places = net::numbers_of(pass.block.places).data();
    double* const velocities = net::numbers_of(pass.block.velocities).data();
    const double* const winds = net::numbers_of(pass.block.winds).data();
    const double* const born_s = pass.block.born_s.data();
    const double* const lifetimes = pass.block.lifetimes.data();
    double* const left = pass.left;
    // Bytes among doubles would be worked off too many at a time.
    alignas(64) double lives[particles_at_a_time];
    alignas(64) double moves[particles_at_a_time];
    find_flags(pass.block, lives, moves);
    std::uint64_t any_left = 0;
    HOPCOIL_SIDE_BY_SIDE
    for (std::size_t i = 0; i < count; ++i) {
        const Vector3 place = vector_at(places, i);
        const Vector3 velocity = vector_at(velocities, i);
        const Vector3 wind = vector_at(winds, i);
        const Flown to = flown<is_drag_small>(flight, place, velocity, wind);
        // As numbers, 1 or 0, as conditions joined by `and` do not become vectors.
        const double lives_on = born_s[i] + lifetimes[i] > flight.end_s ? 1 : 0;
        const double lower = place.y < to.place.y ? place.y : to.place.y;
        const double is_clear = lower > flight.clear_above_m ? 1 : 0;
        const double is_free = moves[i] * lives_on * is_clear;
        const std::uint64_t goes = is_free > 0 ? ~std::uint64_t{0} : 0;
        put_at(places, i, either(goes, to.place, place));
        put_at(velocities, i, either(goes, to.velocity, velocity));
        left[i] = (moves[i] + lives[i] * (1 - lives_on)) * (1 - is_free);
        any_left |= std::bit_cast<std::uint64_t>(left[i]);
    }
    pass.is_any_left = any_left != 0;
}
HOPCOIL_FOR_EACH_SET(fly_with_drag, flight_loop<false>, FlightPass)
HOPCOIL_FOR_EACH_SET(fly_without_drag, flight_loop<true>, FlightPass)

struct LaterPass {
    const ParticleBlock& block;
    double ahead_s;
    std::span<Vector3> shown;
};
HOPCOIL_INTO_EACH void later_loop(const LaterPass& pass) {
    const double* const places = net::numbers_of(pass.block.places).data();
    const double* const velocities = net::numbers_of(pass.block.velocities).data();
    double* const shown = net::numbers_of(pass.shown).data();
    const double ahead_s = pass.ahead_s;
    const std::size_t count = pass.shown.size();
    alignas(64) double lives[particles_at_a_time];
    alignas(64) double moves[particles_at_a_time];
    find_flags(pass.block, lives, moves);
    HOPCOIL_SIDE_BY_SIDE
    for (std::size_t i = 0; i < count; ++i)
        put_at(shown, i, vector_at(places, i) + vector_at(velocities, i) * (moves[i] * ahead_s));
}
HOPCOIL_FOR_EACH_SET(show_later, later_loop, LaterPass)

}  // namespace

bool fly_freely(InstructionSet set, const FreeFlight& flight, const ParticleBlock& block,
                std::array<double, particles_at_a_time>& left) noexcept {
    bool is_any_left = false;
    const FlightPass pass{flight, block, left.data(), is_any_left};
    flight.is_drag_small ? fly_without_drag(set, pass) : fly_with_drag(set, pass);
    return !is_any_left;
}

void find_later(InstructionSet set, const ParticleBlock& block, double ahead_s,
                std::span<Vector3> shown) noexcept {
    show_later(set, {block, ahead_s, shown});
}

}  // namespace hopcoil
