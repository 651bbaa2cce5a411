#include <algorithm>
#include <cmath>
#include <string>
#include <vector>

#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

#include <hopcoil/io/take_file.hpp>

#include "support/command.hpp"
#include "support/random.hpp"

using Catch::Matchers::Contains;
using Json = nlohmann::json;

namespace {

Json responses(const std::string& arguments) {
    const TestFolder folder;
    const CommandResult result = run_hopcoil("response --json " + arguments, folder);
    INFO(result.errors);
    REQUIRE(result.exit_code == 0);
    const Json json = Json::parse(result.output);
    CHECK(json.at("made_by").at("program") == "hopcoil");
    return json.at("responses");
}

/// What a refused command says; it must leave nothing behind and print nothing else.
std::string refusal(const std::string& arguments, int exit_code) {
    const TestFolder folder;
    const CommandResult result = run_hopcoil("response " + arguments, folder);
    CAPTURE(arguments);
    CHECK(result.exit_code == exit_code);
    CHECK(result.output.empty());
    CHECK(folder.file_count() == 0);
    return result.errors;
}

}  // namespace

TEST_CASE("a jump's figures are the same whatever the rate and length", "[command][response]") {
    for (const std::string clock : {"--rate 60 --seconds 3", "--rate 5 --seconds 0.5",
                                    "--rate 1000 --seconds 30", "--rate 0.1", ""}) {
        const Json all =
            responses("--frequency 2 --damping-ratio 0.4 --lead 0 --signal jump " + clock);
        REQUIRE(all.size() == 1);
        const Json& one = all[0];
        CHECK(one.at("overshoot_percent") == Approx(25.38).margin(0.05));
        CHECK(one.at("rise_time_s") == Approx(0.116).margin(0.001));
        CHECK(one.at("anticipation_percent") == 0);
        CHECK(one.at("peak_time_s") == Approx(0.27277).margin(1e-4));
        CHECK(one.at("settling_time_s") == Approx(0.6692).margin(1e-3));
        CHECK(one.at("reversals") == 2);
        CHECK(one.at("ramp_lag_s") == Approx(0.8 / (4 * 3.14159265)));
        CHECK(one.at("peak_velocity") == Approx(7.5767).margin(1e-3));
        CHECK(one.at("swings")[1].at("percent") == Approx(-6.4428).margin(1e-3));
        CHECK(one.at("tuning").at("spring").at("stiffness_n_per_m") == Approx(157.91367));
        CHECK(one.at("tuning").at("coefficients").at("y_rate_s") == Approx(0.0636620));
    }
}

TEST_CASE("tunings are given in either form, one or several", "[command][response]") {
    const Json spring = responses("--mass 2 --stiffness 300 --damping 9");
    CHECK(spring[0].at("tuning").at("damping_ratio") == Approx(9 / (2 * std::sqrt(600.0))));
    const Json heavy = responses("--mass 4 --stiffness 600 --damping 18");
    CHECK(heavy[0].at("tuning").at("damping_ratio") == Approx(9 / (2 * std::sqrt(600.0))));
    CHECK(heavy[0].at("tuning").at("spring").at("stiffness_n_per_m") == Approx(600));

    const Json several = responses("--frequency 1,2 3 --damping-ratio 0.5 --lead -1 0 1.5");
    REQUIRE(several.size() == 3);
    CHECK(several[1].at("tuning").at("frequency_hz") == 2);
    CHECK(several[2].at("tuning").at("lead") == 1.5);
    CHECK(several[0].at("anticipation_percent") > 10);
    CHECK(responses("")[0].at("tuning").at("frequency_hz") == 2);
}

