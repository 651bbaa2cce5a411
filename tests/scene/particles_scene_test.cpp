// Particles in scenes.

#include <algorithm>
#include <cmath>
#include <string>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/base/math.hpp>
#include <hopcoil/io/take_model.hpp>
#include <hopcoil/scene/live_scene.hpp>
#include <hopcoil/scene/run.hpp>
#include <hopcoil/scene/scene_nodes.hpp>
#include <hopcoil/scene/system_report.hpp>

#include "support/files.hpp"
#include "support/scenes.hpp"

using namespace hopcoil;
using namespace hopcoil::scene;
using Catch::Matchers::Contains;

namespace {

const std::string wharf = R"(
duration_s = 2
[ground.stones]
[target.torch]
start_m = [0, 1, 0]
moves = [{ sine_amplitude_m = [0.3, 0, 0], frequency_hz = 0.5 }]
[particles.embers]
recipe = "embers"
to = "torch"
until_s = 1.2
[particles.drip]
rate_per_s = 0
bursts = [{ at_s = 0.5, count = 20 }]
at_m = [2, 1, 0]
capacity = 40
ground = "stones"
dies_on_contact = true
lifetime_least_s = 5
lifetime_most_s = 5
[particles.puffs]
recipe = "smoke"
source = "drip"
on = "hit"
for_each = 3
capacity = 90
)";

}  // namespace

TEST_CASE("particles in a scene are born in time, and what happens to some starts others",
          "[scene][particles]") {
    const TestFolder folder;
    folder.write("wharf.toml", wharf);
    Scene scene = read_scene((folder.path() / "wharf.toml").string());
    const Take take = take_of(scene);
    const std::size_t last = take.row_count() - 1;
    CHECK(number_in(take, 20, "drip.count") == 0);
    CHECK(number_in(take, 36, "drip.count") == 20);
    CHECK(number_in(take, last, "drip.hits") == 20);
    CHECK(number_in(take, last, "puffs.count") == 60);  // three where each of them has landed
    CHECK(number_in(take, 60, "embers.count") > 15);
    const double then = number_in(take, 72, "embers.count");
    CHECK(number_in(take, last, "embers.count") < then);  // no more are born
    // Puffs rise from the ground, about where the drops came down.
    for (std::size_t i = 0; i < 60; ++i) {
        REQUIRE(number_in(take, last, "puffs.alive", i) == 1);
        CHECK(number_in(take, last, "puffs.position_m", 3 * i) == Approx(2).margin(1.5));
    }
    // The same at another rate, with what flies in between.
    scene.rate_hz = 90;
    const Take other = take_of(scene);
    CHECK(number_in(other, 180, "embers.count") == number_in(take, last, "embers.count"));
    double worst = 0;
    for (std::size_t i = 0; i < 200; ++i) {
        if (number_in(take, last, "embers.alive", i) == 0) continue;
        for (std::size_t k = 0; k < 3; ++k)
            worst =
                std::max(worst, std::abs(number_in(take, last, "embers.position_m", 3 * i + k) -
                                         number_in(other, 180, "embers.position_m", 3 * i + k)));
    }
    CHECK(worst < 1e-3);
    for (const SystemReport& report : report_on(scene, other)) {
        if (report.name == "puffs") CHECK(report.figures[0].value == 60);
    }
}

TEST_CASE("particles go on from a kept scene, and become nodes of a model", "[scene][particles]") {
    const TestFolder folder;
    folder.write("wharf.toml", wharf);
    const Scene scene = read_scene((folder.path() / "wharf.toml").string());
    LiveScene live{scene};
    live.advance_to(0.9);
    const auto kept = live.save();
    live.advance_to(1.6);
    const std::vector<double> wanted(live.row().begin(), live.row().end());
    REQUIRE(live.load(kept));
    live.advance_to(1.6);
    CHECK(std::equal(wanted.begin(), wanted.end(), live.row().begin()));
    const Take take = take_of(scene);
    const io::BakedModel model = io::model_of(take, model_channels_of(scene, take));
    const auto puffs =
        std::count_if(model.model.nodes.begin(), model.model.nodes.end(),
                      [](const io::ModelNode& node) { return node.name.starts_with("puffs."); });
    CHECK(puffs == 60);
}

