// A stiff vane at 120 frames a second, and one frame that takes a third of a second. Without a
// guard the spring would leave; each guard gets over it in its own way.

#include <cstdio>

#include <hopcoil/follow/stepped_follower.hpp>

int main() {
    using namespace hopcoil;
    const Tuning stiff{.frequency_hz = 9.0, .damping_ratio = 0.3};

    for (const Guard guard :
         {Guard::none, Guard::exact, Guard::substep, Guard::soften, Guard::refuse}) {
        SteppedFollower<double> vane{
            stiff, {.scheme = Scheme::semi_implicit_euler, .guard = {.guard = guard}}, 0.0};
        std::printf("%-8s", name_of(guard).data());
        for (int frame = 1; frame <= 20; ++frame) {
            const double dt = frame == 5 ? 1.0 / 3 : 1.0 / 120;
            const StepStatus status = vane.step(1.0, dt);
            if (status == StepStatus::diverged) break;
            if (frame == 4 || frame == 5 || frame == 6 || frame == 20)
                std::printf("  frame %2d: %+.3f", frame, vane.value());
        }
        const GuardLog& log = vane.guard_log();
        if (const auto& left = vane.divergence()) {
            std::printf("\n         %s\n",
                        in_words("the vane", *left, stiff, vane.stepping().scheme).c_str());
        } else {
            std::printf(
                "  (guarded %llu, in %llu parts, softened to %.2f, exact %llu, refused %llu)\n",
                static_cast<unsigned long long>(log.guarded_steps),
                static_cast<unsigned long long>(log.substeps), log.least_frequency_factor,
                static_cast<unsigned long long>(log.exact_steps),
                static_cast<unsigned long long>(log.refused_steps));
        }
    }
}
