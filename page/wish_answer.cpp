#include "page/wish_answer.hpp"

#include <charconv>
#include <cmath>
#include <optional>
#include <stdexcept>
#include <vector>

#include <fmt/format.h>

#include <hopcoil/io/file_problems.hpp>
#include <hopcoil/scene/scene_dials.hpp>
#include <hopcoil/scene/system_report.hpp>

#include "page/answers.hpp"

namespace hopcoil::page {
namespace {

/// A number, and what stands behind it up to the next number or comma.
struct NumberWithUnit {
    double number = 0;
    std::string unit{};
};

bool begins_number(const std::string& text, std::size_t i) {
    const auto is_digit = [&](std::size_t k) {
        return k < text.size() && text[k] >= '0' && text[k] <= '9';
    };
    const std::size_t sign = text[i] == '-' || text[i] == '+' ? 1 : 0;
    return is_digit(i + sign) ||
           (i + sign < text.size() && text[i + sign] == '.' && is_digit(i + sign + 1));
}

std::vector<NumberWithUnit> numbers_in(const std::string& words) {
    std::vector<NumberWithUnit> all;
    for (std::size_t i = 0; i < words.size();) {
        if (!begins_number(words, i)) {
            ++i;
            continue;
        }
        if (words[i] == '+') ++i;
        NumberWithUnit said;
        const auto read =
            std::from_chars(words.data() + i, words.data() + words.size(), said.number);
        i = static_cast<std::size_t>(read.ptr - words.data());
        while (i < words.size() && words[i] == ' ')
            ++i;
        while (i < words.size() && ((words[i] >= 'a' && words[i] <= 'z') || words[i] == '%'))
            said.unit += words[i++];
        all.push_back(std::move(said));
    }
    return all;
}

[[noreturn]] void refuse_words(const std::string& words) {
    throw RequestProblem{bad_request,
                         fmt::format("wish: expected how far past and how soon, such as '12 % "
                                     "past, 0.4 s', found '{}'",
                                     words)};
}

}  // namespace

Wish wish_from_words(const std::string& words) {
    std::optional<double> percent;
    std::optional<double> seconds;
    for (const NumberWithUnit& said : numbers_in(words)) {
        if (said.unit == "%" || said.unit == "percent") {
            percent = said.number;
        } else if (said.unit == "s" || said.unit == "seconds" || said.unit == "second") {
            seconds = said.number;
        } else if (said.unit == "ms") {
            seconds = said.number / 1000;
        } else {
            refuse_words(words);
        }
    }
    const bool none = words.find("no overshoot") != std::string::npos;
    if (none && !percent) percent = 0;
    if (!percent || !seconds) refuse_words(words);
    return {.overshoot_percent = *percent, .settling_time_s = *seconds};
}

Json wish_answer(const scene::Scene& scene, const Request& request) {
    request.finish({"wish", "mover", "values"});
    const scene::Scene changed = with_values(scene, request);
    const Wish wish = wish_from_words(request.text("wish"));
    const std::string wanted = request.text("mover");
    std::vector<std::string> names;
    for (const scene::SceneSystem& system : changed.systems) {
        const scene::StepResponder* const responder = system.spec->step_responder();
        if (responder == nullptr) continue;
        const std::vector<scene::Port> ports = system.spec->outputs();
        for (std::size_t i = 0; i < ports.size(); ++i) {
            names.push_back(scene::output_name(system, ports[i]));
            if (names.back() != wanted) continue;
            Json values = Json::object();
            try {
                for (const auto& [path, value] :
                     responder->solve(i, wish.overshoot_percent, wish.settling_time_s))
                    values[system.name + '.' + path] = value;
            } catch (const std::invalid_argument& problem) {
                throw RequestProblem{bad_request, fmt::format("{}: {}", wanted, problem.what())};
            }
            return {{"made_by", made_by_live(changed)},
                    {"wish",
                     {{"overshoot_percent", wish.overshoot_percent},
                      {"settling_time_s", wish.settling_time_s}}},
                    {"values", std::move(values)}};
        }
    }
    throw RequestProblem{bad_request, fmt::format("nothing that moves is named '{}'{}", wanted,
                                                  io::did_you_mean(wanted, names))};
}

}  // namespace hopcoil::page
