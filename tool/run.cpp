#include <filesystem>
#include <system_error>

#include <fmt/format.h>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/io/gltf.hpp>
#include <hopcoil/scene/scene.hpp>

#include "draw/chart.hpp"
#include "tool/commands.hpp"
#include "tool/scene_changes.hpp"
#include "tool/scene_files.hpp"
#include "tool/scene_report.hpp"

namespace hopcoil::tool {

namespace {

void set_clock(scene::Scene& scene, const RunOptions& options) {
    scene.duration_s = options.seconds.value_or(scene.duration_s);
    scene.rate_hz = options.rate_hz.value_or(scene.rate_hz);
    try {
        scene::require_valid_clock(scene.duration_s, scene.rate_hz);
    } catch (const InvalidValue& problem) {
        throw UsageProblem{fmt::format("hopcoil run: --seconds {}: expected {}", problem.value(),
                                       problem.expected())};
    }
}

/// A path as it is listed; of a large file also its size, and how to make it smaller.
std::string written_file(const std::filesystem::path& path) {
    constexpr double large_mb = 50;
    std::error_code problem;
    const auto bytes = std::filesystem::file_size(path, problem);
    const double megabytes = problem ? 0 : 1e-6 * static_cast<double>(bytes);
    if (megabytes < large_mb) return path.string();
    return fmt::format("{} ({:.0f} MB; `record` in the scene chooses channels)", path.string(),
                       megabytes);
}

ExitCode run_takes_only(const scene::Scene& scene, const RunOptions& options) {
    if (options.takes.empty()) {
        throw UsageProblem{"hopcoil run: --take-only needs a --take FILE.csv or FILE.json"};
    }
    for (const std::filesystem::path& path : options.takes) {
        if (!io::is_model_file(path)) continue;
        throw UsageProblem{fmt::format(
            "hopcoil run: --take {}: a model is made of the whole take, which --take-only does not "
            "keep: leave out --take-only, or write a .csv or .json",
            path.string())};
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
        fmt::print("written: {}\n", written_file(path));
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
    set_clock(scene, options);
    require_take_names("run", options.takes);
    if (options.takes_only) return run_takes_only(scene, options);
    const SceneFiles files = run_into_folder(
        "run", scene, options.out,
        {.figure = options.figure, .takes = options.takes, .overlay = options.overlay});
    if (options.json) {
        print_json(files.report);
        return files.code;
    }
    fmt::print("{}\nwritten:\n", files.text);
    for (const std::filesystem::path& path :
         {files.page, files.figure, files.csv, files.json, files.summary}) {
        if (!path.empty()) fmt::print("  {}\n", written_file(path));
    }
    for (const auto* more : {&files.takes, &files.pictures}) {
        for (const std::filesystem::path& path : *more)
            fmt::print("  {}\n", written_file(path));
    }
    return files.code;
}

}  // namespace hopcoil::tool
