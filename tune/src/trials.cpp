#include <algorithm>
#include <array>
#include <limits>
#include <stdexcept>

#include <fmt/format.h>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/scene/run.hpp>
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
        for (std::size_t i = 0; i < ports.size(); ++i)
            add_response(figures, scene::output_name(system, ports[i]) + '.',
                         responder->jump(i, 1));
    }
    for (const scene::SystemReport& report : scene::report_on(scene, scene::fine_take(scene)))
        add_report(figures, report);
    return figures;
}

}  // namespace

SweepTrial trial_of(const scene::Scene& scene, const std::vector<SweepAxis>& axes) {
    std::vector<std::string> paths;
    scene::Scene tried = scene;
    for (const SweepAxis& axis : axes) {
        paths.push_back(axis.path);
        if (!axis.values.empty()) scene::set_matching(tried, axis.path, axis.values.front());
    }
    return [scene, paths](std::span<const double> values) {
        scene::Scene changed = scene;
        for (std::size_t i = 0; i < paths.size(); ++i)
            scene::set_matching(changed, paths[i], values[i]);
        return figures_of(changed);
    };
}

SweepTrial trial_of(const Tuning& tuning, const std::vector<SweepAxis>& axes) {
    std::vector<const Dial<Tuning>*> dials;
    for (const SweepAxis& axis : axes) {
        const auto found =
            std::find_if(Tuning::dials().begin(), Tuning::dials().end(),
                         [&](const Dial<Tuning>& dial) { return dial.path == axis.path; });
        if (found == Tuning::dials().end()) {
            throw std::invalid_argument{
                fmt::format("{}: expected frequency_hz, damping_ratio or lead", axis.path)};
        }
        dials.push_back(&*found);
    }
    return [tuning, dials](std::span<const double> values) {
        Tuning changed = tuning;
        for (std::size_t i = 0; i < dials.size(); ++i) {
            if (dials[i]->set(changed, values[i]) == DialStatus::refused) {
                throw std::invalid_argument{fmt::format("{} = {}: expected {}", dials[i]->path,
                                                        values[i],
                                                        scene::range_in_words(dials[i]->hard))};
            }
        }
        std::vector<SweepFigure> figures;
        add_response(figures, "", jump_response(changed));
        return figures;
    };
}

}  // namespace hopcoil::tune
