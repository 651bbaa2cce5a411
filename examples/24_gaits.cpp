// The same body in several gaits: which foot is down when, how one goes over into another, and how
// stride and duty factor go with the speed.

#include <cstdio>
#include <string>
#include <vector>

#include <hopcoil/gait/walker.hpp>

int main() {
    using namespace hopcoil;
    const FlatGround quay;
    const char* const names[] = {"walk", "trot", "pace", "gallop"};
    for (const Gait gait : {Gait::walk, Gait::trot, Gait::pace, Gait::gallop}) {
        WalkerSettings dog = walker_with(4, 0.5);
        dog.policy = StepPolicy::in_a_gait;
        dog.gait = gait;
        Walker walker{dog, quay, {}};
        std::vector<std::string> rows(4);
        for (int frame = 0; frame < 264; ++frame) {
            walker.step({.ahead = 0.9}, quay, 1.0 / 60);
            if (frame < 200) continue;
            for (std::size_t k = 0; k < 4; ++k)
                rows[k] += walker.feet()[k].planted ? '#' : ' ';
        }
        std::printf("%s\n  left fore   %s\n  right fore  %s\n  left hind   %s\n  right hind  %s\n",
                    names[static_cast<std::size_t>(gait)], rows[0].c_str(), rows[1].c_str(),
                    rows[2].c_str(), rows[3].c_str());
    }

    // Faster and faster: it changes from one gait to the next.
    WalkerSettings dog = walker_with(4, 0.5);
    dog.policy = StepPolicy::in_a_gait;
    dog.gait = Gait::by_speed;
    Walker walker{dog, quay, {}};
    std::string gaits;
    std::vector<std::string> rows(4);
    for (int frame = 0; frame < 240; ++frame) {
        const double speed = frame < 90 ? 1.0 : frame < 160 ? 2.4 : 4.2;
        walker.step({.ahead = speed}, quay, 1.0 / 60);
        if (frame < 60 || frame % 2 != 0) continue;
        gaits += walker.gait() == Gait::walk ? 'w' : walker.gait() == Gait::run ? 'r' : 'g';
        for (std::size_t k = 0; k < 4; ++k)
            rows[k] += walker.feet()[k].planted ? '#' : ' ';
    }
    std::printf("by speed: walk, run, gallop\n              %s\n", gaits.c_str());
    const char* const feet[] = {"left fore ", "right fore", "left hind ", "right hind"};
    for (std::size_t k = 0; k < 4; ++k)
        std::printf("  %s  %s\n", feet[k], rows[k].c_str());

    const WalkerLimits limits = limits_of(dog);
    std::puts("speed     stride   strides a second   duty factor");
    for (const double speed : {0.2, 0.5, 1.0, 1.4, 2.0, 3.0, 4.0}) {
        const Cadence pace = cadence_at(dog, limits, speed);
        std::printf("%.1f m/s  %5.2f m   %8.2f          %8.2f\n", speed, speed / pace.strides_per_s,
                    pace.strides_per_s, pace.duty_factor);
    }
}
