#include "tool/scene_changes.hpp"

#include <cctype>
#include <charconv>
#include <cmath>
#include <stdexcept>

#include <fmt/format.h>

#include <hopcoil/scene/named_settings.hpp>
#include <hopcoil/scene/pattern.hpp>
#include <hopcoil/scene/scene_dials.hpp>

namespace hopcoil::tool {

namespace {

/// The first system that a pattern names, and the part of it: "string" and "tassel.".
std::pair<const scene::SceneSystem*, std::string> find_part(const scene::Scene& scene,
                                                            const std::string& pattern) {
    const std::size_t dot = pattern.rfind('.');
    for (const scene::SceneSystem& system : scene.systems) {
        if (scene::matches(pattern, system.name)) return {&system, ""};
        for (const scene::Port& port : system.spec->outputs()) {
            if (dot != std::string::npos && !port.name.empty() &&
                scene::matches(pattern, scene::output_name(system, port)))
                return {&system, port.name + '.'};
        }
    }
    return {nullptr, ""};
}

scene::NamedSettings of_part(scene::NamedSettings settings, const std::string& part) {
    for (scene::SceneNumber& each : settings.numbers)
        each.path.insert(0, part);
    for (scene::SceneChoice& each : settings.choices)
        each.path.insert(0, part);
    return settings;
}

/// "calm" or "calm:lively:0.3", for what a pattern names.
void give_settings(scene::Scene& scene, const std::string& pattern, const std::string& text,
                   const std::string& command) {
    const auto refuse = [&](const std::string& what) {
        throw UsageProblem{
            fmt::format("hopcoil {}: --set {}={}: {}", command, pattern, text, what)};
    };
    try {
        const std::size_t colon = text.find(':');
        scene::NamedSettings settings = scene::find_settings(scene, text.substr(0, colon));
        if (colon != std::string::npos) {
            const std::size_t second = text.find(':', colon + 1);
            double amount = -1;
            if (second != std::string::npos)
                std::from_chars(text.data() + second + 1, text.data() + text.size(), amount);
            if (!(amount >= 0 && amount <= 1))
                refuse("expected NAME:NAME:AMOUNT, the amount from 0 to 1");
            const auto other =
                scene::find_settings(scene, text.substr(colon + 1, second - colon - 1));
            const auto [system, part] = find_part(scene, pattern);
            if (system == nullptr) refuse("nothing in the scene has that name");
            settings = scene::blend(*system, of_part(settings, part), of_part(other, part), amount);
            for (scene::SceneNumber& each : settings.numbers)
                each.path.erase(0, part.size());
            for (scene::SceneChoice& each : settings.choices)
                each.path.erase(0, part.size());
        }
        scene::apply_settings(scene, pattern, settings);
    } catch (const std::invalid_argument& problem) {
        refuse(problem.what());
    }
}

bool is_system(const scene::Scene& scene, const std::string& pattern) {
    return find_part(scene, pattern).first != nullptr;
}

bool is_name_like(const std::string& text) {
    return !text.empty() && std::isalpha(static_cast<unsigned char>(text[0])) != 0 &&
           text != "nan" && text != "inf";
}

}  // namespace

void add_settings(scene::Scene& scene, const std::vector<std::filesystem::path>& files) {
    for (const std::filesystem::path& file : files) {
        for (const scene::SharedTuning& each : scene::read_tunings(file.string()))
            scene.settings.push_back(scene::settings_from(each));
        for (scene::NamedSettings& each : scene::read_settings(file.string()))
            scene.settings.push_back(std::move(each));
    }
}

void make_changes(scene::Scene& scene, const ChangeOptions& options, const std::string& command) {
    add_settings(scene, options.tuning_files);
    for (const std::string& change : options.changes) {
        const std::size_t equals = change.find('=');
        const std::string number =
            equals == std::string::npos ? std::string{} : change.substr(equals + 1);
        const std::string pattern = change.substr(0, equals);
        const auto refuse = [&](const std::string& what) {
            throw UsageProblem{fmt::format("hopcoil {}: --set: {}", command, what)};
        };
        try {
            const std::optional<double> value = scene::value_from(scene, pattern, number);
            if (!value && is_name_like(number)) {
                if (is_system(scene, pattern)) {
                    give_settings(scene, pattern, number, command);
                } else {
                    scene::choose_matching(scene, pattern, number);  // says what is wrong with it
                }
                continue;
            }
            if (!value || !std::isfinite(*value)) {
                refuse(
                    fmt::format("expected PATH=NUMBER, such as lamp.frequency_hz=3, or "
                                "SYSTEM=NAME, found '{}'",
                                change));
            }
            scene::set_matching(scene, pattern, *value);
        } catch (const std::invalid_argument& problem) {
            refuse(problem.what());
        }
    }
}

scene::Scene scene_of(const TrialOptions& options, const std::string& command) {
    scene::Scene scene = scene::read_scene(options.scene, options.seed);
    make_changes(scene, options.changes, command);
    if (options.seconds) scene.duration_s = *options.seconds;
    return scene;
}

}  // namespace hopcoil::tool
