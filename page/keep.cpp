#include "page/keep.hpp"

#include <algorithm>
#include <filesystem>
#include <string>
#include <vector>

#include <fmt/format.h>

#include <hopcoil/io/file_problems.hpp>
#include <hopcoil/scene/named_settings.hpp>
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

/// Tunings as settings, and settings.
std::vector<scene::NamedSettings> settings_in(const std::string& file) {
    std::vector<scene::NamedSettings> all;
    if (!std::filesystem::exists(file)) return all;
    for (const scene::SharedTuning& each : scene::read_tunings(file))
        all.push_back(scene::settings_from(each));
    for (scene::NamedSettings& each : scene::read_settings(file))
        all.push_back(std::move(each));
    return all;
}

const scene::SceneSystem& system_named(const scene::Scene& scene, const std::string& name) {
    for (const scene::SceneSystem& system : scene.systems) {
        if (system.name == name) return system;
    }
    throw RequestProblem{bad_request, fmt::format("no system is named '{}'", name)};
}

}  // namespace

Json tunings_answer(const scene::Scene& scene) {
    const std::string file = tuning_file_of(scene);
    Json list = Json::array();
    for (const scene::NamedSettings& each : settings_in(file)) {
        Json json{{"name", each.name}, {"about", each.about}, {"kind", each.kind}};
        json["numbers"] = Json::object();
        for (const scene::SceneNumber& number : each.numbers)
            json["numbers"][number.path] = number.value;
        json["choices"] = Json::object();
        for (const scene::SceneChoice& choice : each.choices)
            json["choices"][choice.path] = choice.name;
        list.push_back(std::move(json));
    }
    return {{"made_by", made_by_live(scene)}, {"file", file}, {"tunings", std::move(list)}};
}

Json save_answer(const scene::Scene& scene, const Request& request) {
    request.finish({"name", "about", "mover", "system", "values", "replace"});
    const scene::Scene changed = with_values(scene, request);
    const std::string name = request.text("name");
    const std::string file = tuning_file_of(changed);
    const std::vector<scene::NamedSettings> there = settings_in(file);
    const bool is_there = std::any_of(there.begin(), there.end(),
                                      [&](const auto& each) { return each.name == name; });
    if (is_there && !request.flag("replace", false)) {
        throw RequestProblem{conflict,
                             fmt::format("{} has '{}' already",
                                         std::filesystem::path{file}.filename().string(), name)};
    }
    const std::string about = request.text("about", "");
    if (const std::string system = request.text("system", ""); !system.empty()) {
        scene::NamedSettings settings = scene::settings_of(system_named(changed, system), name);
        settings.about = about;
        scene::save_settings(file, settings);
    } else {
        scene::save_tuning(file, {.name = name,
                                  .about = about,
                                  .whole = tuning_of_mover(changed, request.text("mover"))});
    }
    return tunings_answer(changed);
}

Json patch_answer(const scene::Scene& scene, const Request& request) {
    request.finish({"values"});
    scene::Scene changed = scene;
    scene::set_values(changed, request.numbers("values"));
    return {{"made_by", made_by_live(changed)}, {"written", scene::write_changes(changed)}};
}

}  // namespace hopcoil::page
