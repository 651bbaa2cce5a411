#include <algorithm>
#include <cmath>
#include <limits>
#include <optional>
#include <variant>

#include <fmt/format.h>

#include <hopcoil/base/random.hpp>
#include <hopcoil/io/csv.hpp>
#include <hopcoil/io/take_file.hpp>
#include <hopcoil/scene/kinds/movers.hpp>
#include <hopcoil/scene/run.hpp>

#include "draw/chart.hpp"
#include "tool/commands.hpp"
#include "tool/frequency_view.hpp"
#include "tool/made_by.hpp"
#include "tool/movers_from_options.hpp"
#include "tool/response_chart.hpp"
#include "tool/response_figures.hpp"
#include "tool/saved_tuning.hpp"

namespace hopcoil::tool {
namespace {

constexpr double unless_given_hz = 60;

/// Of a record: that of its samples on the whole.
double rate_of(const std::vector<double>& times_s, double otherwise_hz) {
    const double length_s = times_s.back() - times_s.front();
    return length_s > 0 ? static_cast<double>(times_s.size() - 1) / length_s : otherwise_hz;
}

/// A recorded target; the first column beside the time when none is named.
scene::RecordTarget recorded_target(ResponseOptions& options) {
    const io::CsvTable table = io::read_csv(options.target);
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
    std::vector<double> times_s = io::number_column(table, "time_s");
    std::vector<double> values = io::number_column(table, options.column);
    if (!options.rate_hz) options.rate_hz = rate_of(times_s, unless_given_hz);
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
        return scene::MovesTarget{0, {}, {scene::Sine{0, for_ever, size, options.sine_hz}}};
    }
    if (options.signal == "pulse") {
        return scene::MovesTarget{0, {scene::Jump{0, size}, scene::Jump{options.pulse_s, 0}}, {}};
    }
    if (options.signal == "noise") {
        const scene::NoiseWave noise{.until_s = std::numeric_limits<double>::infinity(),
                                     .amplitude = size,
                                     .settings = {.frequency_hz = options.sine_hz},
                                     .stream = stream_of(options.seed, "response")};
        return scene::MovesTarget{0, {}, {noise}};
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

/// Long enough to see every mover settle, or swing a dozen times if it takes too long.
double observation_duration_s(const ResponseOptions& options,
                              const std::vector<WantedMover>& wanted) {
    const bool goes_on = options.signal == "sine" || options.signal == "noise";
    double longest_s = goes_on ? (options.signal == "noise" ? 8 : 4) / options.sine_hz : 0;
    if (options.signal == "pulse") longest_s = options.pulse_s;
    for (const WantedMover& each : wanted) {
        longest_s =
            std::max(longest_s, each.spec->step_responder()->observation_time_s(options.size));
    }
    if (options.signal == "pulse") longest_s += options.pulse_s;
    return longest_s > 0 ? rounded_up(1.1 * longest_s) : 3.0;
}

/// The column it has in the CSV: short, and its own.
std::string column_name_of(const WantedMover& mover) {
    if (!mover.name.empty()) return mover.name;
    if (!mover.tuning) return mover.spec->kind();
    return fmt::format("f{:.6g}_z{:.6g}_L{:.6g}", mover.tuning->frequency_hz,
                       mover.tuning->damping_ratio, mover.tuning->lead);
}

scene::Scene scene_of(ResponseOptions& options, const std::vector<WantedMover>& wanted) {
    scene::Scene scene;
    scene.targets.push_back({.name = "target", .unit = "", .path = target_of(options)});
    if (!options.rate_hz) options.rate_hz = unless_given_hz;
    scene.rate_hz = *options.rate_hz;
    const scene::Target& target = scene.targets.front().path.component();
    for (std::size_t i = 0; i < wanted.size(); ++i) {
        std::string name = column_name_of(wanted[i]);
        const bool taken = std::any_of(scene.systems.begin(), scene.systems.end(),
                                       [&](const auto& each) { return each.name == name; });
        if (taken) name += fmt::format("_{}", i + 1);
        scene::AnySpec spec =
            wanted[i].started(target.before(0).value, initial_velocity_of(options));
        scene.systems.push_back({std::move(name), std::move(spec), {0}});
    }
    const double unless_asked = options.signal == "csv" ? std::max(target.last_event_s(), 1.0)
                                                        : observation_duration_s(options, wanted);
    scene.duration_s = options.seconds.value_or(unless_asked);
    return scene;
}

/// Where each mover's value stands among the take's columns: a cascade's is its last link's.
std::vector<std::size_t> value_columns(const scene::Scene& scene) {
    std::vector<std::size_t> columns;
    std::size_t next = scene.targets.size();
    for (const scene::SceneSystem& system : scene.systems) {
        next += 2 * system.spec->outputs().size();
        columns.push_back(next - 2);
    }
    return columns;
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

Json to_json(const ResponseOptions& options, const ResponseFigures& answer) {
    Json json{{"name", answer.name},
              {"signal", options.signal},
              {"mover", answer.kind},
              {"numbers", answer.name}};
    if (answer.tuning) {
        json["tuning"] = tool::to_json(*answer.tuning, answer.mass_kg);
    } else {
        json["tuning"] = nullptr;
        json["tuning_reason"] = fmt::format("a {} has no tuning", answer.kind);
    }
    for (const NamedFigure& each : answer.figures)
        set_figure(json, each.key, each.figure);
    json["swings"] = Json::array();
    for (const Swing& swing : answer.swings) {
        json["swings"].push_back({{"time_s", swing.time_s}, {"percent", swing.percent}});
    }
    return json;
}

void print_answer(const ResponseFigures& answer) {
    fmt::print("{}\n", answer.name);
    std::string_view last_reason;
    for (const NamedFigure& each : answer.figures) {
        if (each.name.empty()) continue;
        if (!each.figure.value()) {
            const bool other_signal = each.figure.reason().ends_with("no jump to answer");
            const bool said = each.figure.reason() == last_reason;
            last_reason = each.figure.reason();
            if (!other_signal && !said)
                fmt::print("  {:<24} none: {}\n", each.name, each.figure.reason());
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
    if (!answer.tuning) {
        fmt::print("\n");
        return;
    }
    const SpringConstants spring = spring_constants_from(*answer.tuning, answer.mass_kg);
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

namespace {

/// The motions of the movers, and their figures.
struct Answered {
    ResponseOptions options;  ///< the signal settled
    std::vector<WantedMover> wanted;
    scene::Scene scene;
    Take smooth;
    std::vector<ResponseFigures> answers;
};

Answered answered(const ResponseOptions& given) {
    Answered all{.options = given, .wanted = {}, .scene = {}, .smooth = {}, .answers = {}};
    ResponseOptions& options = all.options;
    if (options.signal.empty()) options.signal = options.target.empty() ? "jump" : "csv";
    check_outputs(options);
    all.wanted = movers_from_options(options.movers, "response");
    for (const WantedMover& each : all.wanted) {
        if (options.signal != "kick" && !each.spec->step_responder()->has_target()) {
            throw UsageProblem{
                "hopcoil response: --coast goes with --signal kick: it has no target to follow"};
        }
    }
    all.scene = scene_of(options, all.wanted);
    scene::require_valid_clock(all.scene.duration_s, all.scene.rate_hz);
    all.smooth = take_of(all.scene, drawing_rate_hz(all.scene));
    const std::vector<std::size_t> columns = value_columns(all.scene);
    for (std::size_t i = 0; i < all.wanted.size(); ++i) {
        const Take& smooth = all.smooth;
        const Tracking tracking = measure_tracking(smooth.times_s(), smooth.column(columns[i]),
                                                   smooth.column(columns[i] + 1), smooth.column(0));
        ResponseFigures answer = answer_of(options, *all.scene.systems[i].spec, tracking);
        answer.mass_kg = all.wanted[i].mass_kg;
        answer.value_column = columns[i];
        if (!all.wanted[i].name.empty()) {
            answer.label = all.wanted[i].name;
            answer.name = fmt::format("{}: {}", all.wanted[i].name, answer.name);
        }
        all.answers.push_back(std::move(answer));
    }
    return all;
}

void draw(const Answered& all) {
    draw::write_chart(response_chart(all.options, all.answers, all.smooth), all.options.figure);
}

}  // namespace

void draw_response(const ResponseOptions& given) {
    draw(answered(given));
}

ExitCode run_response(const ResponseOptions& given) {
    if (given.signal == "frequencies") {
        check_outputs(given);
        if (!given.save.name.empty())
            throw UsageProblem{"hopcoil response: --save does not go with --signal frequencies"};
        return show_frequencies(given);
    }
    const Answered all = answered(given);
    const ResponseOptions& options = all.options;
    // The figure first: if it cannot be drawn, nothing else has been written.
    if (!options.figure.empty()) draw(all);
    if (!options.csv.empty()) io::write_take(options.csv, take_of(all.scene, all.scene.rate_hz));
    const std::string kept = save_wanted("response", options.save, all.wanted);
    if (options.json) {
        Json json{{"made_by", made_by("response")}, {"responses", Json::array()}};
        for (const ResponseFigures& answer : all.answers)
            json["responses"].push_back(to_json(options, answer));
        if (!kept.empty()) json["kept_in"] = options.save.file.string();
        print_json(json);
        return ExitCode::done;
    }
    for (const ResponseFigures& answer : all.answers)
        print_answer(answer);
    if (!options.figure.empty()) fmt::print("drawn: {}\n", options.figure.string());
    if (!options.csv.empty()) fmt::print("written: {}\n", options.csv.string());
    if (!kept.empty()) fmt::print("{}\n", kept);
    return ExitCode::done;
}

}  // namespace hopcoil::tool
