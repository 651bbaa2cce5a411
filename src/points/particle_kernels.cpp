// The loops over particles that meet nothing, compiled once for each instruction set.

#include "particle_kernels.hpp"

#include <algorithm>
#include <bit>
#include <cmath>
#include <limits>

#include <hopcoil/base/math.hpp>

#include "../base/instruction_sets.hpp"

namespace hopcoil {
namespace {

constexpr std::size_t numbers_at_a_time = 3 * particles_at_a_time;

float* numbers_of(std::span<FloatVector3> all) noexcept {
    static_assert(sizeof(FloatVector3) == 3 * sizeof(float));
    return reinterpret_cast<float*>(all.data());
}
const float* numbers_of(std::span<const FloatVector3> all) noexcept {
    return reinterpret_cast<const float*>(all.data());
}

/// A choice by a bit mask, all ones or zeros: compilers do not vectorise many conditional choices
/// in one loop.
HOPCOIL_INTO_EACH float either(std::uint32_t first, float a, float b) {
    return std::bit_cast<float>((std::bit_cast<std::uint32_t>(a) & first) |
                                (std::bit_cast<std::uint32_t>(b) & ~first));
}
HOPCOIL_INTO_EACH std::uint32_t mask_of(float flag) {
    return flag > 0 ? ~std::uint32_t{0} : 0;
}

/// The factors of a step, as floats.
struct Factors {
    HOPCOIL_INTO_EACH explicit Factors(const FreeFlight& step)
        : way{static_cast<float>(step.way_s)},
          drift{static_cast<float>(step.drift_s)},
          kept{static_cast<float>(step.kept)},
          gone{static_cast<float>(step.gone)} {}
    /// One number of a place and of a velocity, a step later: in still air, and in wind.
    [[nodiscard]] HOPCOIL_INTO_EACH float place(float x, float v, float fallen) const {
        return x + (v * way + fallen);
    }
    [[nodiscard]] HOPCOIL_INTO_EACH float place(float x, float v, float fallen, float wind) const {
        return x + ((v * way + fallen) + wind * drift);
    }
    [[nodiscard]] HOPCOIL_INTO_EACH float velocity(float v, float gained) const {
        return without_subnormal(v * kept + gained);
    }
    [[nodiscard]] HOPCOIL_INTO_EACH float velocity(float v, float gained, float wind) const {
        return without_subnormal((v * kept + gained) + wind * gone);
    }
    /// What dies away becomes 0: steps with subnormal numbers are slow.
    [[nodiscard]] HOPCOIL_INTO_EACH static float without_subnormal(float v) {
        constexpr float least = 1e-30F;
        return std::fabs(v) < least ? 0 : v;
    }
    float way;
    float drift;
    float kept;
    float gone;
};

/// 1 or 0 for each of a block. Bytes and doubles beside floats would keep a compiler from making
/// vectors, so they become floats first.
struct Flags {
    alignas(64) float lives[particles_at_a_time];  ///< now
    alignas(64) float moves[particles_at_a_time];
    alignas(64) float lives_on[particles_at_a_time];  ///< beyond the end
    alignas(64) float goes[particles_at_a_time];      ///< it is moved
};
HOPCOIL_INTO_EACH void find_flags(const ParticleBlock& block, double end_s, Flags& flags) {
    const std::uint8_t* const alive = block.alive.data();
    const std::uint8_t* const resting = block.resting.data();
    const double* const dies_s = block.dies_s.data();
    const std::size_t count = block.alive.size();
    for (std::size_t i = 0; i < count; ++i) {
        flags.lives[i] = static_cast<float>(alive[i]);
        flags.moves[i] = static_cast<float>(alive[i] & (resting[i] ^ 1U));
    }
    for (std::size_t i = 0; i < count; ++i)
        flags.lives_on[i] = dies_s[i] > end_s ? 1.0F : 0.0F;
}

struct NumberPass {
    const BlockFlight& flight;
    std::size_t count;
    float* places;
    float* velocities;
    const float* winds;
    const std::uint32_t* masks;
};

/// Moves every number by a few steps, which touches memory once. All are treated alike, whether x,
/// y or z: the factors are laid out as the numbers are.
template <int steps, bool go_all, bool is_windy>
HOPCOIL_INTO_EACH void number_loop(const NumberPass& pass) {
    const Factors factors{pass.flight.step};
    float* const places = pass.places;
    float* const velocities = pass.velocities;
    const float* const fallen = pass.flight.fallen.data();
    const float* const gained = pass.flight.gained.data();
    HOPCOIL_SIDE_BY_SIDE
    HOPCOIL_UNROLLED(1)
    for (std::size_t i = 0; i < pass.count; ++i) {
        const float x = places[i];
        const float v = velocities[i];
        float to = x;
        float with = v;
        if (is_windy) {
            to = factors.place(to, with, fallen[i], pass.winds[i]);
            with = factors.velocity(with, gained[i], pass.winds[i]);
        } else {
            to = factors.place(to, with, fallen[i]);
            with = factors.velocity(with, gained[i]);
        }
        if (steps == 2) {
            to = factors.place(to, with, fallen[i]);
            with = factors.velocity(with, gained[i]);
        }
        places[i] = go_all ? to : either(pass.masks[i], to, x);
        velocities[i] = go_all ? with : either(pass.masks[i], with, v);
    }
}

template <bool go_all, bool is_windy>
HOPCOIL_INTO_EACH void all_steps(const NumberPass& pass) {
    std::size_t left = pass.flight.steps;
    for (; left >= 2 && !is_windy; left -= 2)
        number_loop<2, go_all, false>(pass);
    for (; left >= 1; --left)
        number_loop<1, go_all, is_windy>(pass);
}
/// All of a full block.
HOPCOIL_INTO_EACH void move_all(const BlockFlight& flight, const ParticleBlock& block) {
    all_steps<true, false>({flight, numbers_at_a_time, numbers_of(block.offsets),
                            numbers_of(block.velocities), nullptr, nullptr});
}
/// Those that go.
template <bool is_windy>
HOPCOIL_INTO_EACH void move_some(const BlockFlight& flight, const ParticleBlock& block,
                                 const float* goes) {
    alignas(64) std::uint32_t masks[numbers_at_a_time] = {};
    for (std::size_t i = 0; i < block.alive.size(); ++i)
        masks[3 * i] = masks[3 * i + 1] = masks[3 * i + 2] = mask_of(goes[i]);
    all_steps<false, is_windy>({flight, 3 * block.alive.size(), numbers_of(block.offsets),
                                numbers_of(block.velocities), numbers_of(block.winds), masks});
}

struct ThroughPass {
    const BlockFlight& flight;
    const ParticleBlock& block;
    bool& are_all_done;
};

/// The most that a particle may sink in all of the steps, at a rate of climb: drag only slows it.
struct Sinking {
    HOPCOIL_INTO_EACH explicit Sinking(const BlockFlight& flight)
        : whole_s{static_cast<float>(static_cast<double>(flight.steps) * flight.step.h_s)},
          gained{static_cast<float>(flight.step.falls_m_per_s2) * whole_s} {}
    [[nodiscard]] HOPCOIL_INTO_EACH float operator()(float rate) const {
        return ((rate < 0 ? rate : 0) - gained) * whole_s;
    }
    float whole_s;
    float gained;
};

/// The lowest y of numbers that are x, y, z in turn; so many at once that x, y and z keep their
/// places in every vector.
constexpr std::size_t group = 48;
HOPCOIL_INTO_EACH float lowest_y(const float* numbers) {
    alignas(64) float lowest[group];
    for (std::size_t k = 0; k < group; ++k)
        lowest[k] = numbers[k];
    for (std::size_t i = group; i < numbers_at_a_time; i += group) {
        HOPCOIL_SIDE_BY_SIDE
        for (std::size_t k = 0; k < group; ++k)
            lowest[k] = numbers[i + k] < lowest[k] ? numbers[i + k] : lowest[k];
    }
    float y = lowest[1];
    for (std::size_t k = 4; k < group; k += 3)
        y = lowest[k] < y ? lowest[k] : y;
    return y;
}

/// When a block could first meet something, or does not move as a whole any more: from its lowest
/// place and its fastest speed downward.
HOPCOIL_INTO_EACH double free_until_s(const BlockFlight& flight, const ParticleBlock& block) {
    const std::uint8_t* const alive = block.alive.data();
    const std::uint8_t* const resting = block.resting.data();
    const double* const dies_s = block.dies_s.data();
    std::uint8_t moves = 1;
    for (std::size_t i = 0; i < particles_at_a_time; ++i)
        moves &= static_cast<std::uint8_t>(alive[i] & (resting[i] ^ 1U));
    if (moves == 0) return 0;
    double first_death_s = dies_s[0];
    HOPCOIL_SIDE_BY_SIDE
    for (std::size_t i = 1; i < particles_at_a_time; ++i)
        first_death_s = dies_s[i] < first_death_s ? dies_s[i] : first_death_s;
    const double above = lowest_y(numbers_of(block.offsets)) - flight.clear_above;
    const double lowest_rate = lowest_y(numbers_of(block.velocities));
    const double sinks = lowest_rate < 0 ? -lowest_rate : 0;
    if (!(above > 0)) return 0;
    // sinks t + falls t^2/2 = above, and less because of rounding.
    const double falls = flight.step.falls_m_per_s2;
    const double root = std::sqrt(sinks * sinks + 2 * falls * above);
    constexpr double surely = 0.98;
    constexpr double most_s = 10;
    const double in_s =
        surely * 2 * above < most_s * (sinks + root) ? surely * 2 * above / (sinks + root) : most_s;
    return std::min(first_death_s, flight.began_s() + in_s);
}

/// When the first of a block's living particles dies.
HOPCOIL_INTO_EACH double first_death_s(const ParticleBlock& block) {
    double first_s = std::numeric_limits<double>::infinity();
    for (std::size_t i = 0; i < block.alive.size(); ++i)
        first_s = block.alive[i] != 0 && block.dies_s[i] < first_s ? block.dies_s[i] : first_s;
    return first_s;
}

/// Those that stay alive and clear of everything, however they fall.
HOPCOIL_INTO_EACH void some_through_loop(const ThroughPass& pass) {
    const ParticleBlock& block = pass.block;
    const std::size_t count = block.alive.size();
    const float* const places = numbers_of(block.offsets);
    const float* const velocities = numbers_of(block.velocities);
    const float clear_above = pass.flight.clear_above;
    const Sinking sinking{pass.flight};
    Flags flags{};
    find_flags(block, pass.flight.end_s, flags);
    alignas(64) float done[particles_at_a_time];
    float any = 0;
    float all_done = 1;
    for (std::size_t i = 0; i < count; ++i) {
        const float lowest = places[3 * i + 1] + sinking(velocities[3 * i + 1]);
        flags.goes[i] = flags.moves[i] * flags.lives_on[i] * (lowest > clear_above ? 1.0F : 0.0F);
        done[i] = flags.goes[i] + (flags.lives[i] - flags.moves[i]) * flags.lives_on[i];
    }
    for (std::size_t i = 0; i < count; ++i) {
        any += flags.goes[i];
        all_done = std::min(all_done, done[i]);
    }
    if (any > 0) move_some<false>(pass.flight, block, flags.goes);
    pass.are_all_done = all_done > 0;
    if (pass.are_all_done) {
        if (!(any > 0)) *block.still_until_s = first_death_s(block);
        return;
    }
    for (std::size_t i = 0; i < count; ++i)
        block.done[i] = done[i] > 0 ? 1 : 0;
}

HOPCOIL_INTO_EACH void through_loop(const ThroughPass& pass) {
    const ParticleBlock& block = pass.block;
    const double end_s = pass.flight.end_s;
    if (*block.still_until_s > end_s) {
        pass.are_all_done = true;
        return;
    }
    if (block.alive.size() == particles_at_a_time) {
        double& free_s = *block.free_until_s;
        if (!(free_s > end_s)) free_s = free_until_s(pass.flight, block);
        if (free_s > end_s) {
            move_all(pass.flight, block);
            pass.are_all_done = true;
            return;
        }
    }
    some_through_loop(pass);
}
HOPCOIL_FOR_EACH_SET(all_fly_through, through_loop, ThroughPass)

struct FreePass {
    const BlockFlight& flight;
    const ParticleBlock& block;
    float* left;
    bool& is_any_left;
};

HOPCOIL_INTO_EACH void free_loop(const FreePass& pass) {
    const ParticleBlock& block = pass.block;
    const std::size_t count = block.alive.size();
    const float* const places = numbers_of(block.offsets);
    const float* const velocities = numbers_of(block.velocities);
    const float* const winds = numbers_of(block.winds);
    const bool is_windy = !block.winds.empty();
    const Factors factors{pass.flight.step};
    const float fallen = pass.flight.fallen[1];
    const float clear_above = pass.flight.clear_above;
    Flags flags{};
    find_flags(block, pass.flight.end_s, flags);
    float any_left = 0;
    for (std::size_t i = 0; i < count; ++i) {
        const float open = block.done[i] != 0 ? 0.0F : 1.0F;
        const float y = places[3 * i + 1];
        const float v = velocities[3 * i + 1];
        const float to =
            is_windy ? factors.place(y, v, fallen, winds[3 * i + 1]) : factors.place(y, v, fallen);
        const float is_clear = std::min(y, to) > clear_above ? 1.0F : 0.0F;
        const float moves = flags.moves[i] * open;
        flags.goes[i] = moves * flags.lives_on[i] * is_clear;
        const float dies = flags.lives[i] * open * (1 - flags.lives_on[i]);
        pass.left[i] = (moves + dies) * (1 - flags.goes[i]);
        any_left += pass.left[i];
    }
    pass.is_any_left = any_left > 0;
    if (is_windy) {
        move_some<true>(pass.flight, block, flags.goes);
    } else {
        move_some<false>(pass.flight, block, flags.goes);
    }
}
HOPCOIL_FOR_EACH_SET(all_fly_freely, free_loop, FreePass)

struct LaterPass {
    const ParticleBlock& block;
    float ahead_s;
    float* shown;
};
HOPCOIL_INTO_EACH void later_loop(const LaterPass& pass) {
    const float* const places = numbers_of(pass.block.offsets);
    const float* const velocities = numbers_of(pass.block.velocities);
    const std::size_t count = pass.block.alive.size();
    alignas(64) float ahead[numbers_at_a_time];
    for (std::size_t i = 0; i < count; ++i) {
        const bool moves = (pass.block.alive[i] & (pass.block.resting[i] ^ 1U)) != 0;
        ahead[3 * i] = ahead[3 * i + 1] = ahead[3 * i + 2] = moves ? pass.ahead_s : 0.0F;
    }
    HOPCOIL_SIDE_BY_SIDE
    for (std::size_t i = 0; i < 3 * count; ++i)
        pass.shown[i] = places[i] + velocities[i] * ahead[i];
}
HOPCOIL_FOR_EACH_SET(show_later, later_loop, LaterPass)

}  // namespace

FreeFlight::FreeFlight(double gravity_m_per_s2, double drag_per_s, double h) noexcept : h_s{h} {
    const double x = drag_per_s * h;
    constexpr double small = 1e-2;
    double fallen_s2 = 0;  // for each m/s^2 of gravity
    if (x < small) {
        // (x - 1 + e^(-x))/x^2
        const double loss = 1.0 / 2 - x * (1.0 / 6 - x * (1.0 / 24 - x * (1.0 / 120 - x / 720)));
        drift_s = h * (x * loss);
        way_s = h - drift_s;
        fallen_s2 = h * (h * loss);
    } else {
        way_s = -math::expm1(-x) / drag_per_s;
        drift_s = h - way_s;
        fallen_s2 = drift_s / drag_per_s;
    }
    gone = drag_per_s * way_s;
    kept = 1 - gone;
    fallen_m = -gravity_m_per_s2 * fallen_s2;
    gained_m_per_s = -gravity_m_per_s2 * way_s;
    falls_m_per_s2 = std::max(gravity_m_per_s2, 0.0);
}

BlockFlight::BlockFlight(const FreeFlight& each, std::size_t count, double clear_above_m,
                         double end_at_s) noexcept
    : step{each}, steps{count}, end_s{end_at_s} {
    // Rounded upward.
    const double within = std::clamp(clear_above_m, -1e30, 1e30);
    clear_above = static_cast<float>(within + 1e-6 * (1 + (within < 0 ? -within : within)));
    const FloatVector3 pull = float_vector({each.fallen_m, each.gained_m_per_s, 0});
    for (std::size_t i = 0; i < particles_at_a_time; ++i) {
        fallen[3 * i + 1] = pull.x;
        gained[3 * i + 1] = pull.y;
    }
}

FloatFlight flown(const BlockFlight& flight, const FloatFlight& from,
                  const FloatVector3& wind) noexcept {
    const Factors factors{flight.step};
    const auto at = [&](float x, float v, float air, float fallen) {
        return factors.place(x, v, fallen, air);
    };
    const FloatVector3& x = from.offset;
    const FloatVector3& v = from.velocity;
    const float fallen = flight.fallen[1];
    const float gained = flight.gained[1];
    return {{at(x.x, v.x, wind.x, 0), at(x.y, v.y, wind.y, fallen), at(x.z, v.z, wind.z, 0)},
            {factors.velocity(v.x, 0, wind.x), factors.velocity(v.y, gained, wind.y),
             factors.velocity(v.z, 0, wind.z)}};
}

/// FreeFlight in floats, for a part of a step and little drag.
FloatFlight flown_for(const FloorFlight& floor, const FloatFlight& from, const FloatVector3& wind,
                      float h) noexcept {
    const float kh = floor.drag_per_s * h;
    const float loss = 1.0F / 2 - kh * (1.0F / 6 - kh * (1.0F / 24 - kh * (1.0F / 120)));
    const float drift = h * (kh * loss);
    const float way = h - drift;
    const float gone = floor.drag_per_s * way;
    const auto place = [&](float x, float v, float air) {
        return x + (v * way + air * drift);
    };
    const auto velocity = [&](float v, float air) {
        return Factors::without_subnormal(v * (1 - gone) + air * gone);
    };
    const FloatVector3& x = from.offset;
    const FloatVector3& v = from.velocity;
    return {{place(x.x, v.x, wind.x),
             place(x.y, v.y, wind.y) - floor.gravity_m_per_s2 * (h * (h * loss)),
             place(x.z, v.z, wind.z)},
            {velocity(v.x, wind.x), velocity(v.y, wind.y) - floor.gravity_m_per_s2 * way,
             velocity(v.z, wind.z)}};
}

FloorStep over_floor(const FloorFlight& floor, const FloatFlight& from, const FloatFlight& free,
                     const FloatVector3& wind) noexcept {
    const float sinks = from.offset.y - free.offset.y;
    const float above = std::max(from.offset.y - floor.height, 0.0F);
    FloorStep step{.is_known = true, .after = free};
    if (!(sinks > 0 && above <= sinks)) return step;
    // It is met where the straight way of the step meets it.
    const float part = above / sinks;
    const auto between = [part](float a, float b) {
        return a + (b - a) * part;
    };
    step.meets = true;
    step.hit_after_s = part * floor.h_s;
    step.at_hit = {{between(from.offset.x, free.offset.x), floor.height,
                    between(from.offset.z, free.offset.z)},
                   flown_for(floor, from, wind, step.hit_after_s).velocity};
    const FloatVector3& hit = step.at_hit.velocity;
    const float into = -hit.y;
    const float along = std::sqrt(hit.x * hit.x + hit.z * hit.z);
    const float lost = floor.friction * (1 + floor.restitution) * into;
    const float kept = along > lost ? 1 - lost / along : 0.0F;
    const FloatFlight off{step.at_hit.offset,
                          {hit.x * kept, floor.restitution * into, hit.z * kept}};
    step.after = flown_for(floor, off, wind, floor.h_s - step.hit_after_s);
    step.is_known =
        into >= static_cast<float>(slow_hit_m_per_s) && step.after.offset.y > floor.height;
    return step;
}

bool fly_through(InstructionSet set, const BlockFlight& flight,
                 const ParticleBlock& block) noexcept {
    bool are_all_done = false;
    all_fly_through(set, {flight, block, are_all_done});
    return are_all_done;
}

bool fly_freely(InstructionSet set, const BlockFlight& flight, const ParticleBlock& block,
                std::array<float, particles_at_a_time>& left) noexcept {
    bool is_any_left = false;
    all_fly_freely(set, {flight, block, left.data(), is_any_left});
    return !is_any_left;
}

void find_later(InstructionSet set, const ParticleBlock& block, double ahead_s,
                std::span<FloatVector3> shown) noexcept {
    show_later(set, {block, static_cast<float>(ahead_s), numbers_of(shown)});
}

}  // namespace hopcoil
