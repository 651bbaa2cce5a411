#include <algorithm>
#include <cmath>
#include <limits>
#include <optional>

#include <fmt/format.h>

#include <hopcoil/scene/csv.hpp>
#include <hopcoil/scene/run.hpp>
#include <hopcoil/spring/free_motion.hpp>

#include "draw/chart.hpp"
#include "tool/commands.hpp"
#include "tool/made_by.hpp"
#include "tool/response_answers.hpp"
#include "tool/response_chart.hpp"

namespace hopcoil::tool {
namespace {

/// The value for the i-th tuning: its own, the only one given, or the default.
double pick(const std::vector<double>& list, std::size_t i, double unless_given) {
    if (list.empty()) return unless_given;
    return list.size() == 1 ? list.front() : list[i];
}

struct List {
    const char* option;
    const std::vector<double>& values;
};

/// How many tunings some lists make together.
std::size_t common_length(const std::vector<List>& lists) {
    std::size_t length = 0;
    const char* longest = "";
    for (const List& list : lists) {
        if (list.values.size() > length) {
            length = list.values.size();
            longest = list.option;
        }
    }
    for (const List& list : lists) {
        if (list.values.size() > 1 && list.values.size() != length) {
            throw UsageProblem{fmt::format(
                "hopcoil response: {} has {} values and {} has {}: give as many of each, or one "
                "for all",
                list.option, list.values.size(), longest, length)};
        }
    }
    return length;
}

struct WantedTuning {
    Tuning tuning{};
    double mass_kg = 1.0;
};

std::vector<WantedTuning> wanted_tunings(const ResponseOptions& options) {
    const List leads{"--lead", options.leads};
    const bool springs = !options.masses_kg.empty() || !options.stiffnesses_n_per_m.empty() ||
                         !options.dampings_n_s_per_m.empty();
    const bool feels = !options.frequencies_hz.empty() || !options.damping_ratios.empty();
    std::vector<WantedTuning> wanted;
    if (springs && feels) {
        throw UsageProblem{
            "hopcoil response: give --frequency and --damping-ratio, or --mass, --stiffness and "
            "--damping, not both"};
    }
    if (springs) {
        if (options.stiffnesses_n_per_m.empty()) {
            throw UsageProblem{"hopcoil response: --mass and --damping need a --stiffness"};
        }
        const std::size_t count = common_length({{"--mass", options.masses_kg},
                                                 {"--stiffness", options.stiffnesses_n_per_m},
                                                 {"--damping", options.dampings_n_s_per_m},
                                                 leads});
        for (std::size_t i = 0; i < count; ++i) {
            const SpringConstants constants{
                .mass_kg = pick(options.masses_kg, i, 1),
                .stiffness_n_per_m = pick(options.stiffnesses_n_per_m, i, 0),
                .damping_n_s_per_m = pick(options.dampings_n_s_per_m, i, 0),
                .lead = pick(options.leads, i, 0)};
            wanted.push_back({tuning_from(constants), constants.mass_kg});
        }
        return wanted;
    }
    const std::size_t count =
        std::max<std::size_t>(1, common_length({{"--frequency", options.frequencies_hz},
                                                {"--damping-ratio", options.damping_ratios},
                                                leads}));
    const Tuning unless_given;
    for (std::size_t i = 0; i < count; ++i) {
        const Tuning tuning{
            .frequency_hz = pick(options.frequencies_hz, i, unless_given.frequency_hz),
            .damping_ratio = pick(options.damping_ratios, i, unless_given.damping_ratio),
            .lead = pick(options.leads, i, unless_given.lead)};
        wanted.push_back({tuning, 1});
    }
    return wanted;
}

/// A recorded target; the first column beside the time when none is named.
scene::RecordTarget recorded_target(ResponseOptions& options) {
    const scene::CsvTable table = scene::read_csv(options.target);
    if (options.column.empty()) {
        const auto found = std::find_if(table.header.begin(), table.header.end(),
                                        [](const std::string& name) { return name != "time_s"; });
        if (found == table.header.end()) {
            throw UsageProblem{fmt::format("{}: expected a column beside time_s to follow",
                                           options.target.string())};
        }
        options.column = *found;
    }
    if (table.rows.empty()) {
        throw UsageProblem{fmt::format("{}: it has no samples", options.target.string())};
    }
    const scene::AfterEnd after_end = options.after_end == "loop"       ? scene::AfterEnd::loop
                                      : options.after_end == "mirror"   ? scene::AfterEnd::mirror
                                      : options.after_end == "continue" ? scene::AfterEnd::carry_on
                                                                        : scene::AfterEnd::hold;
    std::vector<double> times_s = scene::number_column(table, "time_s");
    std::vector<double> values = scene::number_column(table, options.column);
    return {std::move(times_s), std::move(values), after_end};
}

scene::Target target_of(ResponseOptions& options) {
    const double size = options.size;
    if (options.signal == "jump") {
        return scene::MovesTarget{0, {scene::Jump{0, size}}, {}};
    }
    if (options.signal == "kick") return scene::MovesTarget{0, {}, {}};
    if (options.signal == "ramp") {
        constexpr double long_s = 1e6;
        return scene::MovesTarget{0, {scene::Ramp{0, size * long_s, long_s}}, {}};
    }
    if (options.signal == "sine") {
        constexpr double for_ever = std::numeric_limits<double>::infinity();
        return scene::MovesTarget{0, {}, {{0, for_ever, size, options.sine_hz}}};
    }
    return recorded_target(options);
}

/// A round number no smaller than x: 1, 1.5, 2, 3, 4, 5 or 8 times a power of ten.
double rounded_up(double x) {
    const double power = std::pow(10.0, std::floor(std::log10(x)));
    for (const double digit : {1.0, 1.5, 2.0, 3.0, 4.0, 5.0, 8.0}) {
        if (digit * power >= x * (1 - 1e-9)) return digit * power;
    }
    return 10 * power;
}

/// Long enough to see every tuning settle, or swing a dozen times if it takes too long.
double telling_duration_s(const ResponseOptions& options, const std::vector<WantedTuning>& wanted) {
    double longest_s = options.signal == "sine" ? 4 / options.sine_hz : 0;
    for (const WantedTuning& each : wanted) {
        if (each.tuning.frequency_hz == 0) continue;
        const FreeMotion motion{each.tuning, {-1, 0}};
        const double dozen_s = 12 / each.tuning.frequency_hz;
        const double settled_s = motion.settling_time_s(0.01).value_or(dozen_s);
        longest_s = std::max(longest_s, std::min(settled_s, std::max(dozen_s, 5.0)));
    }
    return longest_s > 0 ? rounded_up(1.1 * longest_s) : 3.0;
}

scene::Scene scene_of(ResponseOptions& options, const std::vector<WantedTuning>& wanted) {
    scene::Scene scene{.rate_hz = options.rate_hz};
    scene.targets.push_back({.name = "target", .unit = "", .path = target_of(options)});
    const scene::Target& target = scene.targets.front().path;
    for (std::size_t i = 0; i < wanted.size(); ++i) {
        const Tuning& tuning = wanted[i].tuning;
        std::string name = fmt::format("f{:.6g}_z{:.6g}_L{:.6g}", tuning.frequency_hz,
                                       tuning.damping_ratio, tuning.lead);
        const bool taken = std::any_of(scene.followers.begin(), scene.followers.end(),
                                       [&](const auto& each) { return each.name == name; });
        if (taken) name += fmt::format("_{}", i + 1);
        scene.followers.push_back({.name = std::move(name),
                                   .tuning = tuning,
                                   .start = target.before(0).value,
                                   .start_velocity = initial_velocity_of(options)});
    }
    const double unless_asked = options.signal == "csv" ? std::max(target.last_event_s(), 1.0)
                                                        : telling_duration_s(options, wanted);
    scene.duration_s = options.seconds.value_or(unless_asked);
    return scene;
}

Take take_of(scene::Scene scene, double rate_hz) {
    scene.rate_hz = rate_hz;
    Take take;
    scene::run(scene, take);
    return take;
}

/// Often enough for a smooth curve, whatever the rate of the rows.
double drawing_rate_hz(const scene::Scene& scene) {
    constexpr double points = 1600;
    return std::max(scene.rate_hz, points / scene.duration_s);
}

Json to_json(const ResponseOptions& options, const ResponseAnswer& answer) {
    Json json{{"name", answer.name},
              {"signal", options.signal},
              {"tuning", tool::to_json(answer.tuning, answer.mass_kg)}};
    for (const NamedFigure& each : answer.figures)
        set_figure(json, each.key, each.figure);
    json["swings"] = Json::array();
    for (const Swing& swing : answer.swings) {
        json["swings"].push_back({{"time_s", swing.time_s}, {"percent", swing.percent}});
    }
    return json;
}

void print_answer(const ResponseAnswer& answer) {
    fmt::print("{}\n", answer.name);
    for (const NamedFigure& each : answer.figures) {
        if (each.name.empty()) continue;
        if (!each.figure.value()) {
            const bool other_signal = each.figure.reason().ends_with("no jump to answer");
            if (!other_signal) fmt::print("  {:<24} none: {}\n", each.name, each.figure.reason());
        } else {
            fmt::print("  {:<24} {:.4g}{}{}\n", each.name, *each.figure.value(),
                       each.unit.empty() ? "" : " ", each.unit);
        }
    }
    constexpr std::size_t most_listed = 8;
    const std::size_t listed = std::min(answer.swings.size(), most_listed);
    for (std::size_t i = 0; i < listed; ++i) {
        fmt::print("  {:<24} {:+.4g} % at {:.4g} s\n", i == 0 ? "swings" : "",
                   answer.swings[i].percent, answer.swings[i].time_s);
    }
    if (answer.swings.size() > listed) {
        fmt::print("  {:<24} ... {} more (--json lists them)\n", "", answer.swings.size() - listed);
    }
    const SpringConstants spring = spring_constants_from(answer.tuning, answer.mass_kg);
    fmt::print("  {:<24} {:.4g} kg, {:.4g} N/m, {:.4g} N s/m\n\n", "as a spring", spring.mass_kg,
               spring.stiffness_n_per_m, spring.damping_n_s_per_m);
}

void check_outputs(const ResponseOptions& options) {
    if (!options.figure.empty() && !draw::is_chart_file(options.figure)) {
        throw UsageProblem{
            fmt::format("hopcoil response: --figure {}: expected a name that ends in .png or .svg",
                        options.figure.string())};
    }
    const bool recorded = options.signal == "csv";
    if (recorded && options.target.empty()) {
        throw UsageProblem{"hopcoil response: --signal csv needs a --target FILE.csv"};
    }
    if (!recorded && !options.target.empty()) {
        throw UsageProblem{fmt::format(
            "hopcoil response: --target goes with --signal csv, not with {}", options.signal)};
    }
}

}  // namespace

ExitCode run_response(const ResponseOptions& given) {
    ResponseOptions options = given;
    if (options.signal.empty()) options.signal = options.target.empty() ? "jump" : "csv";
    check_outputs(options);
    const std::vector<WantedTuning> wanted = wanted_tunings(options);
    const scene::Scene scene = scene_of(options, wanted);
    scene::require_valid_clock(scene.duration_s, scene.rate_hz);

    std::vector<ResponseAnswer> answers;
    const Take smooth = take_of(scene, drawing_rate_hz(scene));
    for (std::size_t i = 0; i < wanted.size(); ++i) {
        std::optional<Tracking> tracking;
        if (options.signal == "csv") {
            tracking = measure_tracking(smooth.times_s(), smooth.column(1 + 2 * i),
                                        smooth.column(2 + 2 * i), smooth.column(0));
        }
        answers.push_back(answer_of(options, wanted[i].tuning, tracking));
        answers.back().mass_kg = wanted[i].mass_kg;
    }

    // The figure first: if it cannot be drawn, nothing else has been written.
    if (!options.figure.empty()) {
        draw::write_chart(response_chart(options, answers, smooth), options.figure);
    }
    if (!options.csv.empty()) scene::write_csv(options.csv, take_of(scene, options.rate_hz));
    if (options.json) {
        Json json{{"made_by", made_by("response")}, {"responses", Json::array()}};
        for (const ResponseAnswer& answer : answers) {
            json["responses"].push_back(to_json(options, answer));
        }
        print_json(json);
        return ExitCode::done;
    }
    for (const ResponseAnswer& answer : answers)
        print_answer(answer);
    if (!options.figure.empty()) fmt::print("drawn: {}\n", options.figure.string());
    if (!options.csv.empty()) fmt::print("written: {}\n", options.csv.string());
    return ExitCode::done;
}

}  // namespace hopcoil::tool
