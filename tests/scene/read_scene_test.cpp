#include <cmath>
#include <limits>
#include <string>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/base/math.hpp>
#include <hopcoil/io/file_problems.hpp>
#include <hopcoil/scene/live_scene.hpp>
#include <hopcoil/scene/run.hpp>
#include <hopcoil/scene/scene.hpp>
#include <hopcoil/scene/scene_dials.hpp>
#include <hopcoil/scene/scene_patch.hpp>
#include <hopcoil/spring/wish.hpp>
#include <hopcoil/take/take.hpp>

#include "support/files.hpp"
#include "support/scenes.hpp"

using namespace hopcoil;
using namespace hopcoil::scene;
using Catch::Matchers::Contains;

namespace {

const std::string good_target = "[target.hook]\nmoves = [{ at_s = 0.5, jump_to_m = 1 }]\n";
const std::string good_follower = "[follower.lamp]\ntarget = \"hook\"\n";

/// What reading a scene says; empty when it has nothing against it.
std::string complaint_about_scene(const std::string& text) {
    const TestFolder folder;
    folder.write("wind.csv", "time_s,heading_deg,bad\n0,170,1\n1,-170,x\n2,-160,3\n");
    folder.write("back.csv", "time_s,x_m\n0,1\n2,1\n1,1\n");
    folder.write("empty.csv", "time_s,x_m\n");
    try {
        static_cast<void>(read_scene(folder.write("test.toml", text)));
        return {};
    } catch (const std::runtime_error& problem) {
        return problem.what();
    }
}

Scene scene_with_wind(const std::string& text) {
    const TestFolder folder;
    folder.write("wind.csv", "time_s,heading_deg\n0,170\n1,-170\n2,-160\n");
    return read_scene(folder.write("test.toml", text));
}

}  // namespace

TEST_CASE("the smallest scene needs no explanation", "[scene]") {
    const Scene scene = scene_with_wind(good_target + good_follower);
    REQUIRE(scene.systems.size() == 1);
    CHECK(tuning_in(scene, 0) == Tuning{});
    CHECK(scene.systems[0].name == "lamp");
    CHECK(scene.targets[0].unit == "m");
    CHECK(scene.rate_hz == 60);
    CHECK(scene.duration_s == 3.5);
}

TEST_CASE("a scene says its numbers in any parameterisation and unit", "[scene]") {
    const Scene scene = scene_with_wind(R"(
        title = "test"
        duration_s = 4
        rate_hz = 30
        [target.wind]
        csv = "wind.csv"
        column = "heading_deg"
        unwrap = true
        after_end = "continue"
        [target.door]
        start_deg = 90
        moves = [{ at_s = 1, ramp_to_deg = 180, over_s = 2 },
                 { sine_amplitude_rad = 0.5, frequency_hz = 2, from_s = 1, until_s = 3 }]
        [follower.third]
        target = "wind"
        tuning = { mass_kg = 2, stiffness_n_per_m = 300, damping_n_s_per_m = 9, lead = 0.5 }
        [follower.first]
        target = "door"
        start_deg = 45
        initial_velocity_deg_per_s = 180
        tuning = { y_rate_s = 0.1, y_acceleration_s2 = 0.01, x_rate_s = 0.05 }
    )");
    CHECK(scene.title == "test");
    CHECK(scene.targets[0].path.component().after(3).value == Approx(210 * 3.14159265358979 / 180));
    CHECK(scene.targets[1].path.component().before(1).value == Approx(3.14159265358979 / 2));
    REQUIRE(scene.systems.size() == 2);
    CHECK(scene.systems[0].name == "third");  // as they stand in the file
    CHECK(tuning_in(scene, 0).damping_ratio == Approx(9 / (2 * std::sqrt(2 * 300.0))));
    CHECK(tuning_in(scene, 0).lead == 0.5);
    CHECK(LiveScene{scene}.output(0).value[0] == Approx(170 * 3.14159265358979 / 180));
    CHECK(tuning_in(scene, 1).damping_ratio == Approx(0.5));
    CHECK(LiveScene{scene}.output(1).value[0] == Approx(3.14159265358979 / 4));
    Take take;
    run(scene, take);
    CHECK(take.column(*take.find_column("first.velocity_rad_per_s"))[0] ==
          Approx(3.14159265358979));
}

