// Pictures and films of a scene, and takes in every format, through the command.

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdint>
#include <filesystem>
#include <regex>
#include <sstream>
#include <string>
#include <vector>

#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

#include <hopcoil/io/gltf.hpp>
#include <hopcoil/io/keys_file.hpp>
#include <hopcoil/io/take_file.hpp>

#include "support/command.hpp"

using Catch::Matchers::Contains;
using Json = nlohmann::json;
namespace fs = std::filesystem;

namespace {

const std::string gull = R"(
title = "A gull & its shadow"
duration_s = 3
[target.perch]
start_m = [0, 1, 0]
moves = [{ at_s = 0.2, through_m = [[1.5, 2, 2.5, 1], [2.8, 4, 1, 2]] }]
[target.bank]
rotation = true
moves = [{ at_s = 0.5, ramp_to_deg = [0, 90, 30], over_s = 1 }]
[pose.gull]
position = "perch"
rotation = "bank"
[follower.shadow]
target = "gull.position"
[body.rock]
at_m = [2, 0, 0]
shape = "box"
length_m = 0.5
[body.shade]
position = "shadow"
shape = "disc"
joined_to = "gull"
)";

std::uint32_t number_at(const std::string& bytes, std::size_t at) {
    std::uint32_t number = 0;
    for (std::size_t i = 0; i < 4; ++i)
        number = number << 8 | static_cast<unsigned char>(bytes.at(at + i));
    return number;
}

struct Size {
    std::uint32_t width = 0;
    std::uint32_t height = 0;
};

Size png_size(const fs::path& path) {
    const std::string bytes = contents_of(path);
    REQUIRE(bytes.substr(0, 8) == "\x89PNG\r\n\x1a\n");
    return {number_at(bytes, 16), number_at(bytes, 20)};
}

std::vector<std::string> chunks_of(const std::string& bytes) {
    std::vector<std::string> kinds;
    for (std::size_t at = 8; at + 12 <= bytes.size(); at += 12 + number_at(bytes, at))
        kinds.push_back(bytes.substr(at + 4, 4));
    return kinds;
}

CommandResult run_scene(const TestFolder& folder, const std::string& pictures,
                        const std::string& options = "") {
    folder.write("gull.toml", gull + pictures);
    return run_hopcoil("run gull.toml --out out " + options, folder);
}

/// The points of the longest line of an SVG picture, in pixels.
std::vector<std::array<double, 2>> longest_line(const std::string& svg) {
    std::vector<std::array<double, 2>> longest;
    const std::regex path{"<path style=\"fill:none;[^\"]*\" d=\"M ([^\"Z]*)\"/>"};
    for (std::sregex_iterator at{svg.begin(), svg.end(), path}; at != std::sregex_iterator{};
         ++at) {
        std::istringstream text{std::regex_replace((*at)[1].str(), std::regex{"L"}, " ")};
        std::vector<std::array<double, 2>> line;
        for (std::array<double, 2> point{}; text >> point[0] >> point[1];)
            line.push_back(point);
        if (line.size() > longest.size()) longest = line;
    }
    return longest;
}

std::size_t count_of(const std::string& text, const std::string& part) {
    std::size_t count = 0;
    for (std::size_t at = text.find(part); at != std::string::npos; at = text.find(part, at + 1))
        ++count;
    return count;
}

}  // namespace

TEST_CASE("what moved is drawn where it was", "[command][pictures]") {
    const TestFolder folder;
    folder.write("path.toml", R"(
duration_s = 3
[target.perch]
start_m = [0, 1, 0]
moves = [{ at_s = 0.2, through_m = [[1.5, 2, 2.5, 1], [2.8, 4, 1, 2]] }]
[follower.gull]
target = "perch"
[picture.way]
format = "svg"
view = "top"
)");
    REQUIRE(run_hopcoil("run path.toml --out out", folder).exit_code == 0);
    const auto line = longest_line(contents_of(folder.path() / "out/path-way.svg"));
    REQUIRE(line.size() > 50);
    const hopcoil::Take take = hopcoil::io::read_take(folder.path() / "out/path.csv");
    const std::vector<double> x = take.column(3);
    const std::vector<double> z = take.column(5);
    // From above: one scale for both axes, from the first and last point.
    const double scale = (line.back()[0] - line.front()[0]) / (x.back() - x.front());
    CHECK(std::abs(line.back()[1] - line.front()[1]) ==
          Approx(scale * std::abs(z.back() - z.front())).epsilon(0.01));
    const double sign = line.back()[1] > line.front()[1] ? 1 : -1;
    for (const auto& [px, py] : line) {
        double nearest = 1e9;
        for (std::size_t row = 0; row < x.size(); ++row) {
            nearest = std::min(nearest,
                               std::hypot(line.front()[0] + scale * (x[row] - x[0]) - px,
                                          line.front()[1] + sign * scale * (z[row] - z[0]) - py));
        }
        CHECK(nearest < 1 + scale * 0.03);  // rows are this far apart at most, and half a pixel
    }
}

