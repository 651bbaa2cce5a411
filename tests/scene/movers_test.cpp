// Every kind of mover in a scene: read, run, and refused with a place and a name.

#include <algorithm>
#include <cmath>
#include <stdexcept>
#include <string>
#include <variant>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/follow/follower.hpp>
#include <hopcoil/follow/glide.hpp>
#include <hopcoil/follow/settle_curve.hpp>
#include <hopcoil/scene/run.hpp>
#include <hopcoil/scene/scene.hpp>
#include <hopcoil/spring/named_tunings.hpp>
#include <hopcoil/spring/wish.hpp>
#include <hopcoil/take/take.hpp>

#include "support/files.hpp"
#include "support/scenes.hpp"

using namespace hopcoil;
using namespace hopcoil::scene;
using Catch::Matchers::Contains;

namespace {

const std::string lifted_hook = "[target.hook]\nmoves = [{ at_s = 0.5, jump_to_m = 1 }]\n";

Scene scene_with_lift(const std::string& text) {
    const TestFolder folder;
    folder.write("lift.csv", "time_s,lift\n0,0\n0.3,1.2\n1,1\n");
    return read_scene(folder.write("test.toml", text));
}

Take take_with_lift(const std::string& text) {
    Take take;
    run(scene_with_lift(text), take);
    return take;
}

std::string complaint_about_movers(const std::string& movers) {
    try {
        static_cast<void>(scene_with_lift(lifted_hook + movers));
        return {};
    } catch (const std::runtime_error& problem) {
        return problem.what();
    }
}

double at(const Take& take, const std::string& column, double time_s) {
    const std::vector<double> values = take.column(*take.find_column(column));
    for (std::size_t i = 0; i < values.size(); ++i) {
        if (std::fabs(take.times_s()[i] - time_s) < 1e-9) return values[i];
    }
    throw std::out_of_range{"no such time"};
}

}  // namespace

TEST_CASE("each kind of mover follows its target in its own way", "[scene][movers]") {
    const Take take = take_with_lift(lifted_hook + R"(
        [glide.panel]
        target = "hook"
        half_life_s = 0.25
        [pursuit.gull]
        target = "hook"
        max_speed_m_per_s = 2
        [settle.needle]
        target = "hook"
        duration_s = 0.5
        overshoot_percent = 20
        high_stop_m = 1.1
        [curve.lid]
        target = "hook"
        family = "sine"
        duration_s = 1
        [curve.lift]
        target = "hook"
        csv = "lift.csv"
        column = "lift"
        duration_s = 1
        [cascade.boom]
        target = "hook"
        links = [{ name = "lamp", tuning = "lively" }, { name = "tassel" }]
    )");
    CHECK(take.column_names() ==
          std::vector<std::string>{
              "hook.value_m", "panel.value_m", "panel.velocity_m_per_s", "gull.value_m",
              "gull.velocity_m_per_s", "needle.value_m", "needle.velocity_m_per_s", "lid.value_m",
              "lid.velocity_m_per_s", "lift.value_m", "lift.velocity_m_per_s", "boom.lamp.value_m",
              "boom.lamp.velocity_m_per_s", "boom.tassel.value_m", "boom.tassel.velocity_m_per_s"});
    CHECK(at(take, "panel.value_m", 0.75) == Approx(0.5).epsilon(1e-9));
    CHECK(at(take, "gull.value_m", 0.75) == Approx(0.5).epsilon(1e-9));
    CHECK(at(take, "lid.value_m", 1) == Approx(0.5).epsilon(1e-9));
    CHECK(at(take, "lift.value_m", 0.8) == Approx(1.2).epsilon(1e-9));
    for (const double value : take.column(*take.find_column("needle.value_m")))
        CHECK(value <= 1.1 + 1e-12);
    Follower<double> lamp{*find_tuning("lively"), 0.0};
    lamp.jump(1);
    lamp.step(1, 1);
    CHECK(at(take, "boom.lamp.value_m", 1.5) == Approx(lamp.value()).epsilon(1e-9));
}

