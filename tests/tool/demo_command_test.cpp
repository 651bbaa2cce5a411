// The demo, run once: it is the whole quay.

#include <algorithm>
#include <cmath>
#include <string>
#include <vector>

#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

#include <hopcoil/io/csv.hpp>

#include "support/command.hpp"
#include "support/html.hpp"

using Catch::Matchers::Contains;
using Json = nlohmann::json;

namespace {

constexpr double half_turn = 3.14159265358979323846;

struct DemoRun {
    TestFolder folder;
    CommandResult result = run_hopcoil("demo --json --out quay", folder);
    std::filesystem::path made = folder.path() / "quay";
};

const DemoRun& demo() {
    static const DemoRun run;
    INFO(run.result.errors);
    REQUIRE(run.result.exit_code == 0);
    return run;
}

}  // namespace

TEST_CASE("the demo runs the scenes that are named, each once", "[command][demo]") {
    const TestFolder folder;
    const CommandResult result = run_hopcoil("demo tide_dial vane tide_dial", folder);
    CHECK(result.exit_code == 0);
    CHECK(std::filesystem::exists(folder.path() / "hopcoil-demo" / "report.html"));
    CHECK(std::filesystem::exists(folder.path() / "hopcoil-demo" / "tide_dial.csv"));
    CHECK_FALSE(std::filesystem::exists(folder.path() / "hopcoil-demo" / "skiff.csv"));
    const std::string needle = "the tide dial's needle";
    const std::size_t first = result.output.find(needle);
    CHECK(first != std::string::npos);
    CHECK(result.output.find(needle, first + 1) == std::string::npos);

    const CommandResult wrong = run_hopcoil("demo vanes", folder);
    CHECK(wrong.exit_code == 2);
    CHECK_THAT(wrong.errors, Contains("did you mean 'vane'?"));
}

TEST_CASE("the demo's vane goes across the seam without a turn back", "[command][demo][long]") {
    const hopcoil::io::CsvTable csv = hopcoil::io::read_csv(demo().made / "vane.csv");
    CHECK(csv.rows.size() >= 60 * 60);
    for (const std::string name :
         {"wind.value_rad", "leaden.value_rad", "brass.value_rad", "paper.value_rad"}) {
        const std::vector<double> heading = number_column(csv, name);
        int crossings = 0;
        for (std::size_t i = 1; i < heading.size(); ++i) {
            const double turned = heading[i] - heading[i - 1];
            REQUIRE(std::fabs(heading[i]) <= half_turn + 1e-12);
            REQUIRE(std::fabs(std::remainder(turned, 2 * half_turn)) < 0.2);
            crossings += std::fabs(turned) > half_turn;
        }
        CHECK(crossings % 2 == 1);  // it ends on the other side of the seam
    }
}

TEST_CASE("the demo's dial strikes no peg, and its heron looks where it lands",
          "[command][demo][long]") {
    const Json json = Json::parse(demo().result.output);
    REQUIRE(json.at("scenes").size() == 16);
    CHECK(json.at("scenes")[0].at("movers").size() == 3);
    for (const std::string needle : {"needle", "ticked"}) {
        const auto dial = hopcoil::io::read_csv(demo().made / "tide_dial.csv");
        double furthest = 0;
        for (const double value : number_column(dial, needle + ".value_rad"))
            furthest = std::fmax(furthest, std::fabs(value));
        CHECK(furthest <= half_turn / 3 + 1e-12);
        CHECK(furthest > half_turn * 59 / 180);
    }
    const Json& heron = json.at("scenes").back().at("movers")[0];
    CHECK(heron.at("hops") == 4);
    CHECK(heron.at("lands_beside_m") < 1e-9);
    CHECK(heron.at("looks_beside_deg") < 3);
    CHECK(heron.at("slip_m") == 0);
}

TEST_CASE("the demo is one report of the whole quay", "[command][report][long]") {
    CHECK(Json::parse(demo().result.output).at("page") == "quay/report.html");
    const std::string html = contents_of(demo().made / "report.html");
    check_stands_alone(html);
    CHECK(count_in(html, "<section>") == 16);
    CHECK(count_in(html, "<svg") == 16);
    CHECK_THAT(html, Contains("vane") && Contains("tide dial") && Contains("tassel") &&
                         Contains("heron") && Contains("streamer"));
    CHECK(run_hopcoil("demo --scenes nowhere", demo().folder).exit_code == 3);
}

TEST_CASE("the demo's wind has lulls, shifts, gusts and one crossing of the seam", "[demo]") {
    const hopcoil::io::CsvTable wind = hopcoil::io::read_csv(SCENES "/quay/wind.csv");
    const std::vector<double> times = number_column(wind, "time_s");
    const std::vector<double> heading = number_column(wind, "heading_deg");
    const std::vector<double> speed = number_column(wind, "speed_m_per_s");
    CHECK(times.back() >= 60);
    CHECK(times[1] - times[0] == Approx(0.1));
    CHECK(*std::min_element(speed.begin(), speed.end()) < 1.5);
    CHECK(*std::max_element(speed.begin(), speed.end()) > 10);
    int crossings = 0;
    for (std::size_t i = 1; i < heading.size(); ++i) {
        CHECK(std::fabs(heading[i]) <= 180);
        if (std::fabs(heading[i] - heading[i - 1]) > 180) ++crossings;
    }
    CHECK(crossings == 1);
}
