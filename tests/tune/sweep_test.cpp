#include <algorithm>
#include <atomic>
#include <cmath>
#include <stdexcept>
#include <string>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/io/file_problems.hpp>
#include <hopcoil/scene/scene.hpp>
#include <hopcoil/spring/step_response.hpp>
#include <hopcoil/stepping/stability.hpp>
#include <hopcoil/tune/sweep.hpp>
#include <hopcoil/tune/sweep_file.hpp>

#include "support/files.hpp"
#include "support/random.hpp"

using namespace hopcoil;
using namespace hopcoil::tune;
using Catch::Matchers::Contains;

namespace {

std::vector<SweepAxis> two_axes() {
    return {axis_from("frequency_hz=0.5:8:7:log"), axis_from("damping_ratio=0,0.2,0.5,1,3")};
}

bool is_same(const SweepTable& a, const SweepTable& b) {
    // As text: a figure that is not there is not equal to itself.
    return csv_of(a, "x") == csv_of(b, "x");
}

const std::string quay = R"(
duration_s = 1.5
[target.hook]
moves = [{ at_s = 0.1, jump_to_m = 1 }]
[follower.lamp]
target = "hook"
[follower.flag]
target = "hook"
tuning = { frequency_hz = 1, damping_ratio = 1 }
)";

}  // namespace

TEST_CASE("an axis is a range or a list", "[sweep]") {
    CHECK(axis_from("lamp.lead=0:1:3").values == std::vector<double>{0, 0.5, 1});
    CHECK(axis_from("a=1,-2,3e2").values == std::vector<double>{1, -2, 300});
    CHECK(axis_from("a=5").values == std::vector<double>{5});
    CHECK(axis_from("a=5:9:1").values == std::vector<double>{5});
    const std::vector<double> factors = axis_from("a=0.5:8:5:log").values;
    for (std::size_t i = 1; i < factors.size(); ++i)
        CHECK(factors[i] / factors[i - 1] == Approx(2));
    CHECK(factors.back() == 8);
    for (const std::string text :
         {"", "a", "=1", "a=", "a=x", "a=1:2", "a=1:2:0", "a=1:2:1.5", "a=1:2:3:lin", "a=nan",
          "a=-1:1:3:log", "a=1:2:999999999", "a=1,,2"}) {
        CAPTURE(text);
        CHECK_THROWS_WITH(axis_from(text), Contains("expected PATH="));
    }
}

TEST_CASE("every combination is run once, the last axis first", "[sweep]") {
    const std::vector<SweepAxis> axes = two_axes();
    const SweepTable table = sweep(axes, trial_of(Tuning{}, paths_of(axes)));
    REQUIRE(table.is_complete());
    REQUIRE(table.rows.size() == 35);
    for (std::size_t i = 0; i < 35; ++i) {
        CHECK(table.rows[i].index == i);
        CHECK(table.rows[i].values ==
              std::vector<double>{axes[0].values[i / 5], axes[1].values[i % 5]});
    }
    const std::size_t overshoot = figure_named("overshoot_percent", table.figures);
    for (const SweepRow& row : table.rows) {
        const double z = row.values[1];
        if (z == 0) continue;
        const double closed =
            z < 1 ? 100 * std::exp(-3.14159265358979 * z / std::sqrt(1 - z * z)) : 0;
        CHECK(row.figures[overshoot] == Approx(closed).margin(1e-9));
    }
    // Without damping nothing settles: there is no such figure.
    CHECK(std::isnan(table.rows[0].figures[figure_named("settling_time_s", table.figures)]));
}

TEST_CASE("parts, and a sweep that is cancelled and goes on, come to the same table", "[sweep]") {
    const std::vector<SweepAxis> axes = two_axes();
    const Trial trial = trial_of(Tuning{}, paths_of(axes));
    const SweepTable whole = sweep(axes, trial);

    std::vector<SweepFile> parts;
    for (std::size_t shard = 1; shard <= 4; ++shard)
        parts.push_back({sweep(axes, trial, {.shard = shard, .shards = 4}), "id"});
    std::reverse(parts.begin(), parts.end());
    SweepTable together = merged(parts).table;
    CHECK(is_same(sweep(axes, trial, {}, together), whole));

    Random random{3};
    for (int k = 0; k < 20; ++k) {
        SweepTable done;
        int calls = 0;
        while (!done.is_complete() || done.rows.empty()) {
            std::atomic<int> left{static_cast<int>(random.between(0, 12))};
            done = sweep(axes, trial,
                         {.is_cancelled =
                              [&] {
                                  return left-- <= 0;
                              }},
                         done);
            REQUIRE(++calls < 1000);
        }
        CHECK(is_same(done, whole));
    }
    CHECK_THROWS_AS(sweep(axes, trial, {.shard = 5, .shards = 4}), std::invalid_argument);
    CHECK_THROWS_AS(sweep({}, trial), std::invalid_argument);
}