TEST_CASE("every signal is answered with its own figures", "[command][response]") {
    const Json kick = responses("--signal kick --initial-velocity 3 --damping-ratio 0")[0];
    CHECK(kick.at("furthest") == Approx(3 / (4 * 3.14159265)));
    CHECK(kick.at("furthest_time_s") == Approx(0.125));
    CHECK(kick.at("return_time_s") == Approx(0.25));
    CHECK(kick.at("settling_time_s").is_null());
    CHECK(kick.at("settling_time_s_reason") == "without damping it swings for ever");

    const Json ramp = responses("--signal ramp --size 2 --damping-ratio 1 --lead 0.5")[0];
    CHECK(ramp.at("steady_gap") == Approx(-2 * ramp.at("ramp_lag_s").get<double>()));
    CHECK(ramp.at("overshoot_percent").is_null());
    CHECK(ramp.at("overshoot_percent_reason") == "a ramp has no jump to answer");

    const Json sine =
        responses("--signal sine --sine-frequency 2 --frequency 2 --damping-ratio 0.5")[0];
    CHECK(sine.at("gain") == Approx(1));
    CHECK(sine.at("phase_lag_rad") == Approx(3.14159265 / 2));

    const Json moving = responses("--initial-velocity -20 --damping-ratio 1")[0];
    CHECK(moving.at("anticipation_percent") > 10);

    const TestFolder folder;
    folder.write("hop.csv", "time_s,x_m\n0,0\n0.5,1\n2,1\n");
    const CommandResult csv = run_hopcoil("response --target hop.csv --json", folder);
    REQUIRE(csv.exit_code == 0);
    const Json followed = Json::parse(csv.output).at("responses")[0];
    CHECK(followed.at("largest_gap") > 0.1);
    CHECK(followed.at("largest_gap") < 0.5);
    CHECK(followed.at("sample_spacing_s") > 0);
}

TEST_CASE("the motion goes where it is asked to", "[command][response]") {
    const TestFolder folder;
    const CommandResult result = run_hopcoil(
        "response --frequency 2 4 --rate 10 --seconds 1 --csv out.csv --figure out.svg", folder);
    CHECK(result.exit_code == 0);
    CHECK_THAT(result.output, Contains("drawn: out.svg") && Contains("written: out.csv") &&
                                  Contains("4 Hz, damping ratio 0.5, lead 0"));
    CHECK(folder.file_count() == 2);
    const std::string csv = contents_of(folder.path() / "out.csv");
    CHECK_THAT(csv, Catch::StartsWith("time_s,target.value,f2_z0.5_L0.value,"));
    CHECK(std::count(csv.begin(), csv.end(), '\n') == 12);
    const std::string svg = contents_of(folder.path() / "out.svg");
    CHECK_THAT(svg, Contains("Response to a jump of 1") && Contains("settling band") &&
                        Contains("settled") && Contains("velocity (per s)") && Contains("target"));
    run_hopcoil("response --figure out.png", folder);
    CHECK_THAT(contents_of(folder.path() / "out.png"), Catch::StartsWith("\x89PNG"));
}

TEST_CASE("what cannot be is refused with a message to act on", "[command][response]") {
    CHECK_THAT(refusal("--damping-ratio -1", 2),
               Contains("--damping-ratio: expected a finite number, 0 or more, found '-1'"));
    CHECK_THAT(refusal("--rate 0", 2), Contains("--rate: expected a finite number above 0"));
    CHECK_THAT(refusal("--seconds nan", 2), Contains("--seconds: expected") && Contains("'nan'"));
    CHECK_THAT(refusal("--seconds 1e9", 2), Contains("at most"));
    CHECK_THAT(refusal("--frequency fast", 2),
               Contains("--frequency: expected") && Contains("'fast'"));
    CHECK_THAT(refusal("--frequency", 2), Contains("--frequency: expected a value\n"));
    CHECK_THAT(refusal("--frequency 1 2 --lead 1 2 3", 2), Contains("as many of each"));
    CHECK_THAT(refusal("--frequency 1 --stiffness 10", 2), Contains("not both"));
    CHECK_THAT(refusal("--mass 2", 2), Contains("need a --stiffness"));
    CHECK_THAT(refusal("--stiffness 0 --damping 2", 2), Contains("a damper without a spring"));
    CHECK_THAT(refusal("--signal jmp", 2), Contains("did you mean 'jump'?"));
    CHECK_THAT(refusal("--signal csv", 2), Contains("needs a --target"));
    CHECK_THAT(refusal("--signal jump --target x.csv", 2), Contains("goes with --signal csv"));
    CHECK_THAT(refusal("--dampin-ratio 1", 2), Contains("did you mean '--damping-ratio'?"));
    CHECK_THAT(refusal("--figure out.jpg --csv out.csv", 2), Contains(".png or .svg"));
    CHECK_THAT(refusal("--figure no/where.png --csv out.csv", 3),
               Contains("no/where.png: cannot be written: there is no folder no"));
    CHECK_THAT(refusal("--csv no/where.csv", 3), Contains("cannot be written"));
    CHECK_THAT(refusal("--target no.csv", 3), Contains("no.csv: there is no such file"));
}

