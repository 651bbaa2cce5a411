#include "tool/fit_inputs.hpp"

#include <fmt/format.h>

#include "tool/made_by.hpp"

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

std::string run_line(const FitOptions& options, const std::vector<std::string>& paths,
                     const std::vector<double>& values) {
    std::string line = fmt::format("hopcoil run {}", options.scene.string());
    for (const std::string& change : options.changes.changes)
        line += fmt::format(" --set '{}'", change);
    for (std::size_t k = 0; k < paths.size(); ++k)
        line += fmt::format(" --set '{}={:.6g}'", paths[k], values[k]);
    return line;
}

void show_fit(const FitOptions& options, Json json, const std::string& kept,
              const std::function<void()>& print) {
    if (options.json) {
        if (!kept.empty()) json["kept_in"] = options.save.file.string();
        print_json(json);
        return;
    }
    print();
    if (!options.figure.empty()) fmt::print("drawn: {}\n", options.figure.string());
    if (!kept.empty()) fmt::print("{}\n", kept);
}

}  // namespace hopcoil::tool