TEST_CASE("what never moves is drawn behind what does", "[command][pictures]") {
    const TestFolder folder;
    folder.write("post.toml", R"(
duration_s = 1
[ground.quay]
boxes = [{ middle_m = [0.5, 0.2, 0], size_m = [0.6, 0.4, 0.6] }]
[target.perch]
start_m = [0, 1, 0]
moves = [{ at_s = 0.2, jump_to_m = [1, 0.6, 0] }]
[follower.gull]
target = "perch"
[picture.all]
format = "svg"
view = "slanted"
[picture.gull]
format = "svg"
view = "slanted"
bodies = "gull"
)");
    REQUIRE(run_hopcoil("run post.toml --out out", folder).exit_code == 0);
    const auto shapes_in = [&](const char* file) {
        const std::string svg = contents_of(folder.path() / "out" / file);
        std::size_t count = 0;
        for (std::size_t at = svg.find("<path"); at != std::string::npos;
             at = svg.find("<path", at + 1))
            ++count;
        return count;
    };
    // Three sides of the box.
    CHECK(shapes_in("post-all.svg") >= shapes_in("post-gull.svg") + 3);
}

TEST_CASE("run makes the pictures that a scene asks for", "[command][pictures]") {
    const TestFolder folder;
    const CommandResult result = run_scene(folder, R"(
[picture.way]
view = "slanted"
[picture.chart]
view = "top"
format = "svg"
every_s = 0.5
[picture.moments]
kind = "strip"
from_s = 0.5
to_s = 2.5
every_s = 0.25
bodies = ["gull", "sh*"]
)");
    INFO(result.errors);
    REQUIRE(result.exit_code == 0);
    CHECK_THAT(result.output, Contains("out/gull-way.png") && Contains("out/gull-chart.svg"));
    CHECK(png_size(folder.path() / "out/gull-way.png").width == 1280);
    CHECK(png_size(folder.path() / "out/gull-moments.png").height == 800);
    const std::string svg = contents_of(folder.path() / "out/gull-chart.svg");
    CHECK_THAT(svg, Contains("<svg") && Contains("</svg>"));
    // The report carries them in itself.
    const std::string page = contents_of(folder.path() / "out/gull.html");
    CHECK_THAT(page, Contains("data:image/png;base64,") && Contains("data:image/svg+xml;base64,"));
    CHECK_THAT(page, !Contains("src=\"gull") && Contains("A gull &amp; its shadow"));
    const Json json = Json::parse(contents_of(folder.path() / "out/gull.json"));
    CHECK(json.at("files").at("pictures").size() == 3);
}

TEST_CASE("a film is numbered frames and an animated picture of them", "[command][pictures]") {
    const TestFolder folder;
    const CommandResult result = run_scene(folder, R"(
[picture.film]
kind = "film"
rate_hz = 10
speed = 2
from_s = 1
)");
    INFO(result.errors);
    REQUIRE(result.exit_code == 0);
    const fs::path frames = folder.path() / "out/gull-film-frames";
    std::size_t count = 0;
    for (const auto& entry : fs::directory_iterator{frames}) {
        CHECK(png_size(entry.path()).width == 720);
        ++count;
    }
    CHECK(count == 11);  // 2 s of the scene at twice its speed, 10 frames a second
    const std::string film = contents_of(folder.path() / "out/gull-film.apng");
    const std::vector<std::string> chunks = chunks_of(film);
    CHECK(chunks.front() == "IHDR");
    CHECK(chunks.back() == "IEND");
    CHECK(std::count(chunks.begin(), chunks.end(), "fcTL") == 11);
    const std::size_t control = film.find("acTL");
    REQUIRE(control != std::string::npos);
    CHECK(number_at(film, control + 4) == 11);
    // A frame's own picture data is in it.
    const std::string last = contents_of(frames / "0011.png");
    const std::size_t data = last.find("IDAT") + 4;
    CHECK(film.find(last.substr(data, 64)) != std::string::npos);
}