TEST_CASE("what is wrong in a scene is named with place, key, expectation and nearest name",
          "[scene]") {
    struct Broken {
        std::string text;
        std::string complaint;
    };
    const std::string both = good_target + good_follower;
    const std::vector<Broken> corpus{
        {"", "expected at least one table [target.NAME]"},
        {good_target, "expected at least one table [follower.NAME]"},
        {"a = [", "test.toml:1:6: "},
        {"a = 1\na = 2", "test.toml:2:"},
        {"\xFF\xFE", "test.toml:1:1"},
        {std::string("a = \"\0\"", 8), "test.toml:1:"},
        {"titel = \"x\"\n" + both, "test.toml:1:1: titel: unknown key; expected title,"},
        {"titel = \"x\"\n" + both, "did you mean 'title'?"},
        {"title = 3\n" + both, "title: expected a string in quotes, found the whole number 3"},
        {"duration_s = nan\n" + both, "duration_s: expected a finite number, found nan"},
        {"duration_s = 0\n" + both, "test.toml:1:1: duration_s: expected a finite number above 0"},
        {"duration_s = 1e300\n" + both, "duration_s: expected at most 1"},
        {"rate_hz = -60\n" + both, "rate_hz: expected a finite number above 0, found -60"},
        {"rate_hz = \"60\"\n" + both, "rate_hz: expected a number, found the string '60'"},
        {"target = 3\n" + good_follower, "target: expected a table, found the whole number 3"},
        {"[target]\nhook = 3\n" + good_follower, "target.hook: expected a table"},
        {"[target.\"a b\"]\nmoves = []\n" + both, "expected a name of letters, digits"},
        {"[target.hook]\n" + good_follower, "target.hook: expected a key 'moves'"},
        {"[target.hook]\nmoves = 3\n" + good_follower, "moves: expected a list, found"},
        {"[target.hook]\nmoves = [3]\n" + good_follower, "target.hook.moves[0]: expected a table"},
        {"[target.hook]\nmoves = [{}]\n" + good_follower, "expected one of jump_to, ramp_to"},
        {"[target.hook]\nmoves = [{ jump_to = 1 }]\n" + good_follower, "expected a key 'at_s'"},
        {"[target.hook]\nmoves = [{ at_s = 1, jump_to = 1, ramp_to = 2 }]\n" + good_follower,
         "expected one of jump_to, ramp_to, through"},
        {"[target.hook]\nmoves = [{ at_s = 1, ramp_to = 1 }]\n" + good_follower,
         "expected a key 'over_s'"},
        {"[target.hook]\nmoves = [{ at_s = 1, jump_to = inf }]\n" + good_follower,
         "test.toml:2:22: target.hook.moves[0].jump_to: expected a finite number, found inf"},
        {"[target.hook]\nmoves = [{ at_s = -1, jump_to = 1 }]\n" + good_follower,
         "moves[0].at_s: expected a time no earlier than the move before it, 0, found -1"},
        {"[target.hook]\nmoves = [{ at_s = 2, jump_to = 1 }, { at_s = 1, jump_to = 0 }]\n" +
             good_follower,
         "moves[1].at_s: expected a time no earlier than the move before it, 2, found 1"},
        {"[target.hook]\nmoves = [{ at_s = 1, ramp_to = 1, over_s = 0 }]\n" + good_follower,
         "over_s: expected a finite number above 0, found 0"},
        {"[target.hook]\nmoves = [{ sine_amplitude = 1, frequency_hz = 0 }]\n" + good_follower,
         "frequency_hz: expected a finite number above 0, found 0"},
        {"[target.hook]\nmoves = [{ at_s = 1, jump_too = 1 }]\n" + good_follower,
         "random_from; did you mean 'jump_to'?"},
        {"[target.hook]\nstart_m = 1\nmoves = [{ at_s = 1, jump_to_deg = 1 }]\n" + good_follower,
         "it is an angle (_deg or _rad), but what it goes with is a length (_m)"},
        {"[target.hook]\nstart_m = 1\nstart_deg = 1\nmoves = []\n" + good_follower,
         "start_deg: it is given twice"},
        {"[target.hook]\ncsv = \"wind.csv\"\n" + good_follower, "expected a key 'column'"},
        {"[target.hook]\ncsv = \"wnid.csv\"\ncolumn = \"x\"\n" + good_follower,
         "target.hook.csv: "},
        {"[target.hook]\ncsv = \"wnid.csv\"\ncolumn = \"x\"\n" + good_follower,
         "there is no such file; did you mean 'wind.csv'?"},
        {"[target.hook]\ncsv = \"wind.csv\"\ncolumn = \"heading\"\n" + good_follower,
         "there is no column 'heading'"},
        {"[target.hook]\ncsv = \"wind.csv\"\ncolumn = \"bad\"\n" + good_follower,
         "wind.csv:3:8: bad: expected a finite number, found 'x'"},
        {"[target.hook]\ncsv = \"back.csv\"\ncolumn = \"x_m\"\n" + good_follower,
         "back.csv:4:1: time_s: expected a time no earlier than the row before, 2, found 1"},
        {"[target.hook]\ncsv = \"empty.csv\"\ncolumn = \"x_m\"\n" + good_follower, "no samples"},
        {"[target.hook]\ncsv = \"wind.csv\"\ncolumn = \"heading_deg\"\nafter_end = \"lop\"\n" +
             good_follower,
         "after_end: expected hold, loop, mirror or continue, found 'lop'; did you mean 'loop'?"},
        {"[target.hook]\ncsv = \"wind.csv\"\ncolumn = \"heading_deg\"\nunwrap = 1\n" +
             good_follower,
         "unwrap: expected true or false, found the whole number 1"},
        {good_target + "[follower.lamp]\n", "follower.lamp: expected a key 'target'"},
        {good_target + "[follower.lamp]\ntarget = \"hok\"\n",
         "test.toml:4:1: follower.lamp.target: there is no target 'hok'; there is hook; did you "
         "mean 'hook'?"},
        {good_target + "[follower.hook]\ntarget = \"hook\"\n", "a target has the name 'hook'"},
        {both + "start_deg = 3\n", "it is an angle"},
        {both + "initial_velocity_m = 3\n",
         "initial_velocity_m: unknown key; expected target, start (with its unit),"},
        {both + "tuning = 2\n", "tuning: expected a table, found the whole number 2"},
        {both + "frequency_hz = 2\n", "did you mean 'tuning = { frequency_hz = ... }'?"},
        {"[target.way]\nstart_m = 0\nmoves = []\nramp_to_m = 1\n" + both,
         "did you mean 'moves = [{ ramp_to_m = ... }]'?"},
        {both + "tuning = { frequncy_hz = 2 }\n",
         "follower.lamp.tuning.frequncy_hz: unknown key; expected frequency_hz, damping_ratio or "
         "lead; did you mean 'frequency_hz'?"},
        {both + "tuning = { damping_ratio = -1 }\n",
         "test.toml:5:12: follower.lamp.tuning.damping_ratio: expected a number 0 or more, found"},
        {both + "tuning = { lead = nan }\n", "lead: expected a finite number, found nan"},
        {both + "tuning = { frequency_hz = 2, mass_kg = 1 }\n", "keys of one form only"},
        {both + "tuning = { mass_kg = 1 }\n", "expected a key 'stiffness_n_per_m'"},
        {both + "tuning = { mass_kg = 0, stiffness_n_per_m = 1 }\n",
         "tuning.mass_kg: expected a finite number above 0, found 0"},
        {both + "tuning = { stiffness_n_per_m = 0, damping_n_s_per_m = 1 }\n",
         "a damper without a spring"},
        {both + "tuning = { y_rate_s = 0.1 }\n", "expected a key 'y_acceleration_s2'"},
        {both + "tuning = 1979-05-27\n", "found a date or time"},
        {"a = " + std::string(100000, '['), "test.toml:1:"},
    };
    for (const Broken& broken : corpus) {
        CAPTURE(broken.text.substr(0, 300), broken.complaint);
        CHECK_THAT(complaint_about_scene(broken.text), Contains(broken.complaint));
        CHECK_THAT(complaint_about_scene(broken.text),
                   Contains("test.toml") || Contains("wind.csv") || Contains("back.csv"));
    }
}

