#include <variant>
#include <vector>

#include <fmt/format.h>

#include <hopcoil/base/math.hpp>
#include <hopcoil/spring/named_tunings.hpp>
#include <hopcoil/spring/step_response.hpp>

#include "tool/commands.hpp"
#include "tool/made_by.hpp"
#include "tool/movers_from_options.hpp"
#include "tool/saved_tuning.hpp"
#include "tool/settings.hpp"

namespace hopcoil::tool {
namespace {

std::string short_figure(const Figure& figure, const char* unit) {
    return figure.value() ? fmt::format("{:.3g} {}", *figure.value(), unit) : "-";
}

void print_list(const std::vector<WantedMover>& wanted) {
    fmt::print("{:<16} {:>8} {:>6} {:>6} {:>9} {:>9}  {}\n", "name", "Hz", "ratio", "lead", "past",
               "settled", "feels like");
    for (const WantedMover& each : wanted) {
        const auto& tuning = each.tuning.value();
        const JumpResponse jump = jump_response(tuning);
        fmt::print("{:<16} {:>8.4g} {:>6.4g} {:>6.4g} {:>9} {:>9}  {}\n", each.name,
                   tuning.frequency_hz, tuning.damping_ratio, tuning.lead,
                   short_figure(jump.overshoot_percent, "%"),
                   short_figure(jump.settling_time_s, "s"), each.about);
    }
}

void print_forms(const WantedMover& mover) {
    const auto& tuning = mover.tuning.value();
    const auto line = [](const char* name, const std::string& text) {
        fmt::print("  {:<22} {}\n", name, text);
    };
    fmt::print("{}{}\n", mover.name.empty() ? "" : mover.name + ": ", scene::in_words(tuning));
    if (!mover.about.empty()) line("feels like", mover.about);
    const SpringConstants spring = spring_constants_from(tuning, mover.mass_kg);
    line("as a spring", fmt::format("{:.6g} kg, {:.6g} N/m, {:.6g} N s/m", spring.mass_kg,
                                    spring.stiffness_n_per_m, spring.damping_n_s_per_m));
    if (tuning.frequency_hz > 0) {
        const Coefficients c = coefficients_from(tuning);
        line("y + a y' + b y'' = ...", fmt::format("a {:.6g} s, b {:.6g} s2, c {:.6g} s",
                                                   c.y_rate_s, c.y_acceleration_s2, c.x_rate_s));
        line("behind steady motion", fmt::format("{:.4g} s of its travel", ramp_lag_s(tuning)));
    }
    if (tuning.frequency_hz > 0 && tuning.damping_ratio > 0) {
        const DecayHalfLife decay = decay_half_life_from(tuning);
        line("remaining distance halves in",
             fmt::format("{:.4g} s (time constant {:.4g} s)", decay.half_life_s,
                         decay.half_life_s / math::ln_2));
    }
    const JumpResponse jump = jump_response(tuning);
    line("a jump", fmt::format("{} past, settled in {}", short_figure(jump.overshoot_percent, "%"),
                               short_figure(jump.settling_time_s, "s")));
    fmt::print("\n");
}

/// A line of figures, one for each tuning, and how many times the first each of the others is.
struct ComparedLine {
    const char* name;
    const char* unit;
    std::vector<Figure> figures{};
};

std::vector<ComparedLine> compared(const std::vector<WantedMover>& wanted) {
    std::vector<ComparedLine> lines{
        {"natural frequency", "Hz"},   {"damping ratio", ""},       {"lead", ""},
        {"past a jump", "%"},          {"settled within 2 %", "s"}, {"rise, 10 to 90 %", "s"},
        {"behind steady motion", "s"}, {"stiffness", "N/m"},        {"damping", "N s/m"}};
    for (const WantedMover& each : wanted) {
        const auto& tuning = each.tuning.value();
        const JumpResponse jump = jump_response(tuning);
        const SpringConstants spring = spring_constants_from(tuning, each.mass_kg);
        const bool springs = tuning.frequency_hz > 0;
        const std::vector<Figure> figures{
            tuning.frequency_hz,
            tuning.damping_ratio,
            tuning.lead,
            jump.overshoot_percent,
            jump.settling_time_s,
            jump.rise_time_s,
            springs ? Figure{ramp_lag_s(tuning)} : Figure::none("there is no spring"),
            spring.stiffness_n_per_m,
            spring.damping_n_s_per_m};
        for (std::size_t i = 0; i < lines.size(); ++i)
            lines[i].figures.push_back(figures[i]);
    }
    return lines;
}

/// A tuning without a name is called by its numbers: "2 Hz, 0.4".
std::string heading_of(const WantedMover& mover) {
    if (!mover.name.empty()) return mover.name;
    const Tuning& tuning = mover.tuning.value();
    std::string text = fmt::format("{:.3g} Hz, {:.3g}", tuning.frequency_hz, tuning.damping_ratio);
    if (tuning.lead != 0) text += fmt::format(", {:.3g}", tuning.lead);
    return text;
}

void print_comparison(const std::vector<WantedMover>& wanted) {
    fmt::print("{:<22}", "");
    for (const WantedMover& each : wanted)
        fmt::print(" {:>20}", heading_of(each));
    fmt::print("\n");
    for (const ComparedLine& line : compared(wanted)) {
        fmt::print("{:<22}", line.name);
        for (std::size_t i = 0; i < line.figures.size(); ++i) {
            const auto& number = line.figures[i].value();
            const auto& first = line.figures[0].value();
            const char* const space = *line.unit == '\0' ? "" : " ";
            std::string text = number ? fmt::format("{:.4g}{}{}", *number, space, line.unit) : "-";
            const bool has_part = i > 0 && number && first && *first != 0;
            if (has_part) text += fmt::format(" ({:.3g}x)", *number / *first);
            fmt::print(" {:>20}", text);
        }
        fmt::print("\n");
    }
}

Json in_json(const WantedMover& wanted) {
    const auto& tuning = wanted.tuning.value();
    const JumpResponse jump = jump_response(tuning);
    Json one;
    if (!wanted.name.empty()) {
        one["name"] = wanted.name;
        one["description"] = wanted.about;
    }
    one["tuning"] = tool::to_json(tuning, wanted.mass_kg);
    set_figure(one, "overshoot_percent", jump.overshoot_percent);
    set_figure(one, "settling_time_s", jump.settling_time_s);
    set_figure(one, "rise_time_s", jump.rise_time_s);
    return one;
}

/// The jumps of all of them over one another, as `response` draws them.
void draw_jumps(const TuningsOptions& options, const TuningOptions& asked) {
    ResponseOptions response{.movers = asked, .signal = "jump", .figure = options.figure};
    draw_response(response);
}

}  // namespace

ExitCode run_tunings(const TuningsOptions& options) {
    if (!options.system.empty() || wants_settings(options)) return run_settings(options);
    TuningOptions asked = options.tunings;
    const bool list = has_no_options(asked);
    std::vector<WantedMover> wanted =
        list ? tunings_with_names(asked.files) : movers_from_options(asked, "tunings");
    if (options.compare && (list || wanted.size() < 2)) {
        throw UsageProblem{"hopcoil tunings: --compare: expected two tunings or more"};
    }
    if (!options.figure.empty()) {
        if (list) throw UsageProblem{"hopcoil tunings: --figure: expected tunings to draw"};
        draw_jumps(options, asked);
    }
    const std::string kept =
        save_wanted("tunings", options.save, list ? std::vector<WantedMover>{} : wanted);
    if (options.json) {
        Json json{{"made_by", made_by("tunings")}, {"tunings", Json::array()}};
        for (const WantedMover& each : wanted)
            json["tunings"].push_back(in_json(each));
        if (!kept.empty()) json["kept_in"] = options.save.file.string();
        print_json(json);
        return ExitCode::done;
    }
    if (list) {
        print_list(wanted);
        print_settings_list(asked.files);
    } else if (options.compare) {
        print_comparison(wanted);
    } else {
        for (const WantedMover& each : wanted)
            print_forms(each);
    }
    if (!options.figure.empty()) fmt::print("drawn: {}\n", options.figure.string());
    if (!kept.empty()) fmt::print("{}\n", kept);
    return ExitCode::done;
}

}  // namespace hopcoil::tool