TEST_CASE("pictures are compared with takes, and references stand beside moments",
          "[command][pictures]") {
    const TestFolder folder;
    REQUIRE(run_scene(folder, "[picture.way]\n").exit_code == 0);
    fs::copy(folder.path() / "out/gull.csv", folder.path() / "before.csv");
    fs::copy(folder.path() / "out/gull-way.png", folder.path() / "photo.png");
    const std::string slower = "--set gull.position.frequency_hz=0.7";
    const auto drawn = [&](const std::string& compare, const std::string& references) {
        const CommandResult result = run_scene(folder,
                                               "[picture.way]\nformat = 'svg'\n" + compare +
                                                   "[picture.moments]\nkind = 'strip'\nformat = "
                                                   "'svg'\nevery_s = 0.5\n" +
                                                   references,
                                               slower);
        INFO(result.errors);
        REQUIRE(result.exit_code == 0);
        return std::array{contents_of(folder.path() / "out/gull-way.svg"),
                          contents_of(folder.path() / "out/gull-moments.svg")};
    };
    const auto alone = drawn("", "");
    const auto both = drawn("compare = 'before.csv'\n",
                            "references = ['photo.png', 'photo.png']\nreferences_every_s = 1\n");
    // The other take's ways are lines of their own, the references images.
    CHECK(count_of(both[0], "<path style=\"fill:none;") >=
          count_of(alone[0], "<path style=\"fill:none;") + 2);
    CHECK(count_of(alone[1], "<image") == 0);
    CHECK(count_of(both[1], "<image") >= 1);
    CHECK(count_of(both[1], "xlink:href=\"#") > count_of(alone[1], "xlink:href=\"#"));
}

TEST_CASE("pictures that cannot be made say why", "[command][pictures]") {
    const TestFolder folder;
    const auto refused = [&](const std::string& pictures) {
        const CommandResult result = run_scene(folder, pictures);
        CHECK(result.exit_code != 0);
        return result.errors;
    };
    CHECK_THAT(refused("[picture.p]\nkind = 'movie'\n"),
               Contains("picture.p.kind: expected paths, strip or film, found 'movie'"));
    CHECK_THAT(refused("[picture.p]\nto_s = -1\n"), Contains("expected a time after from_s"));
    CHECK_THAT(refused("[picture.p]\nevery_s = 0\n"),
               Contains("every_s: expected a number above 0"));
    CHECK_THAT(refused("[picture.p]\nbodies = 'nobody'\n"),
               Contains("nothing to be seen in space"));
    CHECK_THAT(refused("[picture.p]\naround = 'nobody'\n"),
               Contains("picture.p.around: nothing in the picture has such a name"));
    CHECK_THAT(refused("[picture.p]\ncompare = 'nowhere.csv'\n"), Contains("nowhere.csv"));
    folder.write("other.csv", "time_s,x\n0,1\n");
    CHECK_THAT(refused("[picture.p]\ncompare = 'other.csv'\n"),
               Contains("nothing in it has the name"));
    folder.write("photo.png", "not a picture");
    CHECK_THAT(refused("[picture.p]\nkind = 'strip'\nreferences = 'photo.png'\n"),
               Contains("photo.png: cannot be read as a PNG picture"));
    CHECK_THAT(refused("[picture.p]\nkind = 'film'\nspeed = 0.0001\n"), Contains("a film of"));
    CHECK_THAT(refused("[body.b]\nposition = 'shadow'\njoined_to = 'gul'\n"),
               Contains("there is no body 'gul'") && Contains("did you mean 'gull'?"));
}

