// A program with sliders of its own: it asks the library which numbers there are, gives each a
// slider from 0 to 1, and turns them while the scene runs. Then it takes the boom in its hand.

#include <cmath>
#include <cstdio>
#include <filesystem>
#include <fstream>
#include <string>
#include <vector>

#include <hopcoil/scene/live_scene.hpp>

namespace {

constexpr const char* scene_text = R"(
[target.boom]
start_m = 0
moves = [{ at_s = 0.5, jump_to_m = 2 }]

[follower.lamp]
target = "boom"
tuning = { frequency_hz = 1, damping_ratio = 0.2 }
)";

/// What this program's controls know: a place from 0 to 1.
struct Slider {
    hopcoil::scene::SceneDial dial;

    [[nodiscard]] double value_at(double place) const {
        const auto [least, most] = dial.slider;
        if (dial.scale == hopcoil::DialScale::logarithmic)
            return least * std::pow(most / least, place);
        return least + place * (most - least);
    }
};

hopcoil::scene::LiveScene begin() {
    const auto file = std::filesystem::temp_directory_path() / "hopcoil-example-15.toml";
    std::ofstream{file} << scene_text;
    return hopcoil::scene::LiveScene{hopcoil::scene::read_scene(file.string())};
}

void show(hopcoil::scene::LiveScene& live, const char* what) {
    const hopcoil::scene::ValueAndVelocity lamp = live.output(0);
    std::printf("%4.1f s  boom %5.2f m  lamp %5.2f m, %+5.2f m/s  %s\n", live.time_s(),
                live.target(0)[0], lamp.value[0], lamp.velocity[0], what);
}

}  // namespace

int main() {
    hopcoil::scene::LiveScene live = begin();
    std::vector<Slider> sliders;
    for (const auto& dial : hopcoil::scene::dials_of(live.scene())) {
        sliders.push_back({dial});
        std::printf("%-24s %6.2f %-2s  slider %.3g to %.3g\n", dial.path.c_str(),
                    value_of(live.scene(), dial), dial.unit.c_str(), dial.slider.least,
                    dial.slider.most);
    }

    constexpr double frame_s = 1.0 / 60;
    for (int frame = 1; frame <= 240; ++frame) {
        const char* what = "";
        if (frame == 72) {  // the user turns a slider in the middle of a swing
            live.set(sliders[1].dial, sliders[1].value_at(0.5));
            what = "damping turned up";
        }
        if (frame == 120) what = "the boom is taken in hand";
        if (frame >= 120 && frame < 168)  // ... and moves as a pointer does
            live.hold(0, 2 - 0.03 * (frame - 120));
        if (frame == 192) {
            live.let_go(0);
            what = "let go";
        }
        live.step(frame_s);
        if (frame % 24 == 0) show(live, what);
    }
}
