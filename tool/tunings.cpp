#include <variant>

#include <fmt/format.h>

#include <hopcoil/base/math.hpp>
#include <hopcoil/spring/answers.hpp>
#include <hopcoil/spring/named_tunings.hpp>

#include "tool/commands.hpp"
#include "tool/made_by.hpp"
#include "tool/wanted_movers.hpp"

namespace hopcoil::tool {
namespace {

std::string_view description_of(const std::string& name) {
    for (const NamedTuning& each : named_tunings()) {
        if (each.name == name) return each.description;
    }
    return {};
}

std::string short_figure(const Figure& figure, const char* unit) {
    return figure.value() ? fmt::format("{:.3g} {}", *figure.value(), unit) : "-";
}

void print_list(const std::vector<WantedMover>& wanted) {
    fmt::print("{:<10} {:>8} {:>6} {:>6} {:>9} {:>9}  {}\n", "name", "Hz", "ratio", "lead", "past",
               "settled", "feels like");
    for (const WantedMover& each : wanted) {
        const auto& tuning = std::get<Tuning>(each.numbers);
        const JumpAnswer jump = answer_to_jump(tuning);
        fmt::print("{:<10} {:>8.4g} {:>6.4g} {:>6.4g} {:>9} {:>9}  {}\n", each.name,
                   tuning.frequency_hz, tuning.damping_ratio, tuning.lead,
                   short_figure(jump.overshoot_percent, "%"),
                   short_figure(jump.settling_time_s, "s"), description_of(each.name));
    }
}

void print_forms(const WantedMover& mover) {
    const auto& tuning = std::get<Tuning>(mover.numbers);
    const auto line = [](const char* name, const std::string& text) {
        fmt::print("  {:<22} {}\n", name, text);
    };
    fmt::print("{}{}\n", mover.name.empty() ? "" : mover.name + ": ", scene::in_words(tuning));
    if (!mover.name.empty()) line("feels like", std::string{description_of(mover.name)});
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
        const Calming calming = calming_from(tuning);
        line("what is left halves in",
             fmt::format("{:.4g} s (time constant {:.4g} s)", calming.half_life_s,
                         calming.half_life_s / math::ln_2));
    }
    const JumpAnswer jump = answer_to_jump(tuning);
    line("a jump", fmt::format("{} past, settled in {}", short_figure(jump.overshoot_percent, "%"),
                               short_figure(jump.settling_time_s, "s")));
    fmt::print("\n");
}

}  // namespace

ExitCode run_tunings(const TuningsOptions& options) {
    TuningOptions asked = options.tunings;
    const bool list = says_nothing(asked);
    if (list) {
        for (const NamedTuning& each : named_tunings())
            asked.names.emplace_back(each.name);
    }
    const std::vector<WantedMover> wanted = wanted_movers(asked, "tunings");
    if (options.json) {
        Json json{{"made_by", made_by("tunings")}, {"tunings", Json::array()}};
        for (const WantedMover& each : wanted) {
            const auto& tuning = std::get<Tuning>(each.numbers);
            const JumpAnswer jump = answer_to_jump(tuning);
            Json one;
            if (!each.name.empty()) {
                one["name"] = each.name;
                one["description"] = description_of(each.name);
            }
            one["tuning"] = to_json(tuning, each.mass_kg);
            set_figure(one, "overshoot_percent", jump.overshoot_percent);
            set_figure(one, "settling_time_s", jump.settling_time_s);
            json["tunings"].push_back(std::move(one));
        }
        print_json(json);
    } else if (list) {
        print_list(wanted);
    } else {
        for (const WantedMover& each : wanted)
            print_forms(each);
    }
    return ExitCode::done;
}

}  // namespace hopcoil::tool
