// A program records its own motion, makes a loop of a stretch of it, and keeps it as few keys: for
// a float on the swell, without a scene file.

#include <array>
#include <cmath>
#include <cstdio>

#include <hopcoil/base/math.hpp>
#include <hopcoil/follow/follower.hpp>
#include <hopcoil/take/key_reduction.hpp>
#include <hopcoil/take/take.hpp>
#include <hopcoil/take/take_edit.hpp>

int main() {
    using namespace hopcoil;
    Take take;
    const std::array<RecordedChannel, 2> channels{
        {{.name = "float.height_m", .unit = "m"},
         {.name = "float.speed_m_per_s", .unit = "m_per_s"}}};
    take.begin(channels);
    Follower<double> cork{{.frequency_hz = 1.2, .damping_ratio = 0.3}, 0.0};
    for (int frame = 0; frame <= 480; ++frame) {
        const double time_s = frame / 60.0;
        const double swell = 0.3 * math::sin(2.1 * time_s) + 0.1 * math::sin(5.3 * time_s);
        if (frame > 0) cork.step(swell, 1.0 / 60);
        take.row(time_s, std::array{cork.value(), cork.velocity()});
    }

    const Take loop = looped(trimmed(take, 2.0, 8.0), 1.0);
    const std::vector<double> heights = loop.column(0);
    std::printf("%zu rows, from %+.3f m to %+.3f m\n", loop.row_count(), heights.front(),
                heights.back());
    for (const ColumnStatistics& each : statistics(loop)) {
        std::printf("%-20s %+.2f to %+.2f, root mean square %.2f\n", each.column.c_str(),
                    each.least, each.most, each.rms);
    }
    const TakeDifference apart = difference(loop, resampled(loop, 8));
    std::printf("at 8 rows a second it is at most %.1f mm off\n",
                1000 * apart.columns.front().largest);

    const ReducedKeys keys = reduce_keys(loop.times_s(), heights, {.tolerance = 0.005});
    std::printf("%zu keys within 5 mm; the first:\n", keys.curve.keys().size());
    for (std::size_t i = 0; i < 3; ++i) {
        const CurveKey& key = keys.curve.keys()[i];
        std::printf("  %.3f s  %+.3f m  %+.3f m/s\n", key.time_s, key.value, key.slope_after);
    }
}