TEST_CASE("a run that fails is a row that says why, and the others go on", "[sweep]") {
    const std::vector<SweepAxis> axes{axis_from("damping_ratio=-1,0.5,1")};
    const SweepTable table = sweep(axes, trial_of(Tuning{}, paths_of(axes)));
    CHECK_THAT(table.rows[0].failure, Contains("damping_ratio = -1"));
    CHECK(table.rows[1].failure.empty());
    const SweepTable all = sweep(axes, [](std::span<const double>) -> std::vector<TrialFigure> {
        throw std::runtime_error{"broken"};
    });
    for (const SweepRow& row : all.rows)
        CHECK(row.failure == "broken");
}

TEST_CASE("a scene's numbers are varied, and its figures compared", "[sweep]") {
    const TestFolder folder;
    const scene::Scene scene = scene::read_scene(folder.write("quay.toml", quay));
    const std::vector<SweepAxis> axes{axis_from("lamp.frequency_hz=1,2,4"),
                                      axis_from("lamp.damping_ratio=0.3,0.8")};
    const SweepTable table = sweep(axes, trial_of(scene, paths_of(axes)));
    REQUIRE(table.is_complete());
    const std::size_t gap = figure_named("flag.rms_gap", table.figures);
    const std::size_t overshoot = figure_named("lamp.overshoot_percent", table.figures);
    const std::size_t measured = figure_named("lamp.largest_overshoot_percent", table.figures);
    for (const SweepRow& row : table.rows) {
        CHECK(row.figures[gap] == table.rows.front().figures[gap]);  // it is not varied
        const double closed =
            jump_response({row.values[0], row.values[1], 0}).overshoot_percent.value().value();
        CHECK(row.figures[overshoot] == Approx(closed));
        CHECK(row.figures[measured] == Approx(closed).epsilon(0.02));
    }
    // The scene records less than a report needs; a motion is there all the same.
    const scene::Scene brief =
        scene::read_scene(folder.write("brief.toml", "record = [\"flag.*\"]\n" + quay));
    const TrialCurve curve = curve_of(brief, paths_of(axes), table.rows[0].values, "lamp");
    CHECK(curve.values.size() == curve.times_s.size());
    CHECK(curve.targets.back() == 1);
    CHECK_THROWS_WITH(trial_of(scene, {"lamp.frequncy_hz"}), Contains("lamp.frequency_hz"));
    CHECK_THROWS_AS(trial_of(Tuning{}, {"mass"}), std::invalid_argument);
}