TEST_CASE("everything that is wrong is said at once, in the order of the file", "[scene]") {
    const std::string complaint = complaint_about_scene(
        "rate_hz = true\n" + good_target +
        "[follower.lamp]\ntarget = \"hok\"\ntuning = { lead = nan, frequency_hz = \"fast\" }\n");
    const std::size_t rate = complaint.find("test.toml:1:1: rate_hz");
    const std::size_t target = complaint.find("test.toml:5:1: follower.lamp.target");
    const std::size_t frequency = complaint.find("follower.lamp.tuning.frequency_hz");
    CHECK(rate < target);
    CHECK(target < frequency);
    CHECK(frequency < complaint.size());
    CHECK_THAT(complaint, Contains("follower.lamp.tuning.lead"));
}

TEST_CASE("every prefix of a scene is read or refused, never worse", "[scene]") {
    const std::string text = contents_of(std::string{SCENES} + "/quay/vane.toml");
    REQUIRE(text.size() > 100);
    for (std::size_t length = 0; length < text.size(); length += 7) {
        static_cast<void>(complaint_about_scene(text.substr(0, length)));
    }
    for (std::size_t i = 0; i < text.size(); i += 3) {
        std::string changed = text;
        changed[i] = static_cast<char>(changed[i] ^ 0x15);
        static_cast<void>(complaint_about_scene(changed));
    }
}

