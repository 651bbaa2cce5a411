#include <cmath>
#include <string>
#include <vector>

#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

#include <hopcoil/follow/key_curve.hpp>
#include <hopcoil/io/csv.hpp>

#include "support/command.hpp"

using Catch::Matchers::Contains;
using Json = nlohmann::json;

namespace {

CommandResult bake(const std::string& arguments, const TestFolder& folder) {
    CommandResult result = run_hopcoil("bake " + arguments, folder);
    INFO(result.errors);
    REQUIRE(result.exit_code == 0);
    return result;
}

}  // namespace

TEST_CASE("the demo bakes to a tenth of its samples or less, within the tolerance",
          "[command][bake]") {
    const TestFolder folder;
    for (const char* scene : {"vane", "boom_lamp", "tide_dial"}) {
        const Json json =
            Json::parse(bake(SCENES "/quay/" + std::string{scene} + ".toml --json", folder).output);
        CHECK(json.at("made_by").at("command") == "bake");
        std::size_t samples = 0;
        std::size_t keys = 0;
        for (const Json& channel : json.at("channels")) {
            samples += channel.at("samples").get<std::size_t>();
            keys += channel.at("keys").size();
            const bool angle = channel.at("unit") == "rad";
            CHECK(channel.at("tolerance").get<double>() ==
                  Approx(angle ? 0.1 * 3.14159265358979 / 180 : 1e-3));
            CHECK(channel.at("largest_error") <= channel.at("tolerance"));
        }
        CHECK(samples > 10 * keys);
    }
}

TEST_CASE("baked keys read back as the curve of the take", "[command][bake]") {
    const TestFolder folder;
    REQUIRE(run_hopcoil("run " SCENES "/quay/boom_lamp.toml --out take", folder).exit_code == 0);
    bake("take/boom_lamp.csv --channel string.lamp.value_m --tolerance 0.002 --out lamp.csv",
         folder);
    const auto keys = hopcoil::io::key_curve_from(hopcoil::io::read_csv(folder.path() / "lamp.csv"),
                                                  "time_s", "value");
    const auto take = hopcoil::io::read_csv(folder.path() / "take/boom_lamp.csv");
    const auto times_s = hopcoil::io::number_column(take, "time_s");
    const auto values = hopcoil::io::number_column(take, "string.lamp.value_m");
    for (std::size_t i = 0; i < times_s.size(); ++i)
        CHECK(std::abs(keys.at(times_s[i]) - values[i]) <= 0.002 * (1 + 1e-9));
    CHECK(keys.keys().size() * 10 < times_s.size());

    bake("take/boom_lamp.csv --loop-over 2 --channel string.lamp.value_m --out loop.csv", folder);
    const auto loop = hopcoil::io::key_curve_from(hopcoil::io::read_csv(folder.path() / "loop.csv"),
                                                  "time_s", "value");
    CHECK(loop.keys().back().value == Approx(loop.keys().front().value).margin(1e-9));
    const CommandResult several = bake("take/boom_lamp.csv --out all.json", folder);
    CHECK_THAT(several.output, Contains("string.tassel.value_m") && Contains("times fewer"));
    CHECK(Json::parse(contents_of(folder.path() / "all.json")).at("channels").size() == 4);
}

TEST_CASE("bake says what is wrong with what it was asked", "[command][bake]") {
    const TestFolder folder;
    folder.write("short.csv", "time_s,x.value_m\n0,1\n");
    folder.write("back.csv", "time_s,x.value_m\n0,1\n1,2\n1,3\n");
    folder.write("bare.csv", "time_s\n0\n");
    const auto refused = [&](const std::string& arguments, int code, const std::string& text) {
        const CommandResult result = run_hopcoil("bake " + arguments, folder);
        CAPTURE(arguments);
        CHECK(result.exit_code == code);
        CHECK_THAT(result.errors, Contains(text));
    };
    refused("", 2, "source");
    refused("nowhere.csv", 3, "nowhere.csv");
    refused("short.csv --channel y", 2, "there is no channel 'y'; there is x.value_m");
    refused("short.csv --tolerance 0", 2, "above 0");
    refused("short.csv --shape curved", 2, "cubic or straight");
    refused("short.csv --out keys.txt", 2, ".csv, .json, .gltf or .glb");
    refused("short.csv --loop-over 3", 2, "over_s");
    refused("back.csv", 2, "x.value_m: time_s");
    refused("bare.csv", 2, "a column beside time_s");
    CHECK(run_hopcoil("bake short.csv --out keys.csv", folder).exit_code == 0);
}

