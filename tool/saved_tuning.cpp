#include "tool/saved_tuning.hpp"

#include <filesystem>

#include <fmt/format.h>

#include <hopcoil/scene/named_settings.hpp>
#include <hopcoil/scene/tuning_file.hpp>
#include <hopcoil/spring/named_tunings.hpp>

#include "tool/scene_changes.hpp"

namespace hopcoil::tool {

std::string about_to_keep(const std::string& command, const SaveOptions& save) {
    if (!save.replace && find_tuning(save.name)) {
        throw UsageProblem{
            fmt::format("hopcoil {}: --save {}: there is a built-in tuning of that "
                        "name; choose another, or --replace to have yours in its "
                        "place wherever {} is read",
                        command, save.name, save.file.string())};
    }
    scene::Scene there;
    if (std::filesystem::exists(save.file)) add_settings(there, {save.file});
    for (const scene::NamedSettings& each : there.settings) {
        if (each.name != save.name) continue;
        if (save.replace) return save.about.empty() ? each.about : save.about;
        std::string numbers;
        for (const scene::SceneNumber& number : each.numbers)
            numbers += fmt::format(", {} {:.4g}", number.path, number.value);
        throw UsageProblem{
            fmt::format("hopcoil {}: --save {}: {} has it already{}{}; --replace puts "
                        "this in its place",
                        command, save.name, save.file.string(),
                        each.about.empty() ? "" : ": " + each.about, numbers)};
    }
    return save.about;
}

std::string save_wanted(const std::string& command, const SaveOptions& save,
                        const std::vector<WantedMover>& wanted) {
    if (save.name.empty()) return {};
    const Tuning* tuning =
        wanted.size() == 1 ? (wanted.front().tuning ? &*wanted.front().tuning : nullptr) : nullptr;
    if (tuning == nullptr) {
        throw UsageProblem{fmt::format(
            "hopcoil {}: --save {}: expected one tuning to keep, found {}", command, save.name,
            wanted.size() == 1 ? "a " + wanted.front().spec->kind()
                               : fmt::format("{} movers", wanted.size()))};
    }
    return save_tuning_as(command, save, *tuning);
}

std::string save_tuning_as(const std::string& command, const SaveOptions& save,
                           const Tuning& tuning) {
    if (save.name.empty()) return {};
    try {
        scene::save_tuning(
            save.file.string(),
            {.name = save.name, .about = about_to_keep(command, save), .whole = tuning});
    } catch (const std::invalid_argument& problem) {
        throw UsageProblem{fmt::format("hopcoil {}: --save: {}", command, problem.what())};
    }
    return fmt::format("kept as '{}' in {}: {}", save.name, save.file.string(),
                       scene::in_words(tuning));
}

}  // namespace hopcoil::tool