TEST_CASE("anything may follow anything that moves, in any order of the file", "[scene][driven]") {
    const Scene scene = scene_with_wind(R"(
[follower.tassel]
target = "lamp"
[target.half]
follows = "string.hook"
scale = 0.5
offset_m = 1
high_m = 1.2
[glide.shadow]
target = "half"
[follower.lamp]
target = "hook"
start_m = 3
[cascade.string]
target = "tassel"
links = [{ name = "hook" }, { name = "end" }]
[follower.last]
target = "string"
[target.hook]
moves = [{ at_s = 1, jump_to_m = 2 }]
)");
    REQUIRE(scene.systems.size() == 5);
    CHECK(scene.systems[0].name == "tassel");
    const SceneTarget& of_tassel = target_in(scene, 0);
    REQUIRE(of_tassel.source);
    CHECK(scene.systems[of_tassel.source->output.system].name == "lamp");
    CHECK(LiveScene{scene}.output(0).value[0] == 3);  // where what it follows begins
    CHECK(of_tassel.unit == "m");
    const SceneTarget& half = target_in(scene, 1);
    CHECK(half.name == "half");
    CHECK(scene.systems[half.source->output.system].name == "string");
    CHECK(half.source->output.port == 0);
    CHECK(half.source->scale == ValueArray::all(0.5));
    CHECK(half.path.component().before(0).value == 1.2);
    CHECK(target_in(scene, 4).source->output.port == 1);
}

TEST_CASE("what follows nothing, or itself in the end, is named", "[scene][driven]") {
    const auto complaint = [](const std::string& text) {
        return complaint_about_scene("[target.hook]\nmoves = []\n" + text);
    };
    CHECK_THAT(complaint("[follower.a]\ntarget = 'b'\n[follower.b]\ntarget = 'c'\n[follower.c]\n"
                         "target = 'a'\n"),
               Contains("a loop: ") && Contains("a after b after c after a"));
    CHECK_THAT(complaint("[follower.a]\ntarget = 'a'\n"), Contains("a loop: a after a"));
    CHECK_THAT(complaint("[target.t]\nfollows = 'a'\n[follower.a]\ntarget = 't'\n"),
               Contains("a loop: t after a after t"));
    CHECK_THAT(complaint("[follower.lamp]\ntarget = 'hok'\n"),
               Contains("there is no target 'hok'; there is hook; did you mean 'hook'?"));
    CHECK_THAT(complaint("[follower.a]\ntarget = 'lmp'\n[follower.lamp]\ntarget = 'hook'\n"),
               Contains("did you mean 'lamp'?"));
    const std::string lamp = "[follower.lamp]\ntarget = 'hook'\n";
    CHECK_THAT(complaint(lamp + "[target.t]\nfollows = 'lmp'\n"),
               Contains("nothing that moves is named 'lmp'; there is lamp; did you mean 'lamp'?"));
    CHECK_THAT(complaint(lamp + "[target.t]\nfollows = 'lamp'\nlow = 2\nhigh = 1\n"),
               Contains("expected low no higher than high"));
    CHECK_THAT(complaint(lamp + "[target.t]\nfollows = 'lamp'\noffset_m = 2\n"),
               Contains("it is a length"));
    CHECK_THAT(complaint("[target.wind]\nangle = true\nstart_deg = 0\nmoves = []\n"
                         "[follower.vane]\ntarget = 'wind'\n"
                         "[target.t]\nfollows = 'vane'\nscale = 2\n"),
               Contains("may be offset, but not scaled"));
}

