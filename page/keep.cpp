#include "page/keep.hpp"

#include <algorithm>
#include <filesystem>
#include <string>
#include <vector>

#include <fmt/format.h>

#include <hopcoil/io/file_problems.hpp>
#include <hopcoil/scene/scene_dials.hpp>
#include <hopcoil/scene/scene_patch.hpp>
#include <hopcoil/scene/system_report.hpp>
#include <hopcoil/scene/tuning_file.hpp>

#include "page/answers.hpp"

namespace hopcoil::page {
namespace {

std::string tuning_file_of(const scene::Scene& scene) {
    if (!scene.tuning_files.empty()) return scene.tuning_files.front();
    std::filesystem::path beside{scene.file};
    return beside.replace_extension(".tunings.toml").string();
}

Tuning tuning_of_mover(const scene::Scene& scene, const std::string& name) {
    std::vector<std::string> names;
    for (const scene::SceneSystem& system : scene.systems) {
        const scene::StepResponder* const responder = system.spec->step_responder();
        const std::vector<scene::Port> ports = system.spec->outputs();
        for (std::size_t i = 0; responder != nullptr && i < ports.size(); ++i) {
            const auto tuning = responder->tuning(i);
            if (!tuning) continue;
            names.push_back(scene::output_name(system, ports[i]));
            if (names.back() == name) return *tuning;
        }
    }
    throw RequestProblem{bad_request, fmt::format("nothing with a tuning is named '{}'{}", name,
                                                  io::did_you_mean(name, names))};
}

std::vector<scene::SharedTuning> tunings_in(const std::string& file) {
    if (!std::filesystem::exists(file)) return {};
    return scene::read_tunings(file);
}

}  // namespace

Json tunings_answer(const scene::Scene& scene) {
    const std::string file = tuning_file_of(scene);
    Json list = Json::array();
    for (const scene::SharedTuning& each : tunings_in(file)) {
        Json json{{"name", each.name}, {"about", each.about}};
        if (each.whole) {
            json["frequency_hz"] = each.whole->frequency_hz;
            json["damping_ratio"] = each.whole->damping_ratio;
            json["lead"] = each.whole->lead;
        }
        list.push_back(std::move(json));
    }
    return {{"made_by", made_by_live(scene)}, {"file", file}, {"tunings", std::move(list)}};
}

Json save_answer(const scene::Scene& scene, const Request& request) {
    request.finish({"name", "about", "mover", "values", "replace"});
    const scene::Scene changed = with_values(scene, request);
    const std::string name = request.text("name");
    const std::string file = tuning_file_of(changed);
    const std::vector<scene::SharedTuning> there = tunings_in(file);
    const bool is_there = std::any_of(there.begin(), there.end(),
                                      [&](const auto& each) { return each.name == name; });
    if (is_there && !request.flag("replace", false)) {
        throw RequestProblem{conflict,
                             fmt::format("{} has a tuning '{}' already",
                                         std::filesystem::path{file}.filename().string(), name)};
    }
    scene::save_tuning(file, {.name = name,
                              .about = request.text("about", ""),
                              .whole = tuning_of_mover(changed, request.text("mover"))});
    return tunings_answer(changed);
}

Json patch_answer(const scene::Scene& scene, const Request& request) {
    request.finish({"values"});
    scene::Scene changed = scene;
    scene::set_values(changed, request.numbers("values"));
    return {{"made_by", made_by_live(changed)}, {"written", scene::write_changes(changed)}};
}

}  // namespace hopcoil::page
