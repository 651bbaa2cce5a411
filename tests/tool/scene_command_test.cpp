#include <cmath>
#include <string>
#include <vector>

#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

#include <hopcoil/io/csv.hpp>
#include <hopcoil/io/take_file.hpp>

#include "support/command.hpp"

using Catch::Matchers::Contains;
using Json = nlohmann::json;

namespace {

const std::string scenes = SCENES;

const std::string small_scene =
    "title = \"a 'quoted' \\\"title\\\" with `ticks` and \\\\n\"\n"
    "[target.hook]\nmoves = [{ at_s = 0.5, jump_to_m = 1 }]\n"
    "[follower.lamp]\ntarget = \"hook\"\n";

}  // namespace

TEST_CASE("run writes a take, a figure and what made them", "[command][run]") {
    const TestFolder folder;
    folder.write("small.toml", small_scene);
    const CommandResult result =
        run_hopcoil("run small.toml --out made/here --seconds 2 --rate 50", folder);
    INFO(result.errors);
    REQUIRE(result.exit_code == 0);
    const auto made = folder.path() / "made" / "here";
    const hopcoil::io::CsvTable csv = hopcoil::io::read_csv(made / "small.csv");
    CHECK(csv.header == std::vector<std::string>{"time_s", "hook.value_m", "lamp.value_m",
                                                 "lamp.velocity_m_per_s"});
    CHECK(csv.rows.size() == 101);
    CHECK(number_column(csv, "lamp.value_m").back() == Approx(1).margin(0.01));
    CHECK_THAT(contents_of(made / "small.png"), Catch::StartsWith("\x89PNG"));
    const Json json = Json::parse(contents_of(made / "small.json"));
    CHECK(json.at("made_by").at("scene") == "small.toml");
    CHECK(json.at("made_by").at("rate_hz") == 50);
    CHECK(json.at("movers")[0].at("tuning").at("frequency_hz") == 2);
    CHECK(json.at("movers")[0].at("largest_gap") == Approx(1));
    CHECK_THAT(result.output, Contains("lamp, after hook: 2 Hz, damping ratio 0.5, lead 0") &&
                                  Contains("a jump from rest goes 16.3 % past") &&
                                  Contains("small.csv"));
}

TEST_CASE("run prints one JSON object and draws where it is told", "[command][run]") {
    const TestFolder folder;
    folder.write("small.toml", small_scene);
    const CommandResult result =
        run_hopcoil("run small.toml --json --out o --figure picture.svg", folder);
    REQUIRE(result.exit_code == 0);
    CHECK(Json::parse(result.output).at("files").at("figure") == "picture.svg");
    CHECK_THAT(contents_of(folder.path() / "picture.svg"), Contains("`ticks`"));
}

TEST_CASE("a scene with problems stops the run with all of them", "[command][run]") {
    const TestFolder folder;
    folder.write("bad.toml", small_scene + "tuning = { frequncy_hz = 2, lead = nan }\n");
    const CommandResult bad = run_hopcoil("run bad.toml", folder);
    CHECK(bad.exit_code == 2);
    CHECK_THAT(bad.errors, Contains("bad.toml:6:12: follower.lamp.tuning.frequncy_hz") &&
                               Contains("follower.lamp.tuning.lead"));
    CHECK(folder.file_count() == 1);

    CHECK(run_hopcoil("run missing.toml", folder).exit_code == 3);
    CHECK_THAT(run_hopcoil("run bda.toml", folder).errors, Contains("did you mean 'bad.toml'?"));
    CHECK(run_hopcoil("run", folder).exit_code == 2);
    CHECK(run_hopcoil("run bad.toml --out", folder).exit_code == 2);
    CHECK(run_hopcoil("run bad.toml other.toml", folder).exit_code == 2);

    folder.write("small.toml", small_scene);
    folder.write("in-the-way", "");
    CHECK(run_hopcoil("run small.toml --out in-the-way", folder).exit_code == 3);
    CHECK(run_hopcoil("run small.toml --seconds -1", folder).exit_code == 2);
    CHECK(run_hopcoil("run small.toml --figure x.gif", folder).exit_code == 2);
    CHECK(folder.file_count() == 3);

    folder.write("wild.toml",
                 "[target.t]\nmoves = [{ at_s = 1, jump_to = 1.7e308 }, { at_s = 2, jump_to = "
                 "-1.7e308 }]\n[follower.f]\ntarget = \"t\"\n");
    const CommandResult wild = run_hopcoil("run wild.toml", folder);
    CHECK(wild.exit_code == 4);
    CHECK_THAT(wild.errors, Contains("follower.f diverged after") && Contains("last good row at"));
    // What it did until then is whole, and marked.
    const auto partial =
        hopcoil::io::read_take((folder.path() / "hopcoil-run/wild.partial.csv").string());
    CHECK(partial.row_count() > 10);
    CHECK_FALSE(std::filesystem::exists(folder.path() / "hopcoil-run/wild.csv"));
    CHECK_THAT(contents_of(folder.path() / "hopcoil-run/wild.txt"), Contains("ended early"));
    const CommandResult take = run_hopcoil("run wild.toml --take w.json --take-only", folder);
    CHECK(take.exit_code == 4);
    CHECK_THAT(contents_of(folder.path() / "w.partial.json"),
               Contains("\"ended_early\": \"ended early"));
    CHECK(run_hopcoil("check w.partial.json hopcoil-run/wild.partial.csv", folder).exit_code == 0);
}

