#include "tool/timestep_chart.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <span>

#include <fmt/format.h>

#include <hopcoil/base/math.hpp>
#include <hopcoil/scene/kinds/movers.hpp>
#include <hopcoil/stepping/any_scheme.hpp>

#include "draw/palette.hpp"
#include "tool/made_by.hpp"

namespace hopcoil::tool {
namespace {

std::string footer_of(const NamedSurvey& named, const std::string& what) {
    return fmt::format("{}: {}; {}", made_by_line("timestep"), named.name, what);
}

std::string title_with(const std::string& what, const NamedSurvey& named) {
    const std::string numbers = scene::in_words(named.survey.tuning);
    return named.name == numbers ? fmt::format("{}: {}", what, numbers)
                                 : fmt::format("{}: {} ({})", what, named.name, numbers);
}

std::string words_of(Scheme scheme) {
    return std::string{facts_of(scheme).in_words};
}

std::string off_by(double percent) {
    return std::isfinite(percent) ? fmt::format("off by {:.3g} %", percent) : "diverged";
}

/// The stretches of one panel of the map: x in Hz, y in ms, both logarithmic.
class MapPanel {
  public:
    MapPanel(const NamedSurvey& named, const SchemeSurvey& scheme) : scheme_{scheme} {
        const double middle = named.survey.tuning.frequency_hz;
        constexpr int points = 121;
        for (int i = 0; i < points; ++i)
            frequencies_.push_back(middle * std::pow(10.0, 2.0 * i / (points - 1) - 1));
    }

    static constexpr double least_ms = 0.5;
    static constexpr double most_ms = 200;

    [[nodiscard]] draw::Panel drawn(double tuning_hz, double rate_hz) const {
        const double unit = 1000 * tuning_hz;  // a limit at the tuning, over frequency, in ms
        draw::Panel panel{.title = words_of(scheme_.scheme),
                          .y_label = "step, ms",
                          .y_from = least_ms,
                          .y_to = most_ms,
                          .log_y = true};
        const std::vector<double> bottom(frequencies_.size(), least_ms);
        const std::vector<double> stable = line(unit * scheme_.limits.largest_stable_s);
        const std::vector<double> ringing =
            line(unit * std::min(scheme_.limits.ringing_from_s, scheme_.limits.largest_stable_s));
        const std::vector<double> top(frequencies_.size(), most_ms);
        panel.areas.push_back({frequencies_, stable, top, draw::unstable_fill});
        panel.areas.push_back({frequencies_, ringing, stable, draw::rings_fill});
        panel.areas.push_back({frequencies_, bottom, ringing, draw::stable_fill});
        draw::Curve edge{.xs = frequencies_, .ys = stable, .colour = draw::ink};
        for (double& ms : edge.ys)
            ms = ms > least_ms && ms < most_ms ? ms : std::nan("");
        panel.curves.push_back(std::move(edge));
        panel.curves.push_back({.xs = {tuning_hz, tuning_hz},
                                .ys = {least_ms, most_ms},
                                .colour = draw::faint_ink,
                                .width = 1,
                                .dashed = true});
        panel.marks.push_back({.x = tuning_hz,
                               .y = std::clamp(1000 / rate_hz, least_ms, most_ms),
                               .text = fmt::format("{:.4g} Hz", rate_hz),
                               .colour = draw::ink,
                               .left = true});
        return panel;
    }
    [[nodiscard]] double from_hz() const { return frequencies_.front(); }
    [[nodiscard]] double to_hz() const { return frequencies_.back(); }

  private:
    [[nodiscard]] std::vector<double> line(double ms_at_1_hz) const {
        std::vector<double> line;
        for (const double frequency_hz : frequencies_)
            line.push_back(std::clamp(ms_at_1_hz / frequency_hz, least_ms, most_ms));
        return line;
    }

