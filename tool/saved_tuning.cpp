#include "tool/saved_tuning.hpp"

#include <fmt/format.h>

#include <hopcoil/scene/tuning_file.hpp>

namespace hopcoil::tool {

std::string save_wanted(const std::string& command, const SaveOptions& save,
                        const std::vector<WantedMover>& wanted) {
    if (save.name.empty()) {
        if (save.about.empty()) return {};
        throw UsageProblem{fmt::format("hopcoil {}: --about goes with --save NAME", command)};
    }
    const Tuning* tuning =
        wanted.size() == 1 ? (wanted.front().tuning ? &*wanted.front().tuning : nullptr) : nullptr;
    if (tuning == nullptr) {
        throw UsageProblem{fmt::format(
            "hopcoil {}: --save {}: expected one tuning to keep, found {}", command, save.name,
            wanted.size() == 1 ? "a " + wanted.front().spec->kind()
                               : fmt::format("{} movers", wanted.size()))};
    }
    try {
        scene::save_tuning(save.file.string(),
                           {.name = save.name, .about = save.about, .whole = *tuning});
    } catch (const std::invalid_argument& problem) {
        throw UsageProblem{fmt::format("hopcoil {}: --save: {}", command, problem.what())};
    }
    return fmt::format("kept as '{}' in {}: {}", save.name, save.file.string(),
                       scene::in_words(*tuning));
}

}  // namespace hopcoil::tool
