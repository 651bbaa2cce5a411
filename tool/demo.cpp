#include <algorithm>
#include <exception>
#include <execution>
#include <filesystem>
#include <mutex>
#include <numeric>
#include <string>
#include <system_error>
#include <utility>
#include <vector>

#include <fmt/format.h>

#include <hopcoil/io/file_problems.hpp>
#include <hopcoil/io/text_file.hpp>
#include <hopcoil/scene/scene.hpp>

#include "tool/commands.hpp"
#include "tool/interrupt.hpp"
#include "tool/progress.hpp"
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

/// Each once, in the report's order.
std::vector<std::string> chosen(const std::vector<std::string>& wanted) {
    std::vector<std::string> names = demo_names();
    if (wanted.empty()) return names;
    std::erase_if(names, [&](const std::string& name) {
        return std::find(wanted.begin(), wanted.end(), name) == wanted.end();
    });
    return names;
}

/// As many at once as the machine has cores.
std::vector<SceneFiles> run_all(const std::vector<std::string>& names, const fs::path& folder,
                                const fs::path& out) {
    std::vector<SceneFiles> all(names.size());
    std::vector<std::exception_ptr> problems(names.size());
    std::vector<std::size_t> places(names.size());
    std::iota(places.begin(), places.end(), std::size_t{0});
    ProgressBar bar{"running", names.size()};
    std::mutex counting;
    std::size_t done = 0;
    std::for_each(std::execution::par, places.begin(), places.end(), [&](std::size_t i) {
        if (is_interrupted()) return;
        try {
            const std::string name = fmt::format("{}.toml", names[i]);
            scene::Scene scene = scene::read_scene(folder / name);
            // What is written names the scene as it is shipped, whatever machine it is on.
            scene.file = fmt::format("scenes/quay/{}", name);
            all[i] = run_into_folder("demo", scene, out, {.shows_progress = false});
        } catch (...) {
            problems[i] = std::current_exception();
        }
        const std::lock_guard lock{counting};
        bar.show(++done);
    });
    for (const std::exception_ptr& problem : problems) {
        if (problem) std::rethrow_exception(problem);
    }
    return all;
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

std::vector<std::string> demo_names() {
    return {"vane",        "tide_dial", "boom_lamp", "skiff",  "streamer",   "mud_crab",
            "lamplighter", "quay_dog",  "mooring",   "awning", "wall_spray", "sea_fan",
            "davit",       "deckhand",  "rigger",    "heron"};
}

ExitCode run_demo(const DemoOptions& options) {
    const fs::path scenes = options.scenes.empty() ? shipped_scenes() : options.scenes;
    std::vector<SceneFiles> all = run_all(chosen(options.names), scenes / "quay", options.out);
    for (const SceneFiles& files : all) {
        if (files.code != ExitCode::done) return files.code;
    }
    if (is_interrupted()) return ExitCode::interrupted;
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
