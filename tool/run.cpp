#include <fmt/format.h>

#include <hopcoil/scene/scene.hpp>

#include "draw/chart.hpp"
#include "tool/commands.hpp"
#include "tool/scene_changes.hpp"
#include "tool/scene_files.hpp"
#include "tool/scene_report.hpp"

namespace hopcoil::tool {

namespace {

ExitCode run_takes_only(const scene::Scene& scene, const RunOptions& options) {
    if (options.takes.empty()) {
        throw UsageProblem{"hopcoil run: --take-only needs a --take FILE.csv or FILE.json"};
    }
    const scene::RunLog log = run_into_takes("run", scene, options.takes);
    if (options.json) {
        Json json{{"made_by", made_by_scene("run", scene)}, {"warnings", log.warnings}};
        for (const std::filesystem::path& path : options.takes)
            json["files"]["takes"].push_back(path.string());
        print_json(json);
        return ExitCode::done;
    }
    for (const std::string& warning : log.warnings)
        fmt::print("warning: {}\n", warning);
    for (const std::filesystem::path& path : options.takes)
        fmt::print("written: {}\n", path.string());
    return ExitCode::done;
}

}  // namespace

ExitCode run_run(const RunOptions& options) {
    if (!options.figure.empty() && !draw::is_chart_file(options.figure)) {
        throw UsageProblem{
            fmt::format("hopcoil run: --figure {}: expected a name that ends in .png or .svg",
                        options.figure.string())};
    }
    scene::Scene scene = scene::read_scene(options.scene, options.seed);
    make_changes(scene, options.changes, "run");
    scene.duration_s = options.seconds.value_or(scene.duration_s);
    scene.rate_hz = options.rate_hz.value_or(scene.rate_hz);
    require_take_names("run", options.takes, !options.takes_only);
    if (options.takes_only) return run_takes_only(scene, options);
    const SceneFiles files = run_into_folder("run", scene, options.out,
                                             {.figure = options.figure, .takes = options.takes});
    if (options.json) {
        print_json(files.report);
        return ExitCode::done;
    }
    fmt::print("{}\nwritten:\n  {}\n  {}\n  {}\n  {}\n  {}\n", files.text, files.page.string(),
               files.figure.string(), files.csv.string(), files.json.string(),
               files.summary.string());
    for (const auto* more : {&files.takes, &files.pictures}) {
        for (const std::filesystem::path& path : *more)
            fmt::print("  {}\n", path.string());
    }
    return ExitCode::done;
}

}  // namespace hopcoil::tool
