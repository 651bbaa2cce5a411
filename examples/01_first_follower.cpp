// A lamp on a hook: the hook is moved a metre to the side, and the lamp swings after it.

#include <cstdio>

#include <Eigen/Core>

#include <hopcoil/follow/follower.hpp>

int main() {
    Eigen::Vector3f hook{0, 2, 0};
    const hopcoil::Tuning tuning{.frequency_hz = 2.0, .damping_ratio = 0.4, .lead = 0.0};
    hopcoil::Follower<Eigen::Vector3f> lamp{tuning, hook};

    hook.x() = 1;
    lamp.jump(hook);
    for (int frame = 1; frame <= 12; ++frame) {
        lamp.step(hook, 1.0 / 12);
        std::printf("%.2f s  x %+.3f m  at %+.2f m/s\n", frame / 12.0,
                    static_cast<double>(lamp.value().x()),
                    static_cast<double>(lamp.velocity().x()));
    }
}