TEST_CASE("moves of every kind are read, and random ones by the seed", "[scene]") {
    const std::string text = R"(
seed = 7
[target.hook]
moves = [
    { at_s = 1, through_m = [[2, 1], [3.5, -0.5]] },
    { pulse_m = 0.3, over_s = 0.2, from_s = 4, every_s = 1, until_s = 8 },
    { noise_amplitude_m = 0.1, frequency_hz = 2, octaves = 2, roughness = 0.3 },
    { random_from_m = -1, random_to_m = 1, every_s = 0.5, from_s = 5 },
]
[follower.lamp]
target = "hook"
)";
    const Scene scene = scene_with_wind(text);
    CHECK(scene.seed == 7);
    CHECK(scene.is_random);
    const TestFolder folder;
    const auto file = folder.write("test.toml", text);
    const auto at_6_s = [&](std::optional<std::uint64_t> seed) {
        return read_scene(file, seed).targets[0].path.component().after(6.1).value;
    };
    CHECK(at_6_s({}) == scene.targets[0].path.component().after(6.1).value);
    CHECK(at_6_s(7) == at_6_s({}));
    CHECK(at_6_s(8) != at_6_s(7));
    const auto complaint = [](const std::string& move) {
        return complaint_about_scene("[target.hook]\nmoves = [" + move +
                                     "]\n[follower.lamp]\ntarget = 'hook'\n");
    };
    CHECK_THAT(complaint("{ at_s = 1, through = [[1, 2]] }"), Contains("a time after the one"));
    CHECK_THAT(complaint("{ at_s = 1, through = [2, 3] }"), Contains("a list of [time, place]"));
    CHECK_THAT(complaint("{ at_s = 1, through = [] }"), Contains("at least one point"));
    CHECK_THAT(complaint("{ pulse = 1, over_s = 0.5, every_s = 0.2 }"), Contains("longer than"));
    CHECK_THAT(complaint("{ noise_amplitude = 1, octaves = 1.5 }"), Contains("a whole number"));
    CHECK_THAT(complaint("{ random_from = 1, every_s = 1 }"), Contains("random_to"));
    CHECK_THAT(complaint("{ random_from = 1, random_to_m = 2, every_s = 1 }"),
               Contains("it is a length"));
    CHECK_THAT(complaint_about_scene("seed = -1\n[target.hook]\nmoves = []\n"),
               Contains("seed: expected a whole number"));
}

