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
    const ShownRun run = run_into_takes("run", scene, options.takes);
    if (options.json) {
        Json json{{"made_by", made_by_scene("run", scene)}, {"warnings", run.log.warnings}};
        if (!run.ended_early.empty()) json["ended_early"] = run.ended_early;
        for (const std::filesystem::path& path : run.takes)
            json["files"]["takes"].push_back(path.string());
        print_json(json);
        return run.code;
    }
    for (const std::string& warning : run.log.warnings)
        fmt::print("warning: {}\n", warning);
    for (const std::filesystem::path& path : run.takes)
        fmt::print("written: {}\n", path.string());
    return run.code;
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
        return files.code;
    }
    fmt::print("{}\nwritten:\n", files.text);
    for (const std::filesystem::path& path :
         {files.page, files.figure, files.csv, files.json, files.summary}) {
        if (!path.empty()) fmt::print("  {}\n", path.string());
    }
    for (const auto* more : {&files.takes, &files.pictures}) {
        for (const std::filesystem::path& path : *more)
            fmt::print("  {}\n", path.string());
    }
    return files.code;
}

}  // namespace hopcoil::tool
