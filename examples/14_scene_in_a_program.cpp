// A program runs a scene file, tries other numbers, and writes what it likes as a model: the lamp
// on its boom, quicker and calmer until it stays near its hook.

#include <algorithm>
#include <cstdio>
#include <filesystem>
#include <fstream>
#include <string>

#include <hopcoil/io/take_file.hpp>
#include <hopcoil/measure/tracking.hpp>
#include <hopcoil/scene/run.hpp>
#include <hopcoil/scene/scene.hpp>
#include <hopcoil/scene/scene_dials.hpp>
#include <hopcoil/scene/scene_nodes.hpp>

namespace {

constexpr const char* scene_text = R"(
title = "The lamp on its boom"
[target.hook]
moves = [{ at_s = 0.5, ramp_to_m = 2, over_s = 0.6 }]
[follower.lamp]
target = "hook"
tuning = { frequency_hz = 1.1, damping_ratio = 0.15 }
[body.lantern]
position = "lamp"
at_m = [0, 2.2, 0]
)";

double furthest_m(const hopcoil::Take& take) {
    const auto column = [&](const char* name) {
        return take.column(*take.find_column(name));
    };
    return hopcoil::measure_tracking(take.times_s(), column("lamp.value_m"),
                                     column("lamp.velocity_m_per_s"), column("hook.value_m"))
        .largest_gap;
}

}  // namespace

int main() {
    using namespace hopcoil;
    const std::filesystem::path folder =
        std::filesystem::temp_directory_path() / "hopcoil-example-14";
    std::filesystem::create_directories(folder);
    const std::filesystem::path file = folder / "boom.toml";
    std::ofstream{file} << scene_text;

    scene::Scene boom = scene::read_scene(file.string());
    Take take;
    for (const double frequency_hz : {1.1, 1.8, 2.5, 3.2, 3.9}) {
        scene::set_matching(boom, "lamp.frequency_hz", frequency_hz);
        scene::set_matching(boom, "lamp.damping_ratio", std::min(1.0, 0.15 * frequency_hz));
        scene::run(boom, take);
        std::printf("%.1f Hz: at most %.2f m from its hook\n", frequency_hz, furthest_m(take));
        if (furthest_m(take) < 0.4) break;
    }

    const auto nodes = scene::nodes_of(boom, take);
    const io::BakedModel baked = io::model_of(
        take, {nodes}, {.distance = KeyReductionSettings{.tolerance = 0.002}, .angle_rad = 0.002});
    io::write_model(folder / "lantern.glb", baked.model);
    io::write_take(folder / "lantern.csv", take);
    std::printf("%s: %zu rows as %zu keys, at most %.1f mm off\n", nodes.front().name.c_str(),
                baked.samples, baked.keys, 1000 * baked.largest_error_m);
    const auto tracks = io::read_animations(folder / "lantern.glb").front().tracks;
    std::printf("read back: %s of %s, %zu keys\n", name_of(tracks.front().kind).c_str(),
                tracks.front().node.c_str(), tracks.front().times_s.size());
    std::filesystem::remove_all(folder);
}
