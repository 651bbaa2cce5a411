// A heron hops onto a sloping jetty: where and when it comes down is known at take-off, so it can
// look there in time.

#include <cstdio>

#include <hopcoil/base/components.hpp>
#include <hopcoil/follow/intent.hpp>

int main() {
    using hopcoil::Vector3;
    const auto jetty = [](double x, double /*z*/) {
        return x > 0.5 ? 0.2 + 0.1 * x : 0.0;
    };

    const Vector3 post{0, 1.2, 0};
    const Vector3 aim{1.6, jetty(1.6, 0), 0.3};
    const hopcoil::Flight hop{post, hopcoil::launch_to(post, aim, 0.6)};
    const auto landing = hopcoil::landing_on(hop, jetty);
    std::printf("comes down after %.3f s at %.3f, %.3f, %.3f\n", landing->time_s, landing->place.x,
                landing->place.y, landing->place.z);

    hopcoil::LookAt head{{.frequency_hz = 4, .damping_ratio = 1}, post, {3, 1.2, -3}};
    for (int frame = 0; frame <= 36; ++frame) {
        const Vector3 eye = hop.at(frame / 60.0);
        if (frame % 9 == 0) {
            const Vector3 ahead = hopcoil::rotated(head.value(), {0, 0, 1});
            const Vector3 wanted = landing->place - eye;
            const double cosine = hopcoil::dot(ahead, wanted) / hopcoil::length_of(wanted);
            std::printf("%.2f s  height %.2f m, looks %.0f %% at its landing\n", frame / 60.0,
                        eye.y, 100 * cosine);
        }
        head.step(eye, landing->place, 1.0 / 60);
    }
}
