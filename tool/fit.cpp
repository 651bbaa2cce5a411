#include <cmath>
#include <optional>

#include <fmt/format.h>

#include <hopcoil/scene/system_report.hpp>
#include <hopcoil/scene/tuning_file.hpp>
#include <hopcoil/tune/goal_fit.hpp>

#include "draw/chart.hpp"
#include "tool/commands.hpp"
#include "tool/fit_inputs.hpp"
#include "tool/fit_pictures.hpp"
#include "tool/made_by.hpp"
#include "tool/saved_tuning.hpp"
#include "tool/scene_changes.hpp"

namespace hopcoil::tool {
namespace {

using tune::FitGoal;
using tune::GoalFit;
using tune::GoalOutcome;

std::vector<FitGoal> goals_of(const FitOptions& options) {
    std::vector<FitGoal> goals;
    for (const std::string& text : options.wants) {
        try {
            goals.push_back(tune::goal_from(text));
        } catch (const std::invalid_argument& problem) {
            refuse_fit(fmt::format("--want {}", problem.what()));
        }
    }
    return goals;
}

std::string in_words(const FitGoal& goal) {
    const char* const sign = goal.type == FitGoal::Type::equal   ? "="
                             : goal.type == FitGoal::Type::below ? "<"
                                                                 : ">";
    return fmt::format("{} {} {:.6g}", goal.figure, sign, goal.value);
}

/// What only rounding keeps from being 0.
double near_zero(double value) {
    constexpr double rounding = 1e-12;
    return std::abs(value) < rounding ? 0 : value;
}

std::string in_words(const GoalOutcome& outcome) {
    std::string text = std::isfinite(outcome.achieved)
                           ? fmt::format("{:.4g}", outcome.achieved)
                           : std::string{"there is none with these numbers"};
    if (outcome.is_met) return text;
    text += "  not met";
    if (outcome.least <= outcome.most)
        text += fmt::format("; seen from {:.4g} to {:.4g}", near_zero(outcome.least), outcome.most);
    return text;
}

/// What is wanted of a scene or a tuning, and what came of it.
struct Wished {
    std::vector<tune::FitRange> ranges{};
    std::optional<scene::Scene> scene{};
    Tuning tuning{};  ///< as found, without a scene
    GoalFit fit{};
};

Wished fitted(const FitOptions& options) {
    Wished wished{.ranges = ranges_of(options)};
    const std::vector<FitGoal> goals = goals_of(options);
    if (options.scene.empty()) {
        if (wished.ranges.empty())
            wished.ranges = {{"frequency_hz", 0.05, 50}, {"damping_ratio", 0.01, 5}};
        const Tuning given = options.tuning.tuning();
        wished.fit = run_fit_with(options, [&](const tune::FitSettings& settings) {
            return tune::fit_to_goals(goals, wished.ranges, given, settings);
        });
        wished.tuning = tune::changed(given, tune::paths_of(wished.ranges), wished.fit.values);
    } else {
        wished.scene = scene_of(options, "fit");
        wished.fit = run_fit_with(options, [&](const tune::FitSettings& settings) {
            return tune::fit_to_goals(goals, wished.ranges, *wished.scene, settings);
        });
    }
    return wished;
}

Json number(double value) {
    return std::isfinite(value) ? Json(value) : Json(nullptr);
}

Json json_of(const FitOptions& options, const Wished& wished) {
    Json json{{"made_by", made_by("fit")}};
    if (!options.scene.empty()) json["made_by"]["scene"] = options.scene.string();
    for (std::size_t k = 0; k < wished.ranges.size(); ++k) {
        const tune::FitRange& range = wished.ranges[k];
        json["numbers"].push_back({{"name", range.path},
                                   {"value", wished.fit.values[k]},
                                   {"least", range.low},
                                   {"most", range.high}});
    }
    for (const GoalOutcome& each : wished.fit.goals) {
        json["goals"].push_back({{"want", in_words(each.goal)},
                                 {"figure", each.goal.figure},
                                 {"value", each.goal.value},
                                 {"achieved", number(each.achieved)},
                                 {"is_met", each.is_met},
                                 {"seen_least", number(each.least)},
                                 {"seen_most", number(each.most)}});
    }
    for (const tune::TrialFigure& figure : wished.fit.figures)
        json["figures"][figure.name] = number(figure.value);
    if (options.scene.empty()) json["tuning"] = tool::to_json(wished.tuning);
    json["is_met"] = wished.fit.is_met;
    json["is_closed_form"] = wished.fit.is_closed_form;
    json["runs"] = wished.fit.runs;
    return json;
}

void print(const FitOptions& options, const Wished& wished) {
    const GoalFit& fit = wished.fit;
    for (std::size_t k = 0; k < wished.ranges.size(); ++k) {
        const tune::FitRange& range = wished.ranges[k];
        const double value = fit.values[k];
        const bool is_at_end = value == range.low || value == range.high;
        fmt::print("{:<28} {:.6g}{}\n", range.path, value,
                   is_at_end ? "  at the end of its range" : "");
    }
    fmt::print("\n");
    for (const GoalOutcome& each : fit.goals)
        fmt::print("{:<28} {}\n", in_words(each.goal), in_words(each));
    fmt::print("\n{}", fit.is_met         ? "every goal is met"
                       : fit.is_cancelled ? "interrupted: the best so far"
                                          : "not every goal can be met; this comes nearest");
    if (fit.is_closed_form) {
        fmt::print(" (in closed form)\n");
    } else {
        fmt::print(" ({} runs)\n", fit.runs);
    }
    if (options.scene.empty()) {
        fmt::print("{}\n", scene::in_words(wished.tuning));
    } else {
        fmt::print("{}\n", run_line(options, tune::paths_of(wished.ranges), fit.values));
    }
}

void draw(const FitOptions& options, const Wished& wished) {
    if (options.figure.empty()) return;
    const std::vector<std::string> paths = tune::paths_of(wished.ranges);
    std::vector<std::string> notes;
    for (std::size_t k = 0; k < paths.size(); ++k)
        notes.push_back(fmt::format("{} {:.4g}", paths[k], wished.fit.values[k]));
    for (const GoalOutcome& each : wished.fit.goals)
        notes.push_back(fmt::format("{}: {:.4g}", in_words(each.goal), each.achieved));
    if (!wished.scene) {
        const double settled_s = jump_response(wished.tuning).settling_time_s.value().value_or(2);
        draw_goal_fit(
            options.figure,
            tune::curve_of(wished.tuning, {}, {}, options.seconds.value_or(2 * settled_s)),
            "Response to a jump with the numbers found", notes);
        return;
    }
    const std::string name =
        options.show.empty() ? paths.front().substr(0, paths.front().find('.')) : options.show;
    try {
        draw_goal_fit(options.figure, tune::curve_of(*wished.scene, paths, wished.fit.values, name),
                      fmt::format("{} with the numbers found", name), notes);
    } catch (const std::invalid_argument& problem) {
        refuse_fit(fmt::format("--show {}", problem.what()));
    }
}

void check(const FitOptions& options) {
    if (!options.figure.empty() && !draw::is_chart_file(options.figure)) {
        refuse_fit(fmt::format("--figure {}: expected a name that ends in .png or .svg",
                               options.figure.string()));
    }
    if (options.wants.empty() == options.reference.empty()) {
        refuse_fit(
            "say what the motion should be: --want FIGURE=NUMBER, or --reference FILE that has it");
    }
    if (!options.scene.empty() && !options.save.name.empty()) {
        refuse_fit(
            "--save keeps a tuning; numbers of a scene are kept by hopcoil tunings --scene SCENE "
            "--system NAME --set PATH=NUMBER --save NAME");
    }
    if (options.reference.empty() && !(options.motion.empty() && options.target.empty() &&
                                       options.matches.empty() && !options.delay_s))
        refuse_fit("--motion, --target, --delay and --match go with a --reference");
}

}  // namespace

ExitCode run_fit(const FitOptions& options) {
    check(options);
    if (!options.reference.empty()) return fit_reference(options);
    const Wished wished = fitted(options);
    draw(options, wished);
    const std::string kept =
        wished.fit.is_met ? save_tuning_as("fit", options.save, wished.tuning) : std::string{};
    show_fit(options, json_of(options, wished), kept, [&] { print(options, wished); });
    if (wished.fit.is_cancelled) return ExitCode::interrupted;
    return wished.fit.is_met ? ExitCode::done : ExitCode::check_failed;
}

}  // namespace hopcoil::tool