TEST_CASE("figures do not depend on the rate, and count every jump of a vector", "[command][run]") {
    const TestFolder folder;
    folder.write("square.toml",
                 "[target.post]\nstart_m = [0, 0]\nmoves = [{ at_s = 1, jump_to_m = [1, 0] },\n"
                 "{ at_s = 3, jump_to_m = [1, 1] }, { at_s = 5, jump_to_m = [0, 1] },\n"
                 "{ at_s = 7, jump_to_m = [0, 0] }]\n[follower.gull]\ntarget = \"post\"\n"
                 "tuning = { frequency_hz = 2, damping_ratio = 0.4 }\n");
    const auto figures = [&](const std::string& rate) {
        const CommandResult result =
            run_hopcoil("run square.toml --json --seconds 9 --rate " + rate, folder);
        REQUIRE(result.exit_code == 0);
        return Json::parse(result.output).at("movers")[0];
    };
    const Json coarse = figures("15");
    CHECK(coarse == figures("60"));
    CHECK(coarse == figures("1000"));
    CHECK(coarse.at("jumps") == 4);
    // Each side is met as one number would be: 25.4 % past, settled as the closed form says.
    const Json exact = Json::parse(
        run_hopcoil("response --frequency 2 --damping-ratio 0.4 --json", folder).output);
    const Json& jump = exact.at("responses")[0];
    CHECK(coarse.at("largest_overshoot_percent").get<double>() ==
          Approx(jump.at("overshoot_percent").get<double>()).margin(0.02));
    CHECK(coarse.at("longest_settling_time_s").get<double>() ==
          Approx(jump.at("settling_time_s").get<double>()).margin(2e-3));
}

TEST_CASE("movers of one target can be drawn on one scale", "[command][run]") {
    const TestFolder folder;
    folder.write("two.toml", small_scene + "[glide.slow]\ntarget = \"hook\"\nhalf_life_s = 0.4\n");
    REQUIRE(run_hopcoil("run two.toml --figure a.svg", folder).exit_code == 0);
    REQUIRE(run_hopcoil("run two.toml --overlay --figure b.svg", folder).exit_code == 0);
    const std::string apart = contents_of(folder.path() / "a.svg");
    const std::string overlaid = contents_of(folder.path() / "b.svg");
    CHECK_THAT(apart, Contains("lamp (m)") && Contains("slow (m)"));
    CHECK_THAT(overlaid, Contains("hook (m)") && !Contains("slow (m)") && Contains("slow"));
}

TEST_CASE("what a throw gave up for a stop is said, and where a coast landed", "[command][run]") {
    const TestFolder folder;
    folder.write("needle.toml",
                 "[target.mark]\nstart_deg = 15\nmoves = [{ at_s = 0.5, jump_to_deg = 75 },\n"
                 "{ at_s = 3, jump_to_deg = 120 }]\n[settle.needle]\ntarget = \"mark\"\n"
                 "overshoot_percent = 30\nhigh_stop_deg = 80\n");
    const CommandResult thrown = run_hopcoil("run needle.toml --seconds 6", folder);
    REQUIRE(thrown.exit_code == 0);
    CHECK_THAT(thrown.output, Contains("throws overshoot less than asked") &&
                                  Contains("needle: 1 of 2 throws had a target beyond a stop"));
    CHECK_THAT(run_hopcoil("run needle.toml --seconds 6 --json", folder).output,
               Contains("beyond a stop"));
    const std::string coast =
        "[coast.float]\nstart_m = 0\ninitial_velocity_m_per_s = 5\nlow_m = -1\nhigh_m = 1\n"
        "at_bound = \"bounce\"\nsnap_points_m = [-0.5, 0.5]\n";
    folder.write("float.toml", coast);
    const CommandResult landed = run_hopcoil("run float.toml --seconds 8", folder);
    INFO(landed.errors);
    REQUIRE(landed.exit_code == 0);
    CHECK_THAT(landed.output, Contains("landed at") && Contains("0.5 m") &&
                                  Contains("to end on a snap point its speed halved every"));
    folder.write("out.toml", coast +
                                 "[coast.far]\nstart_m = 3\nhigh_m = 1\n"
                                 "[coast.off]\nhigh_m = 1\nsnap_points_m = [0, 2]\n");
    const CommandResult outside = run_hopcoil("check out.toml", folder);
    CHECK(outside.exit_code == 1);
    CHECK_THAT(outside.errors + outside.output,
               Contains("start 3 is outside the bounds") &&
                   Contains("snap_points: 2 is outside the bounds"));
}