TEST_CASE("a table is kept as CSV, filtered and ranked", "[sweep]") {
    const TestFolder folder;
    const std::vector<SweepAxis> axes = two_axes();
    const SweepTable table = sweep(axes, trial_of(Tuning{}, paths_of(axes)));
    const SweepFile read = read_sweep(folder.write("t.csv", csv_of(table, "abc")));
    CHECK(read.sweep_id == "abc");
    CHECK(is_same(read.table, table));
    CHECK_THROWS_WITH(read_sweep(folder.write("o.csv", "a,b\n1,2\n")), Contains("o.csv:1:1"));
    CHECK_THROWS_WITH(read_sweep(folder.write("p.csv", "sweep,run,of,f,failure\nx,1,2,z,\n")),
                      Contains("p.csv:2") && Contains("'z'"));
    CHECK_THROWS_WITH(read_sweep(folder.write("q.csv", "sweep,run,of,failure\nx,9,2,\n")),
                      Contains("not a run of the same sweep"));
    CHECK_THROWS_AS(merged({read, {table, "other"}}), std::invalid_argument);
    CHECK(is_same(merged({{{}, ""}, read, read}).table, table));
    SweepFile other = read;
    other.table.rows[3].figures[0] += 1;
    CHECK_THROWS_WITH(merged({read, other}), Contains("run 4 has different results"));

    const std::size_t settling = figure_named("settling_time_s", table.figures);
    const std::vector<SweepCondition> conditions{condition_from("overshoot_percent<15", table),
                                                 condition_from("rise_time_s>0.1", table)};
    const std::vector<const SweepRow*> best = best_of(table, conditions, &settling);
    REQUIRE(best.size() > 3);
    for (std::size_t i = 0; i < best.size(); ++i) {
        CHECK(best[i]->figures[conditions[0].figure] < 15);
        CHECK(best[i]->figures[conditions[1].figure] > 0.1);
        if (i > 0) CHECK(best[i]->figures[settling] >= best[i - 1]->figures[settling]);
    }
    CHECK_THROWS_WITH(condition_from("overshot_percent<15", table),
                      Contains("did you mean 'overshoot_percent'"));
    CHECK_THROWS_WITH(condition_from("overshoot_percent=15", table), Contains("FIGURE<NUMBER"));
    CHECK_THROWS_WITH(condition_from("overshoot_percent<x", table), Contains("'x'"));
}

TEST_CASE("where each scheme is stable, rings or is unstable comes out of a sweep", "[sweep]") {
    const std::vector<SweepAxis> axes{axis_from("step_hz=10:240:9:log"),
                                      axis_from("frequency_hz=0.5:30:9:log")};
    const SweepTable table = sweep(axes, trial_of(Tuning{}, paths_of(axes)));
    for (const SchemeFacts& facts : all_schemes()) {
        const std::size_t figure = figure_named(std::string{facts.name} + ".regime", table.figures);
        double most = 0;
        for (const SweepRow& row : table.rows) {
            const Tuning tuning{.frequency_hz = row.values[1]};
            const StepReport report = step_report(tuning, facts.scheme, 1 / row.values[0]);
            CHECK(row.figures[figure] == static_cast<double>(report.verdict));
            most = std::max(most, row.figures[figure]);
        }
        CHECK(most == (facts.scheme == Scheme::implicit_euler ? 0 : 2));
    }

    // The same of a follower in a scene; of a rope what its methods allow.
    const TestFolder folder;
    folder.write("s.toml", R"(
duration_s = 0.2
[target.hook]
start_m = [0, 0, 0]
moves = []
[follower.lamp]
target = "hook"
[net.rope]
rope = { length_m = 2, segments = 8, mass_kg_per_m = 0.2, stretch_n = 500, stretch_damping_n_s = 0, bending_n_m2 = 0 }
pins = [{ where = "start", to = "hook" }]
)");
    const scene::Scene scene = scene::read_scene((folder.path() / "s.toml").string());
    const Trial trial = trial_of(scene, {"step_hz", "lamp.frequency_hz", "rope.rope.stretch_n"});
    const auto figure = [&](const std::string& name, double step_hz, double hz, double stretch_n) {
        for (const TrialFigure& each : trial(std::vector{step_hz, hz, stretch_n}))
            if (each.name == name) return each.value;
        FAIL("no figure " << name);
        return 0.0;
    };
    const StepReport report =
        step_report({.frequency_hz = 12}, Scheme::semi_implicit_euler, 1.0 / 30);
    CHECK(figure("lamp.semi_implicit_euler.regime", 30, 12, 500) ==
          static_cast<double>(report.verdict));
    // Four times as stiff, half the step.
    const double soft_s = figure("rope.velocity_verlet.stable_below_s", 60, 2, 500);
    CHECK(figure("rope.velocity_verlet.stable_below_s", 60, 2, 2000) ==
          Approx(0.5 * soft_s).epsilon(0.02));
    CHECK(std::isnan(figure("rope.positions.stable_below_s", 60, 2, 500)));
    CHECK(figure("rope.velocity_verlet.steps_a_frame", 60, 2, 500) >= 1);

    CHECK(trial_of(Tuning{}, {"lead"})(std::vector{0.5}).size() <
          trial_of(Tuning{}, {"step_hz"})(std::vector{60.0}).size());
    CHECK_THROWS_AS(trial_of(Tuning{}, {"step_hz"})(std::vector{0.0}), std::invalid_argument);
}
