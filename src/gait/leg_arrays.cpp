// The loop over many legs, compiled once for each instruction set: plain arrays, no branches.
// Contraction is off, so every set gives the same bits.

#include <cmath>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/gait/leg_arrays.hpp>

#include "../base/instruction_sets.hpp"

namespace hopcoil {
namespace {

/// The same as raw pointers.
struct Legs {
    const float* hip[3]{};
    const float* spot[3]{};
    const float* pole[3]{};
    float* knee[3]{};
    float* error_m = nullptr;
    std::size_t count = 0;
    float thigh_m = 0;
    float shin_m = 0;
};

HOPCOIL_INTO_EACH float larger(float a, float b) {
    return a > b ? a : b;
}

HOPCOIL_INTO_EACH void loop(const Legs& legs) {
    const float a = legs.thigh_m;
    const float longest = a + legs.shin_m;
    const float shortest = std::abs(a - legs.shin_m);
    const float squares = (a - legs.shin_m) * longest;
    constexpr float least = 1e-12F;
    HOPCOIL_SIDE_BY_SIDE
    for (std::size_t i = 0; i < legs.count; ++i) {
        const float x = legs.spot[0][i] - legs.hip[0][i];
        const float y = legs.spot[1][i] - legs.hip[1][i];
        const float z = legs.spot[2][i] - legs.hip[2][i];
        const float asked = std::sqrt((x * x + y * y) + z * z);
        const float inverse = 1 / larger(asked, least);
        const float dx = x * inverse;
        const float dy = y * inverse;
        const float dz = z * inverse;
        const float within = asked < longest ? asked : longest;
        const float distance = larger(within, shortest);
        const float px = legs.pole[0][i];
        const float py = legs.pole[1][i];
        const float pz = legs.pole[2][i];
        const float on = (px * dx + py * dy) + pz * dz;
        const float sx = px - dx * on;
        const float sy = py - dy * on;
        const float sz = pz - dz * on;
        const float width = std::sqrt((sx * sx + sy * sy) + sz * sz);
        const float along = 0.5F * (distance + squares / larger(distance, least));
        const float beside =
            std::sqrt(larger((a - along) * (a + along), 0.0F)) / larger(width, least);
        legs.knee[0][i] = legs.hip[0][i] + (dx * along + sx * beside);
        legs.knee[1][i] = legs.hip[1][i] + (dy * along + sy * beside);
        legs.knee[2][i] = legs.hip[2][i] + (dz * along + sz * beside);
        legs.error_m[i] = std::abs(asked - distance);
    }
}

#if defined(__x86_64__)
HOPCOIL_FOR_AVX2 void loop_avx2(const Legs& legs) {
    loop(legs);
}
HOPCOIL_FOR_AVX512 void loop_avx512(const Legs& legs) {
    loop(legs);
}
#endif

void require_length(const char* name, std::size_t length, std::size_t expected) {
    if (length == expected) return;
    throw InvalidValue{name, static_cast<double>(length), "as many as there are legs"};
}

}  // namespace

void bend_legs(const LegArrays& legs, InstructionSet set) {
    require_above_zero("thigh_m", legs.thigh_m);
    require_above_zero("shin_m", legs.shin_m);
    Legs bent{.error_m = legs.error_m.data(),
              .count = legs.error_m.size(),
              .thigh_m = legs.thigh_m,
              .shin_m = legs.shin_m};
    for (std::size_t k = 0; k < 3; ++k) {
        require_length("hip", legs.hip.at(k).size(), bent.count);
        require_length("spot", legs.spot.at(k).size(), bent.count);
        require_length("pole", legs.pole.at(k).size(), bent.count);
        require_length("knee", legs.knee.at(k).size(), bent.count);
        bent.hip[k] = legs.hip.at(k).data();
        bent.spot[k] = legs.spot.at(k).data();
        bent.pole[k] = legs.pole.at(k).data();
        bent.knee[k] = legs.knee.at(k).data();
    }
#if defined(__x86_64__)
    if (set == InstructionSet::avx512 && is_available(set)) {
        loop_avx512(bent);
        return;
    }
    if (set == InstructionSet::avx2 && is_available(set)) {
        loop_avx2(bent);
        return;
    }
#else
    static_cast<void>(set);
#endif
    loop(bent);
}

}  // namespace hopcoil
