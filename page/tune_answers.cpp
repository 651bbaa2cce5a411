#include "page/tune_answers.hpp"

#include <algorithm>
#include <chrono>
#include <cmath>
#include <functional>
#include <stdexcept>
#include <string>
#include <vector>

#include <fmt/format.h>

#include <hopcoil/io/file_problems.hpp>
#include <hopcoil/scene/scene_dials.hpp>
#include <hopcoil/tune/reference_fit.hpp>
#include <hopcoil/tune/sweep.hpp>
#include <hopcoil/tune/trial.hpp>

#include "page/answers.hpp"

namespace hopcoil::page {
namespace {

constexpr std::size_t most_values = 40;  // of an axis
constexpr std::size_t most_samples = 20'000;
constexpr std::size_t most_paths = 8;

std::function<bool()> after(std::chrono::milliseconds longest) {
    return [end = std::chrono::steady_clock::now() + longest] {
        return std::chrono::steady_clock::now() > end;
    };
}

Json number_or_null(double number) {
    return std::isfinite(number) ? Json(number) : Json(nullptr);
}

const scene::SceneSystem& system_of(const scene::Scene& scene, const std::string& mover) {
    std::vector<std::string> names;
    for (const scene::SceneSystem& system : scene.systems) {
        for (const scene::Port& port : system.spec->outputs()) {
            names.push_back(scene::output_name(system, port));
            if (names.back() == mover) return system;
        }
    }
    throw RequestProblem{bad_request, fmt::format("nothing that moves is named '{}'{}", mover,
                                                  io::did_you_mean(mover, names))};
}

std::vector<tune::SweepAxis> axes_in(const Request& request) {
    std::vector<tune::SweepAxis> axes;
    for (const Request& axis : request.each("axes", 2)) {
        axis.finish({"path", "values"});
        axes.push_back({axis.text("path"), axis.list("values", most_values)});
        if (axes.back().values.empty())
            throw RequestProblem{bad_request, "axes: expected a value or more of each"};
    }
    if (axes.size() != 2) throw RequestProblem{bad_request, "axes: expected two"};
    return axes;
}

/// Of dials that are numbers of how it moves, between the ends of their sliders.
std::vector<tune::FitRange> ranges_in(const scene::Scene& scene, const Request& request) {
    const scene::SceneSystem& system = system_of(scene, request.text("mover"));
    std::vector<std::string> paths = request.texts("paths");
    const bool are_given = !paths.empty();
    if (!are_given) {
        for (const char* name : {"frequency_hz", "damping_ratio", "lead"})
            paths.push_back(fmt::format("{}.{}", system.name, name));
    }
    if (paths.size() > most_paths)
        throw RequestProblem{bad_request, fmt::format("paths: at most {}", most_paths)};
    const std::vector<scene::SceneDial> dials = scene::dials_of(scene);
    std::vector<tune::FitRange> ranges;
    for (const std::string& path : paths) {
        const auto found = std::find_if(dials.begin(), dials.end(),
                                        [&](const auto& dial) { return dial.path == path; });
        if (found != dials.end()) {
            const double now = scene::value_of(scene, *found);
            ranges.push_back(
                {path, std::min(found->slider.least, now), std::max(found->slider.most, now)});
        } else if (are_given) {
            throw RequestProblem{bad_request, fmt::format("paths: no dial is named '{}'", path)};
        }
    }
    if (ranges.empty()) {
        throw RequestProblem{bad_request,
                             fmt::format("{} has no frequency, damping ratio or lead: turn the "
                                         "dials that are to be found, and fit again",
                                         system.name)};
    }
    return ranges;
}

Json json_of(const tune::FittedNumber& number) {
    return {{"name", number.name},
            {"value", number_or_null(number.value)},
            {"low", number_or_null(number.low)},
            {"high", number_or_null(number.high)},
            {"is_at_bound", number.is_at_bound}};
}

}  // namespace

Json map_answer(const scene::Scene& scene, const Request& request,
                std::chrono::milliseconds longest) {
    request.finish({"values", "drives", "mover", "axes", "run"});
    const scene::Scene tried = with_values(scene, request);
    const std::vector<tune::SweepAxis> axes = axes_in(request);
    const std::string prefix = system_of(tried, request.text("mover")).name + '.';
    tune::SweepTable table;
    try {
        const std::vector<std::string> paths = tune::paths_of(axes);
        const tune::Trial trial = request.flag("run", true) ? tune::trial_of(tried, paths)
                                                            : tune::trial_without_run(tried, paths);
        table = tune::sweep(axes, trial, {.is_cancelled = after(longest)});
    } catch (const std::invalid_argument& problem) {
        throw RequestProblem{bad_request, problem.what()};
    }
    std::vector<std::size_t> shown;
    Json names = Json::array();
    for (std::size_t k = 0; k < table.figures.size(); ++k) {
        if (!table.figures[k].starts_with(prefix)) continue;
        shown.push_back(k);
        names.push_back(table.figures[k]);
    }
    Json cells = Json::array();
    for (const tune::SweepRow& row : table.rows) {
        Json figures = Json::array();
        for (const std::size_t k : shown)
            figures.push_back(row.failure.empty() ? number_or_null(row.figures[k]) : nullptr);
        cells.push_back({{"index", row.index},
                         {"figures", std::move(figures)},
                         {"failure", row.failure.empty() ? Json(nullptr) : Json(row.failure)}});
    }
    return {{"made_by", made_by_live(tried)},
            {"figures", std::move(names)},
            {"total", table.total},
            {"cells", std::move(cells)}};
}

Json fit_answer(const scene::Scene& scene, const Request& request,
                std::chrono::milliseconds longest) {
    request.finish({"values", "drives", "mover", "column", "times_s", "motion", "paths"});
    const scene::Scene tried = with_values(scene, request);
    const std::vector<double> times_s = request.list("times_s", most_samples);
    const std::vector<double> motion = request.list("motion", most_samples);
    if (motion.size() != times_s.size()) {
        throw RequestProblem{
            bad_request, fmt::format("motion: expected as many numbers as times_s, {}, found {}",
                                     times_s.size(), motion.size())};
    }
    const std::vector<tune::FitRange> ranges = ranges_in(tried, request);
    tune::ReferenceFit fit;
    try {
        fit = tune::fit_scene(tried, ranges, times_s, {{request.text("column"), motion}},
                              {.most_runs = 300, .is_cancelled = after(longest)});
    } catch (const std::invalid_argument& problem) {
        throw RequestProblem{bad_request, problem.what()};
    }
    Json values = Json::object();
    Json numbers = Json::array();
    for (const tune::FittedNumber& number : fit.numbers) {
        values[number.name] = number.value;
        numbers.push_back(json_of(number));
    }
    return {{"made_by", made_by_live(tried)},
            {"values", std::move(values)},
            {"numbers", std::move(numbers)},
            {"combination", fit.combination ? json_of(*fit.combination) : Json(nullptr)},
            {"residual_rms", number_or_null(fit.residual_rms)},
            {"unexplained_percent", number_or_null(fit.unexplained_percent)},
            {"is_explained", fit.is_explained},
            {"worst", {{"from_s", fit.worst.from_s}, {"to_s", fit.worst.to_s}}},
            {"is_cut_short", fit.is_cancelled}};
}

}  // namespace hopcoil::page
