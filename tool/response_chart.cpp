#include "tool/response_chart.hpp"

#include <algorithm>
#include <cmath>

#include <fmt/format.h>

#include "draw/palette.hpp"
#include "tool/made_by.hpp"

namespace hopcoil::tool {
namespace {

/// Smaller swings than this are not labelled when several curves share the panel.
constexpr double least_labelled_percent = settling_band_percent;

std::string title_of(const ResponseOptions& options) {
    const std::string velocity =
        options.initial_velocity && options.signal != "kick"
            ? fmt::format(", moving at {:.4g} per s", *options.initial_velocity)
            : "";
    if (options.signal == "jump") {
        return fmt::format("Response to a jump of {:.4g}{}", options.size, velocity);
    }
    if (options.signal == "kick") {
        return fmt::format("Response to a kick of {:.4g} per s", initial_velocity_of(options));
    }
    if (options.signal == "ramp") {
        return fmt::format("Response to a ramp of {:.4g} per s{}", options.size, velocity);
    }
    if (options.signal == "sine") {
        return fmt::format("Response to a sine of {:.4g} Hz, amplitude {:.4g}{}", options.sine_hz,
                           options.size, velocity);
    }
    if (options.signal == "pulse") {
        return fmt::format("Response to a pulse of {:.4g} for {:.4g} s{}", options.size,
                           options.pulse_s, velocity);
    }
    if (options.signal == "noise") {
        return fmt::format("Following noise of {:.4g} Hz, amplitude {:.4g}, seed {}{}",
                           options.sine_hz, options.size, options.seed, velocity);
    }
    return fmt::format("Following {} of {}{}", options.column, options.target.filename().string(),
                       velocity);
}

/// A figure in a few characters: "12.3 %", "0.116 s".
std::string short_figure(const ResponseFigures& answer, const std::string& key) {
    const auto found = std::find_if(answer.figures.begin(), answer.figures.end(),
                                    [&](const NamedFigure& each) { return each.key == key; });
    if (found == answer.figures.end() || !found->figure.value()) return "-";
    return fmt::format("{:.3g}{}{}", *found->figure.value(), found->unit.empty() ? "" : " ",
                       found->unit);
}

/// What tells it from the others, in a line.
std::string heading_of(const ResponseFigures& answer) {
    if (!answer.tuning) return answer.name;
    if (!answer.label.empty()) return answer.label;
    return fmt::format("{:.4g} Hz, ratio {:.4g}", answer.tuning->frequency_hz,
                       answer.tuning->damping_ratio);
}

std::vector<std::string> notes_of(const ResponseOptions& options, const ResponseFigures& answer) {
    const auto text = [&](const std::string& key) {
        return short_figure(answer, key);
    };
    std::vector<std::string> notes;
    if (!answer.label.empty()) {
        notes.push_back(fmt::format("{:.4g} Hz, ratio {:.4g}", answer.tuning->frequency_hz,
                                    answer.tuning->damping_ratio));
    }
    if (answer.tuning) notes.push_back(fmt::format("lead {:.4g}", answer.tuning->lead));

    const auto note = [&](const std::string& name, const std::string& key) {
        if (text(key) != "-") notes.push_back(fmt::format("{} {}", name, text(key)));
    };
    if (options.signal == "jump") {
        note("overshoot", "overshoot_percent");
        if (text("anticipation_percent") != "0 %") note("anticipation", "anticipation_percent");
        note("rise", "rise_time_s");
        note("settled", "settling_time_s");
        note("peak velocity", "peak_velocity");
    } else if (options.signal == "kick") {
        note("furthest", "furthest");
        note("back at", "return_time_s");
        note("settled", "settling_time_s");
    } else if (options.signal == "ramp") {
        note("gap in the end", "steady_gap");
        note("largest gap", "largest_gap");
    } else if (options.signal == "sine") {
        note("gain", "gain");
        note("delay", "delay_s");
    } else {
        note("largest gap", "largest_gap");
        note("gap, rms", "rms_gap");
    }
    return notes;
}

/// Swings are labelled where there is room: not on top of one another; with their time where the
/// curve has the panel to itself.
void add_swings(draw::Panel& panel, const ResponseOptions& options, const ResponseFigures& answer,
                std::string_view colour, double x_to, bool alone) {
    const double target = options.signal == "jump" ? options.size : 0.0;
    const double room_s = x_to / (alone ? 7 : 22);
    double last_s = -room_s;
    for (const Swing& swing : answer.swings) {
        const bool wanted = std::abs(swing.percent) > least_labelled_percent &&
                            swing.time_s <= x_to && swing.time_s - last_s >= room_s;
        if (!wanted) continue;
        last_s = swing.time_s;
        const double y = target + 0.01 * swing.percent * answer.full_size;
        const bool other_way = options.signal == "jump" && swing.percent < -100;
        const std::string height = options.signal == "kick" ? fmt::format("{:.3g}", y)
                                   : other_way
                                       ? fmt::format("{:.3g} % the other way", -100 - swing.percent)
                                       : fmt::format("{:+.3g} %", swing.percent);
        const std::string text =
            alone ? fmt::format("{} at {:.3g} s", height, swing.time_s) : height;
        panel.marks.push_back({.x = swing.time_s,
                               .y = y,
                               .text = text,
                               .colour = colour,
                               .above = swing.percent * answer.full_size > 0});
    }
}

void add_settling(draw::Panel& panel, const ResponseFigures& answer, std::string_view colour,
                  double x_to) {
    for (const NamedFigure& each : answer.figures) {
        if (each.key != "settling_time_s" || !each.figure.value()) continue;
        const double settled_s = *each.figure.value();
        if (settled_s > x_to) continue;
        panel.moments.push_back(
            {.x = settled_s, .text = fmt::format("settled {:.3g} s", settled_s), .colour = colour});
    }
}

/// The band of the jump; of the furthest point for a kick, when there is only one.
std::optional<draw::Band> band_of(const ResponseOptions& options,
                                  const std::vector<ResponseFigures>& answers) {
    const double share = 0.01 * settling_band_percent;
    if (options.signal == "jump") {
        const double half = share * std::abs(options.size);
        return draw::Band{options.size - half, options.size + half};
    }
    if (options.signal == "kick" && answers.size() == 1) {
        const double half = share * std::abs(answers.front().full_size);
        const double rest = answers.front().resting_place;
        return draw::Band{rest - half, rest + half};
    }
    return std::nullopt;
}

/// A curve of one column, with what was so before a signal that comes at 0.
draw::Curve curve_of(const Take& take, std::size_t column, std::optional<double> before,
                     double x_from) {
    draw::Curve curve{.xs = take.times_s(), .ys = take.column(column)};
    if (before) {
        curve.xs.insert(curve.xs.begin(), {x_from, 0.0});
        curve.ys.insert(curve.ys.begin(), {*before, *before});
    }
    return curve;
}

}  // namespace

draw::Chart response_chart(const ResponseOptions& options,
                           const std::vector<ResponseFigures>& answers, const Take& take) {
    const bool sudden = options.signal != "csv";
    draw::Chart chart{.title = title_of(options),
                      .x_to = take.times_s().back(),
                      .footer = made_by_line("response")};
    chart.x_from = sudden ? -0.04 * chart.x_to : 0;
    const std::optional<double> at_zero = sudden ? std::optional{0.0} : std::nullopt;

    draw::Panel value{.y_label = "value", .share = 2.2};
    draw::Curve target = curve_of(take, 0, at_zero, chart.x_from);
    target.colour = draw::target_ink;
    target.dashed = true;
    value.curves.push_back(std::move(target));
    value.band = band_of(options, answers);
    value.legend.push_back({.colour = draw::target_ink, .dashed = true, .name = "target"});

    draw::Panel velocity{.y_label = "velocity (per s)"};
    for (std::size_t i = 0; i < answers.size(); ++i) {
        const std::string_view colour = draw::series_colour(i);
        draw::Curve values = curve_of(take, answers[i].value_column, at_zero, chart.x_from);
        values.colour = colour;
        value.curves.push_back(std::move(values));
        const std::optional<double> velocity_before =
            sudden && options.signal != "kick" ? std::optional{initial_velocity_of(options)}
                                               : at_zero;
        draw::Curve speeds =
            curve_of(take, answers[i].value_column + 1, velocity_before, chart.x_from);
        speeds.colour = colour;
        velocity.curves.push_back(std::move(speeds));
        add_swings(value, options, answers[i], colour, chart.x_to, answers.size() == 1);
        add_settling(value, answers[i], colour, chart.x_to);
        value.legend.push_back({.colour = colour,
                                .name = heading_of(answers[i]),
                                .notes = notes_of(options, answers[i])});
    }
    if (value.band) {
        value.legend.push_back(
            {.colour = draw::band_fill,
             .swatch = true,
             .name = "settling band",
             .notes = {options.signal == "kick" ? "2 % of the furthest either way"
                                                : "2 % of the jump either way"}});
    }
    chart.panels = {std::move(value), std::move(velocity)};
    // Each entry of the legend needs its lines beside the upper panel.
    constexpr int entry_px = 160;
    chart.height_px = std::max(chart.height_px, 120 + entry_px * static_cast<int>(answers.size()));
    return chart;
}

}  // namespace hopcoil::tool
