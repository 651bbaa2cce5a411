#include <cmath>
#include <string>

#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

#include "support/command.hpp"

using Catch::Matchers::Contains;
using Json = nlohmann::json;

namespace {

Json timestep(const std::string& arguments) {
    const TestFolder folder;
    const CommandResult result = run_hopcoil("timestep --json " + arguments, folder);
    INFO(result.errors);
    REQUIRE(result.exit_code == 0);
    return Json::parse(result.output);
}

const Json& scheme_in(const Json& spring, const std::string& name) {
    for (const Json& each : spring.at("schemes")) {
        if (each.at("scheme") == name) return each;
    }
    throw std::runtime_error{name};
}

}  // namespace

TEST_CASE("timestep says of every scheme and rate what it does", "[command][timestep]") {
    const Json json = timestep("--frequency 4 --damping-ratio 0.3 --rates 15 60 1000");
    CHECK(json.at("made_by").at("command") == "timestep");
    REQUIRE(json.at("springs").size() == 1);
    const Json& spring = json.at("springs")[0];
    CHECK(spring.at("tuning").at("frequency_hz") == 4);
    CHECK(spring.at("schemes").size() == 7);
    for (const Json& scheme : spring.at("schemes")) {
        CAPTURE(scheme.at("scheme").get<std::string>());
        REQUIRE(scheme.at("rates").size() == 3);
        for (const Json& cell : scheme.at("rates")) {
            const std::string verdict = cell.at("verdict");
            const bool grows = cell.at("spectral_radius") > 1 + 1e-9;
            CHECK((verdict == "unstable") == grows);
            if (scheme.at("largest_stable_step_s").is_number()) {
                const double line_s = scheme.at("largest_stable_step_s");
                CHECK((1 / cell.at("rate_hz").get<double>() > line_s) == grows);
            }
        }
        // Finer steps err less, as its order says, and the wanted error is met.
        CHECK(scheme.at("rates")[2].at("error_percent") < 4);
        CHECK(scheme.at("measured_order").get<double>() ==
              Approx(scheme.at("order").get<int>()).margin(0.1));
        const auto& curve = scheme.at("error_against_step");
        CHECK(curve.back().at("error_percent") < 0.2);
    }
    const double w = 2 * 3.14159265358979 * 4;
    CHECK(scheme_in(spring, "semi_implicit_euler").at("largest_stable_step_s").get<double>() ==
          Approx(2 * (std::sqrt(1.09) - 0.3) / w));
    CHECK(scheme_in(spring, "implicit_euler").at("largest_stable_step_s").is_null());
    CHECK(scheme_in(spring, "explicit_euler").at("rates")[0].at("error_percent").is_null());
    CHECK(spring.at("motion").at("times_s").size() ==
          spring.at("motion").at("runge_kutta_4").size());
}

TEST_CASE("timestep's recommendation is the cheapest rate that meets the wanted error",
          "[command][timestep]") {
    for (const std::string wanted : {"5", "1", "0.01"}) {
        const Json spring = timestep("--frequency 3 --wanted-error " + wanted).at("springs")[0];
        const std::string cheapest = spring.at("cheapest");
        const Json& best = scheme_in(spring, cheapest);
        for (const Json& scheme : spring.at("schemes")) {
            if (!scheme.at("evaluations_per_s").is_number()) continue;
            CHECK(best.at("evaluations_per_s") <= scheme.at("evaluations_per_s"));
        }
        CHECK_THAT(spring.at("recommendation").get<std::string>(), Contains(cheapest));
        // At that rate it does meet it, and at nine tenths it does not.
        const double rate_hz = best.at("needed_rate_hz");
        const Json checked = timestep("--frequency 3 --rates " + std::to_string(rate_hz * 1.0001) +
                                      " " + std::to_string(rate_hz * 0.9));
        const Json& cells = scheme_in(checked.at("springs")[0], cheapest).at("rates");
        CHECK(cells[0].at("error_percent") <= std::stod(wanted) * 1.01);
        CHECK(cells[1].at("error_percent") > std::stod(wanted));
    }
}

TEST_CASE("timestep looks at every follower and link of a scene", "[command][timestep]") {
    const Json lamp = timestep(SCENES "/quay/boom_lamp.toml");
    REQUIRE(lamp.at("springs").size() == 3);
    CHECK(lamp.at("springs")[1].at("name") == "string.lamp");
    CHECK(lamp.at("made_by").at("scene").get<std::string>() == SCENES "/quay/boom_lamp.toml");
    const Json dial = timestep(SCENES "/quay/tide_dial.toml");
    CHECK(dial.at("springs").size() + dial.at("exact").size() >= 2);
}

