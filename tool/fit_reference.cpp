#include <cmath>
#include <optional>

#include <fmt/format.h>

#include <hopcoil/scene/tuning_file.hpp>
#include <hopcoil/tune/reference_fit.hpp>

#include "tool/fit_inputs.hpp"
#include "tool/fit_pictures.hpp"
#include "tool/made_by.hpp"
#include "tool/saved_tuning.hpp"
#include "tool/scene_changes.hpp"

namespace hopcoil::tool {
namespace {

using tune::FittedNumber;
using tune::ReferenceFit;

/// What was fitted, and to what.
struct Fitted {
    std::vector<double> times_s{};
    std::vector<std::vector<double>> motion{};
    std::vector<std::vector<double>> target{};
    std::vector<std::string> names{};  ///< of the motion's components
    std::string unit{};
    ReferenceFit fit{};
    std::optional<tune::FollowerFit> follower{};  ///< without a scene
};

tune::Reference reference_of(const FitOptions& options, const std::string& motion,
                             const std::string& target) {
    try {
        return tune::read_reference(options.reference.string(), motion, target);
    } catch (const std::invalid_argument& problem) {
        refuse_fit(problem.what());
    }
}

Fitted fitted_follower(const FitOptions& options) {
    if (!options.vary.empty()) {
        refuse_fit(
            "--vary goes with a scene; of a follower frequency, damping ratio and lead are found");
    }
    if (!options.matches.empty()) refuse_fit("--match goes with a scene; give --motion");
    if (options.tuning.frequency_hz || options.tuning.damping_ratio)
        refuse_fit("--frequency and --damping-ratio are found from a --reference");
    const tune::Reference reference = reference_of(options, options.motion, options.target);
    tune::KnownNumbers known{.lead = options.tuning.lead, .delay_s = options.delay_s};
    if (!known.lead && !known.delay_s) known.delay_s = 0;
    Fitted fitted{.times_s = reference.times_s,
                  .motion = reference.motion,
                  .target = reference.target,
                  .unit = reference.unit};
    for (std::size_t k = 0; k < reference.motion.size(); ++k) {
        fitted.names.push_back(reference.motion.size() == 1
                                   ? reference.motion_name
                                   : fmt::format("{}.{}", reference.motion_name, "xyzw"[k]));
    }
    fitted.follower = run_fit_with(options, [&](const tune::FitSettings& settings) {
        return tune::fit_follower(reference, known, settings);
    });
    fitted.fit = fitted.follower->fit;
    return fitted;
}

/// COLUMN=COLUMN: of the scene's take, of the reference.
std::pair<std::string, std::string> match_from(const std::string& text) {
    const std::size_t equals = text.find('=');
    if (equals == std::string::npos || equals == 0 || equals + 1 == text.size()) {
        refuse_fit(
            fmt::format("--match {}: expected COLUMN=COLUMN, that of the scene's take and "
                        "that of the reference",
                        text));
    }
    return {text.substr(0, equals), text.substr(equals + 1)};
}

Fitted fitted_scene(const FitOptions& options) {
    if (options.matches.empty()) {
        refuse_fit(
            "say what should be like what: --match COLUMN=COLUMN, that of the scene's take and "
            "that of the reference");
    }
    if (!options.motion.empty() || !options.target.empty() || options.delay_s)
        refuse_fit("--motion, --target and --delay go without a scene; give --match");
    const std::vector<tune::FitRange> ranges = ranges_of(options);
    const scene::Scene scene = scene_of(options, "fit");
    Fitted fitted;
    std::vector<tune::Match> matches;
    for (const std::string& text : options.matches) {
        const auto [column, recorded] = match_from(text);
        tune::Reference reference = reference_of(options, recorded, "");
        if (reference.motion.size() != 1)
            refuse_fit(fmt::format("--match {}: name one column, such as {}.x", text, recorded));
        matches.push_back({column, reference.motion.front()});
        fitted.times_s = reference.times_s;
        fitted.motion.push_back(std::move(reference.motion.front()));
        fitted.names.push_back(column);
        fitted.unit = matches.size() == 1 ? reference.unit : "";
    }
    fitted.fit = run_fit_with(options, [&](const tune::FitSettings& settings) {
        return tune::fit_scene(scene, ranges, fitted.times_s, matches, settings);
    });
    return fitted;
}

std::string with_interval(const FittedNumber& number) {
    // Within so large a factor either way nothing is said of it.
    constexpr double anything = 100;
    const bool is_open = number.value > 0 && number.low >= 0 &&
                         number.low * anything < number.value &&
                         number.high > number.value * anything;
    return fmt::format(
        "{:<28} {:<10.5g} {}{}", number.name, number.value,
        is_open ? "anything" : fmt::format("{:.5g} to {:.5g}", number.low, number.high),
        number.is_at_bound ? "; at the end of its range" : "");
}

std::string verdict_on(const ReferenceFit& fit, bool is_follower) {
    if (fit.is_explained) {
        return fmt::format(
            "these numbers explain the motion: besides noise, {:.2g} % of it is left over",
            fit.unexplained_percent);
    }
    return fmt::format(
        "{} this motion: besides noise, {:.2g} % of it is left over; worst from {:.4g} to {:.4g} s "
        "({:.0f} % of the squares)",
        is_follower ? "no follower explains" : "no numbers within these ranges explain",
        fit.unexplained_percent, fit.worst.from_s, fit.worst.to_s, fit.worst.share_percent);
}

void print(const FitOptions& options, const Fitted& fitted) {
    const ReferenceFit& fit = fitted.fit;
    fmt::print("{:<28} {:<10} with 95 % confidence\n", "", "found");
    for (const FittedNumber& number : fit.numbers)
        fmt::print("{}\n", with_interval(number));
    if (fitted.follower) {
        const bool is_delay_found = fit.numbers.back().name == "delay_s";
        if (is_delay_found)
            fmt::print("{:<28} {:<10.5g} given\n", "lead", fitted.follower->tuning.lead);
        if (!is_delay_found)
            fmt::print("{:<28} {:<10.5g} given\n", "delay_s", fitted.follower->delay_s);
    }
    if (fit.combination) {
        fmt::print("the record does not determine these numbers one by one; it determines\n{}\n",
                   with_interval(*fit.combination));
    }
    const std::string unit = fitted.unit.empty() ? "" : " " + fitted.unit;
    fmt::print("\nleft over {:.3g}{} rms, of which noise {:.3g}{}\n{}\n", fit.residual_rms, unit,
               fit.noise_rms, unit, verdict_on(fit, fitted.follower.has_value()));
    if (fitted.follower) {
        fmt::print("{}\n", scene::in_words(fitted.follower->tuning));
        return;
    }
    std::vector<std::string> paths;
    std::vector<double> values;
    for (const FittedNumber& number : fit.numbers) {
        paths.push_back(number.name);
        values.push_back(number.value);
    }
    fmt::print("{}\n", run_line(options, paths, values));
}

Json json_of(const FittedNumber& number) {
    return {{"name", number.name},
            {"value", number.value},
            {"low", number.low},
            {"high", number.high},
            {"is_at_bound", number.is_at_bound}};
}

const char* name_of(tune::TargetPath path) {
    switch (path) {
        case tune::TargetPath::straight:
            return "straight";
        case tune::TargetPath::smooth:
            return "smooth";
        case tune::TargetPath::leaps_early:
            return "leaps at the first of two samples";
        case tune::TargetPath::leaps_late:
            break;
    }
    return "leaps at the second of two samples";
}

Json json_of(const FitOptions& options, const Fitted& fitted) {
    const ReferenceFit& fit = fitted.fit;
    Json json{{"made_by", made_by("fit")}};
    json["made_by"]["reference"] = options.reference.string();
    if (!options.scene.empty()) json["made_by"]["scene"] = options.scene.string();
    for (const FittedNumber& number : fit.numbers)
        json["numbers"].push_back(json_of(number));
    json["combination"] = fit.combination ? json_of(*fit.combination) : Json(nullptr);
    if (fitted.follower) {
        json["tuning"] = tool::to_json(fitted.follower->tuning);
        json["delay_s"] = fitted.follower->delay_s;
        json["target_path"] = name_of(fitted.follower->path);
    }
    json["residual_rms"] = fit.residual_rms;
    json["noise_rms"] = fit.noise_rms;
    json["unexplained_percent"] = fit.unexplained_percent;
    json["is_explained"] = fit.is_explained;
    json["explained_worst"] = {{"from_s", fit.worst.from_s},
                               {"to_s", fit.worst.to_s},
                               {"share_percent", fit.worst.share_percent}};
    return json;
}

void draw(const FitOptions& options, const Fitted& fitted) {
    if (options.figure.empty()) return;
    std::vector<Explained> parts;
    for (std::size_t k = 0; k < fitted.motion.size(); ++k) {
        parts.push_back({fitted.names[k], fitted.unit, &fitted.motion[k],
                         fitted.target.empty() ? nullptr : &fitted.target[k]});
    }
    draw_reference_fit(options.figure, fitted.fit, fitted.times_s, parts,
                       fmt::format("Numbers found for {}", options.reference.filename().string()));
}

}  // namespace

ExitCode fit_reference(const FitOptions& options) {
    const Fitted fitted = options.scene.empty() ? fitted_follower(options) : fitted_scene(options);
    draw(options, fitted);
    const std::string kept = fitted.follower
                                 ? save_tuning_as("fit", options.save, fitted.follower->tuning)
                                 : std::string{};
    show_fit(options, json_of(options, fitted), kept, [&] { print(options, fitted); });
    if (fitted.fit.is_cancelled) return ExitCode::interrupted;
    return fitted.fit.is_explained ? ExitCode::done : ExitCode::check_failed;
}

}  // namespace hopcoil::tool
