// Physics at a fixed 50 Hz under frames that come as they please: the clock says how many steps a
// frame takes and how far between the last two to draw. A mooring float bobs on a spring of one's
// own; what is drawn keeps to the true motion, one step late.

#include <array>
#include <cmath>
#include <cstdio>
#include <span>

#include <hopcoil/stepping/frame_clock.hpp>
#include <hopcoil/stepping/velocity_verlet.hpp>

namespace {

/// Buoyancy that grows as the float sinks, and drag that grows with its speed squared.
void buoyancy(double /*time_s*/, std::span<const double> y, std::span<const double> v,
              std::span<double> a) {
    a[0] = -40 * y[0] - 0.8 * v[0] * std::abs(v[0]);
}

}  // namespace

int main() {
    using namespace hopcoil;
    FrameClock clock{.step_s = 1.0 / 50, .max_steps = 6};
    VelocityVerlet<double> scheme{1};
    std::array<double, 1> y{0.5};
    std::array<double, 1> v{0};
    std::array<double, 1> before = y;

    constexpr std::array<double, 12> frames_s{0.016, 0.016, 0.017, 0.033, 0.016, 0.009,
                                              0.016, 0.250, 0.016, 0.017, 0.016, 0.016};
    for (const double frame_s : frames_s) {
        const FrameSteps frame = clock.advance(frame_s);
        for (int i = 0; i < frame.steps; ++i) {
            before = y;
            const double time_s = clock.time_s() - (frame.steps - i) * clock.step_s;
            scheme.step(buoyancy, time_s, clock.step_s, y, v);
        }
        const double drawn = before[0] + (y[0] - before[0]) * frame.blend;
        std::printf("frame of %3.0f ms: %d steps, blend %.2f, drawn at %+.3f m", 1000 * frame_s,
                    frame.steps, frame.blend, drawn);
        if (frame.dropped_s > 0) std::printf(", %.0f ms dropped", 1000 * frame.dropped_s);
        std::printf("\n");
    }
}