TEST_CASE("timestep draws each of its figures", "[command][timestep]") {
    const TestFolder folder;
    for (const std::string what : {"map", "error", "motion", "energy"}) {
        for (const std::string ending : {".png", ".svg"}) {
            const CommandResult drawn =
                run_hopcoil("timestep --draw " + what + " --figure " + what + ending, folder);
            INFO(drawn.errors);
            CHECK(drawn.exit_code == 0);
            CHECK(contents_of(folder.path() / (what + ending)).size() > 5000);
        }
    }
}

TEST_CASE("timestep says what is wrong with what it was asked", "[command][timestep]") {
    const TestFolder folder;
    const auto refused = [&](const std::string& arguments, int code, const std::string& text) {
        const CommandResult result = run_hopcoil("timestep " + arguments, folder);
        CAPTURE(arguments, result.errors);
        CHECK(result.exit_code == code);
        CHECK_THAT(result.errors, Contains(text));
    };
    refused("--frequency -1", 2, "--frequency");
    refused("--rates 0", 2, "above 0 hertz");
    refused("--rates nan", 2, "--rates");
    refused("--wanted-error 0", 2, "above 0 percent");
    refused("--draw maps", 2, "did you mean 'map'");
    refused("--figure map.gif", 2, ".png or .svg");
    refused("--frequency 1 2 --figure map.png", 2, "draws one spring");
    refused(SCENES "/quay/vane.toml --frequency 2", 2, "not both");
    refused("nowhere.toml", 3, "nowhere.toml");
    const CommandResult still = run_hopcoil("timestep --frequency 0", folder);
    CHECK(still.exit_code == 0);
    CHECK_THAT(still.output, Contains("no spring to step"));
    const CommandResult slow = run_hopcoil("timestep --frequency 20 --rates 30", folder);
    CHECK_THAT(slow.output, Contains("above half of 30 Hz"));
}

TEST_CASE("a scene's follower can be stepped by a scheme, and its guard reports",
          "[command][timestep]") {
    const TestFolder folder;
    const auto scene = [&](const std::string& keys) {
        folder.write(
            "vane.toml",
            "duration_s = 3\nrate_hz = 30\n[target.wind]\nmoves = [{ at_s = 0.5, jump_to = 1 "
            "}]\n[follower.vane]\ntarget = 'wind'\ntuning = { frequency_hz = 8, "
            "damping_ratio = 0.1 }\n" +
                keys);
        return run_hopcoil("run vane.toml --json", folder);
    };
    const CommandResult left = scene("scheme = 'explicit_euler'\nguard = 'none'\n");
    CHECK(left.exit_code == 4);
    CHECK_THAT(left.errors, Contains("follower.vane") && Contains("0.03333 s") &&
                                Contains("0.003979 s") && Contains("runge_kutta_4"));
    const auto warning = [&](const std::string& keys) {
        const CommandResult result = scene(keys);
        INFO(result.errors);
        REQUIRE(result.exit_code == 0);
        const Json warnings = Json::parse(result.output).at("warnings");
        return warnings.empty() ? std::string{} : warnings[0].get<std::string>();
    };
    CHECK_THAT(warning("scheme = 'explicit_euler'\n"), Contains("divided into"));
    CHECK_THAT(warning("scheme = 'explicit_euler'\nguard = 'soften'\n"), Contains("softened"));
    CHECK_THAT(warning("scheme = 'explicit_euler'\nguard = 'refuse'\n"), Contains("not taken"));
    CHECK_THAT(warning("scheme = 'explicit_euler'\nguard = 'exact'\n"), Contains("solved exactly"));
    CHECK_THAT(warning("scheme = 'semi_implicit_euler'\n"), Contains("93 % of the largest"));
    CHECK(warning("scheme = 'implicit_euler'\n").empty());
    CHECK(warning("").empty());

    const CommandResult wrong = scene("scheme = 'midpont'\nmost_substeps = 1.5\n");
    CHECK(wrong.exit_code == 2);
    CHECK_THAT(wrong.errors, Contains("did you mean 'midpoint'") && Contains("a whole number"));
    const CommandResult alone = scene("guard = 'exact'\n");
    CHECK_THAT(alone.errors, Contains("expected a key 'scheme'"));
}
