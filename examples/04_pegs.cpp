// A tide dial's needle is thrown at its pegs again and again, often in mid-flight, and strikes
// none: the damping gives first, then the duration.

#include <algorithm>
#include <cstdio>

#include <hopcoil/follow/settle_curve.hpp>

int main() {
    hopcoil::SettleCurve needle{{.duration_s = 0.8, .overshoot_percent = 25}, 0.0};
    needle.set_stops({.low = -1.0, .high = 1.0});

    for (const double mark : {0.5, 0.95, -0.9, 1.0, -1.0, 0.0}) {
        const hopcoil::ThrowReport& report = needle.throw_to(mark);
        double furthest = -1e9;
        double lowest = 1e9;
        for (int frame = 0; frame < 20; ++frame) {  // a third of a second, then the next throw
            needle.step(1.0 / 60);
            furthest = std::max(furthest, needle.value());
            lowest = std::min(lowest, needle.value());
        }
        std::printf("to %+.2f: between %+.3f and %+.3f;%s%s damping ratio %.2f, %.2f s\n", mark,
                    lowest, furthest, report.damping_raised ? " damped," : " as wished,",
                    report.duration_gave ? " hurried," : "", report.damping_ratio,
                    report.duration_s);
    }
}
