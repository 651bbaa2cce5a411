// The brass vane swings round behind its post, at 10 frames a second. What happened within a step
// is told at its exact time: a bell rings when it comes through south, on the seam of its angles.

#include <array>
#include <cstdio>

#include <hopcoil/base/math.hpp>
#include <hopcoil/follow/angle_mover.hpp>
#include <hopcoil/follow/watcher.hpp>

int main() {
    using hopcoil::EventKind;
    constexpr double degree = hopcoil::math::pi / 180;
    constexpr double frame_s = 0.1;
    const std::array<double, 1> south{180 * degree};

    hopcoil::Watcher vane{
        hopcoil::AngleFollower<double>{{.frequency_hz = 0.8, .damping_ratio = 0.3}, 150 * degree},
        south};
    vane.mover().jump(-160 * degree);  // the wind has veered by 50 degrees

    bool is_at_rest = false;
    for (int frame = 0; !is_at_rest; ++frame) {
        vane.step(-160 * degree, frame_s);
        for (const hopcoil::Event& event : vane.events()) {
            is_at_rest = event.kind == EventKind::settled;
            const char* const what = event.kind == EventKind::started       ? "starts"
                                     : event.kind == EventKind::reached     ? "meets the wind"
                                     : event.kind == EventKind::passed_mark ? "rings the bell"
                                     : event.kind == EventKind::turned      ? "turns"
                                                                            : "is at rest";
            std::printf("%6.4f s  at %+8.3f degrees  %s\n", frame * frame_s + event.after_s,
                        event.value / degree, what);
        }
    }
}
