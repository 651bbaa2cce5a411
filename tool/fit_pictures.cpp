#include "tool/fit_pictures.hpp"

#include <algorithm>

#include <fmt/format.h>

#include "draw/chart.hpp"
#include "draw/palette.hpp"
#include "tool/made_by.hpp"

namespace hopcoil::tool {
namespace {

std::string label_of(const std::string& name, const std::string& unit) {
    return unit.empty() ? name : fmt::format("{} ({})", name, unit);
}

std::vector<std::string> notes_of(const tune::ReferenceFit& fit) {
    std::vector<std::string> notes;
    for (const tune::FittedNumber& number : fit.numbers) {
        notes.push_back(fmt::format("{} {:.4g}", number.name, number.value));
        notes.push_back(fmt::format("  {:.4g} to {:.4g}", number.low, number.high));
    }
    return notes;
}

draw::Panel motion_panel(const tune::ReferenceFit& fit, const std::vector<double>& times_s,
                         const Explained& part, std::size_t index) {
    draw::Panel panel{.title = part.name, .y_label = label_of("value", part.unit), .share = 2};
    if (part.target != nullptr) {
        panel.curves.push_back({times_s, *part.target, draw::target_ink, 1.5, true});
        panel.legend.push_back({.colour = draw::target_ink, .dashed = true, .name = "target"});
    }
    panel.curves.push_back({times_s, *part.motion, draw::series_colour(1), 3.0});
    panel.curves.push_back({times_s, fit.fitted[index], draw::series_colour(0), 1.5});
    panel.legend.push_back({.colour = draw::series_colour(1), .name = "reference"});
    panel.legend.push_back({.colour = draw::series_colour(0), .name = "found"});
    if (index == 0) panel.legend.back().notes = notes_of(fit);
    return panel;
}

draw::Panel rest_panel(const tune::ReferenceFit& fit, const std::vector<double>& times_s,
                       const Explained& part, std::size_t index) {
    draw::Panel panel{.title = fmt::format("what is left over of {}", part.name),
                      .y_label = label_of("reference - found", part.unit)};
    std::vector<double> left = *part.motion;
    for (std::size_t i = 0; i < left.size(); ++i)
        left[i] -= fit.fitted[index][i];
    if (!fit.is_explained) {
        const auto [low, high] = std::minmax_element(left.begin(), left.end());
        panel.areas.push_back(
            {{fit.worst.from_s, fit.worst.to_s}, {*low, *low}, {*high, *high}, draw::rings_fill});
        panel.legend.push_back(
            {.colour = draw::rings_fill,
             .swatch = true,
             .name = "explained worst",
             .notes = {fmt::format("{:.0f} % of all that", fit.worst.share_percent),
                       "is left over, squared"}});
    }
    panel.curves.push_back({times_s, std::move(left), draw::series_colour(2), 1.5});
    panel.legend.push_back({.colour = draw::series_colour(2),
                            .name = "left over",
                            .notes = {fmt::format("{:.3g} rms", fit.residual_rms),
                                      fmt::format("noise {:.3g} rms", fit.noise_rms)}});
    return panel;
}

}  // namespace

void draw_reference_fit(const std::filesystem::path& file, const tune::ReferenceFit& fit,
                        const std::vector<double>& times_s, const std::vector<Explained>& parts,
                        const std::string& title) {
    draw::Chart chart{.title = title,
                      .x_from = times_s.front(),
                      .x_to = times_s.back(),
                      .footer = made_by_line("fit")};
    for (std::size_t k = 0; k < parts.size(); ++k) {
        chart.panels.push_back(motion_panel(fit, times_s, parts[k], k));
        chart.panels.push_back(rest_panel(fit, times_s, parts[k], k));
    }
    draw::write_chart(chart, file);
}

void draw_goal_fit(const std::filesystem::path& file, const tune::TrialCurve& curve,
                   const std::string& title, const std::vector<std::string>& notes) {
    draw::Chart chart{.title = title,
                      .x_from = curve.times_s.front(),
                      .x_to = curve.times_s.back(),
                      .footer = made_by_line("fit")};
    draw::Panel panel{.y_label = label_of("value", curve.unit)};
    if (!curve.targets.empty()) {
        panel.curves.push_back({curve.times_s, curve.targets, draw::target_ink, 1.5, true});
        panel.legend.push_back({.colour = draw::target_ink, .dashed = true, .name = "target"});
    }
    panel.curves.push_back({curve.times_s, curve.values, draw::series_colour(0)});
    panel.legend.push_back({.colour = draw::series_colour(0), .name = "found", .notes = notes});
    chart.panels.push_back(std::move(panel));
    draw::write_chart(chart, file);
}

}  // namespace hopcoil::tool