TEST_CASE("any mover is asked for beside the others", "[command][response]") {
    const Json all = responses(
        "--wish 12:0.4 --glide 0.1 --pursuit 2:8 --settle 20:0.8 --curve past_and_back:out:0.5 "
        "--cascade 3:0.5/2:0.3 --named wary --decay 0.1 --coefficients 0.06:0.006");
    REQUIRE(all.size() == 9);
    std::vector<std::string> kinds;
    for (const Json& one : all) {
        kinds.push_back(one.at("mover"));
        for (const char* key :
             {"overshoot_percent", "anticipation_percent", "rise_time_s", "peak_time_s",
              "settling_time_s", "swings", "reversals", "ramp_lag_s", "peak_velocity", "tuning"}) {
            CAPTURE(key);
            REQUIRE(one.contains(key));
            if (one.at(key).is_null()) CHECK(one.contains(std::string{key} + "_reason"));
        }
    }
    CHECK(std::count(kinds.begin(), kinds.end(), "follower") == 4);
    const auto of = [&](const std::string& kind) {
        return all.at(
            static_cast<std::size_t>(std::find(kinds.begin(), kinds.end(), kind) - kinds.begin()));
    };
    CHECK(of("glide").at("rise_time_s") == Approx(0.1 * std::log2(9)).epsilon(1e-6));
    CHECK(of("glide").at("settling_time_s") == Approx(0.1 * std::log2(50)).epsilon(1e-6));
    CHECK(of("pursuit").at("peak_velocity") == Approx(2));
    CHECK(of("settle").at("overshoot_percent") == Approx(20).margin(0.1));
    CHECK(of("settle").at("settling_time_s") == Approx(0.8).epsilon(0.01));
    CHECK(of("curve").at("overshoot_percent") == Approx(10).margin(0.01));
}

TEST_CASE("a kick is answered by every mover that has a velocity", "[command][response]") {
    const Json all = responses(
        "--signal kick --size 3 --frequency 2 --cascade 2:0.5 --pursuit 5:10 --settle 20:0.5 "
        "--glide 0.1");
    const auto of = [&](const std::string& kind) {
        for (const Json& one : all) {
            if (one.at("mover") == kind) return one;
        }
        throw std::out_of_range{kind};
    };
    // A cascade of one link is a follower.
    for (const char* key : {"furthest", "furthest_time_s", "return_time_s", "settling_time_s"}) {
        CAPTURE(key);
        CHECK(of("cascade").at(key) == Approx(of("follower").at(key).get<double>()).epsilon(1e-8));
    }
    // It slows down over v^2 / (2 a) and comes back, speeding up and slowing down alike.
    CHECK(of("pursuit").at("furthest") == Approx(9.0 / 20).epsilon(1e-9));
    CHECK(of("pursuit").at("return_time_s") ==
          Approx(0.3 + 2 * std::sqrt(9.0 / 20 / 10)).epsilon(1e-9));
    CHECK(of("settle").at("furthest") > 0.01);
    CHECK(of("glide").at("furthest").is_null());
}

