#include <string>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/scene/scene.hpp>

#include "support/files.hpp"

using namespace hopcoil;
using namespace hopcoil::scene;
using Catch::Matchers::Contains;

namespace {

const std::string good_target = "[target.hook]\nmoves = [{ at_s = 0.5, jump_to_m = 1 }]\n";
const std::string good_follower = "[follower.lamp]\ntarget = \"hook\"\n";

/// What reading a scene says; empty when it has nothing against it.
std::string complaint_about(const std::string& text) {
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

Scene scene_of(const std::string& text) {
    const TestFolder folder;
    folder.write("wind.csv", "time_s,heading_deg\n0,170\n1,-170\n2,-160\n");
    return read_scene(folder.write("test.toml", text));
}

}  // namespace

TEST_CASE("the smallest scene needs no explanation", "[scene]") {
    const Scene scene = scene_of(good_target + good_follower);
    REQUIRE(scene.movers.size() == 1);
    CHECK(std::get<Tuning>(scene.movers[0].numbers) == Tuning{});
    CHECK(scene.movers[0].name == "lamp");
    CHECK(scene.targets[0].unit == "m");
    CHECK(scene.rate_hz == 60);
    CHECK(scene.duration_s == 3.5);
}

TEST_CASE("a scene says its numbers in any parameterisation and unit", "[scene]") {
    const Scene scene = scene_of(R"(
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
        tuning = { mass_kg = 1, stiffness_n_per_m = 100, damping_n_s_per_m = 3, lead = 0.5 }
        [follower.first]
        target = "door"
        start_deg = 45
        start_velocity_deg_per_s = 180
        tuning = { y_rate_s = 0.1, y_acceleration_s2 = 0.01, x_rate_s = 0.05 }
    )");
    CHECK(scene.title == "test");
    CHECK(scene.targets[0].path.after(3).value == Approx(210 * 3.14159265358979 / 180));
    CHECK(scene.targets[1].path.before(1).value == Approx(3.14159265358979 / 2));
    REQUIRE(scene.movers.size() == 2);
    CHECK(scene.movers[0].name == "third");  // as they stand in the file
    CHECK(std::get<Tuning>(scene.movers[0].numbers).damping_ratio == Approx(0.15));
    CHECK(std::get<Tuning>(scene.movers[0].numbers).lead == 0.5);
    CHECK(scene.movers[0].start == Approx(170 * 3.14159265358979 / 180));
    CHECK(std::get<Tuning>(scene.movers[1].numbers).damping_ratio == Approx(0.5));
    CHECK(scene.movers[1].start == Approx(3.14159265358979 / 4));
    CHECK(scene.movers[1].start_velocity == Approx(3.14159265358979));
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
        {"title = 3\n" + both, "title: expected a text in quotes, found the whole number 3"},
        {"duration_s = nan\n" + both, "duration_s: expected a finite number, found nan"},
        {"duration_s = 0\n" + both, "test.toml:1:1: duration_s: expected a finite number above 0"},
        {"duration_s = 1e300\n" + both, "duration_s: expected at most 1"},
        {"rate_hz = -60\n" + both, "rate_hz: expected a finite number above 0, found -60"},
        {"rate_hz = \"60\"\n" + both, "rate_hz: expected a number, found the text '60'"},
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
         "jump_too: unknown key"},
        {"[target.hook]\nstart_m = 1\nmoves = [{ at_s = 1, jump_to_deg = 1 }]\n" + good_follower,
         "jump_to is an angle (_deg or _rad), but what it goes with is a length (_m)"},
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
        {both + "start_deg = 3\n", "start is an angle"},
        {both + "start_velocity_m = 3\n", "start_velocity_m: unknown key; expected target, start,"},
        {both + "tuning = 2\n", "tuning: expected a table, found the whole number 2"},
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
        CHECK_THAT(complaint_about(broken.text), Contains(broken.complaint));
        CHECK_THAT(complaint_about(broken.text),
                   Contains("test.toml") || Contains("wind.csv") || Contains("back.csv"));
    }
}

TEST_CASE("everything that is wrong is said at once, in the order of the file", "[scene]") {
    const std::string complaint = complaint_about(
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
        static_cast<void>(complaint_about(text.substr(0, length)));
    }
    for (std::size_t i = 0; i < text.size(); i += 3) {
        std::string changed = text;
        changed[i] = static_cast<char>(changed[i] ^ 0x15);
        static_cast<void>(complaint_about(changed));
    }
}
