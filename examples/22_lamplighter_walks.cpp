// A body on two legs in thirty lines: told how fast to go, it plants its feet where it will be.

#include <cmath>
#include <cstdio>

#include <hopcoil/gait/walker.hpp>

int main() {
    using namespace hopcoil;
    const FlatGround quay;
    Walker lamplighter{walker_with(2, 0.95), quay, {0, 0, 0}};
    std::printf("up to %.2f m/s ahead, %.2f sideways\n", lamplighter.limits().most_speed_ahead,
                lamplighter.limits().most_speed_sideways);

    bool was_planted[2] = {true, true};
    Vector3 planted_at[2];
    double slip = 0;
    for (int frame = 0; frame < 420; ++frame) {
        const double t = frame / 60.0;
        // Ahead, round a corner, and a stop.
        const WalkCommand command{.ahead = t < 5 ? 1.3 : 0, .turn_rate = t > 2 && t < 4 ? 0.8 : 0};
        lamplighter.step(command, quay, 1.0 / 60);
        for (int i = 0; i < 2; ++i) {
            const WalkerFoot& foot = lamplighter.feet()[static_cast<std::size_t>(i)];
            if (foot.planted && !was_planted[i]) {
                planted_at[i] = foot.position;
                std::printf("%.2f s  %s foot lands at %5.2f %5.2f\n", t, i == 0 ? "left " : "right",
                            foot.position.x, foot.position.z);
            } else if (foot.planted && t > 1) {
                slip = std::fmax(slip, std::fabs(foot.position.x - planted_at[i].x) +
                                           std::fabs(foot.position.z - planted_at[i].z));
            }
            was_planted[i] = foot.planted;
        }
    }
    std::printf("slip of planted feet %g m; %s\n", slip,
                lamplighter.still() ? "it stands still" : "it still walks");
}