TEST_CASE("a glide says what it does to a noisy input", "[command][response]") {
    const Json slow = responses("--glide 0.1 --rate 60").at(0);
    const Json quick = responses("--glide 0.1 --rate 240").at(0);
    CHECK(slow.at("noise_left") > quick.at("noise_left"));  // more samples to average
    CHECK(slow.at("noise_left") < 0.3);
    CHECK(slow.at("ramp_lag_s") == Approx(0.1 / std::log(2)));
}

TEST_CASE("noise left and lag are there for every mover, or say why not", "[command][response]") {
    // Of a linear mover: what a long noisy record leaves, by the plain recipe.
    const TestFolder folder;
    std::string csv = "time_s,x\n";
    Random random{5};
    for (int i = 0; i < 30000; ++i) {
        const double size = std::sqrt(-2 * std::log(random.between(1e-12, 1)));
        csv += std::to_string(i / 50.0) + "," +
               std::to_string(size * std::cos(random.between(0, 2 * 3.14159265358979))) + "\n";
    }
    folder.write("noise.csv", csv);
    const std::string movers =
        "--frequency 1.5 --damping-ratio 0.6 --glide 0.2 --cascade 3:1/3:1 --pursuit 2:20 --settle "
        "10:0.5 --json ";
    const CommandResult result =
        run_hopcoil("response " + movers + "--target noise.csv --csv left.csv", folder);
    INFO(result.errors);
    REQUIRE(result.exit_code == 0);
    const Json answers = Json::parse(result.output).at("responses");
    const hopcoil::Take take = hopcoil::io::read_take(folder.path() / "left.csv");
    std::size_t column = 1;
    for (const Json& answer : answers) {
        CAPTURE(answer.at("numbers"));
        if (answer.at("mover") == "settle") {
            CHECK(answer.at("noise_left").is_null());
            CHECK_THAT(answer.at("noise_left_reason").get<std::string>(), Contains("starts anew"));
            column += 2;
            continue;
        }
        const bool cascade = answer.at("mover") == "cascade";
        double sum = 0;
        for (const double value : take.column(column + (cascade ? 2 : 0)))
            sum += value * value;
        CHECK(answer.at("noise_left").get<double>() ==
              Approx(std::sqrt(sum / 30000)).epsilon(0.05));  // at the record's own 50 Hz
        column += cascade ? 4 : 2;
    }
    for (const Json& answer : responses(movers))
        CHECK(answer.contains("noise_left"));
}

TEST_CASE("movers are compared at one lag", "[command][response]") {
    const Json both =
        responses("--glide 0.5 --frequency 3 --damping-ratio 0.8 --lead 0.2 --equal-lag 0.12");
    for (const Json& answer : both)
        CHECK(answer.at("ramp_lag_s").get<double>() == Approx(0.12));
    const TestFolder folder;
    const CommandResult leading =
        run_hopcoil("response --frequency 2 --lead 1 --equal-lag 0.1", folder);
    CHECK(leading.exit_code == 2);
    CHECK_THAT(leading.errors, Contains("choose a lead below 1"));
}

TEST_CASE("an overshoot solves the damper of a mass on a spring", "[command][response]") {
    const Json pair = responses("--mass 2 6 --stiffness 180 --overshoot 5");
    REQUIRE(pair.size() == 2);
    for (const Json& answer : pair)
        CHECK(answer.at("overshoot_percent").get<double>() == Approx(5).epsilon(1e-6));
    // ln(0.05) = -pi z / sqrt(1 - z^2), c = 2 z sqrt(k m)
    const double l = std::log(20.0) / 3.14159265358979;
    const double z = l / std::sqrt(1 + l * l);
    const Json& heavy = pair[1].at("tuning").at("spring");
    CHECK(heavy.at("damping_n_s_per_m").get<double>() ==
          Approx(2 * z * std::sqrt(180.0 * 6)).epsilon(1e-6));
    const TestFolder folder;
    CHECK_THAT(run_hopcoil("response --overshoot 5", folder).errors, Contains("--stiffness"));
    CHECK_THAT(run_hopcoil("response --stiffness 9 --damping 1 --overshoot 5", folder).errors,
               Contains("--overshoot solves the damper"));
}