TEST_CASE("feet that land throw up particles where they do", "[scene][particles]") {
    const TestFolder folder;
    const auto scene_with = [&](const std::string& keys) {
        return read_scene(folder
                              .write("shore.toml", R"(
duration_s = 4
[target.way]
start_m = [0, 0, 0]
moves = [{ at_s = 0.3, ramp_to_m = [2.5, 0, 0], over_s = 3 }]
[walker.crab]
target = "way"
legs = 6
leg_length_m = 0.4
[particles.sand]
rate_per_s = 0
source = "crab"
lifetime_least_s = 20
lifetime_most_s = 20
speed_least_m_per_s = 0
speed_most_m_per_s = 0
gravity_m_per_s2 = 0
emitter_share = 0
capacity = 500
)" + keys)
                              .string());
    };
    const auto births = [&](const std::string& keys, bool lands) {
        const Take take = take_of(scene_with(keys));
        const auto sand = take.columns_of(*take.find_channel("sand.position_m")).first;
        const auto count = take.columns_of(*take.find_channel("sand.count")).first;
        int events = 0;
        int near = 0;
        std::size_t born = 0;
        for (std::size_t row = 1; row < take.row_count(); ++row) {
            const auto now = take.row(row);
            for (int leg = 1; leg <= 6; ++leg) {
                const std::string name = "crab.leg" + std::to_string(leg);
                const auto planted = take.columns_of(*take.find_channel(name + ".planted")).first;
                const bool stood = take.row(row - 1)[planted] != 0;
                if (stood == lands || (now[planted] != 0) != lands) continue;
                ++events;
                // One of the new ones is at the sole.
                const auto sole =
                    take.columns_of(*take.find_channel(name + ".position_m")).first + 6;
                for (std::size_t i = born; i < static_cast<std::size_t>(now[count]); ++i) {
                    const Vector3 way{now[sand + 3 * i] - now[sole],
                                      now[sand + 3 * i + 1] - now[sole + 1],
                                      now[sand + 3 * i + 2] - now[sole + 2]};
                    if (length_of(way) < 0.08) {
                        ++near;
                        break;
                    }
                }
            }
            born = static_cast<std::size_t>(now[count]);
        }
        CHECK(events > 30);
        CHECK(near == events);
        return static_cast<double>(born) / events;
    };
    CHECK(births("", true) == 1);
    CHECK(births("for_each = 3\n", true) == 3);
    CHECK(births("on = \"lifted\"\n", false) == 1);
    CHECK_THROWS_WITH(scene_with("on = \"hit\"\n"),
                      Contains("expected what can happen to the source: landed, lifted"));
    // The same from a kept state on.
    LiveScene live{scene_with("")};
    live.advance_to(2);
    const auto kept = live.save();
    live.advance_to(3);
    const std::vector<double> wanted(live.row().begin(), live.row().end());
    REQUIRE(live.load(kept));
    live.advance_to(3);
    CHECK(std::equal(wanted.begin(), wanted.end(), live.row().begin()));
}

TEST_CASE("parts that strike throw sparks where they do", "[scene][particles]") {
    const TestFolder folder;
    const auto scene_with = [&](const std::string& on) {
        return read_scene(folder
                              .write("forge.toml", R"(
duration_s = 3
[ground.floor]
[parts.pile]
ground = "floor"
parts = [
  { name = "ball", type = "sphere", radius_m = 0.1, at_m = [0, 1.1, 0], restitution = 0.5 },
  { name = "crate", at_m = [2, 0.1, 0] },
]
[particles.sparks]
rate_per_s = 0
source = "pile"
for_each = 5
lifetime_least_s = 9
lifetime_most_s = 9
)" + on)
                              .string());
    };
    const Take take = take_of(scene_with(""));
    const auto count = take.columns_of(*take.find_channel("sparks.count")).first;
    // Bounces at 4.43, 2.21, 1.11, 0.55 m/s; slower ones are no hits, nor is what lies there.
    CHECK(take.row(take.row_count() - 1)[count] == 4 * 5);
    const auto row_at = [&](double time_s) {
        return take.row(static_cast<std::size_t>(std::lround(time_s * 60)));
    };
    CHECK(row_at(0.43)[count] == 0);
    CHECK(row_at(0.48)[count] == 5);  // it falls for 0.452 s
    CHECK_THROWS_WITH(scene_with("on = \"died\"\n"),
                      Contains("expected what can happen to the source: hit"));
}

