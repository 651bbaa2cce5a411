#include <string>

#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

#include "support/command.hpp"

using Catch::Matchers::Contains;
using Json = nlohmann::json;

namespace {

const std::string vane = SCENES "/quay/vane.toml";
const std::string grid =
    "sweep " + vane +
    " --vary brass.frequency_hz=0.5:4:4:log --vary brass.damping_ratio=0.2,0.6,1.2";

}  // namespace

TEST_CASE("sweep tries a grid of numbers, keeps some and ranks them", "[command][sweep]") {
    const TestFolder folder;
    const CommandResult result = run_hopcoil(
        "sweep --frequency 2 --vary damping_ratio=0.2:1:9 --keep 'overshoot_percent<15' --rank "
        "settling_time_s --json",
        folder);
    INFO(result.errors);
    REQUIRE(result.exit_code == 0);
    const Json json = Json::parse(result.output);
    CHECK(json.at("total") == 9);
    CHECK(json.at("made_by").at("tuning").at("frequency_hz") == 2);
    REQUIRE(json.at("runs").size() == 5);
    CHECK(json.at("runs")[0].at("values").at("damping_ratio") == Approx(0.8));
    double before = 0;
    for (const Json& run : json.at("runs")) {
        CHECK(run.at("figures").at("overshoot_percent") < 15);
        CHECK(run.at("figures").at("settling_time_s") >= before);
        before = run.at("figures").at("settling_time_s");
    }
    const CommandResult text = run_hopcoil(grid + " --rank brass.rms_gap --rows 2", folder);
    CHECK_THAT(text.output,
               Contains("brass.rms_gap") && Contains("12 of 12 runs") && Contains("2 shown"));
    CHECK_THAT(text.output, !Contains("leaden."));  // it is the same in all runs
}

TEST_CASE("a sweep in parts is merged to the same table, and drawn as a map",
          "[command][sweep][long]") {
    const TestFolder folder;
    REQUIRE(run_hopcoil(grid + " --out whole.csv --figure map.png --sheet sheet.svg", folder)
                .exit_code == 0);
    for (const std::string part : {"1", "2", "3"})
        REQUIRE(run_hopcoil(grid + " --shard " + part + "/3 --out p" + part + ".csv", folder)
                    .exit_code == 0);
    REQUIRE(run_hopcoil("sweep --merge p3.csv --merge p1.csv --merge p2.csv --out all.csv", folder)
                .exit_code == 0);
    CHECK(contents_of(folder.path() / "all.csv") == contents_of(folder.path() / "whole.csv"));
    CHECK_THAT(contents_of(folder.path() / "map.png"), Catch::StartsWith("\x89PNG"));
    CHECK_THAT(contents_of(folder.path() / "sheet.svg"), Contains("<svg"));

    // What an interrupted call has left is gone on with.
    const std::string whole = contents_of(folder.path() / "whole.csv");
    const std::size_t half = whole.find('\n', whole.size() / 2) + 1;
    folder.write("again.partial.csv", whole.substr(0, half));
    REQUIRE(run_hopcoil(grid + " --out again.csv", folder).exit_code == 0);
    CHECK(contents_of(folder.path() / "again.csv") == whole);
    CHECK_FALSE(std::filesystem::exists(folder.path() / "again.partial.csv"));
    folder.write("other.partial.csv", whole.substr(0, half));
    const CommandResult other =
        run_hopcoil("sweep --vary damping_ratio=0.1,1 --out other.csv", folder);
    CHECK(other.exit_code == 2);
    CHECK_THAT(other.errors, Contains("part of another sweep"));
}

TEST_CASE("a choice is swept by the names of its values", "[command][sweep]") {
    const TestFolder folder;
    folder.write("cat.toml",
                 "duration_s = 3\n[target.way]\nstart_m = [0, 0, 0]\n"
                 "moves = [{ at_s = 0, ramp_to_m = [0, 0, 2], over_s = 2 }]\n"
                 "[walker.cat]\ntarget = 'way'\nlegs = 4\n");
    const CommandResult result = run_hopcoil(
        "sweep cat.toml --vary cat.step_order=alternate,trot,wave --figure map.svg --json", folder);
    INFO(result.errors);
    REQUIRE(result.exit_code == 0);
    const Json json = Json::parse(result.output);
    REQUIRE(json.at("runs").size() == 3);
    CHECK(json.at("runs")[2].at("values").at("cat.step_order") == "wave");
    CHECK_THAT(run_hopcoil("sweep cat.toml --vary cat.step_order=trot", folder).output,
               Contains(" trot ") && Contains("cat.steps"));
    CHECK_THAT(run_hopcoil("sweep cat.toml --vary cat.step_order=tort", folder).errors,
               Contains("did you mean 'trot'"));
}