TEST_CASE("movers stand in the order of the file, whatever their kinds", "[scene][movers]") {
    const Scene scene =
        scene_with_lift(lifted_hook +
                        "[cascade.c]\ntarget = \"hook\"\nlinks = [{ name = \"x\" }]\n"
                        "[glide.a]\ntarget = \"hook\"\n[follower.b]\ntarget = \"hook\"\n");
    REQUIRE(scene.systems.size() == 3);
    CHECK(scene.systems[0].name == "c");
    CHECK(scene.systems[1].name == "a");
    CHECK(scene.systems[2].name == "b");
}

TEST_CASE("a tuning is given by name, by wish, by half-life, as a damped spring",
          "[scene][movers]") {
    const auto tuning_of = [](const std::string& tuning) {
        const Scene scene = scene_with_lift(
            lifted_hook + "[follower.lamp]\ntarget = \"hook\"\ntuning = " + tuning + "\n");
        return tuning_in(scene, 0);
    };
    CHECK(tuning_of("\"wary\"") == *find_tuning("wary"));
    CHECK(tuning_of("{ overshoot_percent = 12, settling_time_s = 0.4 }") ==
          tuning_from(Wish{.overshoot_percent = 12, .settling_time_s = 0.4}));
    CHECK(tuning_of("{ half_life_s = 0.2, damping_ratio = 0.5 }") ==
          tuning_from(DecayHalfLife{.half_life_s = 0.2, .damping_ratio = 0.5}));
    CHECK(tuning_of("{ mass_kg = 2, stiffness_n_per_m = 50, damping_ratio = 0.3 }") ==
          tuning_from(SpringByRatio{.mass_kg = 2, .stiffness_n_per_m = 50, .damping_ratio = 0.3}));
}

TEST_CASE("an angle is followed and shown across the seam", "[scene][movers]") {
    const std::string text = R"(
        [target.wind]
        angle = true
        start_deg = 170
        moves = [{ at_s = 0, ramp_to_deg = 200, over_s = 1 }]
        [follower.vane]
        target = "wind"
        tuning = { frequency_hz = 4, damping_ratio = 1 }
    )";
    const Take take = take_with_lift(text);
    constexpr double degree = 3.14159265358979323846 / 180;
    CHECK(at(take, "wind.value_rad", 1) == Approx(-160 * degree));
    for (const double value : take.column(*take.find_column("vane.value_rad")))
        CHECK(std::fabs(value) >= 159 * degree);
    for (const double velocity : take.column(*take.find_column("vane.velocity_rad_per_s")))
        CHECK(velocity > -0.01);
}

TEST_CASE("a direction that leaps across the seam is followed the shorter way by every mover",
          "[scene][movers]") {
    const std::string wind = R"(
        duration_s = 4
        [target.wind]
        angle = true
        start_deg = 170
        moves = [{ at_s = 0.5, jump_to_deg = -170 }, { at_s = 2, jump_to_deg = 150 }]
    )";
    constexpr double degree = 3.14159265358979323846 / 180;
    const std::string firm = "tuning = { frequency_hz = 4, damping_ratio = 1 }";
    const std::vector<std::string> movers{
        "[follower.m]\n" + firm,
        "[follower.m]\nscheme = \"velocity_verlet\"\n" + firm,
        "[glide.m]\nhalf_life_s = 0.1",
        "[pursuit.m]\nmax_speed_deg_per_s = 200\nmax_acceleration_deg_per_s2 = 900",
        "[curve.m]\nduration_s = 0.5",
        "[settle.m]\nduration_s = 0.5",
        "[cascade.m]\nlinks = [{ name = \"a\", " + firm + " }]"};
    for (const std::string& mover : movers) {
        CAPTURE(mover);
        const Take take = take_with_lift(wind + mover + "\ntarget = \"wind\"\n");
        const auto names = take.column_names();
        const auto value = std::find_if(names.begin(), names.end(), [](const std::string& name) {
            return name[0] == 'm' && name.find("value_rad") != std::string::npos;
        });
        REQUIRE(value != names.end());
        const auto column = *take.find_column(*value);
        for (std::size_t row = 0; row < take.row_count(); ++row) {
            CHECK(std::fabs(take.row(row)[column]) >= 145 * degree);
        }
        CHECK(at(take, *value, 1.9) == Approx(-170 * degree).margin(0.05));
        CHECK(at(take, *value, 3.9) == Approx(150 * degree).margin(0.05));
    }
}

