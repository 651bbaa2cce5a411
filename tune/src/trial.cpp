#include <cmath>
#include <limits>
#include <stdexcept>
#include <utility>

#include <fmt/format.h>

#include <hopcoil/follow/motion.hpp>
#include <hopcoil/io/file_problems.hpp>
#include <hopcoil/scene/pattern.hpp>
#include <hopcoil/scene/run.hpp>
#include <hopcoil/scene/scene.hpp>
#include <hopcoil/scene/scene_dials.hpp>
#include <hopcoil/scene/system_report.hpp>
#include <hopcoil/spring/step_response.hpp>
#include <hopcoil/stepping/stability.hpp>
#include <hopcoil/tune/trial.hpp>

namespace hopcoil::tune {
namespace {

constexpr double absent = std::numeric_limits<double>::quiet_NaN();

void add_response(std::vector<TrialFigure>& figures, const std::string& prefix,
                  const JumpResponse& response) {
    const auto add = [&](const char* name, const Figure& figure) {
        figures.push_back({prefix + name, figure.value().value_or(absent)});
    };
    add("overshoot_percent", response.overshoot_percent);
    add("anticipation_percent", response.anticipation_percent);
    add("rise_time_s", response.rise_time_s);
    add("settling_time_s", response.settling_time_s);
}

void add_report(std::vector<TrialFigure>& figures, const scene::SystemReport& report) {
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
        add("longest_settling_time_s", report.jumps->longest_settling_s.value_or(absent));
    }
    if (report.lag_s) add("lag_s", *report.lag_s);
}

Trial trial_with(const scene::Scene& scene, std::vector<std::string> paths,
                 std::vector<TrialFigure> (*figures)(const scene::Scene&)) {
    for (const std::string& path : paths)
        static_cast<void>(value_at(scene, path));
    return [scene, paths = std::move(paths), figures](std::span<const double> values) {
        return figures(changed(scene, paths, values));
    };
}

/// Steps per second, of what is stepped by a scheme: a scene's frames.
constexpr std::string_view step_path = "step_hz";
constexpr double usual_step_hz = 60;

/// Whether each scheme is stable, rings or is unstable with so many steps per second.
void add_regimes(std::vector<TrialFigure>& figures, const std::string& prefix, const Tuning& tuning,
                 double step_hz) {
    if (!(step_hz > 0)) throw std::invalid_argument{"step_hz: expected a number above 0"};
    for (const SchemeFacts& facts : all_schemes()) {
        const StepVerdict verdict = step_report(tuning, facts.scheme, 1 / step_hz).verdict;
        figures.push_back(
            {fmt::format("{}{}.regime", prefix, facts.name), static_cast<double>(verdict)});
    }
}

/// What each way of stepping a system allows: "net.velocity_verlet.stable_below_s".
void add_limits(std::vector<TrialFigure>& figures, const std::string& name,
                const std::vector<scene::StepLimit>& limits) {
    for (const scene::StepLimit& limit : limits) {
        const std::size_t comma = limit.method.find(", ");
        const std::string method =
            comma == std::string::npos ? limit.method : limit.method.substr(comma + 2);
        const bool is_name = method.find(' ') == std::string::npos;
        const bool is_stepped = limit.stable_below_s > 0;
        const double below_s = std::isfinite(limit.stable_below_s) ? limit.stable_below_s : absent;
        const auto steps = static_cast<double>(limit.steps);
        const auto add = [&](const std::string& owner) {
            figures.push_back({owner + ".stable_below_s", below_s});
            figures.push_back({owner + ".steps_a_frame", is_stepped ? steps : absent});
        };
        if (is_name) add(fmt::format("{}.{}", name, method));
        if (limit.is_chosen) add(name);
    }
}

/// Which regime each scheme would be in, once a frame; of nets and parts what their methods allow.
void add_stepping(std::vector<TrialFigure>& figures, const scene::Scene& scene,
                  const scene::SceneSystem& system) {
    if (const auto limits = system.spec->step_limits(); !limits.empty())
        return add_limits(figures, system.name, limits);
    const scene::StepResponder* const responder = system.spec->step_responder();
    if (responder == nullptr) return;
    const double step_hz = scene.clock.step_hz > 0 ? scene.clock.step_hz : scene.rate_hz;
    const std::vector<scene::Port> ports = system.spec->outputs();
    for (std::size_t i = 0; i < ports.size(); ++i) {
        const auto tuning = responder->tuning(i);
        if (!tuning || !(tuning->frequency_hz > 0)) continue;
        add_regimes(figures, scene::output_name(system, ports[i]) + '.', *tuning, step_hz);
    }
}

void add_responses(std::vector<TrialFigure>& figures, const scene::Scene& scene) {
    for (const scene::SceneSystem& system : scene.systems) {
        const scene::StepResponder* const responder = system.spec->step_responder();
        if (responder == nullptr || !responder->has_target()) continue;
        const std::vector<scene::Port> ports = system.spec->outputs();
        for (std::size_t i = 0; i < ports.size(); ++i) {
            add_response(figures, scene::output_name(system, ports[i]) + '.',
                         responder->jump(i, 1));
        }
    }
}

std::vector<TrialFigure> figures_without_run(const scene::Scene& scene) {
    std::vector<TrialFigure> figures;
    add_responses(figures, scene);
    for (const scene::SceneSystem& system : scene.systems)
        add_stepping(figures, scene, system);
    return figures;
}

std::vector<TrialFigure> figures_of(const scene::Scene& scene) {
    std::vector<TrialFigure> figures;
    add_responses(figures, scene);
    for (const scene::SystemReport& report : scene::report_on(scene, scene::fine_take(scene)))
        add_report(figures, report);
    for (const scene::SceneSystem& system : scene.systems)
        add_stepping(figures, scene, system);
    return figures;
}

const Dial<Tuning>& dial_of(const std::string& path) {
    for (const Dial<Tuning>& dial : Tuning::dials()) {
        if (dial.path == path) return dial;
    }
    throw std::invalid_argument{
        fmt::format("{}: expected frequency_hz, damping_ratio, lead or step_hz", path)};
}

}  // namespace