TEST_CASE("a sine's peak velocity is its amplitude's, in the end", "[command][response]") {
    const Json one = responses("--signal sine --sine-frequency 1.5 --size 2 --frequency 3").at(0);
    CHECK(one.at("peak_velocity") ==
          Approx(one.at("gain").get<double>() * 2 * 2 * 3.14159265358979 * 1.5));
}

TEST_CASE("a coast says how far a kick will carry it", "[command][response]") {
    const Json one = responses("--coast 0.3 --signal kick --size 5").at(0);
    CHECK(one.at("mover") == "coast");
    CHECK(one.at("furthest") == Approx(5 * 0.3 / std::log(2)));
    CHECK(one.at("settling_time_s") == Approx(0.3 * std::log2(50)));
    CHECK(one.at("return_time_s").is_null());
    CHECK_THAT(refusal("--coast 0.3", 2), Contains("--signal kick"));
    CHECK_THAT(refusal("--coast 0 --signal kick", 2), Contains("slowing_half_life_s"));
}

TEST_CASE("a wish comes true in the figures, and one out of reach says what is in reach",
          "[command][response]") {
    const Json one = responses("--wish 12:0.4:0.3").at(0);
    CHECK(one.at("overshoot_percent") == Approx(12).margin(0.1));
    CHECK(one.at("settling_time_s") == Approx(0.4).epsilon(0.01));
    CHECK_THAT(refusal("--wish 5:0.4:1.5", 2), Contains("44.6") && Contains("can reach"));
    CHECK_THAT(refusal("--wish 5", 2), Contains("PERCENT:SECONDS"));
    CHECK_THAT(refusal("--glide nan", 2), Contains("HALF_LIFE_S"));
    CHECK_THAT(refusal("--pursuit 0", 2), Contains("max_speed"));
    CHECK_THAT(refusal("--curve sin:in:1", 2), Contains("did you mean 'sine'"));
    CHECK_THAT(refusal("--named livly", 2), Contains("did you mean 'lively'"));
    CHECK_THAT(refusal("--cascade 2:0.5/x:1", 2), Contains("--cascade"));
}

TEST_CASE("response shows gain and phase lag over frequency", "[command][response]") {
    const TestFolder folder;
    const CommandResult result = run_hopcoil(
        "response --frequency 2 --damping-ratio 0.2 --glide 0.1 --cascade 2:0.3/3:0.2 --signal "
        "frequencies --figure gain.svg --csv gain.csv --json",
        folder);
    INFO(result.errors);
    REQUIRE(result.exit_code == 0);
    const Json json = Json::parse(result.output);
    REQUIRE(json.at("responses").size() == 3);
    const Json& follower = json.at("responses")[0];
    CHECK(follower.at("resonance_gain") == Approx(2.5516).epsilon(1e-3));
    CHECK(follower.at("bandwidth_hz") == Approx(3.02).epsilon(0.01));
    CHECK(json.at("responses")[1].at("closed_form").empty());
    CHECK(json.at("responses")[1].at("measured").size() == 33);
    CHECK_THAT(contents_of(folder.path() / "gain.svg"), Contains("phase lag (deg)"));
    CHECK_THAT(contents_of(folder.path() / "gain.csv"), Catch::StartsWith("frequency_hz,"));
    const CommandResult coast = run_hopcoil("response --coast 1 --signal frequencies", folder);
    CHECK(coast.exit_code == 2);
}