TEST_CASE("check reports every problem and runs nothing", "[command][check]") {
    const TestFolder folder;
    folder.write("bad.toml",
                 "titel = 1\n[target.hook]\nmoves = [{ at_s = 1, jump_to_m = nan }]\n"
                 "[follower.lamp]\ntarget = 'hok'\n");
    folder.write("syntax.toml", "a = [\n");
    const CommandResult bad = run_hopcoil("check bad.toml " SCENES "/quay/vane.toml", folder);
    CHECK(bad.exit_code == 1);
    CHECK_THAT(bad.output, Contains("bad.toml:1:1: titel") && Contains("bad.toml:3:") &&
                               Contains("bad.toml:5:1: follower.lamp.target") &&
                               Contains("vane.toml: no problems; 1 target and 3 systems"));
    const CommandResult json = run_hopcoil("check --json bad.toml syntax.toml", folder);
    CHECK(json.exit_code == 1);
    const Json report = Json::parse(json.output);
    CHECK(report.at("no_problems") == false);
    CHECK(report.at("files")[0].at("problems").size() == 3);
    CHECK(report.at("files")[1].at("problems")[0].at("line") == 1);
    CHECK(run_hopcoil("check " SCENES "/quay/vane.toml", folder).exit_code == 0);
    CHECK(run_hopcoil("check nowhere.toml", folder).exit_code == 3);
    CHECK(run_hopcoil("check", folder).exit_code == 2);
}

TEST_CASE("check makes changes to a scene before it lists its numbers", "[command][check]") {
    const TestFolder folder;
    const auto check = [&folder](const std::string& arguments) {
        return run_hopcoil("check " + arguments, folder);
    };
    const CommandResult changed = check("--json --dials " SCENES
                                        "/quay/vane.toml --set '*.frequency_hz=3.25' --set "
                                        "tuning.brass.damping_ratio=0.5");
    REQUIRE(changed.exit_code == 0);
    const Json file = Json::parse(changed.output).at("files")[0];
    CHECK(file.at("set").size() == 2);
    std::size_t found = 0;
    for (const Json& dial : file.at("dials")) {
        const std::string path = dial.at("path");
        if (path.find("frequency_hz") == std::string::npos) continue;
        CHECK(dial.at("value") == 3.25);
        ++found;
    }
    CHECK(found == 3);
    const CommandResult misspelt = check(SCENES "/quay/quay_dog.toml --set dog.step_ordr=trot");
    CHECK(misspelt.exit_code == 2);
    CHECK_THAT(misspelt.errors, Contains("'dog.step_ordr'; did you mean 'dog.step_order'?"));
    const CommandResult refused = check(SCENES "/quay/quay_dog.toml --set dog.step_order=trott");
    CHECK(refused.exit_code == 2);
    CHECK_THAT(refused.errors, Contains("did you mean 'trot'?"));
    const CommandResult no_scene = check(SCENES "/quay/wind.csv --set vane.lead=1");
    CHECK(no_scene.exit_code == 2);
    CHECK_THAT(no_scene.errors, Contains("wind.csv is not one"));
}

TEST_CASE("channels are chosen by patterns", "[command][bake]") {
    const TestFolder folder;
    const CommandResult baked = run_hopcoil(
        "bake " SCENES "/quay/boom_lamp.toml --channel 'string.*.value_m' --out keys.json", folder);
    INFO(baked.errors);
    CHECK(baked.exit_code == 0);
    CHECK_THAT(baked.output, Contains("string.lamp.value_m") && Contains("string.tassel.value_m"));
    CHECK(
        run_hopcoil("bake " SCENES "/quay/boom_lamp.toml --channel 'strng.*'", folder).exit_code ==
        2);
}

TEST_CASE("check goes on after a file that is missing; wrong options are named",
          "[command][check]") {
    const TestFolder folder;
    folder.write("table.csv", "time_s;a\n0;1\n");
    folder.write("s.toml",
                 "[target.h]\ncsv = \"table.csv\"\ncolumn = \"a\"\n[follower.f]\n"
                 "target = \"h\"\n");
    const CommandResult both = run_hopcoil("check nowhere.toml " SCENES "/quay/vane.toml", folder);
    CHECK(both.exit_code == 3);
    CHECK_THAT(both.errors, Contains("nowhere.toml: there is no such file"));
    CHECK_THAT(both.output, Contains("vane.toml: no problems"));
    CHECK_THAT(run_hopcoil("check s.toml", folder).output,
               Contains("table.csv:1:1") && Contains("found semicolons"));
    CHECK_THAT(run_hopcoil("check --dals s.toml", folder).errors,
               Contains("unknown option '--dals'; did you mean '--dials'?"));
    CHECK_THAT(run_hopcoil("response --glide 0.1 --lead 1", folder).errors,
               Contains("--lead is a number of a tuning"));
}