TEST_CASE("a body throws up dust where its feet land, and where it falls", "[scene][particles]") {
    const TestFolder folder;
    const Scene scene = read_scene(folder.write("fall.toml", R"(
duration_s = 5
[target.goal]
start_m = [0, 0, 0]
moves = [{ at_s = 0.2, ramp_to_m = [0, 0, 1.2], over_s = 1.6 }]
[balance.mate]
target = "goal"
lies_s = -1
pushes = [{ at_s = 3, velocity_m_per_s = [4, 0, 0] }]
[particles.steps]
source = "mate"
recipe = "splash"
lifetime_least_s = 60
lifetime_most_s = 60
rate_per_s = 0
[particles.dust]
source = "mate"
on = "hit"
speed_least_m_per_s = 0
speed_most_m_per_s = 0
gravity_m_per_s2 = 0
emitter_share = 0
lifetime_least_s = 60
lifetime_most_s = 60
rate_per_s = 0
)"));
    const Take take = take_of(scene);
    const auto at = [](double t) {
        return static_cast<std::size_t>(std::lround(t * 60));
    };
    // One for each step of the walk, none of hits.
    CHECK(number_in(take, at(2.9), "steps.count") == number_in(take, at(2.9), "mate.steps"));
    CHECK(number_in(take, at(2.9), "steps.count") >= 3);
    CHECK(number_in(take, at(2.9), "dust.count") == 0);
    CHECK(number_in(take, at(5), "dust.count") > 4);
    // The first where it met the ground.
    CHECK(std::fabs(number_in(take, at(5), "dust.position_m", 1)) < 0.05);
    const double x = number_in(take, at(5), "mate.position_m", 0);
    CHECK(std::fabs(number_in(take, at(5), "dust.position_m", 0) - x) < 1.7);
}

TEST_CASE("what is wrong with particles is said", "[scene][particles]") {
    const TestFolder folder;
    const auto complaint = [&](const std::string& table) -> std::string {
        folder.write("p.toml", "[particles.p]\n" + table);
        try {
            static_cast<void>(read_scene((folder.path() / "p.toml").string()));
        } catch (const std::exception& problem) {
            return problem.what();
        }
        return "";
    };
    CHECK_THAT(complaint("recipe = 'confetti'"), Contains("embers"));
    CHECK_THAT(complaint("restitution = 2"), Contains("restitution"));
    CHECK_THAT(complaint("bursts = [{ at_s = 1 }]"), Contains("expected a key 'count'"));
    CHECK_THAT(complaint("direction = [1, 2]"), Contains("a list of 3 numbers"));
    CHECK_THAT(complaint("source = 'nothing'"), Contains("nothing"));
    CHECK_THAT(complaint("for_each = 3"), Contains("source"));
    CHECK_THAT(complaint("on = 'hit'"), Contains("source"));
    CHECK_THAT(complaint("rate_per_s = nan"), Contains("rate_per_s"));
    CHECK_THAT(complaint("sped = 3"), Contains("unknown key"));
}

TEST_CASE("particles that turn are seen and recorded as leaves", "[scene][particles]") {
    const TestFolder folder;
    const auto scene_with = [&](const std::string& spin) {
        return read_scene(folder.write("leaves.toml", R"(
duration_s = 2
[particles.leaves]
rate_per_s = 30
capacity = 60
lifetime_least_s = 1
lifetime_most_s = 3
)" + spin));
    };
    CHECK_FALSE(take_of(scene_with("")).find_channel("leaves.turn_rad"));
    const Scene scene = scene_with("spin_deg_per_s = 90\n");
    const Take take = take_of(scene);
    REQUIRE(take.find_channel("leaves.turn_rad"));
    CHECK(lines_of(scene, take).front().turn == take.find_channel("leaves.turn_rad"));
    // Each at a speed of its own, and not all from the same turn.
    double fastest = 0;
    double least = 10;
    double most = 0;
    for (std::size_t i = 0; i < 60; ++i) {
        const bool lives =
            number_in(take, 60, "leaves.alive", i) == 1 &&
            number_in(take, 59, "leaves.alive", i) == 1 &&
            number_in(take, 60, "leaves.age", i) > number_in(take, 59, "leaves.age", i);
        if (!lives) continue;
        const double turn = number_in(take, 60, "leaves.turn_rad", i);
        fastest =
            std::max(fastest, 60 * std::abs(turn - number_in(take, 59, "leaves.turn_rad", i)));
        least = std::min(least, turn);
        most = std::max(most, turn);
    }
    CHECK(fastest <= Approx(math::pi / 2));
    CHECK(fastest > 1);
    CHECK(most - least > 4);
    const io::BakedModel model = io::model_of(take, model_channels_of(scene, take));
    for (const io::ModelNode& node : model.model.nodes) {
        CHECK(std::any_of(node.tracks.begin(), node.tracks.end(), [](const io::NodeTrack& track) {
            return track.kind == io::TrackKind::rotation;
        }));
    }
}
