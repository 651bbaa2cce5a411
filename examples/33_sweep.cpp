// How stiff and how damped should a tail be, so that it swings far but is soon at rest? A program's
// own simulation, tried over a grid.

#include <algorithm>
#include <cmath>
#include <cstdio>

#include <hopcoil/points/chain.hpp>
#include <hopcoil/tune/sweep.hpp>

using namespace hopcoil;

namespace {

/// A dog that turns round at once: how far its tail swings past, and when it is at rest.
std::vector<tune::TrialFigure> turn_round(std::span<const double> values) {
    const Tuning tuning{.frequency_hz = values[0], .damping_ratio = values[1], .lead = 0.5};
    Chain tail{{.nodes = 8,
                .spacing_m = 0.05,
                .root = tuning,
                .tip = tuning,
                .rest_direction = {0, 0.3, -1}}};
    double furthest_m = 0;
    double rest_s = 0;
    constexpr double h = 1.0 / 120;
    for (int i = 1; i <= 480; ++i) {
        const double part = std::min(1.0, i * h / 0.25);
        tail.step({.facing = turned_by({0, 1.5 * part, 0})}, h);
        const Vector3 rest = rotated(turned_by({0, 1.5, 0}), {0, 0.3, -1});
        const Vector3& tip = tail.position(8);
        const double beyond = tip.x * rest.z - tip.z * rest.x;
        furthest_m = std::max(furthest_m, beyond);
        const Vector3& v = tail.velocities()[8];
        if (std::sqrt(dot(v, v)) > 0.02) rest_s = i * h;
    }
    return {{"swing_past_m", furthest_m}, {"at_rest_s", rest_s}};
}

}  // namespace

int main() {
    const std::vector<tune::SweepAxis> axes{tune::axis_from("frequency_hz=1.5:6:4:log"),
                                            tune::axis_from("damping_ratio=0.3,0.5,0.8")};
    const tune::SweepTable table = tune::sweep(axes, turn_round);
    std::puts("frequency  damping ratio  swings past  at rest");
    for (const tune::SweepRow& row : table.rows) {
        std::printf("%6.2f Hz %14.1f %9.3f m %7.2f s\n", row.values[0], row.values[1],
                    row.figures[0], row.figures[1]);
    }
    const std::size_t at_rest = tune::figure_named("at_rest_s", table.figures);
    const auto best =
        tune::best_of(table, {tune::condition_from("swing_past_m>0.03", table)}, &at_rest);
    if (best.empty()) return 1;
    std::printf("the soonest at rest of those that swing 3 cm past: %.2f Hz, %.1f\n",
                best.front()->values[0], best.front()->values[1]);
}