TEST_CASE("a direction that goes round faster than it is drawn keeps its way", "[scene][movers]") {
    const auto at_rate = [](const std::string& rate_hz) {
        return at(take_with_lift("rate_hz = " + rate_hz + R"(
            duration_s = 2
            [target.wind]
            angle = true
            start_deg = 10
            moves = [{ at_s = 0.25, ramp_to_deg = 1000, over_s = 0.75 }]
            [glide.m]
            target = "wind"
            half_life_s = 0.2
        )"),
                  "m.value_rad", 1);
    };
    CHECK(at_rate("4") == Approx(at_rate("240")).margin(1e-9));
}

TEST_CASE("what is wrong with a mover is said with its key", "[scene][movers]") {
    const std::string settle = "[settle.needle]\ntarget = \"hook\"\n";
    const std::string cascade = "[cascade.boom]\ntarget = \"hook\"\n";
    const std::vector<std::pair<std::string, std::string>> cases{
        {"[glide.a]\ntarget = \"hook\"\nhalf_life_s = -1\n", "glide.a.half_life_s: expected"},
        {"[glide.a]\ntarget = \"hook\"\nfraction = 1\nat_rate_hz = 60\n", "glide.a.fraction"},
        {"[glide.a]\ntarget = \"hook\"\nhalflife_s = 1\n", "did you mean 'half_life_s'"},
        {"[coast.a]\nhalf_life_s = 1\n", "did you mean 'slowing_half_life_s'"},
        {"[pursuit.a]\ntarget = \"hook\"\n", "expected a key 'max_speed_per_s'"},
        {"[pursuit.a]\ntarget = \"hook\"\nmax_speed_deg_per_s = 3\n", "it is an angle"},
        {settle + "duration_s = 0\n", "settle.needle.duration_s: expected 0.02 to 20"},
        {settle + "low_stop_m = 2\nhigh_stop_m = 1\n", "above low"},
        {settle + "swing_percent = [1, 2, 3, 4, 5, 6, 7]\n", "up to 6 numbers"},
        {settle + "swing_percent = [\"x\"]\n", "expected finite numbers"},
        {"[curve.a]\ntarget = \"hook\"\nfamily = \"sin\"\n", "did you mean 'sine'"},
        {"[curve.a]\ntarget = \"hook\"\nfamily = \"bouncing\"\nparameter = 99\n", "1 to 8"},
        {"[curve.a]\ntarget = \"hook\"\ncsv = \"lift.csv\"\n", "expected a key 'column'"},
        {"[curve.a]\ntarget = \"hook\"\ncsv = \"lift.csv\"\ncolumn = \"lft\"\n", "lift"},
        {"[curve.a]\ntarget = \"hook\"\ncsv = \"lft.csv\"\ncolumn = \"lift\"\n", "lift.csv"},
        {cascade, "expected a list 'links'"},
        {cascade + "links = [3]\n", "links[0]: expected a table"},
        {cascade + "links = [{ name = \"a\" }, { name = \"a\" }]\n", "expected a name of its own"},
        {cascade + "links = [{ tuning = \"livly\", name = \"a\" }]\n", "did you mean 'lively'"},
        {"[follower.a]\ntarget = \"hook\"\n[glide.a]\ntarget = \"hook\"\n",
         "another system has the name 'a'"},
        {"", "expected at least one table [follower.NAME], [glide.NAME]"},
        {"[follower.a]\ntarget = \"hook\"\ntuning = { overshoot_percent = -1, settling_time_s = 1 "
         "}\n",
         "tuning.overshoot_percent"}};
    for (const auto& [text, expected] : cases) {
        CAPTURE(text);
        CHECK_THAT(complaint_about_movers(text),
                   Contains(expected) && (Contains("test.toml:") || Contains("lift.csv:")));
    }
}
