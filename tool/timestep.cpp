#include <algorithm>
#include <cmath>
#include <variant>

#include <fmt/format.h>

#include <hopcoil/scene/scene.hpp>
#include <hopcoil/scene/system_report.hpp>

#include "draw/chart.hpp"
#include "tool/commands.hpp"
#include "tool/made_by.hpp"
#include "tool/movers_from_options.hpp"
#include "tool/scene_changes.hpp"
#include "tool/timestep_chart.hpp"

namespace hopcoil::tool {
namespace {

/// A mover of a scene that needs no survey, and why.
struct Exact {
    std::string name;
    std::string words;
    const char* why = "exact at any step";
};

/// A system that is stepped as physics, and the ways that could be done.
struct Stepped {
    std::string name;
    std::string words;
    std::vector<scene::StepLimit> limits;
};

struct Asked {
    std::vector<NamedSurvey> surveys;
    std::vector<Stepped> stepped;
    std::vector<Exact> exact;
};

void check(const TimestepOptions& options) {
    if (!options.scene.empty() && !has_no_options(options.tunings)) {
        throw UsageProblem{"hopcoil timestep: give a scene or the numbers of a tuning, not both"};
    }
    if (!options.figure.empty() && !draw::is_chart_file(options.figure)) {
        throw UsageProblem{
            fmt::format("hopcoil timestep: --figure {}: expected a name that ends in .png or .svg",
                        options.figure.string())};
    }
}

void survey(Asked& asked, const std::string& given_name, const Tuning& tuning,
            const TimestepOptions& options) {
    const std::string name = given_name.empty() ? scene::in_words(tuning) : given_name;
    if (tuning.frequency_hz == 0) {
        asked.exact.push_back({name, "there is no spring to step"});
        return;
    }
    asked.surveys.push_back(
        {name, survey_steps(tuning, options.rates_hz, options.wanted_error_percent)});
}

void survey_scene(Asked& asked, const TimestepOptions& options) {
    scene::Scene scene = scene::read_scene(options.scene);
    ChangeOptions changes = options.changes;
    changes.tuning_files = options.tunings.files;
    make_changes(scene, changes, "timestep");
    for (const scene::SceneSystem& system : scene.systems) {
        if (auto limits = system.spec->step_limits(); !limits.empty()) {
            asked.stepped.push_back({system.name, system.spec->in_words(0), std::move(limits)});
            continue;
        }
        const std::vector<scene::Port> ports = system.spec->outputs();
        const scene::StepResponder* const responder = system.spec->step_responder();
        for (std::size_t i = 0; i < ports.size(); ++i) {
            const std::string name = scene::output_name(system, ports[i]);
            const auto tuning = responder == nullptr ? std::nullopt : responder->tuning(i);
            if (tuning) {
                survey(asked, name, *tuning, options);
            } else if (const std::string words = system.spec->in_words(i); !words.empty()) {
                asked.exact.push_back({name, words,
                                       responder == nullptr
                                           ? "steps of its own, whatever the frame rate"
                                           : "exact at any step"});
            }
        }
    }
}

Asked asked_for(const TimestepOptions& options) {
    Asked asked;
    if (!options.scene.empty()) {
        survey_scene(asked, options);
        return asked;
    }
    for (const WantedMover& each : movers_from_options(options.tunings, "timestep")) {
        survey(asked, each.name, each.tuning.value(), options);
    }
    return asked;
}

/// So many digits, without an exponent, whatever the size.
std::string plain(double number, int digits) {
    if (number == 0) return "0";
    const int before = static_cast<int>(std::floor(std::log10(std::abs(number)))) + 1;
    return fmt::format("{:.{}f}", number, std::max(0, digits - before));
}

std::string milliseconds(double seconds, const char* unless_finite) {
    return std::isfinite(seconds) ? plain(1000 * seconds, 3) + " ms" : unless_finite;
}

std::string percent(double number, const char* sign) {
    constexpr double visible = 1e-3;
    if (std::abs(number) < visible) return fmt::format("<{} %", visible);
    return (number > 0 ? sign : "") + plain(number, 2) + " %";
}

std::string error_text(const SurveyCell& cell) {
    if (cell.report.verdict == StepVerdict::unstable) return "unstable";
    return (cell.report.verdict == StepVerdict::rings ? "rings " : "") +
           percent(cell.error_percent, "");
}

std::string drift_text(const SurveyCell& cell) {
    if (cell.report.verdict == StepVerdict::unstable) return "unstable";
    return percent(cell.energy_drift_percent, "+");
}

template <class CellText>
void print_rates(const StepSurvey& survey, const char* heading, const CellText& text) {
    fmt::print("  {:<20}", heading);
    for (const SurveyCell& cell : survey.schemes.front().cells)
        fmt::print("{:>11}", fmt::format("{:.4g} Hz", cell.rate_hz));
    fmt::print("\n");
    for (const SchemeSurvey& scheme : survey.schemes) {
        fmt::print("  {:<20}", facts_of(scheme.scheme).name);
        for (const SurveyCell& cell : scheme.cells)
            fmt::print("{:>11}", text(cell));
        fmt::print("\n");
    }
    fmt::print("\n");
}

void print_lines(const StepSurvey& survey) {
    fmt::print("  {:<20}{:>13}{:>14}{:>8}{:>13}{:>15}\n", "steps and cost", "stable below",
               "rings from", "order", fmt::format("{:.3g} % from", survey.wanted_error_percent),
               "evaluations/s");
    for (const SchemeSurvey& scheme : survey.schemes) {
        const bool none = scheme.limits.largest_stable_s == 0;
        // A ringing threshold above the stable limit is of no use.
        const double ringing_s = scheme.limits.ringing_from_s < scheme.limits.largest_stable_s
                                     ? scheme.limits.ringing_from_s
                                     : std::numeric_limits<double>::infinity();
        fmt::print("  {:<20}{:>13}{:>14}{:>8}{:>13}{:>15}\n", facts_of(scheme.scheme).name,
                   none ? "unstable" : milliseconds(scheme.limits.largest_stable_s, "any step"),
                   milliseconds(ringing_s, "never"),
                   std::isfinite(scheme.measured_order)
                       ? fmt::format("{:.2f}", scheme.measured_order)
                       : "-",
                   scheme.needed_rate_hz ? plain(*scheme.needed_rate_hz, 4) + " Hz" : "-",
                   scheme.needed_rate_hz ? plain(scheme.evaluations_per_s, 4) : "-");
    }
    fmt::print("  {:<20}{:>13}{:>14}{:>8}{:>13}{:>15}\n", "adaptive (5, 4)", "own steps", "never",
               "5", plain(survey.adaptive.steps_per_s, 4) + " Hz",
               plain(survey.adaptive.evaluations_per_s, 4));
    fmt::print("  {:<20}{:>13}{:>14}{:>8}{:>13}{:>15}\n\n", "exact: a follower", "any step",
               "never", "exact", "any rate", "none");
}

std::string recommendation(const StepSurvey& survey) {
    std::string text = "A follower is exact at any rate; take that unless other forces join in. ";
    if (!survey.cheapest) {
        return text + fmt::format(
                          "No scheme with a fixed step comes within {:.3g} % in 300,000 "
                          "steps; take the adaptive one.",
                          survey.wanted_error_percent);
    }
    const SchemeSurvey& best = survey.schemes[*survey.cheapest];
    return text + fmt::format(
                      "Then {} at {:.4g} Hz is the cheapest that stays within {:.3g} %: {:.4g} "
                      "evaluations a second.",
                      facts_of(best.scheme).name, *best.needed_rate_hz, survey.wanted_error_percent,
                      best.evaluations_per_s);
}

/// The highest of the rates at which the frequency itself cannot be shown.
std::string rate_warning(const StepSurvey& survey) {
    double highest_hz = 0;
    for (const SurveyCell& cell : survey.schemes.front().cells) {
        if (cell.report.beyond_half_rate) highest_hz = std::max(highest_hz, cell.rate_hz);
    }
    if (highest_hz == 0) return {};
    return fmt::format(
        "{:.4g} Hz is above half of {:.4g} Hz: no frame at that rate or below can "
        "show it.",
        survey.tuning.frequency_hz, highest_hz);
}

void print_survey(const NamedSurvey& named) {
    const StepSurvey& survey = named.survey;
    const std::string numbers = scene::in_words(survey.tuning);
    if (named.name != numbers) fmt::print("{}: ", named.name);
    fmt::print("{}\n\n", numbers);
    print_rates(survey, "error of a jump", error_text);
    print_rates(survey, "energy beside exact", drift_text);
    print_lines(survey);
    fmt::print("  {}\n", recommendation(survey));
    const std::string warning = rate_warning(survey);
    if (!warning.empty()) fmt::print("  {}\n", warning);
    fmt::print("\n");
}

void print_limits(const Stepped& stepped) {
    fmt::print("{}: {}\n\n  {:<28}{:>14}{:>14}\n", stepped.name, stepped.words, "method",
               "stable below", "steps a frame");
    for (const scene::StepLimit& limit : stepped.limits) {
        const bool none = limit.stable_below_s == 0;
        fmt::print("{} {:<28}{:>14}{:>14}  {}\n", limit.is_chosen ? '*' : ' ', limit.method,
                   none ? "unstable" : milliseconds(limit.stable_below_s, "any step"),
                   none ? "-" : fmt::format("{}", limit.steps), limit.note);
    }
    fmt::print("  * as the scene has it\n\n");
}

/// JSON has no infinity: null, with why beside it.
void set_number(Json& json, const std::string& key, double value, const char* unless_finite) {
    if (std::isfinite(value)) {
        json[key] = value;
        return;
    }
    json[key] = nullptr;
    json[key + "_reason"] = unless_finite;
}

constexpr const char* left = "it diverged";

Json to_json(const SchemeSurvey& scheme, const Tuning& tuning, double wanted) {
    const SchemeFacts& facts = facts_of(scheme.scheme);
    const double w = angular_frequency_rad_per_s(tuning);
    Json json{{"scheme", facts.name}, {"order", facts.order}};
    set_number(json, "measured_order", scheme.measured_order, "its errors are too large to tell");
    set_number(json, "largest_stable_step_s", scheme.limits.largest_stable_s, "every step holds");
    set_number(json, "largest_stable_w_dt", w * scheme.limits.largest_stable_s, "every step holds");
    set_number(json, "ringing_from_step_s", scheme.limits.ringing_from_s, "it never rings");
    set_number(json, "ringing_from_w_dt", w * scheme.limits.ringing_from_s, "it never rings");
    json["evaluations_per_step"] = facts.evaluations_per_step;
    if (scheme.needed_rate_hz) {
        json["needed_rate_hz"] = *scheme.needed_rate_hz;
        json["evaluations_per_s"] = scheme.evaluations_per_s;
    } else {
        const std::string reason =
            fmt::format("it does not come within {:.3g} % in 300,000 steps", wanted);
        json["needed_rate_hz"] = json["evaluations_per_s"] = nullptr;
        json["needed_rate_hz_reason"] = json["evaluations_per_s_reason"] = reason;
    }
    json["rates"] = Json::array();
    for (const SurveyCell& cell : scheme.cells) {
        Json one{{"rate_hz", cell.rate_hz},
                 {"verdict", in_words(cell.report.verdict)},
                 {"spectral_radius", cell.report.spectral_radius}};
        constexpr const char* no_swing = "it does not swing";
        set_number(one, "stepped_frequency_hz", cell.report.frequency_hz, no_swing);
        set_number(one, "frequency_error_percent",
                   100 * (cell.report.frequency_hz / tuning.frequency_hz - 1), no_swing);
        set_number(one, "stepped_damping_ratio", cell.report.damping_ratio, no_swing);
        one["beyond_half_rate"] = cell.report.beyond_half_rate;
        set_number(one, "error_percent", cell.error_percent, left);
        set_number(one, "energy_drift_percent", cell.energy_drift_percent, left);
        one["evaluations_per_s"] = cell.evaluations_per_s;
        json["rates"].push_back(std::move(one));
    }
    json["error_against_step"] = Json::array();
    for (const StepError& each : scheme.errors) {
        Json one{{"step_s", each.step_s}};
        set_number(one, "error_percent", each.error_percent, left);
        json["error_against_step"].push_back(std::move(one));
    }
    return json;
}

/// The motion that `--draw motion` shows, sample by sample.
Json motion_json(const StepSurvey& survey, double rate_hz) {
    Json json{{"rate_hz", rate_hz}};
    for (const SchemeFacts& each : all_schemes()) {
        const SteppedJump jump =
            stepped_jump(survey.tuning, each.scheme, 1 / rate_hz, survey.duration_s);
        if (each.scheme == Scheme::implicit_euler) {  // it always goes to the end
            json["times_s"] = jump.times_s;
            json["exact"] = jump.exact;
        }
        json[std::string{each.name}] = jump.values;
    }
    return json;
}

Json to_json(const NamedSurvey& named, double rate_hz) {
    const StepSurvey& survey = named.survey;
    Json json{{"name", named.name},
              {"tuning", tool::to_json(survey.tuning)},
              {"duration_s", survey.duration_s},
              {"wanted_error_percent", survey.wanted_error_percent},
              {"schemes", Json::array()}};
    for (const SchemeSurvey& scheme : survey.schemes)
        json["schemes"].push_back(to_json(scheme, survey.tuning, survey.wanted_error_percent));
    json["adaptive"] = {{"tolerance", survey.adaptive.tolerance},
                        {"error_percent", survey.adaptive.error_percent},
                        {"steps_per_s", survey.adaptive.steps_per_s},
                        {"evaluations_per_s", survey.adaptive.evaluations_per_s}};
    json["motion"] = motion_json(survey, rate_hz);
    json["cheapest"] = nullptr;
    if (survey.cheapest) {
        json["cheapest"] = facts_of(survey.schemes[*survey.cheapest].scheme).name;
    }
    json["recommendation"] = recommendation(survey);
    return json;
}

Json to_json(const Stepped& stepped) {
    Json json{{"name", stepped.name}, {"words", stepped.words}, {"methods", Json::array()}};
    for (const scene::StepLimit& limit : stepped.limits) {
        Json one{{"method", limit.method},
                 {"steps_a_frame", limit.steps},
                 {"note", limit.note},
                 {"chosen", limit.is_chosen}};
        set_number(one, "stable_below_s", limit.stable_below_s, "any step is stable");
        json["methods"].push_back(std::move(one));
    }
    return json;
}

draw::Chart chart_of(const NamedSurvey& named, const TimestepOptions& options) {
    if (options.draw == "error") return error_chart(named);
    if (options.draw == "motion") return motion_chart(named, options.at_rate_hz);
    if (options.draw == "energy") return energy_chart(named, options.at_rate_hz);
    return stability_map(named, options.at_rate_hz);
}

}  // namespace

ExitCode run_timestep(const TimestepOptions& options) {
    check(options);
    const Asked asked = asked_for(options);
    if (!options.figure.empty()) {
        if (asked.surveys.size() != 1) {
            throw UsageProblem{fmt::format(
                "hopcoil timestep: --figure draws one spring, and here are {}; name one by its "
                "numbers",
                asked.surveys.size())};
        }
        draw::write_chart(chart_of(asked.surveys.front(), options), options.figure);
    }
    if (options.json) {
        Json json{{"made_by", made_by("timestep")}, {"springs", Json::array()}};
        if (!options.scene.empty()) json["made_by"]["scene"] = options.scene.string();
        if (!options.changes.changes.empty()) json["made_by"]["set"] = options.changes.changes;
        for (const NamedSurvey& each : asked.surveys)
            json["springs"].push_back(to_json(each, options.at_rate_hz));
        json["stepped"] = Json::array();
        for (const Stepped& each : asked.stepped)
            json["stepped"].push_back(to_json(each));
        json["exact"] = Json::array();
        for (const Exact& each : asked.exact)
            json["exact"].push_back({{"name", each.name}, {"numbers", each.words}});
        print_json(json);
        return ExitCode::done;
    }
    for (const NamedSurvey& each : asked.surveys)
        print_survey(each);
    for (const Stepped& each : asked.stepped)
        print_limits(each);
    for (const Exact& each : asked.exact)
        fmt::print("{}: {} ({})\n", each.name, each.why, each.words);
    if (!options.figure.empty()) fmt::print("drawn: {}\n", options.figure.string());
    return ExitCode::done;
}

}  // namespace hopcoil::tool