TEST_CASE("output that cannot be written is said, by every command", "[command]") {
    const TestFolder folder;
    folder.write("small.toml", small_scene);
    for (const char* command :
         {"--help", "response --json", "tunings", "timestep", "run small.toml", "check small.toml",
          "bake small.toml --out x.glb"}) {
        CAPTURE(command);
        const CommandResult result = run_hopcoil(std::string{command} + " > /dev/full", folder);
        CHECK(result.exit_code == 3);
        CHECK_THAT(result.errors, Contains("standard output cannot be written"));
    }
}

TEST_CASE("an interrupted run leaves a whole take, marked, and nothing hidden", "[command][run]") {
    const TestFolder folder;
    folder.write("small.toml", small_scene);
    const CommandResult result = run_hopcoil(
        "run small.toml --seconds 20000 --rate 400 --take t.csv --take-only >out 2>errors & "
        "for i in $(seq 400); do [ $(ls -A | wc -l) -gt 3 ] && break; sleep 0.05; done; "
        "sleep 0.5; kill -TERM $!; wait $!",
        folder);
    CHECK(result.exit_code == 130);
    CHECK_THAT(contents_of(folder.path() / "out"), Contains("it was interrupted"));
    CHECK(hopcoil::io::read_take((folder.path() / "t.partial.csv").string()).row_count() > 100);
    CHECK(folder.file_count() == 4);
}

TEST_CASE("help, version and wrong commands", "[command]") {
    const TestFolder folder;
    CHECK_THAT(run_hopcoil("--version", folder).output, Catch::StartsWith("hopcoil 0."));
    CHECK_THAT(run_hopcoil("", folder).output, Contains("demo") && Contains("response"));
    for (const std::string command : {"demo", "response", "run"}) {
        const CommandResult help = run_hopcoil(command + " --help", folder);
        CHECK(help.exit_code == 0);
        CHECK_THAT(help.output, Contains("Example"));
    }
    const CommandResult wrong = run_hopcoil("respnse", folder);
    CHECK(wrong.exit_code == 2);
    CHECK_THAT(wrong.errors, Contains("there is no command 'respnse'; did you mean 'response'?"));
    CHECK(run_hopcoil("--jsn", folder).exit_code == 2);
    CHECK(run_hopcoil("demo extra", folder).exit_code == 2);
}

TEST_CASE("a limit in degrees runs as the same one in radians, and its dial is in radians",
          "[command][run]") {
    const TestFolder folder;
    const std::string chain =
        "duration_s = 1\n[target.stern]\nmoves = [{ at_s = 0.1, jump_to_m = [0.5, 0, 0.2] }]\n"
        "start_m = [0, 0, 0]\n[chain.streamer]\nroot = \"stern\"\n";
    folder.write("degrees.toml", chain + "bend_limit_deg = 22.5\n");
    folder.write("radians.toml", chain + "bend_limit_rad = 0.39269908169872414\n");
    for (const std::string name : {"degrees", "radians"}) {
        REQUIRE(run_hopcoil("run " + name + ".toml --take-only --take " + name + ".csv", folder)
                    .exit_code == 0);
    }
    CHECK(contents_of(folder.path() / "degrees.csv") == contents_of(folder.path() / "radians.csv"));
    CHECK_THAT(run_hopcoil("check degrees.toml --dials", folder).output,
               Contains("streamer.bend_limit_rad") && Contains("0.3927"));
    folder.write("wrong.toml", chain + "bend_limit_deg = -3\n");
    const CommandResult wrong = run_hopcoil("check wrong.toml", folder);
    CHECK(wrong.exit_code == 1);
    CHECK_THAT(wrong.errors + wrong.output,
               Contains("wrong.toml:7:1: chain.streamer.bend_limit_deg: expected") &&
                   Contains("found -3"));
}
