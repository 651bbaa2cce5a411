#include <cmath>

#include <fmt/format.h>

#include <hopcoil/scene/file_problems.hpp>
#include <hopcoil/scene/scene.hpp>
#include <hopcoil/scene/scene_dials.hpp>
#include <hopcoil/scene/schema.hpp>
#include <hopcoil/scene/tuning_file.hpp>

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

/// Into a file's JSON, and as lines of text.
void list_dials(const scene::Scene& scene, Json& file, std::string& text) {
    for (const scene::SceneDial& dial : scene::dials_of(scene)) {
        const double value = scene::value_of(scene, dial);
        file["dials"].push_back({{"path", dial.path},
                                 {"unit", dial.unit},
                                 {"value", std::isfinite(value) ? Json(value) : Json{}},
                                 {"default", dial.default_value},
                                 {"slider", {dial.slider.least, dial.slider.most}}});
        text += fmt::format("\n  {:<32} {:>9.4g} {:<6} usual {:.4g} to {:.4g}", dial.path, value,
                            dial.unit, dial.slider.least, dial.slider.most);
    }
}

/// Reads one file; what it is, in words. Errors: as the readers.
std::string read_one(const std::filesystem::path& path, const CheckOptions& options, Json& file) {
    if (scene::is_tuning_file(path.string())) {
        const auto tunings = scene::read_tunings(path.string());
        return fmt::format("{}: right; {}", path.string(), count_of(tunings.size(), "tuning"));
    }
    const scene::Scene scene = scene::read_scene(path.string());
    std::string text =
        fmt::format("{}: right; {} and {}, {:.4g} s at {:.4g} frames per second", path.string(),
                    count_of(scene.targets.size(), "target"),
                    count_of(scene.movers.size(), "mover"), scene.duration_s, scene.rate_hz);
    if (options.dials) list_dials(scene, file, text);
    return text;
}

}  // namespace

ExitCode run_check(const CheckOptions& options) {
    if (!options.schema.empty() || options.keys) {
        if (!options.scenes.empty() || (!options.schema.empty() && options.keys)) {
            throw UsageProblem{"hopcoil check: expected scenes, --schema or --keys, one of them"};
        }
        fmt::print("{}", options.keys                ? scene::page_of_keys()
                         : options.schema == "scene" ? scene::scene_schema()
                                                     : scene::tuning_schema());
        return ExitCode::done;
    }
    if (options.scenes.empty()) throw UsageProblem{"hopcoil check: expected a scene to read"};
    Json files = Json::array();
    bool all_right = true;
    for (const std::filesystem::path& path : options.scenes) {
        Json file{{"scene", path.string()}, {"problems", Json::array()}};
        try {
            const std::string text = read_one(path, options, file);
            if (!options.json) fmt::print("{}\n", text);
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
