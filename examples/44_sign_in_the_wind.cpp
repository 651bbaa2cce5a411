// A sign that hangs from its bracket and a vane on its pole, in one wind that turns and has gusts.

#include <cmath>
#include <cstdio>

#include <hopcoil/parts/parts.hpp>

using namespace hopcoil;

int main() {
    PartsStructure made;
    const PartShape board{.half_size_m = {0.4, 0.25, 0.01}};
    const std::uint32_t sign = made.add({.placement = {{0, 2.75, 0}}, .shapes = {board}});
    const PartShape fin{.half_size_m = {0.2, 0.12, 0.002}};
    const std::uint32_t vane = made.add({.placement = {{3.25, 4, 0}}, .shapes = {fin}});
    // A hinge turns about the X axis of its frame: the sign's lies along x, the vane's points up.
    const Quaternion up = facing({0, 1, 0}, {1, 0, 0}, {0, 1, 0});
    made.joints = {{.b = sign, .frame = {{0, 3, 0}}}, {.b = vane, .frame = {{3, 4, 0}, up}}};
    made.joints[0].spring.damping = 0.2;
    made.joints[1].spring.damping = 0.05;
    Parts hung{made};
    Wind evening{{.mean_m_per_s = {0, 0, 7}, .spread_m_per_s = 2}, 7};

    std::puts("  time   wind   sign   vane");
    constexpr double frame_s = 1.0 / 60;
    constexpr double to_deg = 57.29577951308232;
    for (int frame = 1; frame <= 600; ++frame) {
        const double now_s = frame * frame_s;
        if (frame == 360) {  // it goes round to the side
            evening.retune({.mean_m_per_s = {5, 0, 5}, .spread_m_per_s = 2});
        }
        hung.step({.wind = &evening, .time_s = now_s}, frame_s);
        if (frame % 60 != 0) continue;
        const Vector3 wind = evening.at({0, 3, 0}, now_s).velocity;
        std::printf("%4.0f s %4.1f m/s %5.1f %6.1f deg\n", now_s, std::hypot(wind.x, wind.z),
                    hung.joint_position(sign) * to_deg, hung.joint_position(vane) * to_deg);
    }
}
