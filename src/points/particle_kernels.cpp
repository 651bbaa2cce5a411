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

template <class T>
struct Flown {
    T place;
    T velocity;
};
/// Extrapolates a place, or one of its numbers. `pull` is gravity where drag is small, else the
/// speed at which drag balances it.
template <bool is_drag_small, class T>
HOPCOIL_INTO_EACH Flown<T> flown(const FreeFlight& flight, const T& place, const T& velocity,
                                 const T& wind, const T& pull) {
    const double h = flight.step_s;
    if (is_drag_small) {
        const T a = pull + (wind - velocity) * flight.drag_per_s;
        return {place + (velocity + a * (h / 2)) * h, velocity + a * h};
    }
    const T terminal = wind + pull;
    const T beyond = velocity - terminal;
    return {place + terminal * h + beyond * flight.way_s, velocity - beyond * flight.gone};
}

/// 1 or 0 for each: whether it is alive, and whether it moves.
HOPCOIL_INTO_EACH void find_flags(const ParticleBlock& block, double* lives, double* moves) {
    const std::uint8_t* const alive = block.alive.data();
    const std::uint8_t* const resting = block.resting.data();
    for (std::size_t i = 0; i < block.alive.size(); ++i) {
        lives[i] = static_cast<double>(alive[i]);
        moves[i] = static_cast<double>(alive[i] & (resting[i] ^ 1U));
    }
}

