#include "tool/fit_inputs.hpp"

#include <fmt/format.h>

#include "tool/scene_changes.hpp"

namespace hopcoil::tool {

void refuse_fit(const std::string& why) {
    throw UsageProblem{"hopcoil fit: " + why};
}

std::vector<tune::FitRange> ranges_of(const FitOptions& options) {
    std::vector<tune::FitRange> ranges;
    for (const std::string& text : options.vary) {
        try {
            ranges.push_back(tune::range_from(text));
        } catch (const std::invalid_argument& problem) {
            refuse_fit(fmt::format("--vary {}", problem.what()));
        }
    }
    if (!options.scene.empty() && ranges.empty()) {
        refuse_fit(
            fmt::format("say which numbers to find: --vary PATH=LOW:HIGH; hopcoil check "
                        "--dials {} lists them",
                        options.scene.string()));
    }
    return ranges;
}

scene::Scene scene_of(const FitOptions& options) {
    scene::Scene scene = scene::read_scene(options.scene, options.seed);
    make_changes(scene, options.changes, "fit");
    if (options.seconds) scene.duration_s = *options.seconds;
    return scene;
}

std::string run_line(const FitOptions& options, const std::vector<std::string>& paths,
                     const std::vector<double>& values) {
    std::string line = fmt::format("hopcoil run {}", options.scene.string());
    for (const std::string& change : options.changes.changes)
        line += fmt::format(" --set '{}'", change);
    for (std::size_t k = 0; k < paths.size(); ++k)
        line += fmt::format(" --set '{}={:.6g}'", paths[k], values[k]);
    return line;
}

}  // namespace hopcoil::tool
