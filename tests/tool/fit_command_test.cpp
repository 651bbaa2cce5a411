#include <string>

#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

#include "support/command.hpp"

using Catch::Matchers::Contains;
using Json = nlohmann::json;

namespace {

const std::string sign = SCENES "/quay/sign.csv";
const std::string of_sign = "fit --reference " + sign + " --target bracket_m --motion sign_m ";

}  // namespace

TEST_CASE("fit solves a wish, keeps it, and says what cannot be", "[command][fit]") {
    const TestFolder folder;
    const CommandResult result = run_hopcoil(
        "fit --want overshoot_percent=12 settling_time_s=0.4 'peak_velocity<9' --save nod --figure "
        "nod.svg --json",
        folder);
    INFO(result.errors);
    REQUIRE(result.exit_code == 0);
    const Json json = Json::parse(result.output);
    CHECK(json.at("is_met") == true);
    CHECK(json.at("figures").at("overshoot_percent") == Approx(12).margin(0.1));
    CHECK(json.at("figures").at("settling_time_s") == Approx(0.4).epsilon(0.01));
    CHECK(json.at("tuning").at("frequency_hz") == json.at("numbers")[0].at("value"));
    CHECK_THAT(contents_of(folder.path() / "tunings.toml"), Contains("nod"));
    CHECK_THAT(contents_of(folder.path() / "nod.svg"), Contains("<svg"));

    const CommandResult none = run_hopcoil(
        "fit --vary damping_ratio=0.5:1 --want overshoot_percent=60 --save never", folder);
    CHECK(none.exit_code == 1);
    CHECK_THAT(none.output,
               Contains("not met; seen from 0 to 16.3") && Contains("at the end of its range"));
    CHECK_THAT(contents_of(folder.path() / "tunings.toml"), !Contains("never"));
}

TEST_CASE("fit finds the numbers that explain a recorded motion", "[command][fit]") {
    const TestFolder folder;
    const CommandResult text = run_hopcoil(of_sign + "--figure sign.png", folder);
    INFO(text.errors);
    CHECK(text.exit_code == 0);
    CHECK_THAT(text.output,
               Contains("frequency_hz") && Contains("explain the motion") && Contains("given"));
    CHECK_THAT(contents_of(folder.path() / "sign.png"), Catch::StartsWith("\x89PNG"));

    const Json lead = Json::parse(run_hopcoil(of_sign + "--json", folder).output);
    CHECK(lead.at("tuning").at("frequency_hz") == Approx(0.85).epsilon(0.01));
    CHECK(lead.at("tuning").at("damping_ratio") == Approx(0.14).epsilon(0.03));
    CHECK(lead.at("numbers")[2].at("name") == "lead");
    CHECK(lead.at("numbers")[2].at("low") < 0);
    CHECK(lead.at("numbers")[2].at("high") > 0);
    const Json delay = Json::parse(run_hopcoil(of_sign + "--lead 0 --json", folder).output);
    CHECK(delay.at("numbers")[2].at("name") == "delay_s");

    // The wind's speed is no follower of where it blows to.
    const CommandResult none = run_hopcoil(
        "fit --reference " SCENES "/quay/wind.csv --target heading_deg --motion speed_m_per_s",
        folder);
    CHECK(none.exit_code == 1);
    CHECK_THAT(none.output, Contains("no follower explains this motion"));
}

TEST_CASE("fit finds numbers of a scene, for figures or for a reference", "[command][fit][long]") {
    const TestFolder folder;
    const CommandResult match =
        run_hopcoil("fit " SCENES "/quay/sign.toml --reference " + sign +
                        " --match sign.value_m=sign_m --vary sign.frequency_hz=0.2:5 --vary "
                        "sign.damping_ratio=0.02:2 --json",
                    folder);
    INFO(match.errors);
    REQUIRE(match.exit_code == 0);
    const Json json = Json::parse(match.output);
    CHECK(json.at("numbers")[0].at("value") == Approx(0.85).epsilon(0.01));
    const CommandResult figure =
        run_hopcoil("fit " SCENES
                    "/quay/sign.toml --want sign.rms_gap=0.02:2 "
                    "--vary sign.frequency_hz=0.9:4 --most-runs 60 --figure gap.png",
                    folder);
    CHECK(figure.exit_code == 0);
    CHECK_THAT(figure.output, Contains("--set 'sign.frequency_hz="));

    // A node of a model can be the reference.
    REQUIRE(run_hopcoil("run " SCENES "/quay/boom_lamp.toml --take lamp.glb --out out", folder)
                .exit_code == 0);
    const CommandResult model =
        run_hopcoil("fit --reference lamp.glb --target hook --motion lamp --json", folder);
    INFO(model.errors);
    const Json node = Json::parse(model.output);
    CHECK(node.at("numbers")[0].at("name") == "frequency_hz");
}

TEST_CASE("what fit is asked wrongly is refused with what to do", "[command][fit]") {
    const TestFolder folder;
    const auto refused = [&](const std::string& arguments, int code, const std::string& why) {
        const CommandResult result = run_hopcoil("fit " + arguments, folder);
        CAPTURE(arguments, result.errors);
        CHECK(result.exit_code == code);
        CHECK_THAT(result.errors, Contains(why));
        CHECK(result.output.empty());
    };
    refused("", 2, "--want FIGURE=NUMBER, or --reference");
    refused("--want overshot_percent=3", 2, "did you mean 'overshoot_percent'?");
    refused("--want overshoot_percent", 2, "expected FIGURE=NUMBER");
    refused("--want overshoot_percent=120 settling_time_s=1", 2, "what a lead of 0 can reach");
    refused("--want rise_time_s=1 --vary mass=1:2", 2, "expected frequency_hz");
    refused("--want rise_time_s=1 --vary lead=2:1", 2, "expected PATH=LOW:HIGH");
    refused("--want rise_time_s=1 --motion x", 2, "go with a --reference");
    refused("--want rise_time_s=1 --figure x.gif", 2, ".png or .svg");
    refused("--reference none.csv", 3, "no such file");
    refused("--reference " + sign + " --motion sgn_m", 2, "no column has this name");
    refused("--reference " + sign + " --motion sign_m", 2, "the target that the motion followed");
    refused("--reference " + sign + " --frequency 2", 2, "are found");
    refused(SCENES "/quay/sign.toml --want sign.rms_gap=1", 2, "--vary PATH=LOW:HIGH");
    refused(SCENES "/quay/sign.toml --vary sign.lead=0:1 --reference " + sign, 2, "--match");
    refused(SCENES "/quay/sign.toml --vary sign.damping_ratio=-1:1 --want sign.rms_gap=1", 2,
            "sign.damping_ratio cannot be -1");
    refused(SCENES "/quay/sign.toml --vary sgn.lead=0:1 --want sign.rms_gap=1", 2, "did you mean");
}
