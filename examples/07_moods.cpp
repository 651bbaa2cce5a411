// A mud crab's eye stalks follow the same gull calmly or in alarm: the mood bends the tuning every
// frame, and nothing jumps.

#include <algorithm>
#include <cmath>
#include <cstdio>

#include <hopcoil/follow/follower.hpp>
#include <hopcoil/spring/named_tunings.hpp>

int main() {
    const hopcoil::Tuning calm = *hopcoil::find_tuning("drowsy");
    const hopcoil::Tuning alarmed = *hopcoil::find_tuning("nervous");
    hopcoil::Follower<double> stalk{calm, 0.0};

    double alarm = 0;
    for (int frame = 1; frame <= 240; ++frame) {
        const double time_s = frame / 60.0;
        const bool gull_is_near = time_s > 1 && time_s < 3;
        alarm = std::clamp(alarm + (gull_is_near ? 0.02 : -0.02), 0.0, 1.0);
        stalk.retune(hopcoil::blend(calm, alarmed, alarm));
        const double gull = time_s < 2 ? 0.5 : -0.5;  // it darts to the other side at 2 s
        stalk.step(gull, 1.0 / 60);
        if (frame % 24 == 0) {
            std::printf("%.1f s  alarm %.2f  %.2f Hz  gull %+.1f  stalk %+.3f\n", time_s, alarm,
                        stalk.tuning().frequency_hz, gull, stalk.value());
        }
    }
}
