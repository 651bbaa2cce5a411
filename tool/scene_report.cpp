#include "tool/scene_report.hpp"

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <limits>
#include <optional>

#include <fmt/format.h>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/version.hpp>
#include <hopcoil/spring/step_response.hpp>

#include "draw/palette.hpp"

namespace hopcoil::tool {
namespace {

constexpr double visible_percent = 0.05;

std::string jumps_in_words(const JumpsMet& jumps) {
    const bool none_passed = jumps.largest_overshoot_percent < visible_percent;
    std::string text = none_passed ? std::string{"no overshoot"}
                                   : fmt::format("jumps go at most {:.3g} % past",
                                                 jumps.largest_overshoot_percent);
    if (jumps.unsettled > 0) {
        text += fmt::format(", {} of {} not settled before the next or the end", jumps.unsettled,
                            jumps.jumps);
    } else if (jumps.longest_settling_s) {
        text += fmt::format("{} within {:.3g} s", none_passed ? ", each settled" : ", settle",
                            *jumps.longest_settling_s);
    }
    return text;
}

std::string lag_in_words(double lag_s) {
    return lag_s < 0 ? fmt::format("{:.3g} s ahead of it", -lag_s)
                     : fmt::format("{:.3g} s behind it", lag_s);
}

std::string with_unit(double number, const std::string& unit) {
    // A count is shown whole: 94800, not 9.48e+04.
    const bool is_count = unit.empty() && number == std::round(number) && std::abs(number) < 1e9;
    if (is_count) return fmt::format("{:.0f}", number);
    return fmt::format("{:.3g}{}{}", number, unit.empty() ? "" : " ", unit);
}

/// "a jump from rest goes 44.3 % past and settles in 2.91 s"
std::string feel_of(const Tuning& tuning) {
    const JumpResponse jump = jump_response(tuning);
    const double past = jump.overshoot_percent.value().value_or(0);
    const std::string reach = past < visible_percent
                                  ? std::string{"a jump from rest has no overshoot"}
                                  : fmt::format("a jump from rest goes {:.3g} % past", past);
    const auto& settled_s = jump.settling_time_s.value();
    return settled_s ? fmt::format("{} and settles in {:.3g} s", reach, *settled_s)
                     : fmt::format("{}; {}", reach, jump.settling_time_s.reason());
}

/// A closer look at all movers of one target, around the largest gap of them all: a dozen seconds,
/// for takes much longer than that.
std::optional<draw::Panel> closer_look(const scene::Scene& scene, const Take& take,
                                       const std::vector<scene::SystemReport>& reports,
                                       const std::vector<draw::Panel>& panels) {
    constexpr double length_s = 12;
    const bool one_target =
        std::all_of(scene.systems.begin(), scene.systems.end(), [&](const auto& each) {
            return each.targets == scene.systems.front().targets && each.targets.size() == 1;
        });
    const bool all_track = std::all_of(reports.begin(), reports.end(),
                                       [](const auto& each) { return each.tracking.has_value(); });
    const double end_s = take.times_s().back();
    if (!one_target || !all_track || end_s < 2.5 * length_s) return std::nullopt;
    const auto widest =
        std::max_element(reports.begin(), reports.end(),
                         [](const scene::SystemReport& a, const scene::SystemReport& b) {
                             return a.tracking->largest_gap < b.tracking->largest_gap;
                         });
    const double from_s =
        std::clamp(std::floor(widest->tracking->largest_gap_time_s) - 3, 0.0, end_s - length_s);
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

/// "12 % past, 0.4 s"
std::string at_jumps(const scene::SystemReport& report) {
    if (!report.jumps) return "";
    std::string text =
        fmt::format("{:.2g} % past", std::round(10 * report.jumps->largest_overshoot_percent) / 10);
    if (report.jumps->unsettled > 0) return text + ", not always settled";
    if (report.jumps->longest_settling_s) {
        text += fmt::format(", {:.3g} s", *report.jumps->longest_settling_s);
    }
    return text;
}

/// Those that have nothing to say of any row.
void drop_empty_columns(draw::Table& table) {
    for (std::size_t k = table.headings.size(); k-- > 1;) {
        const bool is_empty = std::all_of(table.rows.begin(), table.rows.end(),
                                          [k](const auto& row) { return row[k].empty(); });
        if (!is_empty) continue;
        const auto at = static_cast<std::ptrdiff_t>(k);
        table.headings.erase(table.headings.begin() + at);
        for (auto& row : table.rows)
            row.erase(row.begin() + at);
    }
}

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

/// "lamp (m)": short, for it stands along a short axis.
std::string axis_name(const scene::SystemReport& report) {
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

void add_stop_lines(draw::Panel& panel, const scene::SystemReport& report, double x_to) {
    if (report.stops.empty()) return;
    for (const double stop : report.stops) {
        const double y = stop * report.per_unit;
        panel.curves.push_back(
            {.xs = {0, x_to}, .ys = {y, y}, .colour = draw::ink, .width = 1.2, .dashed = true});
    }
    panel.legend.push_back({.colour = draw::ink, .dashed = true, .name = "stops"});
}

/// The notes beside a panel: what there is to say of the mover in short lines.
std::vector<std::string> notes_on(const scene::SystemReport& report) {
    const auto in_units = [&](double number) {
        return with_unit(number * report.per_unit, report.unit);
    };
    std::vector<std::string> notes{report.words};
    if (report.tracking) {
        const Tracking& tracking = *report.tracking;
        notes.push_back(fmt::format("largest gap {} at {:.3g} s", in_units(tracking.largest_gap),
                                    tracking.largest_gap_time_s));
        notes.push_back(fmt::format("gap, rms {}", in_units(tracking.rms_gap)));
    }
    if (report.jumps) notes.push_back(jumps_in_words(*report.jumps));
    if (report.tracking)
        notes.push_back(fmt::format("peak speed {}/s", in_units(report.tracking->peak_velocity)));
    for (const scene::ReportFigure& figure : report.figures)
        notes.push_back(fmt::format("{} {}", figure.name, with_unit(figure.value, figure.unit)));
    return notes;
}

/// A mover and its target over time; of a vector or a rotation, each axis in a colour of its own.
draw::Panel panel_of(const scene::SystemReport& report, const std::vector<double>& times_s,
                     std::string_view colour) {
    draw::Panel panel{.y_label = axis_name(report)};
    const bool several = report.components.size() > 1;
    if (several) panel.share = 1.3 + 0.15 * static_cast<double>(report.components.size());
    for (const scene::ComponentCurve& curve : report.components) {
        if (curve.targets.empty()) continue;
        panel.curves.push_back(
            {.xs = times_s, .ys = curve.targets, .colour = draw::target_ink, .width = 1.2});
    }
    for (std::size_t k = 0; k < report.components.size(); ++k) {
        panel.curves.push_back({.xs = times_s,
                                .ys = report.components[k].values,
                                .colour = several ? draw::axis_colour(k) : colour,
                                .width = 2.2});
    }
    panel.legend.push_back(
        {.colour = several ? draw::axis_colour(0) : colour,
         .name = several ? report.name + ' ' + report.components.front().name : report.name,
         .notes = several ? std::vector<std::string>{} : notes_on(report)});
    for (std::size_t k = 1; k < report.components.size(); ++k) {
        panel.legend.push_back({.colour = draw::axis_colour(k), .name = report.components[k].name});
    }
    if (several) panel.legend.back().notes = notes_on(report);
    if (!report.target.empty())
        panel.legend.push_back({.colour = draw::target_ink, .name = report.target});
    // Room for what is said beside it.
    const double lines = 1.25 * static_cast<double>(notes_on(report).size()) +
                         1.6 * static_cast<double>(panel.legend.size());
    panel.share = std::max(panel.share, 0.13 * lines);
    return panel;
}

/// Movers of one target on one scale: each of one number, in a colour of its own.
draw::Panel overlaid_panel(const std::vector<const scene::SystemReport*>& reports,
                           const std::vector<double>& times_s) {
    const scene::SystemReport& first = *reports.front();
    draw::Panel panel{.y_label = fmt::format("{} ({})", first.target, first.unit), .share = 2.5};
    if (first.unit.empty()) panel.y_label = first.target;
    panel.curves.push_back({.xs = times_s,
                            .ys = first.components.front().targets,
                            .colour = draw::target_ink,
                            .width = 1.2});
    for (std::size_t i = 0; i < reports.size(); ++i) {
        const std::string_view colour = draw::series_colour(i);
        panel.curves.push_back({.xs = times_s,
                                .ys = reports[i]->components.front().values,
                                .colour = colour,
                                .width = 2.2});
        panel.legend.push_back(
            {.colour = colour, .name = reports[i]->name, .notes = notes_on(*reports[i])});
    }
    panel.legend.push_back({.colour = draw::target_ink, .name = first.target});
    return panel;
}

bool can_be_overlaid(const scene::SystemReport& report) {
    return report.components.size() == 1 && !report.components.front().targets.empty();
}

/// Reports that share a chart: those of one target, in the order of the first of each.
std::vector<std::vector<const scene::SystemReport*>> grouped(
    const std::vector<scene::SystemReport>& reports, bool overlay) {
    std::vector<std::vector<const scene::SystemReport*>> groups;
    for (const scene::SystemReport& report : reports) {
        const auto same = [&](const auto& group) {
            const scene::SystemReport& first = *group.front();
            return overlay && can_be_overlaid(report) && can_be_overlaid(first) &&
                   first.target == report.target && first.unit == report.unit;
        };
        const auto found = std::find_if(groups.begin(), groups.end(), same);
        if (found == groups.end()) {
            groups.push_back({&report});
        } else {
            found->push_back(&report);
        }
    }
    return groups;
}

/// What a kind shows of its system beside its value.
draw::Panel panel_of(const scene::SystemChart& chart, const std::string& system,
                     const std::vector<double>& times_s, std::string_view colour) {
    draw::Panel panel{.y_label = fmt::format("{}{}", chart.title,
                                             chart.unit.empty() ? "" : " (" + chart.unit + ")"),
                      .share = 0.5 + 0.2 * static_cast<double>(chart.curves.size())};
    for (std::size_t k = 0; k < chart.curves.size(); ++k) {
        const scene::ComponentCurve& curve = chart.curves[k];
        if (!curve.targets.empty()) {
            panel.curves.push_back(
                {.xs = times_s, .ys = curve.targets, .colour = draw::target_ink, .width = 1.2});
        }
        const std::string_view ink = chart.curves.size() > 1 ? draw::axis_colour(k) : colour;
        panel.curves.push_back({.xs = times_s, .ys = curve.values, .colour = ink, .width = 2.2});
        panel.legend.push_back(
            {.colour = ink,
             .name = curve.name.empty() ? fmt::format("{}: {}", system, chart.title) : curve.name});
    }
    return panel;
}

}  // namespace

draw::Chart scene_chart(const scene::Scene& scene, const Take& take,
                        const std::vector<scene::SystemReport>& reports, bool overlay) {
    constexpr int panel_px = 165;
    constexpr std::size_t most_panels = 24;
    const std::vector<scene::SystemReport> shown(
        reports.begin(),
        reports.begin() + static_cast<std::ptrdiff_t>(std::min(reports.size(), most_panels)));
    draw::Chart chart{.title = scene.title.empty() ? scene_name(scene) : scene.title,
                      .x_to = take.times_s().back(),
                      .footer = footer_of(scene)};
    if (shown.size() < reports.size()) {
        chart.footer += fmt::format("; the first {} of {} movers", shown.size(), reports.size());
    }
    if (!(chart.x_to > 0)) chart.x_to = scene.duration_s;
    const auto groups = grouped(shown, overlay);
    for (std::size_t i = 0; i < groups.size(); ++i) {
        const scene::SystemReport& first = *groups[i].front();
        chart.panels.push_back(groups[i].size() > 1
                                   ? overlaid_panel(groups[i], take.times_s())
                                   : panel_of(first, take.times_s(), draw::series_colour(i)));
        add_stop_lines(chart.panels.back(), first, chart.x_to);
        if (first.value_kind == scene::ValueKind::angle) {
            add_seam_line(chart.panels.back(), chart.x_to);
        }
        for (const scene::SystemChart& each : first.charts) {
            chart.panels.push_back(
                panel_of(each, first.name, take.times_s(), draw::series_colour(i)));
        }
    }
    double shares = 0;
    for (const draw::Panel& panel : chart.panels)
        shares += panel.share;
    chart.height_px = std::max(650, 155 + static_cast<int>(panel_px * shares));
    const bool apart = groups.size() == shown.size();
    if (auto closer = apart ? closer_look(scene, take, shown, chart.panels) : std::nullopt) {
        chart.panels.push_back(*std::move(closer));
        chart.height_px += panel_px;
    }
    return chart;
}

std::string scene_summary(const scene::Scene& scene,
                          const std::vector<scene::SystemReport>& reports,
                          const scene::RunLog& log) {
    std::string text = fmt::format("{}\n{:.4g} s at {:.4g} frames per second\n",
                                   scene.title.empty() ? scene_name(scene) : scene.title,
                                   scene.duration_s, scene.rate_hz);
    const auto line = [&text](const std::string& what) {
        text += "  " + what + '\n';
    };
    for (const scene::SystemReport& report : reports) {
        const auto in_units = [&](double number) {
            return with_unit(number * report.per_unit, report.unit);
        };
        const auto& tracking = report.tracking;
        text += report.target.empty()
                    ? fmt::format("\n{}: {}\n", report.name, report.words)
                    : fmt::format("\n{}, after {}: {}\n", report.name, report.target, report.words);
        if (report.tuning) line(feel_of(*report.tuning));
        if (tracking) {
            line(fmt::format("largest gap {} at {:.4g} s, root mean square {}",
                             in_units(tracking->largest_gap), tracking->largest_gap_time_s,
                             in_units(tracking->rms_gap)));
        }
        if (!report.stops.empty()) {
            line(fmt::format("nearest to a stop {}", in_units(report.nearest_stop)));
        }
        if (report.jumps) line(jumps_in_words(*report.jumps));
        if (report.lag_s) line("on the whole " + lag_in_words(*report.lag_s));
        if (tracking) {
            line(fmt::format("fastest {}/s at {:.4g} s", in_units(tracking->peak_velocity),
                             tracking->peak_velocity_time_s));
        }
        for (const scene::ReportFigure& figure : report.figures)
            line(fmt::format("{} {}", figure.name, with_unit(figure.value, figure.unit)));
    }
    if (!log.warnings.empty()) text += "\nwarnings\n";
    for (const std::string& warning : log.warnings)
        line(warning);
    return text;
}

draw::ReportSection scene_section(const scene::Scene& scene, const Take& take,
                                  const std::vector<scene::SystemReport>& reports,
                                  const scene::RunLog& log, bool overlay) {
    draw::ReportSection section{
        .heading = scene.title.empty() ? scene_name(scene) : scene.title,
        .text = fmt::format(
            "{:.4g} s at {:.4g} frames per second; {}.", scene.duration_s, scene.rate_hz,
            scene.is_random ? fmt::format("seed {}", scene.seed) : std::string{nothing_random}),
        .figure_svg = draw::chart_svg(scene_chart(scene, take, reports, overlay)),
        .figure_says = "Each mover and its target over time; the table has their figures.",
        .warnings = log.warnings,
        .command = command_for(scene)};
    section.table.headings = {
        "",         "follows",           "its numbers", "feels like", "largest gap",
        "gap, rms", "at jumps, at most", "lag",         "fastest",    "figures"};
    for (const scene::SystemReport& report : reports) {
        const auto in_units = [&](double number) {
            return with_unit(number * report.per_unit, report.unit);
        };
        const auto& tracking = report.tracking;
        std::string others;
        for (const scene::ReportFigure& figure : report.figures) {
            others += fmt::format("{}{} {}", others.empty() ? "" : ", ", figure.name,
                                  with_unit(figure.value, figure.unit));
        }
        section.table.rows.push_back(
            {report.name, report.target, report.words, report.tuning ? feel_of(*report.tuning) : "",
             tracking ? fmt::format("{} at {:.3g} s", in_units(tracking->largest_gap),
                                    tracking->largest_gap_time_s)
                      : "",
             tracking ? in_units(tracking->rms_gap) : "", at_jumps(report),
             report.lag_s ? fmt::format("{:.3g} s", *report.lag_s) : "",
             tracking ? in_units(tracking->peak_velocity) + "/s" : "", others});
    }
    drop_empty_columns(section.table);
    return section;
}

}  // namespace hopcoil::tool