TEST_CASE("a scene's dials reach every mover's numbers, by pattern too", "[scene][dials]") {
    Scene scene = scene_with_wind(R"(
[target.hook]
moves = [{ at_s = 1, jump_to_m = 2 }]
[follower.lamp]
target = "hook"
[cascade.string]
target = "hook"
links = [{ name = "hook" }, { name = "tassel" }]
[glide.shadow]
target = "hook"
[settle.needle]
target = "hook"
[follower.stiff]
target = "hook"
scheme = "midpoint"
)");
    const std::vector<SceneDial> dials = dials_of(scene);
    CHECK(dials.size() == 3 + 6 + 1 + 2 + 3 + 2);  // and the target's two numbers
    for (const SceneDial& dial : dials) {
        if (dial.number) continue;
        CAPTURE(dial.path);
        CHECK(value_of(scene, dial) == dial.default_value);
        const double other = (dial.slider.least + dial.slider.most) / 2;
        CHECK(set_value(scene, dial, other) == DialStatus::set);
        CHECK(value_of(scene, dial) == other);
        CHECK(set_value(scene, dial, std::nan("")) == DialStatus::refused);
        CHECK(value_of(scene, dial) == other);
    }
    CHECK(set_matching(scene, "string.*.damping_ratio", 0.31) == 2);
    CHECK(tuning_in(scene, 1, 1).damping_ratio == 0.31);
    CHECK(set_matching(scene, "*frequency_hz", 3) == 4);
    CHECK(set_matching(scene, "lamp.lead", -1) == 1);
    CHECK(tuning_in(scene, 0) == Tuning{.frequency_hz = 3, .damping_ratio = 1, .lead = -1});
    CHECK(scene.changes == std::vector<std::string>{"string.*.damping_ratio=0.31",
                                                    "*frequency_hz=3", "lamp.lead=-1"});
    // A named tuning changes all that use it.
    Scene vanes = read_scene(std::string{SCENES} + "/quay/vane.toml");
    CHECK(set_matching(vanes, "tuning.brass.damping_ratio", 0.9) == 1);
    const auto brass = [](const Scene& of) {
        for (const SceneDial& dial : dials_of(of)) {
            if (dial.path == "brass.damping_ratio") return value_of(of, dial);
        }
        return -1.0;
    };
    CHECK(brass(vanes) == 0.9);
    CHECK_THROWS_WITH(set_matching(vanes, "tuning.brass.damping_ratio", -1),
                      Contains("expected a number 0 or more, found -1"));
    CHECK_THROWS_WITH(set_matching(vanes, "tuning.bras.damping_ratio", 1),
                      Contains("did you mean 'tuning.brass.damping_ratio'?"));
    CHECK_THROWS_WITH(set_matching(scene, "lamp.frequency", 1),
                      Contains("did you mean 'lamp.frequency_hz'"));
    CHECK_THROWS_WITH(set_matching(scene, "*_hz", -1), Contains("lamp.frequency_hz cannot be -1"));
    CHECK(tuning_in(scene, 0).frequency_hz == 3);
    CHECK(scene.changes.size() == 3);
}

