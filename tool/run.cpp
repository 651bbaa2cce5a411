#include <fmt/format.h>

#include <hopcoil/scene/scene.hpp>

#include "draw/chart.hpp"
#include "tool/commands.hpp"
#include "tool/scene_changes.hpp"
#include "tool/scene_files.hpp"

namespace hopcoil::tool {

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
    const SceneFiles files = run_into_folder("run", scene, options.out, options.figure);
    if (options.json) {
        print_json(files.report);
        return ExitCode::done;
    }
    fmt::print("{}\nwritten:\n  {}\n  {}\n  {}\n  {}\n  {}\n", files.text, files.page.string(),
               files.figure.string(), files.csv.string(), files.json.string(),
               files.summary.string());
    return ExitCode::done;
}

}  // namespace hopcoil::tool