TEST_CASE("run writes its take in any format, and nothing else when asked", "[command][run]") {
    const TestFolder folder;
    REQUIRE(run_scene(folder, "record = 'no'\n").exit_code ==
            2);  // behind a table: not the scene's
    const CommandResult result = run_scene(
        folder, "", "--take a.json --take a.csv --take a.glb --take a.gltf --set '*.lead=0.5'");
    INFO(result.errors);
    REQUIRE(result.exit_code == 0);
    CHECK(contents_of(folder.path() / "a.csv") == contents_of(folder.path() / "out/gull.csv"));
    const hopcoil::Take take = hopcoil::io::read_take(folder.path() / "a.json");
    CHECK(hopcoil::io::to_csv(take) == contents_of(folder.path() / "a.csv"));
    const Json made_by = Json::parse(take.made_by());
    CHECK(made_by.at("scene") == "gull.toml");
    CHECK(made_by.at("set") == Json{"*.lead=0.5"});
    CHECK_THAT(made_by.at("numbers").at("shadow").get<std::string>(), Contains("2 Hz"));
    const auto tracks = hopcoil::io::read_animations(folder.path() / "a.glb").at(0).tracks;
    REQUIRE(tracks.size() == 3);  // the gull's place and turn, the shade's place
    CHECK(tracks[0].times_s.size() == take.row_count());
    CHECK_THAT(contents_of(folder.path() / "a.gltf"), Contains("\"motion\": \"simulated\""));

    const CommandResult only =
        run_hopcoil("run gull.toml --out none --take b.csv --take b.json --take-only", folder);
    INFO(only.errors);
    REQUIRE(only.exit_code == 0);
    CHECK_FALSE(fs::exists(folder.path() / "none"));
    CHECK(hopcoil::io::read_take(folder.path() / "b.csv").row_count() == 181);
    CHECK(run_hopcoil("run gull.toml --take-only", folder).exit_code == 2);
    CHECK_THAT(run_hopcoil("run gull.toml --take x.txt", folder).errors,
               Contains("expected a name that ends in .csv, .json, .gltf or .glb"));
    CHECK_THAT(run_hopcoil("run gull.toml --take x.glb --take-only", folder).errors,
               Contains(".csv or .json"));
}

TEST_CASE("record keeps what it names; the report is of everything", "[command][run]") {
    const TestFolder folder;
    folder.write("gull.toml", "record = ['gull.*', '*velocity*']\n" + gull);
    REQUIRE(run_hopcoil("run gull.toml --out out", folder).exit_code == 0);
    const hopcoil::Take take = hopcoil::io::read_take(folder.path() / "out/gull.csv");
    for (const hopcoil::RecordedChannel& channel : take.channels()) {
        CAPTURE(channel.name);
        CHECK((channel.name.starts_with("gull.") ||
               channel.name.find("velocity") != std::string::npos));
    }
    CHECK(take.channels().size() == 5);
    const Json json = Json::parse(contents_of(folder.path() / "out/gull.json"));
    CHECK(json.at("movers").size() == 3);
}

TEST_CASE("a report says how a mover answered jumps, and how far it lags", "[command][run]") {
    const TestFolder folder;
    folder.write("lamp.toml", R"(
[target.hook]
moves = [{ at_s = 0.5, jump_to_m = 1 }, { at_s = 4, jump_to_m = -1 }]
[target.swell]
moves = [{ sine_amplitude_m = 1, frequency_hz = 0.3, until_s = 20 }]
[follower.lamp]
target = "hook"
tuning = { overshoot_percent = 20, settling_time_s = 0.8 }
[follower.float]
target = "swell"
tuning = { frequency_hz = 2, damping_ratio = 1 }
)");
    REQUIRE(run_hopcoil("run lamp.toml --out out --rate 240", folder).exit_code == 0);
    const Json movers = Json::parse(contents_of(folder.path() / "out/lamp.json")).at("movers");
    CHECK(movers[0].at("jumps") == 2);
    CHECK(movers[0].at("largest_overshoot_percent").get<double>() == Approx(20).margin(0.1));
    CHECK(movers[0].at("longest_settling_time_s").get<double>() == Approx(0.8).margin(0.01));
    CHECK(movers[1].at("lag_s").get<double>() == Approx(2.0 / (2 * 3.14159 * 2)).margin(3e-3));
    CHECK(movers[1].at("largest_overshoot_percent").is_null());
    CHECK_THAT(contents_of(folder.path() / "out/lamp.html"), Contains("20 % past"));
}