scene::Scene changed(const scene::Scene& scene, const std::vector<std::string>& paths,
                     std::span<const double> values) {
    scene::Scene other = scene;
    for (std::size_t i = 0; i < paths.size(); ++i) {
        if (paths[i] != step_path) {
            scene::set_matching(other, paths[i], values[i]);
            continue;
        }
        if (!(values[i] > 0)) throw std::invalid_argument{"step_hz: expected a number above 0"};
        (other.clock.step_hz > 0 ? other.clock.step_hz : other.rate_hz) = values[i];
    }
    return other;
}

Tuning changed(const Tuning& tuning, const std::vector<std::string>& paths,
               std::span<const double> values) {
    Tuning other = tuning;
    for (std::size_t i = 0; i < paths.size(); ++i) {
        if (paths[i] == step_path) continue;
        const Dial<Tuning>& dial = dial_of(paths[i]);
        if (dial.set(other, values[i]) == DialStatus::set) continue;
        throw std::invalid_argument{fmt::format("{} = {}: expected {}", dial.path, values[i],
                                                scene::range_in_words(dial.hard))};
    }
    return other;
}

std::vector<std::vector<std::string>> value_names(const scene::Scene& scene,
                                                  const std::vector<std::string>& paths) {
    std::vector<std::vector<std::string>> names(paths.size());
    for (const scene::SceneDial& dial : scene::dials_of(scene)) {
        for (std::size_t i = 0; i < paths.size(); ++i) {
            if (!dial.names.empty() && scene::matches(paths[i], dial.path)) names[i] = dial.names;
        }
    }
    return names;
}

