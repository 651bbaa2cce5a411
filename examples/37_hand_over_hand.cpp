// A rigger goes along the hooks of a jib hand over hand: slowly, then as fast as he can, and a gust
// pushes him on the way.

#include <cmath>
#include <cstdio>
#include <vector>

#include <hopcoil/gait/brachiator.hpp>

using namespace hopcoil;

int main() {
    std::vector<Vector3> hooks;
    for (int i = 0; i < 16; ++i)
        hooks.push_back({0, 5 + 0.2 * (i % 3), 0.9 * i});
    Brachiator rigger{{}, hooks};

    std::puts("time   z      height  left hand    right hand   pull");
    for (int frame = 1; frame <= 600; ++frame) {
        if (frame == 300) rigger.push({0.8, 0, 0});
        rigger.step(frame < 300 ? 0.8 : 2.2, 1.0 / 60);
        if (frame % 60 != 0) continue;
        std::printf("%2d s %6.2f m %6.2f m", frame / 60, rigger.position().z, rigger.position().y);
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
