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
