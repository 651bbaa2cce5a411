// A motion that was filmed: which spring moves like this? And a spring for a motion that is wished
// for.

#include <cmath>
#include <cstdio>

#include <hopcoil/base/random.hpp>
#include <hopcoil/follow/follower.hpp>
#include <hopcoil/tune/goal_fit.hpp>
#include <hopcoil/tune/reference_fit.hpp>

using namespace hopcoil;

namespace {

/// Ten seconds of a lantern below a boat's mast, at 30 Hz, with what the camera adds.
tune::Reference filmed() {
    Follower<double> lantern{{.frequency_hz = 0.9, .damping_ratio = 0.2}, 0.0};
    RandomNumbers camera{stream_of(3, "camera")};
    tune::Reference film{.motion = {{}}, .target = {{}}, .unit = "m"};
    for (int frame = 0; frame <= 300; ++frame) {
        const double t = frame / 30.0;
        const double mast = 0.3 * std::sin(1.3 * t) + 0.1 * std::sin(5.1 * t);
        if (frame > 0) lantern.step(mast, 1.0 / 30);
        film.times_s.push_back(t);
        film.target[0].push_back(mast);
        film.motion[0].push_back(lantern.value() + 0.01 * camera.normal());
    }
    return film;
}

}  // namespace

int main() {
    const tune::FollowerFit found = tune::fit_follower(filmed());
    for (const tune::FittedNumber& number : found.fit.numbers) {
        std::printf("%-14s %6.3f, between %6.3f and %6.3f\n", number.name.c_str(), number.value,
                    number.low, number.high);
    }
    std::printf("left over: %.1f mm rms, noise %.1f mm\n", 1000 * found.fit.residual_rms,
                1000 * found.fit.noise_rms);

    const tune::GoalFit wished = tune::fit_to_goals(
        {tune::goal_from("overshoot_percent=12"), tune::goal_from("peak_velocity<5")},
        {{"frequency_hz", 0.5, 10}, {"damping_ratio", 0.1, 2}}, Tuning{});
    std::printf("for 12 %% and at most 5 a second: %.2f Hz, damping ratio %.3f\n", wished.values[0],
                wished.values[1]);
    return found.fit.is_explained && wished.is_met ? 0 : 1;
}