/// The same of those that are not done.
HOPCOIL_INTO_EACH void find_open_flags(const ParticleBlock& block, double* lives, double* moves) {
    find_flags(block, lives, moves);
    const std::uint8_t* const done = block.done.data();
    for (std::size_t i = 0; i < block.alive.size(); ++i) {
        const auto open = static_cast<double>(done[i] ^ 1U);
        lives[i] *= open;
        moves[i] *= open;
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
    // Bytes beside doubles would make the compiler process too many at a time.
    alignas(64) double lives[particles_at_a_time];
    alignas(64) double moves[particles_at_a_time];
    find_open_flags(pass.block, lives, moves);
    const Vector3 pull = is_drag_small ? flight.gravity : flight.fall;
    std::uint64_t any_left = 0;
    HOPCOIL_SIDE_BY_SIDE
    for (std::size_t i = 0; i < count; ++i) {
        const Vector3 place = vector_at(places, i);
        const Vector3 velocity = vector_at(velocities, i);
        const Vector3 wind = vector_at(winds, i);
        const auto to = flown<is_drag_small>(flight, place, velocity, wind, pull);
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

struct ThroughPass {
    const FrameFlight& flight;
    const ParticleBlock& block;
    double* goes;  ///< 1: it takes the steps
    bool& are_all_done;
    bool& goes_any;
    bool& go_all;
};

/// The most that a particle may sink in all of the steps, at a rate of climb.
struct Sinking {
    HOPCOIL_INTO_EACH explicit Sinking(const FrameFlight& flight)
        : whole_s{static_cast<double>(flight.steps) * flight.step.step_s} {
        const FreeFlight& step = flight.step;
        if (step.is_drag_small) {
            gained = (step.gravity.y < 0 ? step.gravity.y : 0) * whole_s;
        } else {
            // Its speed approaches the terminal speed and never passes it.
            slowest = step.fall.y;
        }
    }
    [[nodiscard]] HOPCOIL_INTO_EACH double operator()(double rate) const {
        const double least = (rate < slowest ? rate : slowest) + gained;
        return least < 0 ? least * whole_s : 0;
    }
    double whole_s;
    double slowest = 0;
    double gained = 0;
};

/// The lowest y of numbers that are x, y, z in turn; so many at once that x, y and z keep their
/// places in every vector.
constexpr std::size_t group = 24;
HOPCOIL_INTO_EACH double lowest_y(const double* numbers, std::size_t count) {
    alignas(64) double lowest[group];
    for (std::size_t k = 0; k < group; ++k)
        lowest[k] = numbers[k];
    for (std::size_t i = group; i < count; i += group) {
        HOPCOIL_SIDE_BY_SIDE
        for (std::size_t k = 0; k < group; ++k)
            lowest[k] = numbers[i + k] < lowest[k] ? numbers[i + k] : lowest[k];
    }
    double y = lowest[1];
    for (std::size_t k = 4; k < group; k += 3)
        y = lowest[k] < y ? lowest[k] : y;
    return y;
}

/// Whether a whole block stays alive and clear, from its lowest place and its fastest downward
/// speed.
HOPCOIL_INTO_EACH void all_clear_loop(const ThroughPass& pass) {
    const FreeFlight& flight = pass.flight.step;
    const std::uint8_t* const alive = pass.block.alive.data();
    const std::uint8_t* const resting = pass.block.resting.data();
    const double* const born_s = pass.block.born_s.data();
    const double* const lifetimes = pass.block.lifetimes.data();
    std::uint8_t moves = 1;
    for (std::size_t i = 0; i < particles_at_a_time; ++i)
        moves &= static_cast<std::uint8_t>(alive[i] & (resting[i] ^ 1U));
    std::uint64_t lives_on = ~std::uint64_t{0};
    HOPCOIL_SIDE_BY_SIDE
    for (std::size_t i = 0; i < particles_at_a_time; ++i)
        lives_on &= born_s[i] + lifetimes[i] > flight.end_s ? ~std::uint64_t{0} : 0;
    const double y = lowest_y(net::numbers_of(pass.block.places).data(), 3 * particles_at_a_time);
    const double rate =
        lowest_y(net::numbers_of(pass.block.velocities).data(), 3 * particles_at_a_time);
    const bool is_clear = y + Sinking{pass.flight}(rate) > flight.clear_above_m;
    pass.go_all = pass.are_all_done = moves != 0 && lives_on != 0 && is_clear;
}
HOPCOIL_FOR_EACH_SET(find_all_clear, all_clear_loop, ThroughPass)

/// Which of them stay alive and clear of everything, however they fall.
HOPCOIL_INTO_EACH void choose_loop(const ThroughPass& pass) {
    const FreeFlight flight = pass.flight.step;
    const Sinking sinking{pass.flight};
    const std::size_t count = pass.block.alive.size();
    const double* const places = net::numbers_of(pass.block.places).data();
    const double* const velocities = net::numbers_of(pass.block.velocities).data();
    const double* const born_s = pass.block.born_s.data();
    const double* const lifetimes = pass.block.lifetimes.data();
    double* const goes = pass.goes;
    alignas(64) double lives[particles_at_a_time];
    alignas(64) double moves[particles_at_a_time];
    alignas(64) double done[particles_at_a_time];
    find_flags(pass.block, lives, moves);
    std::uint64_t any = 0;
    std::uint64_t all_done = ~std::uint64_t{0};
    HOPCOIL_SIDE_BY_SIDE
    HOPCOIL_UNROLLED(1)
    for (std::size_t i = 0; i < count; ++i) {
        const double y = places[3 * i + 1];
        const double sinks = sinking(velocities[3 * i + 1]);
        const double lives_on = born_s[i] + lifetimes[i] > flight.end_s ? 1 : 0;
        const double is_clear = y + sinks > flight.clear_above_m ? 1 : 0;
        goes[i] = moves[i] * lives_on * is_clear;
        done[i] = goes[i] + (lives[i] - moves[i]) * lives_on;
        const std::uint64_t mask = goes[i] > 0 ? ~std::uint64_t{0} : 0;
        any |= mask;
        all_done &= done[i] > 0 ? ~std::uint64_t{0} : 0;
    }
    pass.goes_any = any != 0;
    pass.are_all_done = all_done != 0;
    if (pass.are_all_done) return;
    for (std::size_t i = 0; i < count; ++i)
        pass.block.done[i] = done[i] > 0 ? 1 : 0;
}
HOPCOIL_FOR_EACH_SET(choose_flights, choose_loop, ThroughPass)

/// Of every number, one after the other: no particle needs to be known.
template <bool is_drag_small, bool go_all>
HOPCOIL_INTO_EACH void through_loop(const ThroughPass& pass) {
    const FreeFlight flight = pass.flight.step;
    const std::size_t count = 3 * pass.block.alive.size();
    double* const places = net::numbers_of(pass.block.places).data();
    double* const velocities = net::numbers_of(pass.block.velocities).data();
    const double* const pulls = pass.flight.pulls.data();
    alignas(64) std::uint64_t goes[3 * particles_at_a_time];
    for (std::size_t i = 0; i < pass.block.alive.size() && !go_all; ++i) {
        const std::uint64_t mask = pass.goes[i] > 0 ? ~std::uint64_t{0} : 0;
        goes[3 * i] = goes[3 * i + 1] = goes[3 * i + 2] = mask;
    }
    for (std::size_t step = 0; step < pass.flight.steps; ++step) {
        HOPCOIL_SIDE_BY_SIDE
        HOPCOIL_UNROLLED(1)
        for (std::size_t i = 0; i < count; ++i) {
            const auto to = flown<is_drag_small>(flight, places[i], velocities[i], 0.0, pulls[i]);
            places[i] = go_all ? to.place : either(goes[i], to.place, places[i]);
            velocities[i] = go_all ? to.velocity : either(goes[i], to.velocity, velocities[i]);
        }
    }
}
HOPCOIL_INTO_EACH void all_through_loop(const ThroughPass& pass) {
    if (pass.flight.step.is_drag_small) {
        through_loop<true, true>(pass);
    } else {
        through_loop<false, true>(pass);
    }
}
HOPCOIL_INTO_EACH void some_through_loop(const ThroughPass& pass) {
    if (pass.flight.step.is_drag_small) {
        through_loop<true, false>(pass);
    } else {
        through_loop<false, false>(pass);
    }
}
HOPCOIL_FOR_EACH_SET(all_fly_through, all_through_loop, ThroughPass)
HOPCOIL_FOR_EACH_SET(some_fly_through, some_through_loop, ThroughPass)

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

FrameFlight::FrameFlight(const FreeFlight& each, std::size_t count) noexcept
    : step{each}, steps{count} {
    const Vector3 pull = step.is_drag_small ? step.gravity : step.fall;
    for (std::size_t i = 0; i < particles_at_a_time; ++i)
        put_at(pulls.data(), i, pull);
}

bool fly_through(InstructionSet set, const FrameFlight& flight,
                 const ParticleBlock& block) noexcept {
    alignas(64) std::array<double, particles_at_a_time> goes;
    bool are_all_done = false;
    bool goes_any = false;
    bool go_all = false;
    const ThroughPass pass{flight, block, goes.data(), are_all_done, goes_any, go_all};
    if (block.alive.size() == particles_at_a_time) find_all_clear(set, pass);
    if (go_all) {
        all_fly_through(set, pass);
        return true;
    }
    choose_flights(set, pass);
    if (goes_any) some_fly_through(set, pass);
    return are_all_done;
}

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
