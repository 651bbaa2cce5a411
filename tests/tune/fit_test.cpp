#include <algorithm>
#include <cmath>
#include <stdexcept>
#include <string>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/base/random.hpp>
#include <hopcoil/follow/follower.hpp>
#include <hopcoil/scene/scene.hpp>
#include <hopcoil/spring/step_response.hpp>
#include <hopcoil/spring/wish.hpp>
#include <hopcoil/tune/goal_fit.hpp>

#include "support/files.hpp"

using namespace hopcoil;
using namespace hopcoil::tune;
using Catch::Matchers::Contains;

namespace {

const std::vector<FitRange> feel{{"frequency_hz", 0.02, 5000}, {"damping_ratio", 0.001, 20}};

double figure(const GoalFit& fit, const std::string& name) {
    for (const TrialFigure& each : fit.figures) {
        if (each.name == name) return each.value;
    }
    FAIL(name);
    return 0;
}

}  // namespace

TEST_CASE("goals and ranges are read, or refused with what was expected", "[fit]") {
    const FitGoal goal = goal_from("lamp.overshoot_percent=12:3");
    CHECK(goal.figure == "lamp.overshoot_percent");
    CHECK(goal.type == FitGoal::Type::equal);
    CHECK(goal.value == 12);
    CHECK(goal.weight == 3);
    CHECK(goal_from("a<-2").type == FitGoal::Type::below);
    CHECK(goal_from("a>1e3").value == 1000);
    for (const std::string text :
         {"", "a", "=3", "a=", "a=x", "a=nan", "a=1:0", "a=1:-1", "a=1:"}) {
        CAPTURE(text);
        CHECK_THROWS_WITH(goal_from(text), Contains("expected FIGURE="));
    }
    CHECK(range_from("lamp.lead=-1:2").low == -1);
    for (const std::string text : {"", "a", "a=1", "=1:2", "a=2:1", "a=1:1", "a=1:x", "a=1:2:3"}) {
        CAPTURE(text);
        CHECK_THROWS_WITH(range_from(text), Contains("expected PATH=LOW:HIGH"));
    }
}

TEST_CASE("an overshoot and a settling time within reach are met", "[fit]") {
    RandomNumbers numbers{stream_of(1, "wishes")};
    for (int i = 0; i < 1000; ++i) {
        const double overshoot = numbers.between(0, 95);
        const double settling_s = 0.05 * std::pow(200, numbers.unit());
        CAPTURE(i, overshoot, settling_s);
        const GoalFit fit = fit_to_goals({{.figure = "overshoot_percent", .value = overshoot},
                                          {.figure = "settling_time_s", .value = settling_s}},
                                         feel, Tuning{});
        REQUIRE(fit.is_met);
        const JumpResponse response =
            jump_response({.frequency_hz = fit.values[0], .damping_ratio = fit.values[1]});
        REQUIRE(std::abs(*response.overshoot_percent.value() - overshoot) < 0.1);
        REQUIRE(std::abs(*response.settling_time_s.value() / settling_s - 1) < 0.01);
    }
}

TEST_CASE("what is out of reach is refused, or comes as near as can be", "[fit]") {
    RandomNumbers numbers{stream_of(2, "wishes")};
    for (int i = 0; i < 100; ++i) {
        // From a lead of 1.05 on a jump overshoots at least so much; nothing goes past 100 %.
        const double lead = numbers.between(1.05, 2.5);
        const double least = reachable_overshoot(lead).least_percent;
        const std::vector<FitGoal> goals{{.figure = "overshoot_percent", .value = 0.9 * least},
                                         {.figure = "settling_time_s", .value = 0.5}};
        CAPTURE(lead, least);
        REQUIRE_THROWS_WITH(fit_to_goals(goals, feel, Tuning{.lead = lead}),
                            Contains("what a lead of"));
    }
    const GoalFit narrow =
        fit_to_goals({goal_from("overshoot_percent=50")}, {{"damping_ratio", 0.5, 2}}, Tuning{});
    CHECK_FALSE(narrow.is_met);
    CHECK(narrow.values[0] == Approx(0.5).margin(1e-6));
    CHECK(narrow.goals[0].most == Approx(figure(narrow, "overshoot_percent")));
    CHECK(narrow.goals[0].least < 0.1);
    CHECK_THROWS_WITH(fit_to_goals({goal_from("overshot=5")}, feel, Tuning{}),
                      Contains("overshoot_percent"));
    CHECK_THROWS_AS(fit_to_goals({}, feel, Tuning{}), std::invalid_argument);
    CHECK_THROWS_AS(fit_to_goals({goal_from("reversals=2")}, std::vector<FitRange>{}, Tuning{}),
                    std::invalid_argument);
    CHECK_THROWS_AS(fit_to_goals({goal_from("reversals=2")}, {{"damping_ratio", 1, 1}}, Tuning{}),
                    std::invalid_argument);
}

