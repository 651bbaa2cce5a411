#include <limits>
#include <stdexcept>

#include <fmt/format.h>

#include <hopcoil/follow/motion.hpp>
#include <hopcoil/io/file_problems.hpp>
#include <hopcoil/scene/run.hpp>
#include <hopcoil/scene/scene.hpp>
#include <hopcoil/scene/scene_dials.hpp>
#include <hopcoil/scene/system_report.hpp>
#include <hopcoil/spring/step_response.hpp>
#include <hopcoil/tune/sweep.hpp>

namespace hopcoil::tune {
namespace {

constexpr double none = std::numeric_limits<double>::quiet_NaN();

void add_response(std::vector<SweepFigure>& figures, const std::string& prefix,
                  const JumpResponse& response) {
    const auto add = [&](const char* name, const Figure& figure) {
        figures.push_back({prefix + name, figure.value().value_or(none)});
    };
    add("overshoot_percent", response.overshoot_percent);
    add("anticipation_percent", response.anticipation_percent);
    add("rise_time_s", response.rise_time_s);
    add("settling_time_s", response.settling_time_s);
}

void add_report(std::vector<SweepFigure>& figures, const scene::SystemReport& report) {
    const auto add = [&](const char* name, double value) {
        figures.push_back({fmt::format("{}.{}", report.name, name), value});
    };
    for (const scene::ReportFigure& figure : report.figures)
        add(figure.key.c_str(), figure.value);
    if (report.tracking) {
        add("largest_gap", report.tracking->largest_gap);
        add("rms_gap", report.tracking->rms_gap);
        add("peak_velocity", report.tracking->peak_velocity);
    }
    if (report.jumps) {
        add("largest_overshoot_percent", report.jumps->largest_overshoot_percent);
        add("longest_settling_time_s", report.jumps->longest_settling_s.value_or(none));
    }
    if (report.lag_s) add("lag_s", *report.lag_s);
}

std::vector<SweepFigure> figures_of(const scene::Scene& scene) {
    std::vector<SweepFigure> figures;
    for (const scene::SceneSystem& system : scene.systems) {
        const scene::StepResponder* const responder = system.spec->step_responder();
        if (responder == nullptr || !responder->has_target()) continue;
        const std::vector<scene::Port> ports = system.spec->outputs();
        for (std::size_t i = 0; i < ports.size(); ++i) {
            add_response(figures, scene::output_name(system, ports[i]) + '.',
                         responder->jump(i, 1));
        }
    }
    for (const scene::SystemReport& report : scene::report_on(scene, scene::fine_take(scene)))
        add_report(figures, report);
    return figures;
}

scene::Scene changed(const scene::Scene& scene, const std::vector<SweepAxis>& axes,
                     std::span<const double> values) {
    scene::Scene other = scene;
    for (std::size_t i = 0; i < axes.size(); ++i)
        scene::set_matching(other, axes[i].path, values[i]);
    return other;
}

const Dial<Tuning>& dial_of(const SweepAxis& axis) {
    for (const Dial<Tuning>& dial : Tuning::dials()) {
        if (dial.path == axis.path) return dial;
    }
    throw std::invalid_argument{
        fmt::format("{}: expected frequency_hz, damping_ratio or lead", axis.path)};
}

Tuning changed(const Tuning& tuning, const std::vector<SweepAxis>& axes,
               std::span<const double> values) {
    Tuning other = tuning;
    for (std::size_t i = 0; i < axes.size(); ++i) {
        const Dial<Tuning>& dial = dial_of(axes[i]);
        if (dial.set(other, values[i]) == DialStatus::set) continue;
        throw std::invalid_argument{fmt::format("{} = {}: expected {}", dial.path, values[i],
                                                scene::range_in_words(dial.hard))};
    }
    return other;
}

}  // namespace

SweepTrial trial_of(const scene::Scene& scene, const std::vector<SweepAxis>& axes) {
    std::vector<double> first;
    first.reserve(axes.size());
    for (const SweepAxis& axis : axes)
        first.push_back(axis.values.empty() ? 0 : axis.values.front());
    static_cast<void>(changed(scene, axes, first));
    return [scene, axes](std::span<const double> values) {
        return figures_of(changed(scene, axes, values));
    };
}

SweepTrial trial_of(const Tuning& tuning, const std::vector<SweepAxis>& axes) {
    for (const SweepAxis& axis : axes)
        static_cast<void>(dial_of(axis));
    return [tuning, axes](std::span<const double> values) {
        std::vector<SweepFigure> figures;
        add_response(figures, "", jump_response(changed(tuning, axes, values)));
        return figures;
    };
}

SweepCurve curve_of(const scene::Scene& scene, const std::vector<SweepAxis>& axes,
                    std::span<const double> values, const std::string& name) {
    scene::Scene tried = changed(scene, axes, values);
    tried.record.clear();  // a report needs every channel
    Take take;
    scene::run(tried, take);
    std::vector<std::string> names;
    for (const scene::SystemReport& report : scene::report_on(tried, take)) {
        names.push_back(report.name);
        if (report.name != name || report.components.empty()) continue;
        const scene::ComponentCurve& curve = report.components.front();
        return {take.times_s(), curve.values, curve.targets, report.unit};
    }
    throw std::invalid_argument{fmt::format("'{}': nothing in the scene reports under this name{}",
                                            name, io::did_you_mean(name, names))};
}

SweepCurve curve_of(const Tuning& tuning, const std::vector<SweepAxis>& axes,
                    std::span<const double> values, double seconds) {
    constexpr std::size_t samples = 240;
    const Tuning tried = changed(tuning, axes, values);
    const StraightRows<double> rows = straight_rows(tried, seconds / samples);
    Motion<double> motion = after(resting_at(0.0), 1.0, jump_rows(tried));
    SweepCurve curve{.times_s = {0}, .values = {0}, .targets = {1}};
    for (std::size_t i = 1; i <= samples; ++i) {
        motion = after(motion, 1.0, rows);
        curve.times_s.push_back(seconds * static_cast<double>(i) / samples);
        curve.values.push_back(motion.value());
        curve.targets.push_back(1);
    }
    return curve;
}

}  // namespace hopcoil::tune
