// A leaf, a skiff and a barge on one swell: the longer the hull, the less the waves move it. A lamp
// on the skiff's mast swings behind.

#include <cmath>
#include <cstdio>

#include <hopcoil/base/random.hpp>
#include <hopcoil/field/swell.hpp>
#include <hopcoil/follow/follower.hpp>

using namespace hopcoil;

int main() {
    const Swell harbour{{.significant_height_m = 0.4, .length_m = 5}, stream_of(7, "harbour")};
    constexpr Swell::Hull skiff{.length_m = 2.5, .width_m = 1};
    constexpr Swell::Hull barge{.length_m = 12, .width_m = 4};
    const Quaternion into_waves = facing({1, 0, 0});  // +Z, its bow, along +X
    const auto masthead = [&](double now_s) {
        const Placement at = harbour.floating({{0, 0, 2}, into_waves}, skiff, now_s);
        return at.position + rotated(at.rotation, {0, 3, 0});
    };
    Follower<double> lamp{{.frequency_hz = 0.9, .damping_ratio = 0.15}, masthead(0).x};

    std::puts("time   leaf  skiff  barge   mast   lamp (cm)");
    constexpr double frame_s = 1.0 / 60;
    for (int frame = 1; frame <= 480; ++frame) {
        const double now_s = frame * frame_s;
        lamp.step(masthead(now_s).x, frame_s);
        if (frame % 40 != 0) continue;
        const auto height_cm = [&](const Swell::Hull& hull) {
            return 100 * harbour.floating({{0, 0, 2}, into_waves}, hull, now_s).position.y;
        };
        std::printf("%3.1f s %6.1f %6.1f %6.1f %6.1f %6.1f\n", now_s, height_cm({}),
                    height_cm(skiff), height_cm(barge), 100 * masthead(now_s).x,
                    100 * lamp.value());
    }
}