double value_at(const scene::Scene& scene, const std::string& path) {
    if (path == step_path) return scene.clock.step_hz > 0 ? scene.clock.step_hz : scene.rate_hz;
    for (const scene::SceneDial& dial : scene::dials_of(scene)) {
        if (scene::matches(path, dial.path)) return scene::value_of(scene, dial);
    }
    for (const scene::SceneNumber& number : scene.tuning_numbers) {
        if (scene::matches(path, number.path)) return number.value;
    }
    scene::Scene copy = scene;
    scene::set_matching(copy, path, 0);  // says what there is
    return 0;
}

double value_at(const Tuning& tuning, const std::string& path) {
    return path == step_path ? usual_step_hz : dial_of(path).get(tuning);
}

Trial trial_of(const scene::Scene& scene, std::vector<std::string> paths) {
    return trial_with(scene, std::move(paths), figures_of);
}

Trial trial_without_run(const scene::Scene& scene, std::vector<std::string> paths) {
    return trial_with(scene, std::move(paths), figures_without_run);
}

Trial trial_of(const Tuning& tuning, std::vector<std::string> paths) {
    for (const std::string& path : paths)
        static_cast<void>(value_at(tuning, path));
    return [tuning, paths = std::move(paths)](std::span<const double> values) {
        const Tuning tried = changed(tuning, paths, values);
        std::vector<TrialFigure> figures;
        const JumpResponse response = jump_response(tried);
        add_response(figures, "", response);
        figures.push_back({"peak_time_s", response.peak_time_s.value().value_or(absent)});
        figures.push_back({"peak_velocity", response.peak_velocity.value().value_or(absent)});
        figures.push_back({"reversals", response.reversals.value().value_or(absent)});
        figures.push_back({"ramp_lag_s", tried.frequency_hz > 0 ? ramp_lag_s(tried) : absent});
        for (std::size_t i = 0; i < paths.size(); ++i) {
            if (paths[i] == step_path) add_regimes(figures, "", tried, values[i]);
        }
        return figures;
    };
}

TrialCurve curve_of(const scene::Scene& scene, const std::vector<std::string>& paths,
                    std::span<const double> values, const std::string& name) {
    scene::Scene tried = changed(scene, paths, values);
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

TrialCurve curve_of(const Tuning& tuning, const std::vector<std::string>& paths,
                    std::span<const double> values, double seconds) {
    constexpr std::size_t samples = 240;
    const Tuning tried = changed(tuning, paths, values);
    const StraightRows<double> rows = straight_rows(tried, seconds / samples);
    Motion<double> motion = after(resting_at(0.0), 1.0, jump_rows(tried));
    TrialCurve curve{.times_s = {0}, .values = {0}, .targets = {1}};
    for (std::size_t i = 1; i <= samples; ++i) {
        motion = after(motion, 1.0, rows);
        curve.times_s.push_back(seconds * static_cast<double>(i) / samples);
        curve.values.push_back(motion.value());
        curve.targets.push_back(1);
    }
    return curve;
}

std::size_t figure_named(std::string_view name, const std::vector<std::string>& figures) {
    std::vector<std::size_t> fitting;
    for (std::size_t k = 0; k < figures.size(); ++k) {
        const std::string& figure = figures[k];
        if (figure == name) return k;
        if (figure.ends_with(fmt::format(".{}", name))) fitting.push_back(k);
    }
    if (fitting.size() == 1) return fitting.front();
    if (!fitting.empty()) {
        throw std::invalid_argument{fmt::format("'{}': both {} and {} end so", name,
                                                figures[fitting[0]], figures[fitting[1]])};
    }
    const std::string near = io::did_you_mean(name, figures);
    std::string names;
    for (const std::string& figure : figures)
        names += fmt::format("{}{}", names.empty() ? "" : ", ", figure);
    throw std::invalid_argument{fmt::format("'{}': no figure has this name{}", name,
                                            near.empty() ? "; there are " + names : near)};
}

}  // namespace hopcoil::tune
