#include <cmath>

#include <fmt/format.h>

#include <hopcoil/scene/file_problems.hpp>
#include <hopcoil/scene/scene.hpp>
#include <hopcoil/scene/scene_dials.hpp>

#include "tool/commands.hpp"
#include "tool/made_by.hpp"

namespace hopcoil::tool {
namespace {

std::string count_of(std::size_t count, const char* what) {
    return fmt::format("{} {}{}", count, what, count == 1 ? "" : "s");
}

Json to_json(const scene::Problem& problem) {
    return {{"file", problem.position.file},
            {"line", problem.position.line},
            {"column", problem.position.column},
            {"key", problem.key},
            {"message", problem.message}};
}

/// Into a file's JSON, or printed.
void list_dials(const scene::Scene& scene, Json* file) {
    for (const scene::SceneDial& dial : scene::dials_of(scene)) {
        const double value = scene::value_of(scene, dial);
        if (file != nullptr) {
            (*file)["dials"].push_back({{"path", dial.path},
                                        {"unit", dial.unit},
                                        {"value", std::isfinite(value) ? Json(value) : Json{}},
                                        {"default", dial.default_value},
                                        {"slider", {dial.slider.least, dial.slider.most}}});
        } else {
            fmt::print("  {:<32} {:>9.4g} {:<6} usual {:.4g} to {:.4g}\n", dial.path, value,
                       dial.unit, dial.slider.least, dial.slider.most);
        }
    }
}

}  // namespace

ExitCode run_check(const CheckOptions& options) {
    Json files = Json::array();
    bool all_right = true;
    for (const std::filesystem::path& path : options.scenes) {
        Json file{{"scene", path.string()}, {"problems", Json::array()}};
        try {
            const scene::Scene scene = scene::read_scene(path.string());
            if (!options.json) {
                fmt::print("{}: right; {} and {}, {:.4g} s at {:.4g} frames per second\n",
                           path.string(), count_of(scene.targets.size(), "target"),
                           count_of(scene.movers.size(), "mover"), scene.duration_s, scene.rate_hz);
            }
            if (options.dials) list_dials(scene, options.json ? &file : nullptr);
        } catch (const scene::InputProblems& found) {
            all_right = false;
            for (const scene::Problem& problem : found.problems())
                file["problems"].push_back(to_json(problem));
            if (!options.json) fmt::print("{}\n", found.what());
        }
        files.push_back(std::move(file));
    }
    if (options.json) {
        print_json({{"made_by", made_by("check")}, {"right", all_right}, {"files", files}});
    }
    return all_right ? ExitCode::done : ExitCode::check_failed;
}

}  // namespace hopcoil::tool
