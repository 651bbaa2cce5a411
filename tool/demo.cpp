#include <system_error>
#include <utility>
#include <vector>

#include <fmt/format.h>

#include <hopcoil/io/file_problems.hpp>
#include <hopcoil/io/text_file.hpp>
#include <hopcoil/scene/scene.hpp>

#include "tool/commands.hpp"
#include "tool/scene_files.hpp"

namespace hopcoil::tool {
namespace {

namespace fs = std::filesystem;

/// The demo data beside the command: PREFIX/share/hopcoil/scenes for PREFIX/bin/hopcoil.
fs::path shipped_scenes() {
    std::error_code error;
    const fs::path program = fs::read_symlink("/proc/self/exe", error);
    fs::path scenes = program.parent_path().parent_path() / "share" / "hopcoil" / "scenes";
    if (error || !fs::is_directory(scenes, error)) {
        throw io::FileProblem{fmt::format(
            "{}: the demo data is not there; say where it is with --scenes DIR", scenes.string())};
    }
    return scenes;
}

draw::Report report_of(const std::vector<SceneFiles>& all) {
    draw::Report report{
        .title = "An evening at Saltlamp Quay",
        .lead =
            "A tidal harbour at dusk, moved without a single keyframe: a vane after the wind, a "
            "dial thrown between its pegs, lamps on a boom, a skiff that comes in, a streamer and "
            "a float line behind it, a crab, a lamplighter and a dog that plant their feet, a "
            "heron from post to post, a rope between quay and skiff, an awning in the gusts, "
            "embers and spray, a sea fan in the tide, a string of battens on a davit, a deckhand "
            "who "
            "keeps his feet on a gangway, a rigger hand over hand along the hooks of a jib.",
        .footer = made_by_line("demo")};
    for (const SceneFiles& files : all)
        report.sections.push_back(files.section);
    return report;
}

}  // namespace

ExitCode run_demo(const DemoOptions& options) {
    const fs::path scenes = options.scenes.empty() ? shipped_scenes() : options.scenes;
    std::vector<SceneFiles> all;
    for (const char* name : {"vane.toml", "tide_dial.toml", "boom_lamp.toml", "skiff.toml",
                             "streamer.toml", "mud_crab.toml", "lamplighter.toml", "quay_dog.toml",
                             "mooring.toml", "awning.toml", "wall_spray.toml", "sea_fan.toml",
                             "davit.toml", "deckhand.toml", "rigger.toml", "heron.toml"}) {
        scene::Scene scene = scene::read_scene(scenes / "quay" / name);
        // What is written names the scene as it is shipped, whatever machine it is on.
        scene.file = fmt::format("scenes/quay/{}", name);
        all.push_back(run_into_folder("demo", scene, options.out));
        if (all.back().code != ExitCode::done) return all.back().code;
    }
    const fs::path page = options.out / "report.html";
    io::write_text_file(page, draw::to_html(report_of(all)));
    if (options.json) {
        Json json{{"made_by", made_by("demo")}, {"page", page.string()}, {"scenes", Json::array()}};
        for (SceneFiles& files : all)
            json["scenes"].push_back(std::move(files.report));
        print_json(json);
        return ExitCode::done;
    }
    for (const SceneFiles& files : all)
        fmt::print("{}\n", files.text);
    fmt::print("Look at\n  {}\nor at its figures one by one\n", page.string());
    for (const SceneFiles& files : all)
        fmt::print("  {}\n", files.figure.string());
    fmt::print("Beside each: its motion (.csv), its numbers (.json), this text (.txt)\n");
    return ExitCode::done;
}

}  // namespace hopcoil::tool
