// A crowd on the quay: the legs of four hundred people bent at once, in arrays of floats. Each
// hip and each ankle is where the game has it; knees point where their owner faces.

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdio>
#include <vector>

#include <hopcoil/base/math.hpp>
#include <hopcoil/gait/leg_arrays.hpp>
#include <hopcoil/gait/leg_ik.hpp>

using namespace hopcoil;

int main() {
    constexpr std::size_t legs = 800;  // two a person
    constexpr float thigh_m = 0.44F;
    constexpr float shin_m = 0.46F;
    std::array<std::vector<float>, 3> hip, ankle, pole, knee;
    for (auto* axes : {&hip, &ankle, &pole, &knee}) {
        for (std::vector<float>& axis : *axes)
            axis.resize(legs);
    }
    for (std::size_t i = 0; i < legs; ++i) {
        // Twenty in a row, a stride out of step with the next; some are late for the ferry.
        const double yaw = 0.3 * static_cast<double>(i / 2 % 7);
        const double stride = (i % 2 == 0 ? 1 : -1) * math::sin(0.7 * static_cast<double>(i / 2));
        const double reach = i % 97 == 0 ? 0.95 : 0.35;
        const double x = 0.8 * static_cast<double>(i / 2 % 20);
        const double z = 0.9 * static_cast<double>(i / 40);
        const auto put = [i](auto& axes, double a, double b, double c) {
            axes[0][i] = static_cast<float>(a);
            axes[1][i] = static_cast<float>(b);
            axes[2][i] = static_cast<float>(c);
        };
        put(hip, x, 0.87, z);
        put(ankle, x + reach * stride * math::sin(yaw), 0.09, z + reach * stride * math::cos(yaw));
        put(pole, math::sin(yaw), 0, math::cos(yaw));
    }
    std::vector<float> error_m(legs);
    bend_legs({.hip = {hip[0], hip[1], hip[2]},
               .spot = {ankle[0], ankle[1], ankle[2]},
               .pole = {pole[0], pole[1], pole[2]},
               .knee = {knee[0], knee[1], knee[2]},
               .error_m = error_m,
               .thigh_m = thigh_m,
               .shin_m = shin_m});

    for (const std::size_t i : {0U, 1U, 2U, 97U}) {
        std::printf("leg %3zu: knee %.3f m up, %.3f m from its spot\n", i,
                    static_cast<double>(knee[1][i]), static_cast<double>(error_m[i]));
    }
    double apart_m = 0;
    for (std::size_t i = 0; i < legs; ++i) {
        const auto at = [i](const auto& axes) {
            return Vector3{axes[0][i], axes[1][i], axes[2][i]};
        };
        const TwoBonePose one = bend_two_bones(at(hip), at(ankle), at(pole), thigh_m, shin_m);
        const Vector3 way = one.knee - at(knee);
        apart_m = std::max(apart_m, std::sqrt(dot(way, way)));
    }
    const auto out_of_reach =
        std::count_if(error_m.begin(), error_m.end(), [](float error) { return error > 0; });
    std::printf("%td of %zu legs are too short for their spots\n", out_of_reach, legs);
    std::printf("knees are where one leg at a time has them: %s\n",
                apart_m < 3e-4 ? "yes, within 0.3 mm" : "no");
}