TEST_CASE("a sheet shows moments of every run", "[command][sweep]") {
    const TestFolder folder;
    folder.write("crane.toml", R"(
title = "A lamp on a crane"
duration_s = 2
[target.hook]
start_m = [0, 0, 0]
moves = [{ at_s = 0.2, jump_to_m = [1, 0, 0.6] }]
[follower.lamp]
target = "hook"
[body.lantern]
position = "lamp"
[picture.above]
view = "top"
)");
    const std::string vary = "sweep crane.toml --vary lamp.damping_ratio=0.2,1 ";
    const auto sheet = [&](const std::string& more, const std::string& name) {
        REQUIRE(run_hopcoil(vary + "--sheet " + name + more, folder).exit_code == 0);
        return contents_of(folder.path() / name);
    };
    const std::string early = sheet(" --moments 0.3,0.6", "early.svg");
    CHECK_THAT(early, Contains("<svg"));
    CHECK(early == sheet(" --moments 0.3,0.6", "again.svg"));
    CHECK(early != sheet(" --moments 0.9,1.5", "late.svg"));
    CHECK(sheet(" --moments 0.6 --picture above", "above.svg") !=
          sheet(" --moments 0.6", "side.svg"));
    const auto refused = [&](const std::string& more) {
        const CommandResult result = run_hopcoil(vary + more, folder);
        CHECK(result.exit_code == 2);
        return result.errors;
    };
    CHECK_THAT(refused("--moments 1"), Contains("--sheet FILE.png"));
    CHECK_THAT(refused("--sheet a.png --moments 9"), Contains("a run ends at 2 s"));
    CHECK_THAT(refused("--sheet a.png --moments 1 --picture abov"),
               Contains("did you mean 'above'"));
    CHECK_THAT(refused("--sheet a.png --picture above"), Contains("--moments"));
    CHECK_THAT(refused("--sheet a.png --moments 1 --show nobody"), Contains("nothing to be seen"));
}

TEST_CASE("what cannot be swept is said, and nothing is lost", "[command][sweep]") {
    const TestFolder folder;
    const auto errors = [&](const std::string& arguments, int exit_code) {
        const CommandResult result = run_hopcoil("sweep " + arguments, folder);
        CAPTURE(arguments, result.errors);
        CHECK(result.exit_code == exit_code);
        return result.errors;
    };
    CHECK_THAT(errors("", 2), Contains("--vary PATH=LOW:HIGH:COUNT"));
    CHECK_THAT(errors("--vary damping=1,2", 2), Contains("damping_ratio"));
    CHECK_THAT(errors("--vary lead=1:2", 2), Contains("--vary lead=1:2"));
    CHECK_THAT(errors(vane + " --vary bras.lead=0,1", 2), Contains("brass.lead"));
    // Of many alike each is listed once.
    const std::string davit = errors(SCENES "/quay/davit.toml --vary string.tie.stiffness=1,2", 2);
    CHECK_THAT(davit, Contains("did you mean 'string.ties.stiffness'") &&
                          Contains("string.links.*.point_a_m.*") && !Contains("links.3."));
    CHECK_THAT(errors("gone.toml --vary a.b=1,2", 3), Contains("gone.toml"));
    CHECK_THAT(errors("--vary lead=0,1 --shard 3/2 --out a.csv", 2), Contains("PART/PARTS"));
    CHECK_THAT(errors("--vary lead=0,1 --shard 1/2", 2), Contains("--out"));
    CHECK_THAT(errors("--vary lead=0,1 --figure map.txt", 2), Contains(".png or .svg"));
    CHECK_THAT(
        errors("--vary lead=0,1 --vary frequency_hz=1,2 --vary damping_ratio=1 --sheet a.png", 2),
        Contains("one or two varied numbers"));
    CHECK_THAT(errors(vane + " --vary brass.lead=0,1 --show bras --sheet a.png", 2),
               Contains("did you mean 'brass'"));
    CHECK_THAT(errors("--merge gone.csv --out a.csv", 3), Contains("gone.csv"));
    // The table is written before a mistake in what is asked of it is noticed.
    CHECK_THAT(errors("--vary lead=0,1 --rank settling_tim_s --out kept.csv", 2),
               Contains("did you mean 'settling_time_s'"));
    CHECK_THAT(contents_of(folder.path() / "kept.csv"), Contains("vary lead"));
}
