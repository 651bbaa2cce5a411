// Which feet step next: every policy on the same drive, side by side.

#include <array>
#include <cmath>
#include <cstdio>

#include <hopcoil/field/ground.hpp>
#include <hopcoil/gait/walker.hpp>
#include <hopcoil/measure/foot_watch.hpp>

namespace {

using namespace hopcoil;

/// Ahead, faster, a turn, sideways, and to a stop.
WalkCommand drive(double time_s, double speed) {
    if (time_s < 2) return {.ahead = 0.5 * speed};
    if (time_s < 4) return {.ahead = speed};
    if (time_s < 6) return {.ahead = 0.6 * speed, .turn_rate = 0.9};
    if (time_s < 8) return {.left = 0.4 * speed};
    return {};
}

void compare(std::size_t legs, double leg_m) {
    const FlatGround quay;
    const double speed = 0.8 * limits_of(walker_with(legs, leg_m)).most_speed_ahead;
    std::printf("%zu legs of %.2f m, up to %.2f m/s\n", legs, leg_m, speed);
    std::printf("  %-16s %5s %7s %8s %9s %9s %9s %9s\n", "policy", "steps", "way", "held back",
                "lowered", "feet up", "support", "slip");
    constexpr std::array names{"groups in turn", "wait for both", "one at a time", "alternate",
                               "each on its own"};
    for (std::size_t i = 0; i < names.size(); ++i) {
        WalkerSettings settings = walker_with(legs, leg_m);
        settings.policy = static_cast<StepPolicy>(i);
        Walker walker{settings, quay, {}};
        FootWatch watch{walker};
        double way_m = 0;
        for (int tick = 0; tick < 240 * 10; ++tick) {
            walker.step(drive(tick * Walker::tick_s, speed), quay, Walker::tick_s);
            watch.look(walker, quay);
            const Vector3 v = walker.velocity();
            way_m += std::hypot(v.x, v.z) * Walker::tick_s;
        }
        const double lowered = settings.standing_height - walker.log().lowest_height_m / leg_m;
        std::printf("  %-16s %5d %5.2f m %7.2f s %7.0f %% %9u %7.0f cm %7g m\n", names.at(i),
                    static_cast<int>(walker.log().steps), way_m, walker.log().slowed_s,
                    lowered > 0 ? 100 * lowered : 0.0, watch.all().feet_up,
                    100 * watch.all().support_m, watch.all().slip_m);
    }
}

}  // namespace

int main() {
    compare(2, 0.95);
    compare(6, 0.3);
}
