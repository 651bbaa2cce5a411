// Settings of systems in `hopcoil tunings`: taken from a scene, kept under a name, compared.

#include "tool/settings.hpp"

#include <algorithm>
#include <cmath>

#include <fmt/format.h>

#include <hopcoil/io/file_problems.hpp>
#include <hopcoil/scene/named_settings.hpp>
#include <hopcoil/spring/named_tunings.hpp>

#include "tool/commands.hpp"
#include "tool/made_by.hpp"
#include "tool/saved_tuning.hpp"
#include "tool/scene_changes.hpp"

namespace hopcoil::tool {
namespace {

using scene::NamedSettings;

[[noreturn]] void refuse(const std::string& what) {
    throw UsageProblem{"hopcoil tunings: " + what};
}

const scene::SceneSystem& system_named(const scene::Scene& scene, const std::string& name) {
    std::vector<std::string> names;
    for (const scene::SceneSystem& system : scene.systems) {
        if (system.name == name) return system;
        names.push_back(system.name);
    }
    refuse(fmt::format("--system: nothing is named '{}' in {}; there is {}{}", name, scene.file,
                       io::any_of(names), io::did_you_mean(name, names)));
}

std::vector<NamedSettings> wanted_settings(const TuningsOptions& options) {
    scene::Scene names;
    add_settings(names, options.tunings.files);
    std::vector<NamedSettings> wanted;
    if (!options.scene.empty()) {
        scene::Scene scene = scene::read_scene(options.scene.string());
        make_changes(scene, options.changes, "tunings");
        names.settings.insert(names.settings.end(), scene.settings.begin(), scene.settings.end());
        if (!options.system.empty()) {
            wanted.push_back(scene::settings_of(system_named(scene, options.system), options.system,
                                                options.only));
        }
    }
    try {
        for (const std::string& name : options.tunings.names)
            wanted.push_back(scene::find_settings(names, name));
    } catch (const std::invalid_argument& problem) {
        refuse(problem.what());
    }
    if (wanted.empty()) wanted = std::move(names.settings);
    return wanted;
}

/// The paths of all of them, in the order in which they come.
std::vector<std::string> paths_of(const std::vector<NamedSettings>& all) {
    std::vector<std::string> paths;
    const auto add = [&](const auto& each) {
        if (std::find(paths.begin(), paths.end(), each.path) == paths.end())
            paths.push_back(each.path);
    };
    for (const NamedSettings& each : all) {
        std::for_each(each.numbers.begin(), each.numbers.end(), add);
        std::for_each(each.choices.begin(), each.choices.end(), add);
    }
    return paths;
}

/// What was chosen at a path; "-" where nothing was.
std::string choice_at(const NamedSettings& settings, const std::string& path) {
    for (const scene::SceneChoice& each : settings.choices) {
        if (each.path == path) return each.name;
    }
    return "-";
}

std::string counted(const NamedSettings& settings) {
    const auto some = [](std::size_t count, const char* what) {
        return fmt::format("{} {}{}", count, what, count == 1 ? "" : "s");
    };
    const std::string numbers = some(settings.numbers.size(), "number");
    const std::string choices = some(settings.choices.size(), "choice");
    return settings.choices.empty() ? numbers : numbers + " and " + choices;
}

std::optional<double> number_at(const NamedSettings& settings, const std::string& path) {
    for (const scene::SceneNumber& each : settings.numbers) {
        if (each.path == path) return each.value;
    }
    return std::nullopt;
}

/// A line for each number, a column for each of them; how many times the first each other is.
void print_columns(const std::vector<NamedSettings>& all) {
    const std::vector<std::string> paths = paths_of(all);
    std::size_t width = 8;
    for (const std::string& path : paths)
        width = std::max(width, path.size());
    fmt::print("{:<{}}", "", width);
    for (const NamedSettings& each : all)
        fmt::print(" {:>22}", each.name);
    fmt::print("\n");
    for (const std::string& path : paths) {
        fmt::print("{:<{}}", path, width);
        const auto first = number_at(all.front(), path);
        for (std::size_t i = 0; i < all.size(); ++i) {
            const auto number = number_at(all[i], path);
            std::string text = number ? fmt::format("{:.5g}", *number) : choice_at(all[i], path);
            if (i > 0 && number && first && *first != 0)
                text += fmt::format(" ({:.3g}x)", *number / *first);
            fmt::print(" {:>22}", text);
        }
        fmt::print("\n");
    }
}

void print_each(const std::vector<NamedSettings>& all) {
    for (const NamedSettings& each : all) {
        fmt::print("{}{}{}\n", each.name, each.kind.empty() ? "" : ", of a " + each.kind,
                   each.about.empty() ? "" : ": " + each.about);
        for (const scene::SceneNumber& number : each.numbers)
            fmt::print("  {:<28} {:.6g}\n", number.path, number.value);
        for (const scene::SceneChoice& choice : each.choices)
            fmt::print("  {:<28} {}\n", choice.path, choice.name);
    }
}

Json in_json(const NamedSettings& settings) {
    Json one{{"name", settings.name}, {"description", settings.about}, {"kind", settings.kind}};
    one["numbers"] = Json::object();
    for (const scene::SceneNumber& each : settings.numbers)
        one["numbers"][each.path] = each.value;
    one["choices"] = Json::object();
    for (const scene::SceneChoice& each : settings.choices)
        one["choices"][each.path] = each.name;
    return one;
}

std::string save_settings(const SaveOptions& save, std::vector<NamedSettings> wanted) {
    if (save.name.empty()) return {};
    if (wanted.size() != 1)
        refuse(fmt::format("--save {}: expected the settings of one --system, found {}", save.name,
                           wanted.size()));
    NamedSettings& settings = wanted.front();
    settings.name = save.name;
    settings.about = about_to_keep("tunings", save);
    try {
        scene::save_settings(save.file.string(), settings);
    } catch (const std::invalid_argument& problem) {
        refuse(fmt::format("--save: {}", problem.what()));
    }
    return fmt::format("kept as '{}' in {}: {} of a {}", save.name, save.file.string(),
                       counted(settings), settings.kind);
}

}  // namespace

bool wants_settings(const TuningsOptions& options) {
    if (!options.scene.empty()) return true;
    for (const std::filesystem::path& file : options.tunings.files) {
        for (const NamedSettings& each : scene::read_settings(file.string())) {
            const auto& names = options.tunings.names;
            if (std::find(names.begin(), names.end(), each.name) != names.end()) return true;
        }
    }
    return false;
}

void print_settings_list(const std::vector<std::filesystem::path>& files) {
    for (const std::filesystem::path& file : files) {
        for (const NamedSettings& each : scene::read_settings(file.string())) {
            fmt::print("{:<16} {:<47}  {}\n", each.name,
                       counted(each) + (each.kind.empty() ? "" : " of a " + each.kind), each.about);
        }
    }
}

ExitCode run_settings(const TuningsOptions& options) {
    if (options.scene.empty() != options.system.empty() && !options.system.empty())
        refuse("--system: expected --scene SCENE.toml beside it");
    const std::vector<NamedSettings> wanted = wanted_settings(options);
    if (options.compare && wanted.size() < 2) refuse("--compare: expected two or more");
    const std::string kept = save_settings(options.save, wanted);
    if (options.json) {
        Json json{{"made_by", made_by("tunings")}, {"settings", Json::array()}};
        for (const NamedSettings& each : wanted)
            json["settings"].push_back(in_json(each));
        if (!kept.empty()) json["kept_in"] = options.save.file.string();
        print_json(json);
        return ExitCode::done;
    }
    if (options.compare) {
        print_columns(wanted);
    } else {
        print_each(wanted);
    }
    if (!kept.empty()) fmt::print("{}\n", kept);
    return ExitCode::done;
}

}  // namespace hopcoil::tool
