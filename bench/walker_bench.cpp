// Walkers on one thread: a biped with its knees on a height field, six legs on the flat; and two
// bones bent, against the textbook's arc cosines. Speeds are ratios within one run, or walkers that
// keep up with real time.

#include <array>
#include <cmath>
#include <cstdio>
#include <utility>
#include <vector>

#include <hopcoil/base/components.hpp>
#include <hopcoil/base/random.hpp>
#include <hopcoil/field/terrain.hpp>
#include <hopcoil/gait/leg_arrays.hpp>
#include <hopcoil/gait/leg_ik.hpp>
#include <hopcoil/gait/walker.hpp>

#include "timing.hpp"

namespace {

using namespace hopcoil;

constexpr double frame_s = 1.0 / 60;

HeightField rough_field() {
    RandomNumbers numbers{stream_of(1, "rough")};
    std::vector<double> heights(161 * 161);
    for (double& each : heights)
        each = numbers.between(0, 0.05);
    return {{.columns = 161, .rows = 161, .spacing_m = 0.25, .from_x = -20, .from_z = -20},
            std::move(heights)};
}

/// Seconds of work for a second of walking, in a circle.
double cost_of(const WalkerSettings& settings, const Ground& ground) {
    std::vector<double> costs;
    for (int run = 0; run < 7; ++run) {
        Walker walker{settings, ground, {}};
        double sum = 0;
        costs.push_back(60 * bench::seconds_of(
                                 [&] {
                                     walker.step({.ahead = 1, .turn_rate = 0.3}, ground, frame_s);
                                     for (std::size_t i = 0; i < settings.leg_count; ++i)
                                         sum += walker.knee(i).y;
                                 },
                                 300));
        if (!(sum == sum)) std::puts("not finite");
    }
    return bench::median(costs);
}

/// By arc cosines, and a turn of the leg in its plane.
Vector3 textbook_knee(const Vector3& hip, const Vector3& spot, const Vector3& pole, double thigh,
                      double shin) {
    const Vector3 way = spot - hip;
    const double d = std::sqrt(dot(way, way));
    const double c = (thigh * thigh + d * d - shin * shin) / (2 * thigh * d);
    const double angle = std::acos(c > 1 ? 1 : c < -1 ? -1 : c);
    const Vector3 down = way * (1 / d);
    Vector3 side = pole - down * dot(pole, down);
    side = side * (1 / std::sqrt(dot(side, side)));
    return hip + down * (thigh * std::cos(angle)) + side * (thigh * std::sin(angle));
}

/// The same in floats, leg after leg.
void textbook_legs(const LegArrays& legs) {
    const float a = legs.thigh_m;
    const float b = legs.shin_m;
    for (std::size_t i = 0; i < legs.error_m.size(); ++i) {
        const float x = legs.spot[0][i] - legs.hip[0][i];
        const float y = legs.spot[1][i] - legs.hip[1][i];
        const float z = legs.spot[2][i] - legs.hip[2][i];
        const float d = std::sqrt(x * x + y * y + z * z);
        const float c = (a * a + d * d - b * b) / (2 * a * d);
        const float angle = std::acos(c > 1 ? 1 : c < -1 ? -1 : c);
        const float on = (legs.pole[0][i] * x + legs.pole[1][i] * y + legs.pole[2][i] * z) / d;
        const float sx = legs.pole[0][i] - x / d * on;
        const float sy = legs.pole[1][i] - y / d * on;
        const float sz = legs.pole[2][i] - z / d * on;
        const float width = std::sqrt(sx * sx + sy * sy + sz * sz);
        const float along = a * std::cos(angle) / d;
        const float beside = a * std::sin(angle) / width;
        legs.knee[0][i] = legs.hip[0][i] + x * along + sx * beside;
        legs.knee[1][i] = legs.hip[1][i] + y * along + sy * beside;
        legs.knee[2][i] = legs.hip[2][i] + z * along + sz * beside;
        legs.error_m[i] = d > a + b ? d - a - b : 0;
    }
}

}  // namespace

int main() {
    Terrain rough;
    rough.add(rough_field());
    const FlatGround flat;
    const double biped = cost_of(walker_with(2, 0.95), rough);
    const double six = cost_of(walker_with(6, 0.6), flat);
    std::printf("biped on a height field  %7.2f ms a second  %6.0f in real time on a thread\n",
                1e3 * biped, 1 / biped);
    std::printf("six legs on the flat     %7.2f ms a second  %6.0f in real time on a thread\n",
                1e3 * six, 1 / six);

    constexpr std::size_t legs = 10000;
    RandomNumbers numbers{stream_of(2, "legs")};
    std::vector<Vector3> spots(legs);
    for (Vector3& spot : spots)
        spot = {numbers.between(-0.3, 0.3), -0.8, numbers.between(-0.3, 0.3)};
    std::array<std::vector<double>, 2> times;
    Vector3 sum{};
    for (int pair = 0; pair < 15; ++pair) {
        times[0].push_back(bench::seconds_of(
            [&] {
                for (const Vector3& spot : spots)
                    sum = sum + textbook_knee({}, spot, {0, 0, 1}, 0.5, 0.5);
            },
            20));
        times[1].push_back(bench::seconds_of(
            [&] {
                for (const Vector3& spot : spots)
                    sum = sum + bend_two_bones({}, spot, {0, 0, 1}, 0.5, 0.5).knee;
            },
            20));
    }
    const double textbook = bench::median(times[0]) / legs;
    const double ours = bench::median(times[1]) / legs;
    std::printf("two bones, one by one    %7.1f ns, %.2f times the textbook's speed (%.1f ns)%s\n",
                1e9 * ours, textbook / ours, 1e9 * textbook, is_finite(sum) ? "" : "!");

    // A crowd's legs side by side, against the textbook's loop over floats.
    std::array<std::vector<float>, 12> axes;
    for (std::vector<float>& axis : axes) {
        axis.resize(legs);
        for (float& each : axis)
            each = static_cast<float>(numbers.between(-0.3, 0.3));
    }
    for (float& each : axes[4])
        each -= 0.8F;
    std::vector<float> error(legs);
    LegArrays many{.error_m = error};
    for (std::size_t k = 0; k < 3; ++k) {
        many.hip[k] = axes[k];
        many.spot[k] = axes[3 + k];
        many.pole[k] = axes[6 + k];
        many.knee[k] = axes[9 + k];
    }
    for (const auto& [name, set] : {std::pair{"plain", InstructionSet::plain},
                                    {"AVX2", InstructionSet::avx2},
                                    {"AVX-512", InstructionSet::avx512}}) {
        if (!is_available(set)) continue;
        std::array<std::vector<double>, 2> seconds;
        for (int pair = 0; pair < 15; ++pair) {
            seconds[0].push_back(bench::seconds_of([&] { textbook_legs(many); }, 20));
            seconds[1].push_back(bench::seconds_of([&] { bend_legs(many, set); }, 20));
        }
        const double slow = bench::median(seconds[0]) / legs;
        const double quick = bench::median(seconds[1]) / legs;
        std::printf(
            "two bones, side by side  %7.2f ns, %.1f times the textbook's speed (%.1f ns), %s\n",
            1e9 * quick, slow / quick, 1e9 * slow, name);
    }
}