TEST_CASE("check reads takes and models, and compares takes", "[command][check]") {
    const TestFolder folder;
    REQUIRE(run_scene(folder, "", "--take a.csv --take a.glb").exit_code == 0);
    REQUIRE(run_scene(folder, "", "--take b.json --rate 120").exit_code == 0);
    REQUIRE(run_scene(folder, "", "--take c.csv --set shadow.frequency_hz=1").exit_code == 0);
    const auto check = [&](const std::string& arguments) {
        return run_hopcoil("check " + arguments, folder);
    };
    CHECK_THAT(check("a.csv a.glb").output, Contains("181 rows of 9 channels, 0 to 3 s") &&
                                                Contains("1 animation with 3 tracks"));
    CHECK_THAT(check("a.csv --statistics").output, Contains("perch.value_m.x") && Contains("mean"));
    CHECK(check("a.csv --against a.csv").exit_code == 0);
    CHECK(check("a.csv --against b.json --within 1e-4").exit_code == 0);  // at another rate
    const CommandResult other = check("a.csv --against c.csv --within 1e-4");
    CHECK(other.exit_code == 1);
    CHECK_THAT(other.output, Contains("shadow.value_m.x") && Contains("too far"));
    CHECK(check("gull.toml --against a.csv").exit_code == 2);

    const CommandResult baked = run_hopcoil(
        "bake a.csv --channel shadow.value_m --from 1 --to 2.5 --rate 30 --out k.json", folder);
    INFO(baked.errors);
    REQUIRE(baked.exit_code == 0);
    CHECK_THAT(baked.output, Contains("46 samples"));
    REQUIRE(run_hopcoil("bake a.csv --out k.csv", folder).exit_code == 0);
    REQUIRE(run_hopcoil("bake a.csv --out k.glb", folder).exit_code == 0);
    // Whatever `run` and `bake` wrote is accepted.
    const CommandResult all = check("k.json k.csv k.glb out/gull.json out/gull.csv out/*.png");
    CHECK(all.exit_code == 0);
    CHECK_THAT(all.output, Contains("keys of 1 channel") && Contains("the report of a run"));
    const auto curves = hopcoil::io::read_keys(folder.path() / "k.json");
    REQUIRE(curves.size() == 1);
    REQUIRE(curves[0].curves.size() == 3);
    const hopcoil::Take whole = hopcoil::io::read_take(folder.path() / "a.csv");
    const auto shadow = whole.columns_of(*whole.find_channel("shadow.value_m")).first;
    CHECK(curves[0].curves[1].at(0.5) == Approx(whole.row(90)[shadow + 1]).margin(2e-3));
    folder.write("bad.csv", "time_s,value,slope_before,slope_after\n0,1,0,0\n0,2,0,0\n");
    CHECK_THAT(check("bad.csv").output, Contains("bad.csv"));
    CHECK(check("bad.csv missing.png").exit_code == 3);
    CHECK_THAT(run_hopcoil("bake a.csv --from 9", folder).errors, Contains("from_s"));
}

TEST_CASE("a scene of hundreds of movers has its report", "[command][run][long]") {
    const TestFolder folder;
    std::string scene = "duration_s = 2\n[target.hook]\nmoves = [{ at_s = 0.5, jump_to_m = 1 }]\n";
    for (int i = 0; i < 300; ++i)
        scene += "[follower.f" + std::to_string(i) + "]\ntarget = 'hook'\n";
    folder.write("many.toml", scene);
    const CommandResult result = run_hopcoil("run many.toml --out out", folder);
    INFO(result.errors);
    REQUIRE(result.exit_code == 0);
    CHECK(png_size(folder.path() / "out/many.png").height < 6000);
    CHECK(Json::parse(contents_of(folder.path() / "out/many.json")).at("movers").size() == 300);
    CHECK_THAT(contents_of(folder.path() / "out/many.html"), Contains("the first 24 of 300"));
}
