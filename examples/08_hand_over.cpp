// A skiff is rowed under a speed cap, drifts when the oars are shipped, and is caught by its
// mooring: three movers, one motion.

#include <cstdio>

#include <hopcoil/follow/coast.hpp>
#include <hopcoil/follow/follower.hpp>
#include <hopcoil/follow/pursuit.hpp>

int main() {
    const auto show = [](const char* who, const auto& mover) {
        std::printf("%-22s at %6.3f m, moving %+.3f m/s\n", who, mover.value(), mover.velocity());
    };

    hopcoil::Pursuit<double> rowed{{.max_speed = 1.5, .max_acceleration = 0.8}, 0.0};
    rowed.cut(10.0);
    rowed.step(10.0, 3.0);
    show("rowed", rowed);

    hopcoil::Coast<double> drifting{{.slowing_half_life_s = 2.0}, 0.0};
    drifting.resume(rowed.motion());
    show("oars shipped", drifting);
    drifting.step(2.0);
    show("2 s later", drifting);

    hopcoil::Follower<double> moored{{.frequency_hz = 0.3, .damping_ratio = 0.4}, 0.0};
    moored.resume(drifting.motion());
    moored.cut(5.0);  // the ring it is tied to
    show("on the mooring", moored);
    moored.step(5.0, 2.0);
    show("2 s later", moored);
    moored.step(5.0, 60.0);
    show("a minute later", moored);
}
