#include "tool/scene_report.hpp"

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <limits>
#include <optional>

#include <fmt/format.h>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/version.hpp>
#include <hopcoil/spring/answers.hpp>

#include "draw/palette.hpp"

namespace hopcoil::tool {
namespace {

constexpr double full_turn_deg = 360;

std::vector<double> shown(std::vector<double> column, double per_unit) {
    for (double& number : column)
        number *= per_unit;
    return column;
}

std::string with_unit(double number, const std::string& unit) {
    return fmt::format("{:.3g}{}{}", number, unit.empty() ? "" : " ", unit);
}

/// "a jump goes 44 % past and settles in 2.9 s"
std::string feel_of(const Tuning& tuning) {
    const JumpAnswer jump = answer_to_jump(tuning);
    const double past = jump.overshoot_percent.value().value_or(0);
    const std::string reach = past < 0.5 ? std::string{"a jump is met without passing it"}
                                         : fmt::format("a jump goes {:.0f} % past", past);
    const auto& settled_s = jump.settling_time_s.value();
    return settled_s ? fmt::format("{} and settles in {:.2g} s", reach, *settled_s)
                     : fmt::format("{}; {}", reach, jump.settling_time_s.reason());
}

/// A closer look at all movers of one target, around the largest gap of them all: a dozen seconds,
/// for takes much longer than that.
std::optional<draw::Panel> closer_look(const scene::Scene& scene, const Take& take,
                                       const std::vector<MoverReport>& reports,
                                       const std::vector<draw::Panel>& panels) {
    constexpr double length_s = 12;
    const bool one_target =
        std::all_of(scene.movers.begin(), scene.movers.end(),
                    [&](const auto& each) { return each.target == scene.movers.front().target; });
    const double end_s = take.times_s().back();
    if (!one_target || end_s < 2.5 * length_s) return std::nullopt;
    const auto widest = std::max_element(reports.begin(), reports.end(),
                                         [](const MoverReport& a, const MoverReport& b) {
                                             return a.tracking.largest_gap < b.tracking.largest_gap;
                                         });
    const double from_s =
        std::clamp(std::floor(widest->tracking.largest_gap_time_s) - 3, 0.0, end_s - length_s);
    draw::Panel panel{.y_label = fmt::format("closer ({})", widest->unit),
                      .share = 1.7,
                      .x_from = from_s,
                      .x_to = from_s + length_s};
    const std::vector<draw::Curve>& first = panels.front().curves;
    panel.curves.push_back(first[first.size() - 2]);
    panel.legend.push_back({.colour = draw::target_ink, .name = widest->target});
    for (const draw::Panel& each : panels) {
        panel.curves.push_back(each.curves.back());
        panel.legend.push_back(
            {.colour = each.legend.front().colour, .name = each.legend.front().name});
    }
    return panel;
}

std::string scene_name(const scene::Scene& scene) {
    return std::filesystem::path{scene.file}.filename().string();
}

constexpr std::string_view nothing_random = "nothing in it is random";

/// What makes the same run, as typed in a shell.
std::string command_for(const scene::Scene& scene) {
    std::string command = fmt::format("hopcoil run {} --seconds {:.6g} --rate {:.6g}", scene.file,
                                      scene.duration_s, scene.rate_hz);
    if (scene.is_random) command += fmt::format(" --seed {}", scene.seed);
    for (const std::string& change : scene.changes)
        command += fmt::format(" --set '{}'", change);
    return command;
}

std::string footer_of(const scene::Scene& scene) {
    const std::string seed =
        scene.is_random ? fmt::format("seed {}", scene.seed) : std::string{nothing_random};
    std::string text = fmt::format("hopcoil {} run {}: {:.4g} s at {:.4g} Hz; {}", version,
                                   scene_name(scene), scene.duration_s, scene.rate_hz, seed);
    for (const std::string& change : scene.changes)
        text += "; " + change;
    return text;
}

void add_stops(MoverReport& report, const scene::MoverNumbers& numbers,
               const std::vector<double>& values) {
    const auto* settle = std::get_if<scene::SettleNumbers>(&numbers);
    if (settle == nullptr) return;
    for (const double stop : {settle->stops.low, settle->stops.high}) {
        if (std::isfinite(stop)) report.stops.push_back(stop);
    }
    report.nearest_stop = std::numeric_limits<double>::infinity();
    for (const double value : values) {
        for (const double stop : report.stops)
            report.nearest_stop = std::min(report.nearest_stop, std::abs(value - stop));
    }
}

/// "lamp (m)": short, for it stands along a short axis.
std::string axis_name(const MoverReport& report) {
    const std::string part = report.name.substr(report.name.find('.') + 1);
    return report.unit.empty() ? part : fmt::format("{} ({})", part, report.unit);
}

/// The curves of an angle go on across the seam: a line shows where that is.
void add_seam_line(draw::Panel& panel, double x_to) {
    constexpr double half_turn_deg = 180;
    double low = half_turn_deg;
    double high = -half_turn_deg;
    for (const draw::Curve& curve : panel.curves) {
        for (const double y : curve.ys) {
            low = std::min(low, y);
            high = std::max(high, y);
        }
    }
    for (const double seam : {-half_turn_deg, half_turn_deg}) {
        if (!(low < seam && seam < high)) continue;
        panel.curves.insert(panel.curves.begin(), {.xs = {0, x_to},
                                                   .ys = {seam, seam},
                                                   .colour = draw::target_ink,
                                                   .width = 1.0,
                                                   .dashed = true});
        panel.legend.back().name += "; dashed: the seam";
    }
}

void add_stop_lines(draw::Panel& panel, const MoverReport& report, double x_to) {
    if (report.stops.empty()) return;
    for (const double stop : report.stops) {
        const double y = stop * report.per_unit;
        panel.curves.push_back(
            {.xs = {0, x_to}, .ys = {y, y}, .colour = draw::ink, .width = 1.2, .dashed = true});
    }
    panel.legend.push_back({.colour = draw::ink, .dashed = true, .name = "stops"});
}

}  // namespace

std::vector<MoverReport> report_on(const scene::Scene& scene, const Take& take) {
    std::vector<MoverReport> reports;
    std::size_t column = scene.targets.size();
    for (std::size_t i = 0; i < scene.movers.size(); ++i) {
        const scene::SceneMover& mover = scene.movers[i];
        const scene::SceneTarget& target = scene.targets[mover.target];
        const bool in_degrees = target.unit == "rad";
        std::size_t target_column = mover.target;
        std::string target_name = target.name;
        if (target.leader && target.name == mover.name + ".target") {
            const scene::SceneMover& ahead = scene.movers[target.leader->mover];
            target_name = ahead.name + scene::part_suffix(ahead.numbers, target.leader->part);
        }
        for (std::size_t part = 0; part < scene::part_count(mover.numbers); ++part, column += 2) {
            MoverReport report{.name = mover.name + scene::part_suffix(mover.numbers, part),
                               .kind = scene::kind_of(mover.numbers),
                               .target = target_name,
                               .words = scene::in_words(mover.numbers, part),
                               .unit = in_degrees ? "deg" : target.unit,
                               .per_unit = in_degrees ? 180 / math::pi : 1,
                               .angle = target.is_angle,
                               .value_column = column,
                               .target_column = target_column};
            if (const Tuning* tuning = scene::tuning_of(mover.numbers, part)) {
                report.tuning = *tuning;
            }
            report.tracking =
                measure_tracking(take.times_s(), take.column(column), take.column(column + 1),
                                 take.column(target_column), target.is_angle);
            add_stops(report, mover.numbers, take.column(column));
            // Each link goes after the one ahead of it.
            target_column = column;
            target_name = report.name;
            reports.push_back(std::move(report));
        }
    }
    return reports;
}

draw::Chart scene_chart(const scene::Scene& scene, const Take& take,
                        const std::vector<MoverReport>& reports) {
    constexpr int panel_px = 165;
    draw::Chart chart{.title = scene.title.empty() ? scene_name(scene) : scene.title,
                      .x_to = take.times_s().back(),
                      .footer = footer_of(scene)};
    chart.height_px = std::max(650, 155 + panel_px * static_cast<int>(reports.size()));
    if (!(chart.x_to > 0)) chart.x_to = scene.duration_s;
    for (std::size_t i = 0; i < reports.size(); ++i) {
        const MoverReport& report = reports[i];
        const std::string_view colour = draw::series_colour(i);
        const auto curve = [&](std::size_t column, std::string_view ink, double width) {
            draw::Curve drawn{.xs = take.times_s(),
                              .ys = shown(take.column(column), report.per_unit),
                              .colour = ink,
                              .width = width};
            if (report.angle) drawn.ys = scene::unwrapped(std::move(drawn.ys), full_turn_deg);
            return drawn;
        };
        const Tracking& tracking = report.tracking;
        const auto in_units = [&](double number) {
            return with_unit(number * report.per_unit, report.unit);
        };
        chart.panels.push_back(
            {.y_label = axis_name(report),
             .curves = {curve(report.target_column, draw::target_ink, 1.2),
                        curve(report.value_column, colour, 2.2)},
             .legend = {
                 {.colour = colour,
                  .name = report.name,
                  .notes = {report.words,
                            fmt::format("largest gap {} at {:.3g} s",
                                        in_units(tracking.largest_gap),
                                        tracking.largest_gap_time_s),
                            fmt::format("gap, rms {}", in_units(tracking.rms_gap)),
                            fmt::format("peak speed {}/s", in_units(tracking.peak_velocity))}},
                 {.colour = draw::target_ink, .name = report.target}}});
        add_stop_lines(chart.panels.back(), report, chart.x_to);
        if (report.angle) add_seam_line(chart.panels.back(), chart.x_to);
    }
    if (auto closer = closer_look(scene, take, reports, chart.panels)) {
        chart.panels.push_back(*std::move(closer));
        chart.height_px += panel_px;
    }
    return chart;
}

std::string scene_summary(const scene::Scene& scene, const std::vector<MoverReport>& reports,
                          const scene::RunLog& log) {
    std::string text = fmt::format("{}\n{:.4g} s at {:.4g} frames per second\n",
                                   scene.title.empty() ? scene_name(scene) : scene.title,
                                   scene.duration_s, scene.rate_hz);
    const auto line = [&text](const std::string& what) {
        text += "  " + what + '\n';
    };
    for (const MoverReport& report : reports) {
        const auto in_units = [&](double number) {
            return with_unit(number * report.per_unit, report.unit);
        };
        const Tracking& tracking = report.tracking;
        text += fmt::format("\n{}, after {}: {}\n", report.name, report.target, report.words);
        if (report.tuning) line(feel_of(*report.tuning));
        line(fmt::format("largest gap {} at {:.4g} s, root mean square {}",
                         in_units(tracking.largest_gap), tracking.largest_gap_time_s,
                         in_units(tracking.rms_gap)));
        if (!report.stops.empty()) {
            line(fmt::format("nearest to a stop {}", in_units(report.nearest_stop)));
        }
        line(fmt::format("fastest {}/s at {:.4g} s", in_units(tracking.peak_velocity),
                         tracking.peak_velocity_time_s));
    }
    if (!log.warnings.empty()) text += "\nwarnings\n";
    for (const std::string& warning : log.warnings)
        line(warning);
    return text;
}

draw::ReportSection scene_section(const scene::Scene& scene, const Take& take,
                                  const std::vector<MoverReport>& reports,
                                  const scene::RunLog& log) {
    draw::ReportSection section{
        .heading = scene.title.empty() ? scene_name(scene) : scene.title,
        .text = fmt::format(
            "{:.4g} s at {:.4g} frames per second; {}.", scene.duration_s, scene.rate_hz,
            scene.is_random ? fmt::format("seed {}", scene.seed) : std::string{nothing_random}),
        .figure_svg = draw::chart_svg(scene_chart(scene, take, reports)),
        .figure_says = "Each mover and its target over time; the table has their figures.",
        .warnings = log.warnings,
        .command = command_for(scene)};
    section.table.headings = {"",         "goes after", "its numbers", "feels like", "largest gap",
                              "gap, rms", "fastest"};
    for (const MoverReport& report : reports) {
        const auto in_units = [&](double number) {
            return with_unit(number * report.per_unit, report.unit);
        };
        const Tracking& tracking = report.tracking;
        section.table.rows.push_back(
            {report.name, report.target, report.words, report.tuning ? feel_of(*report.tuning) : "",
             fmt::format("{} at {:.3g} s", in_units(tracking.largest_gap),
                         tracking.largest_gap_time_s),
             in_units(tracking.rms_gap), in_units(tracking.peak_velocity) + "/s"});
    }
    return section;
}

Json scene_json(const std::string& command, const scene::Scene& scene,
                const std::vector<MoverReport>& reports, const scene::RunLog& log) {
    Json source = made_by(command);
    source["scene"] = scene.file;
    if (scene.is_random) {
        source["seed"] = scene.seed;
    } else {
        source["seed"] = nullptr;
        source["seed_reason"] = nothing_random;
    }
    if (!scene.changes.empty()) source["set"] = scene.changes;
    source["duration_s"] = scene.duration_s;
    source["rate_hz"] = scene.rate_hz;
    Json movers = Json::array();
    for (const MoverReport& report : reports) {
        const std::string unit = report.unit == "deg" ? "rad" : report.unit;
        const Tracking& tracking = report.tracking;
        Json mover{{"name", report.name},
                   {"kind", report.kind},
                   {"target", report.target},
                   {"unit", unit},
                   {"numbers", report.words}};
        if (report.tuning) mover["tuning"] = to_json(*report.tuning);
        mover.update({{"largest_gap", tracking.largest_gap},
                      {"largest_gap_time_s", tracking.largest_gap_time_s},
                      {"rms_gap", tracking.rms_gap},
                      {"peak_velocity", tracking.peak_velocity},
                      {"peak_velocity_time_s", tracking.peak_velocity_time_s},
                      {"sample_spacing_s", tracking.sample_spacing_s}});
        movers.push_back(std::move(mover));
    }
    return {
        {"made_by", std::move(source)}, {"movers", std::move(movers)}, {"warnings", log.warnings}};
}

}  // namespace hopcoil::tool
