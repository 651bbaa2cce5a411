#include <string>

#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

#include "support/command.hpp"

using Catch::Matchers::Contains;
using Json = nlohmann::json;

TEST_CASE("tunings lists what there is, with a line on each feel", "[command][tunings]") {
    const TestFolder folder;
    const CommandResult list = run_hopcoil("tunings", folder);
    REQUIRE(list.exit_code == 0);
    CHECK_THAT(list.output, Contains("lively") && Contains("stubborn") && Contains("25.4 %"));
    const Json json = Json::parse(run_hopcoil("tunings --json", folder).output);
    CHECK(json.at("made_by").at("command") == "tunings");
    CHECK(json.at("tunings").size() >= 12);
    for (const Json& each : json.at("tunings")) {
        CHECK_FALSE(each.at("description").get<std::string>().empty());
        CHECK(each.at("tuning").contains("frequency_hz"));
    }
}

TEST_CASE("tunings says a tuning in every form", "[command][tunings]") {
    const TestFolder folder;
    const CommandResult forms =
        run_hopcoil("tunings lively --mass 2 --stiffness 200 --damping-ratio 0.4", folder);
    INFO(forms.errors);
    REQUIRE(forms.exit_code == 0);
    CHECK_THAT(forms.output, Contains("lively: 2 Hz") && Contains("2 kg, 200 N/m") &&
                                 Contains("16 N s/m") && Contains("halves in"));
    const CommandResult wrong = run_hopcoil("tunings livly", folder);
    CHECK(wrong.exit_code == 2);
    CHECK_THAT(wrong.errors, Contains("did you mean 'lively'"));
}

TEST_CASE("what is kept under a name is never lost without a word", "[command][tunings]") {
    const TestFolder folder;
    const std::string kept = "tunings --wish 12:0.4 --save nod --into t.toml";
    REQUIRE(run_hopcoil(kept + " --about 'a quick nod'", folder).exit_code == 0);
    const std::string first = contents_of(folder.path() / "t.toml");
    const CommandResult again =
        run_hopcoil("tunings --wish 20:0.4 --save nod --into t.toml", folder);
    CHECK(again.exit_code == 2);
    CHECK_THAT(again.errors, Contains("t.toml has it already: a quick nod, frequency_hz 2.329") &&
                                 Contains("--replace"));
    CHECK(contents_of(folder.path() / "t.toml") == first);
    REQUIRE(
        run_hopcoil("tunings --wish 20:0.4 --save nod --into t.toml --replace", folder).exit_code ==
        0);
    CHECK_THAT(contents_of(folder.path() / "t.toml"),
               Contains("a quick nod") && Contains("frequency_hz = 3.3"));
    CHECK_THAT(run_hopcoil("tunings --wish 20:0.4 --save lively --into t.toml", folder).errors,
               Contains("built-in tuning of that name"));
    for (const char* wrong :
         {"tunings lively --save \"\"", "tunings lively --into t.toml", "tunings lively --about x",
          "tunings lively --replace", "response --wish 12:0.4 --into t.toml"}) {
        CAPTURE(wrong);
        CHECK(run_hopcoil(wrong, folder).exit_code == 2);
    }
}

TEST_CASE("a tuning of another file is found, and the option that takes it is named",
          "[command][tunings]") {
    const TestFolder folder;
    REQUIRE(run_hopcoil("tunings lively --save hop --into quay.toml", folder).exit_code == 0);
    for (const char* asked : {"tunings hop", "response --named hop"}) {
        const CommandResult there = run_hopcoil(asked, folder);
        CHECK(there.exit_code == 2);
        CHECK_THAT(there.errors, Contains("'hop' here, but quay.toml has one; add --tunings"));
    }
    CHECK(run_hopcoil("response --named hop --tunings quay.toml", folder).exit_code == 0);
}

