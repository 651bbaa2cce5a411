#include <string>

#include <catch2/catch.hpp>

#include "support/command.hpp"
#include "support/html.hpp"

using Catch::Matchers::Contains;

TEST_CASE("a run leaves a report that stands alone", "[command][report]") {
    const TestFolder folder;
    folder.write("odd.toml",
                 "title = \"Lamp & <hook>\"\nseed = 4\nrate_hz = 30\nduration_s = 4\n"
                 "[target.hook]\nmoves = [{ at_s = 0.5, jump_to_m = 1 }, { noise_amplitude_m = 0.1 "
                 "}]\n[follower.lamp]\ntarget = 'hook'\ntuning = 'lively'\n"
                 "[follower.stiff]\ntarget = 'lamp'\ntuning = { frequency_hz = 8, damping_ratio = "
                 "0.1 }\nscheme = 'semi_implicit_euler'\n");
    const CommandResult run = run_hopcoil("run odd.toml --out out", folder);
    INFO(run.errors);
    REQUIRE(run.exit_code == 0);
    const std::string html = contents_of(folder.path() / "out/odd.html");
    check_stands_alone(html);
    CHECK_THAT(html, Contains("<title>Lamp &amp; &lt;hook&gt;</title>") && Contains("<svg") &&
                         Contains("2 Hz, damping ratio") && Contains("goes 25.4 % past") &&
                         Contains("% of the largest that is stable") &&
                         Contains("hopcoil run odd.toml --seconds 4 --rate 30 --seed 4"));
    CHECK(count_in(html, "<hook>") == 0);
    // What it says to type makes the same take.
    REQUIRE(
        run_hopcoil("run odd.toml --seconds 4 --rate 30 --seed 4 --out again", folder).exit_code ==
        0);
    CHECK(contents_of(folder.path() / "again/odd.csv") ==
          contents_of(folder.path() / "out/odd.csv"));
    REQUIRE(run_hopcoil("run odd.toml --seed 5 --out other", folder).exit_code == 0);
    CHECK(contents_of(folder.path() / "other/odd.csv") !=
          contents_of(folder.path() / "out/odd.csv"));
}

TEST_CASE("--set changes numbers, is told, and is part of what makes a run again",
          "[command][set]") {
    const TestFolder folder;
    const std::string scene = SCENES "/quay/boom_lamp.toml";
    const auto run = [&](const std::string& arguments) {
        const CommandResult result = run_hopcoil("run " + scene + " " + arguments, folder);
        INFO(result.errors);
        REQUIRE(result.exit_code == 0);
    };
    run("--out plain");
    run("--out set --set 'string.*.frequency_hz=2' --set string.lamp.lead=0.5");
    CHECK(contents_of(folder.path() / "plain/boom_lamp.csv") !=
          contents_of(folder.path() / "set/boom_lamp.csv"));
    CHECK_THAT(contents_of(folder.path() / "set/boom_lamp.html"),
               Contains("--set 'string.*.frequency_hz=2' --set 'string.lamp.lead=0.5'") &&
                   Contains("2 Hz, damping ratio 0.25, lead 0.5"));
    CHECK_THAT(contents_of(folder.path() / "set/boom_lamp.json"),
               Contains("\"set\"") && Contains("string.*.frequency_hz=2"));
    const auto refused = [&](const std::string& change, const std::string& text) {
        const CommandResult result =
            run_hopcoil("run " + scene + " --out no --set '" + change + "'", folder);
        CHECK(result.exit_code == 2);
        CHECK_THAT(result.errors, Contains(text));
    };
    refused("string.lamp.frequency=2", "did you mean 'string.lamp.frequency_hz'");
    refused("string.lamp.frequency_hz", "PATH=NUMBER");
    refused("string.lamp.frequency_hz=fast", "cannot be 'fast'");
    refused("string.lamp.frequency_hz=nan", "PATH=NUMBER");
    refused("string.lamp.frequency_hz=-1", "cannot be -1");
    // Of any other number of the files, what the files' reader says.
    refused("boom.moves.0.over_s=-2", "boom_lamp.toml:11:");
    refused("boom.moves.0.over_s=-2", "expected");
    CHECK_FALSE(std::filesystem::exists(folder.path() / "no"));
    const CommandResult listed = run_hopcoil("check --dials " + scene, folder);
    CHECK_THAT(listed.output, Contains("string.tassel.damping_ratio") && Contains("0.12"));
    CHECK(run_hopcoil("bake " + scene + " --set string.lamp.lead=1", folder).exit_code == 0);
    CHECK(run_hopcoil("timestep " + scene + " --set string.lamp.lead=1", folder).exit_code == 0);
}
