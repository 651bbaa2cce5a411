// Walkers on one thread: a biped with its knees on a height field, six legs on the flat; and two
// bones bent, against the textbook's arc cosines. Speeds are ratios within one run, or walkers that
// keep up with real time.

#include <array>
#include <cmath>
#include <cstdio>
#include <vector>

#include <hopcoil/base/components.hpp>
#include <hopcoil/base/random.hpp>
#include <hopcoil/field/terrain.hpp>
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
}
