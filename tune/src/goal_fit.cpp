#include <algorithm>
#include <atomic>
#include <cmath>
#include <limits>
#include <mutex>
#include <optional>
#include <stdexcept>

#include <fmt/format.h>

#include <hopcoil/io/csv_text.hpp>
#include <hopcoil/scene/scene.hpp>
#include <hopcoil/scene/system_report.hpp>
#include <hopcoil/spring/wish.hpp>
#include <hopcoil/tune/goal_fit.hpp>

#include "search.hpp"

namespace hopcoil::tune {
namespace {

constexpr double infinite = std::numeric_limits<double>::infinity();
/// A figure that a run does not have costs this much more than any that is merely wrong.
constexpr double cost_of_none = 1e6;
constexpr double exact = 1e-14;
/// No search goes further: a goal is met to half a thousandth, well within what counts as met.
constexpr double close_enough = 2.5e-7;
/// A bound is aimed at from within, by more than that leaves open.
constexpr double within_bound = 1e-3;

double miss_of(const FitGoal& goal, double figure) {
    const double scale = goal.value == 0 ? 1 : std::abs(goal.value);
    const double miss = (figure - goal.value) / scale;
    if (goal.type == FitGoal::Type::below) return std::max(0.0, miss + within_bound);
    if (goal.type == FitGoal::Type::above) return std::min(0.0, miss - within_bound);
    return miss;
}

bool is_met(const FitGoal& goal, double figure) {
    if (!std::isfinite(figure)) return false;
    if (goal.type == FitGoal::Type::below) return figure < goal.value;
    if (goal.type == FitGoal::Type::above) return figure > goal.value;
    constexpr double points = 0.1;
    const double allowed = goal.figure.ends_with("_percent") ? points : 0.01 * std::abs(goal.value);
    return std::abs(figure - goal.value) <= std::max(allowed, 1e-9);
}

/// What is tried, and what has come of it so far.
class Goals {
  public:
    Goals(std::vector<FitGoal> goals, const std::vector<FitRange>& ranges, const Trial& trial)
        : ranges_{ranges}, trial_{trial} {
        if (goals.empty()) throw std::invalid_argument{"a fit has at least one goal"};
        require_valid(ranges);
        const std::vector<double> middle(ranges.size(), 0.5);
        const std::vector<TrialFigure> figures = trial(values_in(ranges, middle));
        std::vector<std::string> names;
        names.reserve(figures.size());
        for (const TrialFigure& figure : figures)
            names.push_back(figure.name);
        for (FitGoal& goal : goals) {
            goal.figure = names[figure_named(goal.figure, names)];
            outcomes_.push_back({.goal = std::move(goal), .least = infinite, .most = -infinite});
        }
    }

    double cost(const std::vector<double>& values) {
        ++runs_;
        try {
            return cost_of(trial_(values));
        } catch (const std::exception&) {
            return cost_of_none * static_cast<double>(outcomes_.size() + 1);
        }
    }

    [[nodiscard]] bool are_within(const std::vector<double>& values) const {
        for (std::size_t k = 0; k < ranges_.size(); ++k) {
            if (!(values[k] >= ranges_[k].low && values[k] <= ranges_[k].high)) return false;
        }
        return true;
    }

    [[nodiscard]] GoalFit fit_at(std::vector<double> values) {
        GoalFit fit{.values = std::move(values)};
        try {
            fit.figures = trial_(fit.values);
        } catch (const std::exception& problem) {
            throw std::invalid_argument{
                fmt::format("every run failed; the last: {}", problem.what())};
        }
        fit.goals = outcomes_;
        fit.is_met = true;
        for (GoalOutcome& outcome : fit.goals) {
            outcome.achieved = figure_of(outcome.goal, fit.figures);
            outcome.is_met = tune::is_met(outcome.goal, outcome.achieved);
            fit.is_met = fit.is_met && outcome.is_met;
        }
        fit.runs = runs_;
        return fit;
    }