TEST_CASE("settings of a system are printed, kept, compared, and given to another by --set",
          "[command][tunings]") {
    const TestFolder folder;
    const std::string scene = SCENES "/quay/streamer.toml";
    REQUIRE(run_hopcoil("tunings --scene " + scene +
                            " --system streamer --only 'root.*' nodes --save tail --into t.toml",
                        folder)
                .exit_code == 0);
    CHECK_THAT(contents_of(folder.path() / "t.toml"), Contains("[settings.tail]") &&
                                                          Contains("kind = \"chain\"") &&
                                                          Contains("nodes = 24"));
    CHECK_THAT(run_hopcoil("tunings --tunings t.toml", folder).output,
               Contains("tail") && Contains("4 numbers of a chain"));
    CHECK_THAT(
        run_hopcoil("tunings --scene " + scene + " --system floats tail --compare --tunings t.toml",
                    folder)
            .output,
        Contains("nodes") && Contains("24 (1.09x)"));
    const std::string set = "run " + scene + " --seconds 0.1 --take x.json --take-only ";
    REQUIRE(run_hopcoil(set + "--tunings t.toml --set floats=tail", folder).exit_code == 0);
    const Json take = Json::parse(contents_of(folder.path() / "x.json"));
    CHECK(take.at("made_by").at("set").at(0) == "floats=tail");
    CHECK_THAT(take.at("made_by").at("numbers").at("floats").get<std::string>(),
               Contains("24 nodes"));
    CHECK_THAT(run_hopcoil(set + "--tunings t.toml --set hull=tail", folder).errors,
               Contains("'tail' are of a chain; 'hull' is a follower"));
    CHECK_THAT(run_hopcoil(set + "--set hull=livly", folder).errors,
               Contains("did you mean 'lively'"));
    CHECK(run_hopcoil(set + "--set hull=lively:wary:0.5", folder).exit_code == 0);
    CHECK(run_hopcoil(set + "--set hull=lively:wary:2", folder).exit_code == 2);
}

TEST_CASE("what a walker's steps are chosen to be is kept with its numbers", "[command][tunings]") {
    const TestFolder folder;
    const std::string dog = SCENES "/quay/quay_dog.toml";
    const std::string crab = SCENES "/quay/mud_crab.toml";
    const CommandResult kept =
        run_hopcoil("tunings --scene " + dog + " --system dog --save doggy --into t.toml", folder);
    INFO(kept.errors);
    REQUIRE(kept.exit_code == 0);
    CHECK_THAT(kept.output, Contains("step_order                   by_speed") &&
                                Contains("10 numbers and 1 choice of a walker"));
    CHECK_THAT(contents_of(folder.path() / "t.toml"), Contains("step_order = \"by_speed\""));
    CHECK_THAT(run_hopcoil("tunings --tunings t.toml", folder).output,
               Contains("10 numbers and 1 choice of a walker"));
    CHECK_THAT(
        run_hopcoil("tunings --scene " + crab + " --system crab doggy --compare --tunings t.toml",
                    folder)
            .output,
        Contains("groups_in_turn") && Contains("by_speed"));
    const CommandResult json = run_hopcoil("tunings doggy --tunings t.toml --json", folder);
    CHECK(Json::parse(json.output).at("settings")[0].at("choices").at("step_order") == "by_speed");
    // Given to another, it steps as it says.
    const std::string run = "run " + crab + " --seconds 0.1 --take x.json --take-only ";
    REQUIRE(run_hopcoil(run + "--tunings t.toml --set crab=doggy", folder).exit_code == 0);
    const Json take = Json::parse(contents_of(folder.path() / "x.json"));
    CHECK(take.at("made_by").at("set").at(0) == "crab=doggy");
    folder.write("t.toml", "[settings.doggy]\nnumbers = { step_order = \"by_sped\" }\n");
    const CommandResult wrong = run_hopcoil(run + "--tunings t.toml --set crab=doggy", folder);
    CHECK(wrong.exit_code == 2);
    CHECK_THAT(wrong.errors, Contains("did you mean 'by_speed'"));
}
