// Ground of every kind: steps, a raft that heaves, and a height function of your own. One walker
// that is led by a follower goes over all of it.

#include <cmath>
#include <cstdio>

#include <hopcoil/base/math.hpp>
#include <hopcoil/field/terrain.hpp>
#include <hopcoil/follow/follower.hpp>
#include <hopcoil/gait/walker.hpp>

int main() {
    using namespace hopcoil;
    // Two steps up, then a raft at the height of the second.
    Terrain quay;
    quay.add(Terrain::Plane{});
    quay.add(Terrain::Box{.middle = {0, 0.08, 2.5}, .size = {3, 0.16, 1}});
    quay.add(Terrain::Box{.middle = {0, 0.16, 4}, .size = {3, 0.32, 2}});
    const std::uint32_t raft = quay.add_part({.position = {0, 0.3, 6.2}});
    quay.add(Terrain::Box{.middle = {0, -0.1, 0}, .size = {3, 0.2, 2.2}}, raft);

    // It goes after a spot that a follower draws ahead of it.
    Follower<double> lead{{.frequency_hz = 0.35, .damping_ratio = 1}, 0.0};
    Walker walker{walker_with(2, 0.95), quay, {0, 0, 0}};
    std::puts("  time     along    height  on the raft");
    for (int frame = 1; frame <= 600; ++frame) {
        const double t = frame / 60.0;
        quay.move(raft, {.position = {0, 0.3 + 0.04 * math::sin(1.5 * t), 6.2},
                         .velocity = {0, 0.06 * math::cos(1.5 * t), 0}});
        lead.step(6.2, 1.0 / 60);
        const Vector3 place{0, 0, lead.value()};
        const Vector3 velocity{0, 0, lead.velocity()};
        walker.step(walker.toward(place, 0, velocity), quay, 1.0 / 60);
        if (frame % 100 != 0) continue;
        int on_raft = 0;
        for (const WalkerFoot& foot : walker.feet())
            on_raft += foot.planted && foot.part == raft ? 1 : 0;
        std::printf("%5.1f s  %6.2f m  %6.2f m  %d feet\n", t, walker.position().z,
                    walker.position().y, on_raft);
    }

    // A beach of your own: any function of x and z.
    const auto ripples = [](double x, double z) {
        return 0.02 * math::sin(9 * z) + 0.01 * math::sin(7 * x) - 0.08 * z;
    };
    const HeightGround beach{ripples};
    Walker crab{walker_with(6, 0.3), beach, {0, 0, 0}};
    for (int frame = 0; frame < 300; ++frame)
        crab.step({.ahead = 0.5, .left = 0.1}, beach, 1.0 / 60);
    double off = 0;
    for (const WalkerFoot& foot : crab.feet()) {
        const double sand = ripples(foot.position.x, foot.position.z);
        if (foot.planted) off = std::fmax(off, std::fabs(foot.position.y - sand));
    }
    std::printf("a crab down the beach: %.2f m in 5 s, feet %.0g m off the sand\n",
                crab.position().z, off);
}
