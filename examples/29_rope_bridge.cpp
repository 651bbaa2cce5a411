// A bridge of two ropes and planks across the slip: links of your own between ropes, a load that
// walks over it as lasting forces, and a rope that is cut at the end.

#include <algorithm>
#include <cstdio>

#include <hopcoil/points/net.hpp>
#include <hopcoil/points/net_builders.hpp>

using namespace hopcoil;

int main() {
    constexpr std::uint32_t segments = 24;
    const RopeSettings hawser{.length_m = 6.3,
                              .segments = segments,
                              .mass_kg_per_m = 1.5,
                              .stretch_n = 5e4,
                              .stretch_damping_n_s = 200};
    NetStructure bridge = rope_between(hawser, {-3, 2, -0.4}, {3, 2, -0.4});
    const std::uint32_t other = bridge.add(rope_between(hawser, {-3, 2, 0.4}, {3, 2, 0.4}));
    for (std::uint32_t i = 1; i < segments; ++i) {
        bridge.points[i].mass_kg += 1;  // half a plank
        bridge.points[other + i].mass_kg += 1;
        bridge.links.push_back(spring_link(i, other + i, 0.8, {2e4, 50}));
    }
    Net net{bridge, {.drag_per_s = 0.8}};
    std::printf("%s, %zu substeps a frame\n", facts_of(net.plan().method).name.data(),
                net.plan().substeps);

    // Someone of 80 kg walks over it in ten seconds.
    std::puts("  time   load at  bridge there  lowest point");
    for (int frame = 0; frame < 840; ++frame) {
        const double t = frame / 60.0;
        const auto at = static_cast<std::uint32_t>(
            std::clamp((t - 3) / 10 * segments + 0.5, 1.0, segments - 1.0));
        const bool is_on = t >= 3 && t < 13;
        for (std::uint32_t i = 1; i < segments; ++i) {
            const Vector3 load{0, is_on && i == at ? -40 * 9.80665 : 0, 0};
            net.set_force(i, load);
            net.set_force(other + i, load);
        }
        net.step({}, 1.0 / 60);
        if (frame % 120 != 119) continue;
        double lowest = 9;
        for (const Vector3& p : net.positions())
            lowest = std::min(lowest, p.y);
        std::printf("%4.0f s %7s %10.2f m %10.2f m\n", t, is_on ? std::to_string(at).c_str() : "-",
                    net.positions()[at].y, lowest);
    }
    // Half way along one rope is cut: the planks hang from the other.
    net.cut_link(segments / 2);
    for (int frame = 0; frame < 180; ++frame)
        net.step({}, 1.0 / 60);
    std::printf("cut: ends of a plank at %.2f and %.2f m\n", net.positions()[segments / 2].y,
                net.positions()[other + segments / 2].y);
}
