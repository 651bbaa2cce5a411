// The tails of two hundred creatures, side by side in one bank: each on a hip of its own, all in
// one breeze, and none stepped alone.

#include <cmath>
#include <cstddef>
#include <cstdio>

#include <hopcoil/points/chain_bank.hpp>

int main() {
    constexpr std::size_t crowd = 200;
    constexpr std::size_t nodes = 10;
    hopcoil::ChainBank tails{{.nodes = nodes, .spacing_m = 0.05}, crowd};
    for (float& breeze : tails.streams(0))
        breeze = 0.5F;
    for (std::size_t i = 0; i < crowd; ++i)  // at rest behind its hip, from the first frame on
        tails.reset(i, {0, 1, 0.5 * static_cast<double>(i)});
    for (int frame = 0; frame <= 120; ++frame) {
        for (std::size_t i = 0; i < crowd; ++i) {
            const double stride = 0.1 * frame + 0.03 * static_cast<double>(i);
            tails.set_next_root(
                i, {0.02 * frame, 1 + 0.03 * std::sin(stride), 0.5 * static_cast<double>(i)});
        }
        tails.step(1.0 / 60);
        if (frame % 40 != 0) continue;
        const hopcoil::Vector3 hip = tails.position(7, 0);
        const hopcoil::Vector3 tip = tails.position(7, nodes);
        std::printf(
            "at %.2f s the eighth tail's tip is %+.2f m along and %+.2f m up from its hip\n",
            frame / 60.0, tip.x - hip.x, tip.y - hip.y);
    }
}
