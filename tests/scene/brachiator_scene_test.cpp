#include <algorithm>
#include <cmath>
#include <string>

#include <catch2/catch.hpp>

#include <hopcoil/io/file_problems.hpp>
#include <hopcoil/scene/live_scene.hpp>
#include <hopcoil/scene/run.hpp>
#include <hopcoil/scene/scene_dials.hpp>
#include <hopcoil/scene/system_report.hpp>

#include "support/files.hpp"
#include "support/scenes.hpp"

using namespace hopcoil;
using namespace hopcoil::scene;
using Catch::Matchers::Contains;

namespace {

const std::string rigger = R"(
duration_s = 8
[target.pace]
start = 0
moves = [{ at_s = 0.5, ramp_to = 1.3, over_s = 0.5 }]
[brachiator.rigger]
speed = "pace"
holds = [{ from_m = [0, 4, 0], to_m = [0, 4.5, 9], count = 10 }, { at_m = [0, 4.5, 10.2] }]
[follower.lantern]
target = "rigger"
)";

}  // namespace

TEST_CASE("a scene's rigger goes along his holds, is followed, and reported on", "[brachiator]") {
    const TestFolder folder;
    const Scene scene = scene_in(folder, rigger);
    Take take;
    const RunLog log = run(scene, take);
    CHECK(log.warnings.empty());
    const auto last = [&](const char* column) {
        return take.column(*take.find_column(column)).back();
    };
    CHECK(last("rigger.position_m.z") > 7);
    CHECK(last("lantern.value_m.z") > 6.5);
    CHECK(last("rigger.arm1.position_m.2.y") > 4);
    const SystemReport report = report_on(scene, take).front();
    CHECK(figure_of(report, "catches") >= 6);
    CHECK(figure_of(report, "most_force_weights") > 1);
    CHECK(figure_of(report, "most_force_weights") < 2.5);
    REQUIRE(report.charts.size() == 2);
    CHECK(report.charts[0].curves.size() == 2);

    // The same at any rate, and with its numbers turned while it goes.
    Scene slow = scene;
    slow.rate_hz = 20;
    Take coarse;
    run(slow, coarse);
    const auto differs_by = [&](const char* column) {
        const std::vector<double> own = take.column(*take.find_column(column));
        const std::vector<double> at_20_hz = coarse.column(*coarse.find_column(column));
        double largest = 0;
        for (std::size_t row = 0; row < at_20_hz.size(); ++row)
            largest = std::max(largest, std::abs(at_20_hz[row] - own[3 * row]));
        return largest;
    };
    CHECK(differs_by("rigger.position_m.z") < 1e-6);
    CHECK(differs_by("rigger.hand1.holds") == 0);
    CHECK(differs_by("rigger.gaze.value.x") < 0.002);
    CHECK(differs_by("rigger.gaze.value.y") < 0.002);
    Scene other = scene;
    CHECK(set_matching(other, "rigger.most_speed_m_per_s", 0.6) == 1);
    Take held;
    run(other, held);
    CHECK(held.column(*held.find_column("rigger.position_m.z")).back() < 5);
}

TEST_CASE("a scene's rigger leaps up, and down where he is told", "[brachiator]") {
    const TestFolder folder;
    const auto scene_with = [&](const std::string& more) {
        return scene_in(folder, R"(
duration_s = 12
[brachiator.rigger]
speed_m_per_s = 1
stands_at_m = [0, 0, 0]
holds = [{ from_m = [0, 2.6, 0.2], to_m = [0, 2.6, 6.2], count = 7 }]
)" + more);
    };
    const Scene scene = scene_with(
        "leaps = [{ at_s = 0.5, to_hold = 1 }, { at_s = 4, from_hold = 5, to_ground_m = [0, 0.5, "
        "4] }]");
    Take take;
    const RunLog log = run(scene, take);
    CHECK(log.warnings.empty());
    const auto column = [&](const char* name) {
        return take.column(*take.find_column(name));
    };
    CHECK(column("rigger.feet.hold").front() == 1);
    CHECK(column("rigger.feet.hold").back() == 1);
    CHECK(column("rigger.position_m.y").back() == Approx(0.5 + 1.1245).margin(1e-6));
    const SystemReport report = report_on(scene, take).front();
    CHECK(figure_of(report, "leaps") == 2);
    CHECK(figure_of(report, "catches") >= 5);
    Scene slow = scene;
    slow.rate_hz = 15;
    Take coarse;
    run(slow, coarse);
    CHECK(coarse.column(*coarse.find_column("rigger.position_m.z")).back() ==
          Approx(column("rigger.position_m.z").back()).margin(1e-6));

    Take left;
    const RunLog refused = run(scene_with("leaps = [{ to_ground_m = [0, 9, 4] }]"), left);
    REQUIRE(refused.warnings.size() == 1);
    CHECK_THAT(refused.warnings[0], Contains("out of reach"));
}

TEST_CASE("what is wrong with a brachiator is said where it stands", "[brachiator]") {
    const TestFolder folder;
    const auto refused = [&](const std::string& table, const std::string& why) {
        CAPTURE(table);
        CHECK_THROWS_WITH(scene_in(folder, "[brachiator.rigger]\n" + table), Contains(why));
    };
    refused("", "two holds or more");
    refused("holds = [{ at_m = [0, 4, 0] }]", "two holds or more");
    refused("holds = [{ at_m = [0, 4, 0] }, { at_m = [0, 4, 9] }]", "distance of the first two");
    refused("holds = [{ from_m = [0, 4, 0] }]", "'from_m' and 'to_m'");
    refused("holds = [{ at_m = [0, 4] }, { at_m = [0, 4, 1] }]", "a list of 3 numbers");
    refused("holds = [{ from_m = [0, 4, 0], to_m = [0, 4, 3], count = 4 }]\nlean = 3", "lean");
    refused("holds = [{ from_m = [0, 4, 0], to_m = [0, 4, 3], count = 4 }]\nspeed = 'pace'",
            "pace");
    refused("holds = [{ from_m = [0, 4, 0], to_m = [0, 4, 3], count = 4 }]\narm_length_m = -1",
            "arm_length_m");
    const std::string row = "holds = [{ from_m = [0, 4, 0], to_m = [0, 4, 3], count = 4 }]\n";
    refused(row + "leaps = [{ at_s = 1 }]", "'to_hold' or 'to_ground_m'");
    refused(row + "leaps = [{ to_hold = 1, to_ground_m = [0, 0, 0] }]", "'to_hold' or");
    refused(row + "leaps = [{ to_hold = 5 }]", "to_hold");
    refused(row + "leaps = [{ to_hold = 0 }]", "to_hold");
    refused(row + "leaps = [{ at_s = -1, to_hold = 1 }]", "at_s");
    refused(row + "yaw_deg = 20", "'stands_at_m'");
}
