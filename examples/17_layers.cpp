// Two motions on one neck: the heron breathes, and flinches when the wall throws spray. Each keeps
// its own velocity; the flinch fades in and out, and the sum has no kink.

#include <cstdio>

#include <hopcoil/base/math.hpp>
#include <hopcoil/follow/layers.hpp>

int main() {
    constexpr double frame_s = 1.0 / 60;
    hopcoil::Layers<float> neck_m{0.6F};  // how high it holds its head
    const auto breath = neck_m.add({.frequency_hz = 1, .damping_ratio = 1}, 0.F);
    const auto flinch = neck_m.add({.frequency_hz = 4, .damping_ratio = 0.35}, 0.F);
    neck_m.fade(breath, 1, 0.5);

    for (int frame = 0; frame <= 180; ++frame) {
        const double time_s = frame * frame_s;
        if (frame == 60) {  // spray
            neck_m.jump(flinch, -0.12F);
            neck_m.fade(flinch, 1, 0.05);
        }
        if (frame == 90) neck_m.fade(flinch, 0, 0.6);  // it was nothing
        neck_m.set_target(
            breath, 0.02F * static_cast<float>(hopcoil::math::sin(hopcoil::math::pi * time_s)));
        neck_m.step(frame_s);
        if (frame % 12 == 0 || frame == 63 || frame == 66) {
            std::printf("%.2f s  neck %.3f m  %+.3f m/s  (flinch %.2f)\n", time_s,
                        static_cast<double>(neck_m.value()), static_cast<double>(neck_m.velocity()),
                        neck_m.weight(flinch));
        }
    }
}
