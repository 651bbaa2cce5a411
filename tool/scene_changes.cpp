#include "tool/scene_changes.hpp"

#include <charconv>
#include <cmath>
#include <stdexcept>

#include <fmt/format.h>

#include <hopcoil/scene/scene_dials.hpp>

#include "tool/commands.hpp"

namespace hopcoil::tool {

void make_changes(scene::Scene& scene, const std::vector<std::string>& changes,
                  const std::string& command) {
    for (const std::string& change : changes) {
        const std::size_t equals = change.find('=');
        const std::string number =
            equals == std::string::npos ? std::string{} : change.substr(equals + 1);
        double value = 0;
        const auto read = std::from_chars(number.data(), number.data() + number.size(), value);
        const bool whole = read.ec == std::errc{} && read.ptr == number.data() + number.size();
        if (!whole || number.empty() || !std::isfinite(value)) {
            throw UsageProblem{fmt::format(
                "hopcoil {}: --set: expected PATH=NUMBER, such as lamp.frequency_hz=3, found '{}'",
                command, change)};
        }
        try {
            scene::set_matching(scene, change.substr(0, equals), value);
        } catch (const std::invalid_argument& problem) {
            throw UsageProblem{fmt::format("hopcoil {}: --set: {}", command, problem.what())};
        }
    }
}

}  // namespace hopcoil::tool