    const SchemeSurvey& scheme_;
    std::vector<double> frequencies_;
};

}  // namespace

draw::Chart stability_map(const NamedSurvey& named, double rate_hz) {
    draw::Chart chart{
        .title = title_with("Which steps are stable", named),
        .x_label = "natural frequency (Hz)",
        .log_x = true,
        .columns = 4,
        .legend = {{.colour = draw::stable_fill, .swatch = true, .name = "stable"},
                   {.colour = draw::rings_fill, .swatch = true, .name = "rings"},
                   {.colour = draw::unstable_fill, .swatch = true, .name = "unstable"},
                   {.colour = draw::ink, .name = "largest step"},
                   {.colour = draw::faint_ink, .dashed = true, .name = "this tuning"}},
        .footer = footer_of(named, "stability map")};
    for (const SchemeSurvey& scheme : named.survey.schemes) {
        const MapPanel panel{named, scheme};
        chart.x_from = panel.from_hz();
        chart.x_to = panel.to_hz();
        chart.panels.push_back(panel.drawn(named.survey.tuning.frequency_hz, rate_hz));
    }
    return chart;
}

draw::Chart error_chart(const NamedSurvey& named) {
    draw::Panel panel{
        .y_label = "largest error (% of the jump)", .y_from = 1e-4, .y_to = 300, .log_y = true};
    double from_ms = 1e300;
    double to_ms = 0;
    std::size_t i = 0;
    for (const SchemeSurvey& scheme : named.survey.schemes) {
        draw::Curve curve{.colour = draw::series_colour(i), .width = 2.4};
        for (const StepError& each : scheme.errors) {
            if (!(each.error_percent < 1e3)) continue;
            curve.xs.push_back(1000 * each.step_s);
            curve.ys.push_back(each.error_percent);
            from_ms = std::min(from_ms, curve.xs.back());
            to_ms = std::max(to_ms, curve.xs.back());
        }
        const std::string order = std::isfinite(scheme.measured_order)
                                      ? fmt::format("order {:.2f}", scheme.measured_order)
                                      : "order not measured";
        panel.legend.push_back(
            {.colour = curve.colour, .name = words_of(scheme.scheme), .notes = {order}});
        panel.curves.push_back(std::move(curve));
        ++i;
    }
    const double wanted = named.survey.wanted_error_percent;
    panel.curves.push_back(
        {.xs = {from_ms, to_ms}, .ys = {wanted, wanted}, .colour = draw::target_ink, .width = 1.2});
    panel.legend.push_back(
        {.colour = draw::target_ink, .name = fmt::format("wanted: {:.3g} %", wanted)});
    return {.title = title_with("Error against step", named),
            .x_label = "step (ms)",
            .x_from = from_ms,
            .x_to = to_ms,
            .log_x = true,
            .panels = {std::move(panel)},
            .footer = footer_of(named, "error against step")};
}

draw::Chart motion_chart(const NamedSurvey& named, double rate_hz) {
    const StepSurvey& survey = named.survey;
    constexpr std::array<Scheme, 4> shown{Scheme::explicit_euler, Scheme::semi_implicit_euler,
                                          Scheme::implicit_euler, Scheme::runge_kutta_4};
    // What leaves is followed so far and no further.
    constexpr double least = -1;
    constexpr double most = 3;
    double low = 0;
    double high = 1;
    draw::Panel panel{.y_label = "value"};
    const SteppedJump fine =
        stepped_jump(survey.tuning, Scheme::runge_kutta_4,
                     std::min(1e-3, 0.02 / survey.tuning.frequency_hz), survey.duration_s);
    panel.curves.push_back(
        {.xs = fine.times_s, .ys = fine.exact, .colour = draw::ink, .width = 1.4, .dashed = true});
    panel.legend.push_back({.colour = draw::ink, .dashed = true, .name = "exact (a follower)"});
    std::size_t i = 0;
    for (const Scheme scheme : shown) {
        SteppedJump jump = stepped_jump(survey.tuning, scheme, 1 / rate_hz, survey.duration_s);
        const StepReport report = step_report(survey.tuning, scheme, 1 / rate_hz);
        for (double& value : jump.values) {
            low = std::min(low, std::max(value, least));
            high = std::max(high, std::min(value, most));
            if (std::abs(value) > 50) value = std::nan("");
        }
        panel.legend.push_back({.colour = draw::series_colour(i),
                                .name = words_of(scheme),
                                .notes = {in_words(report.verdict), off_by(jump.error_percent)}});
        panel.curves.push_back({.xs = std::move(jump.times_s),
                                .ys = std::move(jump.values),
                                .colour = draw::series_colour(i),
                                .width = 2.2});
        panel.curves.back().xs.resize(panel.curves.back().ys.size());
        ++i;
    }
    panel.y_from = low - 0.1;
    panel.y_to = high + 0.1;
    panel.curves.push_back(
        {.xs = {0, survey.duration_s}, .ys = {1, 1}, .colour = draw::target_ink, .width = 1.2});
    panel.legend.push_back({.colour = draw::target_ink, .name = "target"});
    return {.title = title_with(fmt::format("One jump, stepped at {:.4g} Hz", rate_hz), named),
            .x_to = survey.duration_s,
            .panels = {std::move(panel)},
            .footer = footer_of(named, "motion")};
}

EnergyBand energy_band(Scheme scheme, double u, int steps) {
    AnyScheme<double> stepper{scheme, 1};
    const auto spring = [](double /*t*/, std::span<const double> x, std::span<const double> /*v*/,
                           std::span<double> a) {
        a[0] = -x[0];
    };
    std::array<double, 1> x{1};
    std::array<double, 1> v{0};
    EnergyBand band;
    double stretch_end = 1;
    for (int i = 1; i <= steps; ++i) {
        if (stepper.step(spring, 0, u, x, v) != StepStatus::stepped) break;
        const double energy = x[0] * x[0] + v[0] * v[0];
        if (!(energy > 1e-6 && energy < 1e6)) break;
        if (i >= stretch_end || band.steps.empty()) {
            band.steps.push_back(i);
            band.least.push_back(energy);
            band.most.push_back(energy);
            stretch_end = std::max(i + 1.0, i * 1.12);
        }
        band.least.back() = std::min(band.least.back(), energy);
        band.most.back() = std::max(band.most.back(), energy);
    }
    return band;
}

draw::Chart energy_chart(const NamedSurvey& named, double rate_hz) {
    constexpr int steps = 1'000'000;
    const double u = angular_frequency_rad_per_s(named.survey.tuning) / rate_hz;
    draw::Chart chart{
        .title =
            fmt::format("Energy against that at the start, over a million steps: {:.4g} Hz without "
                        "damping, stepped at {:.4g} Hz",
                        named.survey.tuning.frequency_hz, rate_hz),
        .x_label = "steps",
        .x_from = 1,
        .x_to = steps,
        .log_x = true,
        .columns = 4,
        .legend = {{.colour = draw::series_colour(0), .name = "largest, least"},
                   {.colour = draw::target_ink, .dashed = true, .name = "exact"}},
        .footer = footer_of(named, "energy")};
    for (const SchemeFacts& each : all_schemes()) {
        const EnergyBand band = energy_band(each.scheme, u, steps);
        draw::Panel panel{.title = std::string{each.in_words},
                          .y_label = "energy",
                          .y_from = 0.1,
                          .y_to = 10,
                          .log_y = true};
        panel.areas.push_back({band.steps, band.least, band.most, draw::stable_fill});
        panel.curves.push_back({.xs = {1, steps},
                                .ys = {1, 1},
                                .colour = draw::target_ink,
                                .width = 1.2,
                                .dashed = true});
        for (const std::vector<double>* edge : {&band.least, &band.most}) {
            panel.curves.push_back(
                {.xs = band.steps, .ys = *edge, .colour = draw::series_colour(0), .width = 1.6});
        }
        chart.panels.push_back(std::move(panel));
    }
    return chart;
}

}  // namespace hopcoil::tool
