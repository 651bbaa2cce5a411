#include <system_error>

#include <fmt/format.h>

#include <hopcoil/scene/file_problems.hpp>
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
        throw scene::FileProblem{fmt::format(
            "{}: the demo data is not there; say where it is with --scenes DIR", scenes.string())};
    }
    return scenes;
}

}  // namespace

ExitCode run_demo(const DemoOptions& options) {
    const fs::path scenes = options.scenes.empty() ? shipped_scenes() : options.scenes;
    scene::Scene scene = scene::read_scene(scenes / "quay" / "vane.toml");
    // What is written names the scene as it is shipped, whatever machine it is on.
    scene.file = "scenes/quay/vane.toml";
    const SceneFiles files = run_into_folder("demo", scene, options.out);
    if (options.json) {
        print_json(files.report);
        return ExitCode::done;
    }
    fmt::print("{}\nLook at  {}\nnumbers  {}\nmotion   {}\nthis text {}\n", files.text,
               files.figure.string(), files.json.string(), files.csv.string(),
               files.summary.string());
    return ExitCode::done;
}

}  // namespace hopcoil::tool