TEST_CASE("any figures can be wished for, with bounds", "[fit]") {
    const GoalFit fit =
        fit_to_goals({goal_from("peak_velocity<6"), goal_from("overshoot_percent=20"),
                      goal_from("rise_time_s<0.3")},
                     feel, Tuning{});
    REQUIRE(fit.is_met);
    CHECK_FALSE(fit.is_closed_form);
    CHECK(figure(fit, "peak_velocity") < 6);
    CHECK(figure(fit, "rise_time_s") < 0.3);
    CHECK(figure(fit, "overshoot_percent") == Approx(20).margin(0.1));

    // A bound that the other goals lean on is kept, not touched.
    for (const double bound : {2.0, 3.0, 7.0}) {
        const GoalFit held = fit_to_goals(
            {{.figure = "peak_velocity", .type = FitGoal::Type::below, .value = bound},
             {.figure = "peak_velocity", .type = FitGoal::Type::above, .value = 0.9 * bound},
             {.figure = "overshoot_percent", .value = 15}},
            feel, Tuning{});
        CHECK(held.is_met);
    }

    // A lead is found as well: how far it first goes the other way.
    const GoalFit leaning =
        fit_to_goals({goal_from("anticipation_percent=5"), goal_from("overshoot_percent=10"),
                      goal_from("settling_time_s=0.6")},
                     {{"frequency_hz", 0.3, 10}, {"damping_ratio", 0.1, 2}, {"lead", -2, 1}},
                     Tuning{}, {.most_runs = 3000});
    CHECK(leaning.is_met);
    CHECK(leaning.values[2] < 0);
}

TEST_CASE("a fit depends on its seed, not on the threads", "[fit]") {
    const std::vector<FitGoal> goals{goal_from("rise_time_s=0.2"), goal_from("peak_time_s=0.5")};
    const GoalFit one = fit_to_goals(goals, feel, Tuning{}, {.seed = 4});
    const GoalFit again = fit_to_goals(goals, feel, Tuning{}, {.seed = 4});
    CHECK(one.values == again.values);
    CHECK(one.runs == again.runs);

    // It ends when it is asked to, with what it has.
    std::size_t asked = 0;
    const Trial slow = [&](std::span<const double> values) {
        ++asked;
        return std::vector<TrialFigure>{{"height", values[0] * values[0]}};
    };
    const GoalFit ended =
        fit_to_goals({goal_from("height=0.25")}, {{"x", -1, 1}}, slow, {.is_cancelled = [&] {
                         return asked > 20;
                     }});
    CHECK(ended.is_cancelled);
    CHECK(asked < 40);
}

TEST_CASE("numbers of a scene are found", "[fit]") {
    const TestFolder folder;
    folder.write("quay.toml", R"(
duration_s = 2
[target.hook]
moves = [{ at_s = 0.1, jump_to_m = 1 }]
[follower.lamp]
target = "hook"
)");
    const std::string file = (folder.path() / "quay.toml").string();
    const scene::Scene scene = scene::read_scene(file);
    // A follower's overshoot and settling time have a closed form here too.
    const GoalFit exact =
        fit_to_goals({goal_from("lamp.overshoot_percent=8"), goal_from("lamp.settling_time_s=0.7")},
                     {{"lamp.frequency_hz", 0.2, 20}, {"lamp.damping_ratio", 0.05, 3}}, scene);
    CHECK(exact.is_met);
    CHECK(exact.runs < 5);
    const GoalFit sought = fit_to_goals({goal_from("lamp.rms_gap=0.25")},
                                        {{"lamp.frequency_hz", 0.2, 20}}, scene, {.most_runs = 60});
    CHECK(sought.is_met);
    CHECK(figure(sought, "lamp.rms_gap") == Approx(0.25).epsilon(0.01));
    CHECK_THROWS_WITH(fit_to_goals({goal_from("lamp.rms_gap=1")}, {{"lmp.lead", 0, 1}}, scene),
                      Contains("did you mean"));
}
