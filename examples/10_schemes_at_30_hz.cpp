// One spring, stepped at 30 Hz by each scheme, beside the exact motion: some blow up, some damp,
// some jitter, and one look at the limits would have told.

#include <cmath>
#include <cstdio>

#include <hopcoil/follow/stepped_follower.hpp>

int main() {
    using namespace hopcoil;
    const Tuning tuning{.frequency_hz = 6.0, .damping_ratio = 0.2};
    constexpr double dt = 1.0 / 30;

    std::printf("%-20s", "after frame");
    for (int frame = 2; frame <= 12; frame += 2)
        std::printf("%9d", frame);
    std::printf("   largest step   at 30 Hz it\n%-20s", "exact");
    Follower<double> exact{tuning, 0.0};
    exact.jump(1.0);
    for (int frame = 1; frame <= 12; ++frame) {
        exact.step(1.0, dt);
        if (frame % 2 == 0) std::printf("%9.3f", exact.value());
    }
    std::printf("%15s\n", "any");

    for (const SchemeFacts& facts : all_schemes()) {
        SteppedFollower<double> vane{
            tuning, {.scheme = facts.scheme, .guard = {.guard = Guard::none}}, 0.0};
        vane.jump(1.0);
        std::printf("%-20s", facts.name.data());
        for (int frame = 1; frame <= 12; ++frame) {
            const bool left = vane.step(1.0, dt) == StepStatus::diverged;
            if (frame % 2 != 0) continue;
            if (left) {
                std::printf("%9s", "unstable");
            } else {
                std::printf("%9.3f", vane.value());
            }
        }
        const double limit_s = step_limits(tuning, facts.scheme).largest_stable_s;
        if (std::isfinite(limit_s)) {
            std::printf("%12.1f ms", 1000 * limit_s);
        } else {
            std::printf("%15s", "any");
        }
        std::printf("   %s\n", in_words(step_report(tuning, facts.scheme, dt).verdict));
    }
}