  private:
    static double figure_of(const FitGoal& goal, const std::vector<TrialFigure>& figures) {
        const auto found =
            std::find_if(figures.begin(), figures.end(),
                         [&](const TrialFigure& each) { return each.name == goal.figure; });
        return found == figures.end() ? std::numeric_limits<double>::quiet_NaN() : found->value;
    }

    double cost_of(const std::vector<TrialFigure>& figures) {
        double cost = 0;
        for (GoalOutcome& outcome : outcomes_) {
            const double figure = figure_of(outcome.goal, figures);
            if (!std::isfinite(figure)) {
                cost += cost_of_none;
                continue;
            }
            const double miss = miss_of(outcome.goal, figure);
            cost += outcome.goal.weight * miss * miss;
            const std::lock_guard lock{mutex_};
            outcome.least = std::min(outcome.least, figure);
            outcome.most = std::max(outcome.most, figure);
        }
        return cost;
    }

    const std::vector<FitRange>& ranges_;
    const Trial& trial_;
    std::vector<GoalOutcome> outcomes_{};
    std::mutex mutex_{};
    std::atomic<std::size_t> runs_{0};
};

const FitGoal* goal_of(const std::vector<FitGoal>& goals, std::string_view figure) {
    const auto found = std::find_if(goals.begin(), goals.end(), [&](const FitGoal& goal) {
        return goal.figure == figure && goal.type == FitGoal::Type::equal;
    });
    return found == goals.end() ? nullptr : &*found;
}

/// Overshoot and settling time of one follower, asked for by "lamp.overshoot_percent": the numbers
/// that its own closed form gives.
std::optional<std::vector<double>> solved_by_follower(const std::vector<FitGoal>& goals,
                                                      const std::vector<FitRange>& ranges,
                                                      const scene::Scene& scene) {
    for (const scene::SceneSystem& system : scene.systems) {
        const scene::StepResponder* const responder = system.spec->step_responder();
        if (responder == nullptr || !responder->has_target()) continue;
        const std::vector<scene::Port> ports = system.spec->outputs();
        for (std::size_t i = 0; i < ports.size(); ++i) {
            const std::string name = scene::output_name(system, ports[i]);
            const FitGoal* const overshoot =
                goal_of(goals, fmt::format("{}.overshoot_percent", name));
            const FitGoal* const settling = goal_of(goals, fmt::format("{}.settling_time_s", name));
            if (overshoot == nullptr || settling == nullptr) continue;
            std::vector<double> values;
            try {
                const auto solved = responder->solve(i, overshoot->value, settling->value);
                for (const FitRange& range : ranges) {
                    const auto found = std::find_if(solved.begin(), solved.end(), [&](auto& each) {
                        return fmt::format("{}.{}", system.name, each.first) == range.path;
                    });
                    values.push_back(found == solved.end() ? value_at(scene, range.path)
                                                           : found->second);
                }
                return values;
            } catch (const std::invalid_argument&) {
                return std::nullopt;  // the search finds what comes nearest
            }
        }
    }
    return std::nullopt;
}

}  // namespace

FitGoal goal_from(std::string_view text) {
    const std::size_t sign = text.find_first_of("=<>");
    const auto refuse = [&] {
        throw std::invalid_argument{fmt::format(
            "'{}': expected FIGURE=NUMBER, FIGURE<NUMBER or FIGURE>NUMBER, and :WEIGHT above 0 "
            "if it counts more or less than others",
            text)};
    };
    if (sign == std::string_view::npos || sign == 0) refuse();
    FitGoal goal{.figure = std::string{text.substr(0, sign)},
                 .type = text[sign] == '='   ? FitGoal::Type::equal
                         : text[sign] == '<' ? FitGoal::Type::below
                                             : FitGoal::Type::above};
    const std::size_t colon = text.find(':', sign);
    const bool has_weight = colon != std::string_view::npos;
    const std::string_view number =
        text.substr(sign + 1, has_weight ? colon - sign - 1 : std::string_view::npos);
    if (!io::parse_number(number, goal.value)) refuse();
    if (has_weight && !io::parse_number(text.substr(colon + 1), goal.weight)) refuse();
    if (!(goal.weight > 0)) refuse();
    return goal;
}

GoalFit fit_to_goals(const std::vector<FitGoal>& goals, const std::vector<FitRange>& ranges,
                     const Trial& trial, const FitSettings& settings,
                     const std::vector<std::vector<double>>& starts) {
    Goals tried{goals, ranges, trial};
    const Cost cost = [&](std::span<const double> unit) {
        return tried.cost(values_in(ranges, unit));
    };
    std::vector<Place> places;
    for (const std::vector<double>& values : starts) {
        if (!tried.are_within(values)) continue;
        Place place{.cost = tried.cost(values)};
        if (place.cost <= exact) return tried.fit_at(values);
        for (std::size_t k = 0; k < ranges.size(); ++k)
            place.unit.push_back(unit_in(ranges[k], values[k]));
        places.push_back(std::move(place));
    }
    constexpr std::size_t most_descents = 4;
    // 64 trials are enough to survey one number, 128 are for two.
    const std::size_t enough = std::size_t{32} << ranges.size();
    std::vector<Place> seen = survey(
        cost, ranges.size(), std::min(settings.most_runs / 3 + 1, enough), close_enough, settings);
    seen.resize(std::min(seen.size(), most_descents));
    places.insert(places.end(), seen.begin(), seen.end());
    const std::size_t runs_each = settings.most_runs * 2 / 3 / places.size() + 1;
    const std::vector<Place> found = refined(cost, places, runs_each, close_enough, settings);
    GoalFit fit = tried.fit_at(values_in(ranges, found.front().unit));
    fit.is_cancelled = settings.is_cancelled && settings.is_cancelled();
    return fit;
}

GoalFit fit_to_goals(const std::vector<FitGoal>& goals, const std::vector<FitRange>& ranges,
                     const Tuning& tuning, const FitSettings& settings) {
    const std::vector<std::string> paths = paths_of(ranges);
    const Trial trial = trial_of(tuning, paths);
    const auto varies = [&](const char* path) {
        return std::find(paths.begin(), paths.end(), path) != paths.end();
    };
    const FitGoal* const overshoot = goal_of(goals, "overshoot_percent");
    const FitGoal* const settling = goal_of(goals, "settling_time_s");
    if (overshoot == nullptr || settling == nullptr || !varies("frequency_hz") ||
        !varies("damping_ratio") || varies("lead"))
        return fit_to_goals(goals, ranges, trial, settings);
    const Tuning solved = tuning_from(Wish{.overshoot_percent = overshoot->value,
                                           .settling_time_s = settling->value,
                                           .lead = tuning.lead});
    std::vector<double> start;
    start.reserve(paths.size());
    for (const std::string& path : paths)
        start.push_back(value_at(solved, path));
    GoalFit fit = fit_to_goals(goals, ranges, trial, settings, {start});
    fit.is_closed_form = fit.values == start;
    return fit;
}

GoalFit fit_to_goals(const std::vector<FitGoal>& goals, const std::vector<FitRange>& ranges,
                     const scene::Scene& scene, const FitSettings& settings) {
    require_within_dials(scene, ranges);
    const std::vector<std::string> paths = paths_of(ranges);
    std::vector<double> as_it_is;
    as_it_is.reserve(paths.size());
    for (const std::string& path : paths)
        as_it_is.push_back(value_at(scene, path));
    std::vector<std::vector<double>> starts{std::move(as_it_is)};
    if (auto solved = solved_by_follower(goals, ranges, scene)) starts.push_back(*solved);
    return fit_to_goals(goals, ranges, trial_of(scene, paths), settings, starts);
}

}  // namespace hopcoil::tune