TEST_CASE("every other number of a scene can be set too: it is read anew", "[scene][dials]") {
    const TestFolder folder;
    folder.write("part.toml",
                 "[target.swell]\nmoves = [{ sine_amplitude_m = 0.2, frequency_hz = 1 }]\n");
    Scene scene = read_scene(folder.write("test.toml", R"(
include = "part.toml"
[target.hook]
start_m = [0, 1]
moves = [{ at_s = 1, through_m = [[2, 0.5, 3], [4, 1, 2]] }, { at_s = 5, jump_to_m = [3, 3] }]
[follower.lamp]
target = "hook"
initial_velocity_m_per_s = [1, 2]
kicks = [{ at_s = 2, velocity_m_per_s = [0, 1] }]
[follower.float]
target = "swell"
)"));
    CHECK(set_matching(scene, "lamp.frequency_hz", 4) == 1);
    CHECK(set_matching(scene, "hook.moves.0.through_m.1.2", 7) == 1);
    CHECK(scene.targets[1].path.before(4).value[1] == 7);
    CHECK(set_matching(scene, "swell.*.frequency_hz", 3) == 1);
    CHECK(set_matching(scene, "hook.moves.*.jump_to_m.*", -2) == 2);
    CHECK(set_matching(scene, "lamp.kicks.0.at_s", 2.5) == 1);
    CHECK(scene.systems[0].spec->last_event_s() == 2.5);
    CHECK(scene.targets[1].path.after(5).value == ValueArray{{-2, -2, 0, 0}});
    CHECK(scene.targets[1].path.before(4).value[1] == 7);  // as set before
    CHECK(tuning_in(scene, 0).frequency_hz == 4);          // and so is the dial
    CHECK(scene.changes.size() == 5);
    CHECK_THROWS_WITH(set_matching(scene, "hook.moves.1.at_s", -1),
                      Contains("test.toml:5:64") && Contains("found -1"));
    CHECK_THROWS_WITH(set_matching(scene, "hook.moves.1.jump_t", 1), Contains("did you mean"));
    for (const SceneDial& dial : dials_of(scene)) {
        if (dial.number) CHECK(value_of(scene, dial) == dial.default_value);
    }
}

TEST_CASE("a tuning's numbers in another form can be set", "[scene][dials]") {
    const TestFolder folder;
    Scene scene = read_scene(folder.write("test.toml", R"(
[target.hook]
moves = [{ at_s = 1, jump_to_m = 1 }]
[follower.lamp]
target = "hook"
tuning = { mass_kg = 2, stiffness_n_per_m = 180, damping_n_s_per_m = 5 }
[cascade.string]
target = "hook"
links = [{ name = "bob", tuning = { half_life_s = 0.2, damping_ratio = 0.5 } }]
[pose.sign]
position = "place"
tuning = { position = { overshoot_percent = 12, settling_time_s = 0.4 } }
[target.place]
start_m = [0, 0, 0]
moves = []
)"));
    CHECK(set_matching(scene, "lamp.tuning.mass_kg", 6) == 1);
    CHECK(tuning_in(scene, 0) ==
          tuning_from(
              SpringConstants{.mass_kg = 6, .stiffness_n_per_m = 180, .damping_n_s_per_m = 5}));
    CHECK(set_matching(scene, "string.links.*.tuning.half_life_s", 0.1) == 1);
    CHECK(tuning_in(scene, 1) ==
          tuning_from(DecayHalfLife{.half_life_s = 0.1, .damping_ratio = 0.5}));
    CHECK(set_matching(scene, "sign.tuning.position.overshoot_percent", 20) == 1);
    CHECK(tuning_in(scene, 2) ==
          tuning_from(Wish{.overshoot_percent = 20, .settling_time_s = 0.4}));
    CHECK(tuning_in(scene, 0).frequency_hz < 1);  // as set before
    CHECK_THROWS_WITH(set_matching(scene, "lamp.tuning.mass_kg", 0), Contains("above 0"));
    CHECK_THROWS_WITH(set_matching(scene, "lamp.mass_kg", 1), Contains("lamp.tuning.mass_kg"));
}

TEST_CASE("a key in radians may be written in degrees in any table", "[scene]") {
    const TestFolder folder;
    const auto dial = [](const Scene& scene, const std::string& path) {
        for (const SceneDial& each : dials_of(scene)) {
            if (each.path == path) return value_of(scene, each);
        }
        return std::numeric_limits<double>::quiet_NaN();
    };
    const std::string text = R"([target.stern]
start_m = [0, 0, 0]
moves = []
[chain.streamer]
root = "stern"
bend_limit_deg = 30
undulation = { amplitude_m = 0.1, delay_deg = 45 }
[plant.reed]
angle_deg = 20
[particles.leaves]
spread_rad = 0.25
spin_deg_per_s = 360
)";
    const std::string file = folder.write("a.toml", text).string();
    Scene scene = read_scene(file);
    CHECK(dial(scene, "streamer.bend_limit_rad") == Approx(math::pi / 6));
    CHECK(dial(scene, "streamer.undulation.delay_rad") == Approx(math::pi / 4));
    CHECK(dial(scene, "reed.angle_rad") == Approx(math::pi / 9));
    CHECK(dial(scene, "leaves.spin_rad_per_s") == Approx(2 * math::pi));
    // What is written back keeps the unit that the file has.
    set_values(scene, {{"streamer.bend_limit_rad", math::pi / 3},
                       {"streamer.undulation.delay_rad", math::pi / 2},
                       {"leaves.spread_rad", 0.5}});
    write_changes(scene);
    const std::string written = contents_of(file);
    CHECK_THAT(written, Contains("bend_limit_deg = 60") && Contains("delay_deg = 90") &&
                            Contains("spread_rad = 0.5"));
    CHECK(dial(read_scene(file), "streamer.bend_limit_rad") == Approx(math::pi / 3));

    const auto complaint = [&](const std::string& table) {
        try {
            static_cast<void>(read_scene(folder.write("b.toml", table)));
        } catch (const io::InputProblems& problems) {
            return std::string{problems.what()};
        }
        return std::string{};
    };
    CHECK_THAT(complaint("[particles.p]\nspread_deg = 200\n"),
               Contains("b.toml:2:1: particles.p.spread_deg: expected a number from 0 to 180, "
                        "found 200"));
    CHECK_THAT(complaint("[particles.p]\nspread_deg = 20\nspread_rad = 0.3\n"),
               Contains("spread_deg: it is given twice, in different units"));
    CHECK_THAT(complaint("[particles.p]\nspread_deg = \"wide\"\n"),
               Contains("b.toml:2:1: particles.p.spread_deg: expected a number, found the string"));
    CHECK_THAT(complaint("[particles.p]\nspraed_deg = 20\n"),
               Contains("did you mean 'spread_deg'"));
}
