// A rigger leaps from the quay to the hooks of a jib, goes along them hand over hand, slowly, then
// as fast as he can while a gust pushes him, and leaps down to a barge.

#include <cmath>
#include <cstdio>
#include <vector>

#include <hopcoil/gait/brachiator.hpp>

using namespace hopcoil;

int main() {
    std::vector<Vector3> hooks;
    for (int i = 0; i < 16; ++i)
        hooks.push_back({0, 5 + 0.2 * (i % 3), 0.9 * i});
    Brachiator rigger{{}, hooks, BrachiatorStand{.spot = {0, 3.3, 0}}};
    rigger.leap_to_hold(0);

    std::puts("time   z      height  left hand    right hand   pull");
    for (int frame = 1; frame <= 720; ++frame) {
        if (frame == 300) rigger.push({0.8, 0, 0});
        if (frame == 480) rigger.leap_to_ground({0, 2.5, 10}, 10);  // from the eleventh hook
        rigger.step(frame < 300 ? 0.8 : 2.2, 1.0 / 60);
        if (frame % 60 != 0) continue;
        std::printf("%2d s %6.2f m %6.2f m", frame / 60, rigger.position().z, rigger.position().y);
        if (rigger.phase() != BrachiatorPhase::hangs) {
            std::puts(rigger.phase() == BrachiatorPhase::stands ? "  stands" : "  leaps");
            continue;
        }
        double pull_n = 0;
        for (const BrachiatorHand& hand : rigger.hands()) {
            std::printf("  %s %2u", hand.holds ? "holds   " : "goes for", hand.hold);
            pull_n += hand.force_n;
        }
        std::printf("  %4.0f N\n", pull_n);
    }
    std::printf("%d holds caught; at most %.1f m/s2\n", static_cast<int>(rigger.log().catches),
                rigger.log().most_acceleration);
    return rigger.log().drawn_in_m < 0.02 ? 0 : 1;
}
