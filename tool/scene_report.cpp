#include "tool/scene_report.hpp"

#include <algorithm>
#include <cmath>
#include <optional>

#include <fmt/format.h>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/version.hpp>
#include <hopcoil/spring/answers.hpp>

#include "draw/palette.hpp"

namespace hopcoil::tool {
namespace {

/// Where a follower's value stands among the take's columns: behind the targets, two for each.
std::size_t value_column(const scene::Scene& scene, std::size_t follower) {
    return scene.targets.size() + 2 * follower;
}

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

/// A closer look at all followers of one target, around the largest gap of them all: a dozen
/// seconds, for takes much longer than that.
std::optional<draw::Panel> closer_look(const scene::Scene& scene, const Take& take,
                                       const std::vector<FollowerReport>& reports,
                                       const std::vector<draw::Panel>& panels) {
    constexpr double length_s = 12;
    const bool one_target = std::all_of(
        scene.followers.begin(), scene.followers.end(),
        [&](const auto& each) { return each.target == scene.followers.front().target; });
    const double end_s = take.times_s().back();
    if (!one_target || end_s < 2.5 * length_s) return std::nullopt;
    const auto widest = std::max_element(reports.begin(), reports.end(),
                                         [](const FollowerReport& a, const FollowerReport& b) {
                                             return a.tracking.largest_gap < b.tracking.largest_gap;
                                         });
    const double from_s =
        std::clamp(std::floor(widest->tracking.largest_gap_time_s) - 3, 0.0, end_s - length_s);
    draw::Panel panel{.y_label = fmt::format("closer ({})", widest->unit),
                      .share = 1.7,
                      .x_from = from_s,
                      .x_to = from_s + length_s};
    panel.curves.push_back(panels.front().curves.front());
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

std::string footer_of(const scene::Scene& scene) {
    return fmt::format("hopcoil {} run {}: {:.4g} s at {:.4g} Hz; nothing in it is random", version,
                       scene_name(scene), scene.duration_s, scene.rate_hz);
}

}  // namespace

std::vector<FollowerReport> report_on(const scene::Scene& scene, const Take& take) {
    std::vector<FollowerReport> reports;
    for (std::size_t i = 0; i < scene.followers.size(); ++i) {
        const scene::SceneFollower& follower = scene.followers[i];
        const scene::SceneTarget& target = scene.targets[follower.target];
        const bool angle = target.unit == "rad";
        const std::size_t column = value_column(scene, i);
        reports.push_back(
            {.name = follower.name,
             .target = target.name,
             .unit = angle ? "deg" : target.unit,
             .per_unit = angle ? 180 / math::pi : 1,
             .tuning = follower.tuning,
             .tracking = measure_tracking(take.times_s(), take.column(column),
                                          take.column(column + 1), take.column(follower.target))});
    }
    return reports;
}

draw::Chart scene_chart(const scene::Scene& scene, const Take& take,
                        const std::vector<FollowerReport>& reports) {
    constexpr int panel_px = 165;
    draw::Chart chart{.title = scene.title.empty() ? scene_name(scene) : scene.title,
                      .x_to = take.times_s().back(),
                      .footer = footer_of(scene)};
    chart.height_px = std::max(650, 155 + panel_px * static_cast<int>(reports.size()));
    if (!(chart.x_to > 0)) chart.x_to = scene.duration_s;
    for (std::size_t i = 0; i < reports.size(); ++i) {
        const FollowerReport& report = reports[i];
        const std::string_view colour = draw::series_colour(i);
        const auto curve = [&](std::size_t column, std::string_view ink, double width) {
            return draw::Curve{.xs = take.times_s(),
                               .ys = shown(take.column(column), report.per_unit),
                               .colour = ink,
                               .width = width};
        };
        const Tracking& tracking = report.tracking;
        const auto in_units = [&](double number) {
            return with_unit(number * report.per_unit, report.unit);
        };
        chart.panels.push_back(
            {.y_label = report.unit.empty() ? report.name
                                            : fmt::format("{} ({})", report.name, report.unit),
             .curves = {curve(scene.followers[i].target, draw::target_ink, 1.2),
                        curve(value_column(scene, i), colour, 2.2)},
             .legend = {
                 {.colour = colour,
                  .name = report.name,
                  .notes = {fmt::format("{:.3g} Hz, ratio {:.3g}, lead {:.3g}",
                                        report.tuning.frequency_hz, report.tuning.damping_ratio,
                                        report.tuning.lead),
                            fmt::format("largest gap {} at {:.3g} s",
                                        in_units(tracking.largest_gap),
                                        tracking.largest_gap_time_s),
                            fmt::format("gap, rms {}", in_units(tracking.rms_gap)),
                            fmt::format("peak speed {}/s", in_units(tracking.peak_velocity))}},
                 {.colour = draw::target_ink, .name = report.target}}});
    }
    if (auto closer = closer_look(scene, take, reports, chart.panels)) {
        chart.panels.push_back(*std::move(closer));
        chart.height_px += panel_px;
    }
    return chart;
}

std::string scene_summary(const scene::Scene& scene, const std::vector<FollowerReport>& reports) {
    std::string text = fmt::format("{}\n{:.4g} s at {:.4g} frames per second\n",
                                   scene.title.empty() ? scene_name(scene) : scene.title,
                                   scene.duration_s, scene.rate_hz);
    const auto line = [&text](const std::string& what) {
        text += "  " + what + '\n';
    };
    for (const FollowerReport& report : reports) {
        const auto in_units = [&](double number) {
            return with_unit(number * report.per_unit, report.unit);
        };
        const Tracking& tracking = report.tracking;
        text += fmt::format("\n{}, after {}: {}\n", report.name, report.target,
                            in_words(report.tuning));
        line(feel_of(report.tuning));
        line(fmt::format("largest gap {} at {:.4g} s, root mean square {}",
                         in_units(tracking.largest_gap), tracking.largest_gap_time_s,
                         in_units(tracking.rms_gap)));
        line(fmt::format("fastest {}/s at {:.4g} s", in_units(tracking.peak_velocity),
                         tracking.peak_velocity_time_s));
    }
    return text;
}

Json scene_json(const std::string& command, const scene::Scene& scene,
                const std::vector<FollowerReport>& reports) {
    Json source = made_by(command);
    source["scene"] = scene.file;
    source["seed"] = nullptr;
    source["seed_reason"] = "nothing in it is random";
    source["duration_s"] = scene.duration_s;
    source["rate_hz"] = scene.rate_hz;
    Json followers = Json::array();
    for (const FollowerReport& report : reports) {
        const std::string unit = report.unit == "deg" ? "rad" : report.unit;
        const Tracking& tracking = report.tracking;
        followers.push_back({{"name", report.name},
                             {"target", report.target},
                             {"unit", unit},
                             {"tuning", to_json(report.tuning)},
                             {"largest_gap", tracking.largest_gap},
                             {"largest_gap_time_s", tracking.largest_gap_time_s},
                             {"rms_gap", tracking.rms_gap},
                             {"peak_velocity", tracking.peak_velocity},
                             {"peak_velocity_time_s", tracking.peak_velocity_time_s},
                             {"sample_spacing_s", tracking.sample_spacing_s}});
    }
    return {{"made_by", std::move(source)}, {"followers", std::move(followers)}};
}

}  // namespace hopcoil::tool
