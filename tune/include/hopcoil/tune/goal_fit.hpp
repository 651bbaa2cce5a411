#pragma once

#include <cstddef>
#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

#include <hopcoil/tune/fit_settings.hpp>
#include <hopcoil/tune/trial.hpp>

namespace hopcoil::tune {

/// The wanted value, or limit, of a figure of the motion.
struct FitGoal {
    enum class Type : std::uint8_t { equal, below, above };
    std::string figure{};  ///< or the end of its name
    Type type = Type::equal;
    double value = 0.0;
    double weight = 1.0;  ///< beside the other goals
};
/// Of "FIGURE=NUMBER", "FIGURE<NUMBER" or "FIGURE>NUMBER"; ":WEIGHT" may follow.
/// Errors  std::invalid_argument says what was expected.
[[nodiscard]] FitGoal goal_from(std::string_view text);

/// How well a goal was met.
struct GoalOutcome {
    FitGoal goal{};  ///< with the figure's whole name
    double achieved = 0.0;
    bool is_met = false;  ///< within 0.1 of a figure in percent, within 1 % of any other
    // The range of the figure over all trials: what can be reached within the ranges.
    double least = 0.0;
    double most = 0.0;
};

struct GoalFit {
    std::vector<double> values{};  ///< of the ranges, in their order
    std::vector<GoalOutcome> goals{};
    std::vector<TrialFigure> figures{};  ///< all of them, with these values
    bool is_met = false;                 ///< every goal
    bool is_closed_form = false;         ///< no search was needed
    bool is_cancelled = false;
    std::size_t runs = 0;
};

/// Values with which a motion has the figures that are wanted.
///
/// Model   the least of sum weight ((figure - value) / abs(value))^2, one-sided for below and
///         above; 1 in place of a value of 0. An even survey of the ranges (by factors where they
///         are above 0), then a search downhill from its best places. `starts` are tried first.
/// Errors  std::invalid_argument for no goal, no range, a figure that is not there or an empty
///         range; what the trial throws in the middle of the ranges.
[[nodiscard]] GoalFit fit_to_goals(const std::vector<FitGoal>& goals,
                                   const std::vector<FitRange>& ranges, const Trial& trial,
                                   const FitSettings& settings = {},
                                   const std::vector<std::vector<double>>& starts = {});

/// The same for a tuning: overshoot and settling time in closed form, as `tuning_from(Wish)`; other
/// goals by search.
/// Errors  the same; InvalidValue, with what is in reach, for an overshoot and settling time that
///         no frequency and damping ratio give.
[[nodiscard]] GoalFit fit_to_goals(const std::vector<FitGoal>& goals,
                                   const std::vector<FitRange>& ranges, const Tuning& tuning,
                                   const FitSettings& settings = {});
/// The same for a scene; its own numbers are tried first, and those that give a follower's
/// overshoot and settling time in closed form.
/// Errors  the same as of any trial.
[[nodiscard]] GoalFit fit_to_goals(const std::vector<FitGoal>& goals,
                                   const std::vector<FitRange>& ranges, const scene::Scene& scene,
                                   const FitSettings& settings = {});

}  // namespace hopcoil::tune
