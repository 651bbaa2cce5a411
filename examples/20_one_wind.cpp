// One wind for a whole scene: streamers side by side lean in the same gusts, a shelter keeps one of
// them calm; and why it is no plain random number.

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <vector>

#include <hopcoil/base/random.hpp>
#include <hopcoil/field/wind.hpp>
#include <hopcoil/points/chain.hpp>

int main() {
    using namespace hopcoil;
    const WindSettings settings{.mean_m_per_s = {3, 0, 0}, .spread_m_per_s = 1, .correlation_s = 1};
    const Shelter hut{.centre = {0, 2, 8}, .radius_m = 1.5, .wake_m = 8, .strength = 0.9};
    const Wind evening{settings, stream_of(7, "evening"), {hut}};

    std::vector<Chain> streamers;
    for (const double z : {0.0, 1.0, 8.0})
        streamers.emplace_back(ChainSettings{.nodes = 10}, Vector3{2, 2, z});
    std::puts("         lean of three streamers, in degrees: two side by side, one behind a hut");
    for (int frame = 1; frame <= 300; ++frame) {
        const double t = frame / 60.0;
        for (Chain& each : streamers)
            each.step({.root = each.position(0), .wind = &evening, .time_s = t}, 1.0 / 60);
        if (frame % 60 != 0) continue;
        std::printf("%3.0f s ", t);
        for (const Chain& each : streamers) {
            const Vector3 hangs = each.position(10) - each.position(0);
            std::printf("  %6.1f", 57.29577951308232 * std::atan2(hangs.x, -hangs.y));
        }
        std::puts("");
    }

    // Of two signals with the same spread: the largest change in one frame, and how much of the
    // change is slower than 1 Hz.
    RandomNumbers numbers{stream_of(7, "plain")};
    std::vector<double> gusts;
    std::vector<double> plain;
    for (int i = 0; i < 3600; ++i) {
        gusts.push_back(evening.at({}, i / 60.0).velocity.x - 3);
        plain.push_back(numbers.normal());
    }
    const auto report = [](const char* name, const std::vector<double>& signal) {
        double largest = 0;
        double slow = 0;
        double all = 0;
        double mean = 0;  // over a second: what is slower remains
        for (std::size_t i = 1; i < signal.size(); ++i) {
            largest = std::max(largest, std::abs(signal[i] - signal[i - 1]));
            mean += (signal[i] - mean) * (6.283 / 60);
            slow += mean * mean;
            all += signal[i] * signal[i];
        }
        std::printf("%-8s largest change a frame %.2f m/s, slower than 1 Hz: %.0f %%\n", name,
                    largest, 100 * slow / all);
    };
    report("wind", gusts);
    report("random", plain);
}
