// A capstan wheel is given a spin and comes to rest exactly on one of its notches, with no bump;
// without notches it says in advance where it will stop.

#include <array>
#include <cstdio>

#include <hopcoil/follow/coast.hpp>

int main() {
    hopcoil::Coast<double> wheel{{.slowing_half_life_s = 0.4}, 0.0};
    wheel.launch(5.0);
    std::printf("free, it will stop at %.3f, slow enough to call it still after %.2f s\n",
                wheel.end(), wheel.time_to_rest_s());

    const std::array<double, 5> notches{0.0, 1.0, 2.0, 3.0, 4.0};
    wheel.reset(0.0);
    const auto chosen = wheel.launch(5.0, notches);
    std::printf("with notches it will stop at %.0f\n", notches[*chosen]);
    for (int i = 1; i <= 5; ++i) {
        wheel.step(0.5);
        std::printf("  %.1f s  %.4f  at %.4f per s\n", i * 0.5, wheel.value(), wheel.velocity());
    }

    wheel.launch(-0.2, notches);  // too weak to reach another one: the spring brings it back
    wheel.step(5.0);
    std::printf("nudged, it comes back to %.4f\n", wheel.value());
}
