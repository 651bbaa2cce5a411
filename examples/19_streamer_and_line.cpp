// What a boat draws behind it: a streamer that stretches and catches up, and a line of floats that
// keeps its length; and what a lively tuning does to the tip.

#include <cmath>
#include <cstdio>

#include <hopcoil/points/chain.hpp>

namespace {

double distance(const hopcoil::Vector3& a, const hopcoil::Vector3& b) {
    return std::sqrt(dot(a - b, a - b));
}

}  // namespace

int main() {
    using namespace hopcoil;
    const ChainSettings soft{.nodes = 20, .spacing_m = 0.1, .rest_direction = {-1, 0, 0}};
    ChainSettings firm = soft;
    firm.spacing = ChainSpacing::fixed;
    Chain streamer{soft};
    Chain line{firm};

    // Off at 3 m/s, round a quarter turn, and stop.
    const auto stern = [](double t) -> Vector3 {
        if (t < 1) return {3 * t, 0, 0};
        if (t > 2) return {4.5, 0, 1.5};
        const double angle = 1.5707963267948966 * (t - 1);
        return {3 + 1.5 * std::sin(angle), 0, 1.5 * (1 - std::cos(angle))};
    };
    for (int frame = 1; frame <= 240; ++frame) {
        const double t = frame / 60.0;
        streamer.step({.root = stern(t)}, 1.0 / 60);
        line.step({.root = stern(t)}, 1.0 / 60);
        if (frame % 40 != 0) continue;
        std::printf("%.2f s  streamer %3.0f %% long, tip %.2f m behind;  line %3.0f %%, %.2f m\n",
                    t, 100 * streamer.stretch(), distance(streamer.position(20), stern(t)),
                    100 * line.stretch(), distance(line.position(20), stern(t)));
    }

    // A lantern half way down, facing up the line.
    const Vector3 lantern = line.point_at(0.5);
    const Vector3 up = rotated(line.facing_at(0.5), {0, 0, 1});
    std::printf("lantern at (%.2f, %.2f, %.2f), facing (%.2f, %.2f, %.2f)\n", lantern.x, lantern.y,
                lantern.z, up.x, up.y, up.z);

    ChainSettings lively = soft;
    lively.root = lively.tip = {.frequency_hz = 4, .damping_ratio = 0.6};
    const ChainGain calm = gain_of(soft);
    const ChainGain loud = gain_of(lively);
    std::printf("calm: the tip swings at most %.2f times as far as the root\n", calm.gain);
    std::printf("lively: %.1f times, at %.1f Hz\n", loud.gain, loud.frequency_hz);
}
