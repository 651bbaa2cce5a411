// What the live page is answered: the same motion, figures and words as the library and the
// command.

#include <algorithm>
#include <chrono>
#include <cmath>
#include <fstream>
#include <string>
#include <thread>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/scene/run.hpp>
#include <hopcoil/scene/scene.hpp>
#include <hopcoil/scene/scene_dials.hpp>
#include <hopcoil/scene/tuning_file.hpp>
#include <hopcoil/spring/step_response.hpp>
#include <hopcoil/take/take.hpp>

#include "page/wish_answer.hpp"
#include "support/served_scene.hpp"

using namespace hopcoil;
using Catch::Matchers::Contains;
using nlohmann::json;

namespace {

json dial_of(const json& scene, const std::string& path) {
    for (const json& dial : scene["dials"]) {
        if (dial["path"] == path) return dial;
    }
    return nullptr;
}

json of_mover(const json& list, const std::string& name) {
    for (const json& each : list) {
        if (each["mover"] == name) return each;
    }
    return nullptr;
}

}  // namespace

TEST_CASE("the scene is answered with its dials as the library has them", "[page]") {
    const ServedScene served;
    const json scene = served.get("/v1/scene").body;
    CHECK(scene["made_by"]["program"] == "hopcoil");
    CHECK(scene["made_by"]["interface"] == 1);
    CHECK(scene["problem"].is_null());
    CHECK(scene["view"] == "top");
    const scene::Scene own = scene::read_scene((served.folder() / "vane.toml").string());
    const auto dials = scene::dials_of(own);
    REQUIRE(scene["dials"].size() == dials.size());
    for (std::size_t i = 0; i < dials.size(); ++i) {
        CHECK(scene["dials"][i]["path"] == dials[i].path);
        CHECK(scene["dials"][i]["value"] == scene::value_of(own, dials[i]));
    }
    const json frequency = dial_of(scene, "brass.frequency_hz");
    CHECK(frequency["unit"] == "Hz");
    CHECK(frequency["scale"] == "logarithmic");
    CHECK(frequency["hard"][0] == 0);
    CHECK(frequency["owner"] == "brass");
    CHECK_FALSE(frequency.contains("names"));
    CHECK(scene["scenery"].empty());
}

TEST_CASE("a take for some values is what the library runs", "[page]") {
    const ServedScene served;
    const json answer = served
                            .post("/v1/run", {{"values", {{"brass.damping_ratio", 0.7}}},
                                              {"duration_s", 12},
                                              {"most_rows", 100000}})
                            .body;
    scene::Scene own = scene::read_scene((served.folder() / "vane.toml").string());
    scene::set_values(own, {{"brass.damping_ratio", 0.7}});
    own.duration_s = 12;
    Take take;
    scene::run(own, take);
    const json& columns = answer["take"]["columns"];
    REQUIRE(answer["take"]["times_s"].size() == take.row_count());
    for (std::size_t k = 0; k < take.column_names().size(); ++k) {
        const std::vector<double> column = take.column(k);
        const std::vector<double> sent = columns[take.column_names()[k]];
        for (std::size_t row = 0; row < column.size(); ++row)
            REQUIRE(sent[row] == Approx(column[row]).epsilon(1e-6).margin(1e-7));
    }
    const JumpResponse jump = jump_response({.frequency_hz = 0.5, .damping_ratio = 0.7});
    const json figures = of_mover(answer["jumps"]["movers"], "brass")["figures"];
    CHECK(figures["overshoot_percent"] == Approx(*jump.overshoot_percent.value()));
    CHECK(figures["settling_time_s"] == Approx(*jump.settling_time_s.value()));
    CHECK(of_mover(answer["metrics"], "brass")["unit"] == "deg");
    CHECK(served.post("/v1/run", {{"most_rows", 10}}).body["take"]["times_s"].size() <= 11);
}

TEST_CASE("nothing is remembered from one request to the next", "[page]") {
    const ServedScene served;
    const json before = served.post("/v1/run", json::object()).body;
    CHECK(served.post("/v1/run", {{"values", {{"paper.frequency_hz", 9}}}}).body != before);
    CHECK(served.post("/v1/run", json::object()).body == before);
}

TEST_CASE("steps by hand go on from their state as if they had been one", "[page]") {
    for (const std::string scene :
         {"vane.toml", "boom_lamp.toml", "skiff.toml", "tide_dial.toml"}) {
        CAPTURE(scene);
        const ServedScene served{scene};
        json frames = json::array();
        const json target = served.get("/v1/scene").body["targets"][0];
        json place = json::array();
        for (int i = 0; i < target["numbers"]; ++i)
            place.push_back(0.3 + 0.1 * i);
        for (int i = 0; i < 20; ++i) {
            json frame{{"dt", i % 3 == 0 ? 0.02 : 0.015}};
            if (i == 4) frame["hold"][target["name"].get<std::string>()] = place;
            frames.push_back(frame);
        }
        const json whole = served.post("/v1/step", {{"from_s", 1.5}, {"frames", frames}}).body;
        REQUIRE(whole.contains("state"));
        const json first(std::vector<json>(frames.begin(), frames.begin() + 9));
        const json second(std::vector<json>(frames.begin() + 9, frames.end()));
        const json half = served.post("/v1/step", {{"from_s", 1.5}, {"frames", first}}).body;
        const json rest =
            served.post("/v1/step", {{"state", half["state"]}, {"frames", second}}).body;
        CHECK(rest["state"] == whole["state"]);
        for (const auto& [name, column] : whole["take"]["columns"].items())
            CHECK(rest["take"]["columns"][name].back() == column.back());
    }
}

TEST_CASE("a held target stays in the hand until it is let go", "[page]") {
    const ServedScene served;
    const json held =
        served
            .post("/v1/step",
                  {{"from_s", 3},
                   {"frames", {{{"dt", 0.1}, {"hold", {{"wind", {0.5}}}}}, {{"dt", 0.1}}}}})
            .body;
    const std::vector<double> wind = held["take"]["columns"]["wind.value_rad"];
    CHECK(wind[1] == Approx(0.5));
    CHECK(wind[2] == Approx(0.5));
    const json back =
        served
            .post("/v1/step",
                  {{"state", held["state"]}, {"let_go", {"wind"}}, {"frames", {{{"dt", 0.1}}}}})
            .body;
    const json course = served.post("/v1/run", {{"rate_hz", 10}, {"duration_s", 4}}).body;
    CHECK(back["take"]["columns"]["wind.value_rad"].back() ==
          course["take"]["columns"]["wind.value_rad"][33]);
}

TEST_CASE("wishes are read from words", "[page]") {
    const auto figures = [](const std::string& words) {
        const Wish wish = page::wish_from_words(words);
        return std::pair{wish.overshoot_percent, wish.settling_time_s};
    };
    CHECK(figures("12 % past, 0.4 s") == std::pair{12.0, 0.4});
    CHECK(figures("0%  300 ms") == std::pair{0.0, 0.3});
    CHECK(figures("settled in .5 s, 7.5 percent past") == std::pair{7.5, 0.5});
    CHECK(figures("no overshoot, 2 seconds") == std::pair{0.0, 2.0});
    for (const std::string words : {"", "fast", "12 %", "0.4 s", "12 apples, 0.4 s", "%, s"})
        CHECK_THROWS_WITH(page::wish_from_words(words), Contains("12 % past, 0.4 s"));
}

TEST_CASE("a wish is solved for whatever can be solved", "[page]") {
    const ServedScene vane;
    const json solved =
        vane.post("/v1/wish", {{"wish", "12 % past, 0.4 s"}, {"mover", "brass"}}).body["values"];
    const JumpResponse jump = jump_response({.frequency_hz = solved["brass.frequency_hz"],
                                             .damping_ratio = solved["brass.damping_ratio"]});
    CHECK(*jump.overshoot_percent.value() == Approx(12));
    CHECK(*jump.settling_time_s.value() == Approx(0.4));
    CHECK_THAT(vane.post("/v1/wish", {{"wish", "500 % past, 0.4 s"}, {"mover", "brass"}}).problem(),
               Contains("overshoot_percent"));
    CHECK_THAT(vane.post("/v1/wish", {{"wish", "5 %, 1 s"}, {"mover", "bras"}}).problem(),
               Contains("did you mean 'brass'?"));
    const ServedScene dial{"tide_dial.toml"};
    CHECK(dial.post("/v1/wish", {{"wish", "5 %, 1.5 s"}, {"mover", "needle"}}).body["values"] ==
          json{{"needle.duration_s", 1.5}, {"needle.overshoot_percent", 5}});
    const ServedScene lamp{"boom_lamp.toml"};
    CHECK(lamp.post("/v1/wish", {{"wish", "5 %, 1 s"}, {"mover", "string.lamp"}})
              .body["values"]
              .contains("string.lamp.frequency_hz"));
}

TEST_CASE("a tuning is kept under a name, and not over another by mistake", "[page]") {
    const ServedScene served;
    const json request{{"name", "gusty"},
                       {"about", "for \"squalls\""},
                       {"mover", "paper"},
                       {"values", {{"paper.damping_ratio", 0.25}}}};
    CHECK(served.post("/v1/tunings", request).status == 200);
    const auto saved = scene::read_tunings((served.folder() / "quay.tunings.toml").string());
    REQUIRE(saved.back().name == "gusty");
    CHECK(saved.back().about == "for \"squalls\"");
    CHECK(saved.back().whole->damping_ratio == 0.25);
    CHECK(saved.back().whole->frequency_hz == 1.6);
    const auto again = served.post("/v1/tunings", request);
    CHECK(again.status == 409);
    CHECK_THAT(again.problem(), Contains("has 'gusty' already"));
    json replacing = request;
    replacing["replace"] = true;
    CHECK(served.post("/v1/tunings", replacing).status == 200);
    CHECK(served.post("/v1/tunings", {{"name", "../x"}, {"mover", "paper"}}).status == 400);
    CHECK_THAT(served.post("/v1/tunings", {{"name", "x"}, {"mover", "wind"}}).problem(),
               Contains("nothing with a tuning is named 'wind'"));
}

TEST_CASE("values are written into the scene where they stand, and nothing else is touched",
          "[page]") {
    const ServedScene served;
    const auto file = served.folder() / "vane.toml";
    const std::string before = contents_of(file);
    const auto answer = served.post(
        "/v1/patch", {{"values", {{"paper.damping_ratio", 0.25}, {"brass.frequency_hz", 0.7}}}});
    REQUIRE(answer.status == 200);
    CHECK(answer.body["written"] == json{file.string()});
    std::string expected = before;
    const auto replace = [&](const std::string& from, const std::string& to) {
        expected.replace(expected.find(from), from.size(), to);
    };
    replace("frequency_hz = 1.6, damping_ratio = 0.35", "frequency_hz = 1.6, damping_ratio = 0.25");
    replace("tuning = \"brass\"", "tuning = { frequency_hz = 0.7, damping_ratio = 0.2, lead = 0 }");
    CHECK(contents_of(file) == expected);
    const json scene = served.get("/v1/scene").body;
    CHECK(scene["revision"] == 2);
    CHECK(dial_of(scene, "brass.frequency_hz")["value"] == 0.7);
}

TEST_CASE("references are the takes beside the scene, or what is sent", "[page]") {
    const ServedScene served;
    CHECK(served.get("/v1/references").body["references"] ==
          json{"cobbles.csv", "sign.csv", "wind.csv"});
    const json wind = served.get("/v1/references/wind.csv").body;
    CHECK(wind["take"]["columns"].contains("heading_deg"));
    const auto none = served.get("/v1/references/win.csv");
    CHECK(none.status == 404);
    CHECK_THAT(none.problem(), Contains("did you mean 'wind.csv'?"));
    const auto sent =
        served.post("/v1/references", {{"name", "mine.csv"}, {"text", "time_s,a_m\n0,1\n0.5,2\n"}});
    CHECK(sent.body["take"]["columns"]["a_m"] == json{1, 2});
    CHECK(sent.body["channels"][0]["unit"] == "m");
    const auto bad =
        served.post("/v1/references", {{"name", "mine.csv"}, {"text", "time_s,a\n0,x"}});
    CHECK(bad.status == 422);
    CHECK(bad.body["problem"]["places"][0]["line"] == 2);
}

TEST_CASE("figures over two dials are those of single runs", "[page]") {
    const ServedScene served;
    const json axes = json::array({{{"path", "brass.damping_ratio"}, {"values", {0.2, 0.5, 1}}},
                                   {{"path", "brass.frequency_hz"}, {"values", {1, 3}}}});
    const json map =
        served.post("/v1/map", {{"mover", "brass"}, {"values", json::object()}, {"axes", axes}})
            .body;
    REQUIRE(map["total"] == 6);
    REQUIRE(map["cells"].size() == 6);
    const auto figures = map["figures"].get<std::vector<std::string>>();
    const auto at = std::find(figures.begin(), figures.end(), "brass.overshoot_percent");
    REQUIRE(at != figures.end());
    for (const json& cell : map["cells"]) {
        const auto index = cell["index"].get<std::size_t>();
        const Tuning tuning{.frequency_hz = axes[1]["values"][index % 2],
                            .damping_ratio = axes[0]["values"][index / 2]};
        CHECK(cell["figures"][static_cast<std::size_t>(at - figures.begin())].get<double>() ==
              Approx(*jump_response(tuning).overshoot_percent.value()).margin(1e-9));
    }
    for (const std::string& name : figures)
        CHECK_THAT(name, Catch::StartsWith("brass."));
    // Without a run there is what needs none.
    const json quick =
        served.post("/v1/map", {{"mover", "brass"}, {"axes", axes}, {"run", false}}).body;
    CHECK(quick["figures"].size() < figures.size());
    CHECK(quick["cells"][3]["figures"][0] == map["cells"][3]["figures"][0]);

    const auto refused = [&](const json& body) {
        const ServedScene::Answer answer = served.post("/v1/map", body);
        CHECK(answer.status == 400);
        return answer.problem();
    };
    CHECK_THAT(refused({{"mover", "bras"}, {"axes", axes}}), Contains("did you mean 'brass'"));
    CHECK_THAT(refused({{"mover", "brass"}, {"axes", json::array({axes[0]})}}), Contains("two"));
    json wrong = axes;
    wrong[0]["path"] = "brass.damping";
    CHECK_THAT(refused({{"mover", "brass"}, {"axes", wrong}}), Contains("brass.damping_ratio"));
}

TEST_CASE("what takes too long is called off, or ends with what there is, and says so", "[page]") {
    const ServedScene served{"vane.toml", std::chrono::milliseconds{0}};
    const auto run = served.post("/v1/run", json::object());
    CHECK(run.status == 413);
    CHECK_THAT(run.problem(), Contains("took longer than 0 s") && Contains("fewer seconds"));
    const json axes = json::array({{{"path", "brass.damping_ratio"}, {"values", {0.2, 0.5, 1}}},
                                   {{"path", "brass.frequency_hz"}, {"values", {1, 3}}}});
    const json map = served.post("/v1/map", {{"mover", "brass"}, {"axes", axes}}).body;
    CHECK(map["total"] == 6);
    CHECK(map["cells"].size() < 6);
    const auto fit = served.post("/v1/fit", {{"mover", "brass"},
                                             {"column", "brass.value_rad"},
                                             {"times_s", {0, 1, 2, 3, 4, 5, 6, 7}},
                                             {"motion", {0, 1, 0, 1, 0, 1, 0, 1}}});
    INFO(fit.problem());
    REQUIRE(fit.status == 200);
    CHECK(fit.body["is_cut_short"] == true);
}

TEST_CASE("a fit finds the numbers that a curve was made with", "[page][long]") {
    const ServedScene served{"sign.toml"};
    const json made =
        served
            .post("/v1/run",
                  {{"values", {{"sign.frequency_hz", 1.3}, {"sign.damping_ratio", 0.35}}}})
            .body;
    const json& take = made["take"];
    const std::string column = "sign.value_m";
    REQUIRE(take["columns"].contains(column));
    json body{{"mover", "sign"},
              {"column", column},
              {"times_s", take["times_s"]},
              {"motion", take["columns"][column]},
              {"paths", {"sign.frequency_hz", "sign.damping_ratio"}}};
    const json found = served.post("/v1/fit", body).body;
    REQUIRE(found.contains("values"));
    CHECK(found["values"]["sign.frequency_hz"].get<double>() == Approx(1.3).epsilon(0.01));
    CHECK(found["values"]["sign.damping_ratio"].get<double>() == Approx(0.35).epsilon(0.02));
    CHECK(found["is_explained"] == true);
    REQUIRE(found["numbers"].size() == 2);
    body.erase("paths");
    CHECK(served.post("/v1/fit", body).body["numbers"].size() == 3);
    const auto refused = [&](const json& changes) {
        json other = body;
        other.merge_patch(changes);
        const ServedScene::Answer answer = served.post("/v1/fit", other);
        CHECK(answer.status == 400);
        return answer.problem();
    };
    CHECK_THAT(refused({{"column", "sign.valu_m"}}), Contains("sign.valu"));
    CHECK_THAT(refused({{"motion", {1, 2}}}), Contains("as many numbers as times_s"));
    CHECK_THAT(refused({{"mover", "board"}}), Contains("board"));
    CHECK_THAT(refused({{"paths", {"sign.frequency"}}}), Contains("sign.frequency"));
}

TEST_CASE("reference pictures of the scene are served, and no other file", "[page]") {
    const ServedScene served;
    const std::string scene = contents_of(served.folder() / "vane.toml");
    std::ofstream{served.folder() / "one.png", std::ios::binary} << "\x89PNG, or so";
    std::ofstream{served.folder() / "vane.toml"}
        << scene << "\n[picture.filmed]\nkind = 'strip'\nreferences = ['one.png']\n"
        << "references_from_s = 0.25\n";
    const auto is_there = [&] {
        const json answer = served.get("/v1/frames").body;
        return answer.contains("pictures") && !answer["pictures"].empty();
    };
    for (int i = 0; i < 200 && !is_there(); ++i)
        std::this_thread::sleep_for(std::chrono::milliseconds{50});
    const json picture = served.get("/v1/frames").body["pictures"][0];
    CHECK(picture["name"] == "filmed");
    CHECK(picture["from_s"] == 0.25);
    CHECK(picture["count"] == 1);
    const auto bytes = served.client().Get("/v1/frames/filmed/0");
    REQUIRE(bytes);
    CHECK(bytes->body == "\x89PNG, or so");
    CHECK(bytes->get_header_value("Content-Type") == "image/png");
    CHECK(served.get("/v1/frames/filmed/1").status == 404);
    CHECK(served.get("/v1/frames/other/0").status == 404);
    CHECK(served.get("/v1/frames/..%2Fvane.toml/0").status == 404);
}

TEST_CASE("an edit of the file on disk is told at once, its mistakes too", "[page]") {
    const ServedScene served;
    const auto file = served.folder() / "vane.toml";
    const std::string good = contents_of(file);
    const json sound = served.post("/v1/run", json::object()).body;
    std::string broken = good;
    broken.replace(broken.find("frequency_hz"), 12, "freqency_hz ");
    std::ofstream{file} << broken;
    const json told = served.get("/v1/changes?after=1").body;
    CHECK(told["revision"] == 2);
    CHECK_THAT(told["problem"].get<std::string>(), Contains("did you mean 'frequency_hz'?"));
    CHECK(served.post("/v1/run", json::object()).body == sound);
    CHECK(served.post("/v1/patch", {{"values", {{"brass.lead", 1}}}}).status == 409);
    std::ofstream{file} << good;
    const json mended = served.get("/v1/changes?after=2").body;
    CHECK(mended["problem"].is_null());
}

TEST_CASE("a file that is seen half written is no news until it is whole", "[page]") {
    const ServedScene served;
    const auto file = served.folder() / "vane.toml";
    const std::string good = contents_of(file);
    for (int i = 0; i < 6; ++i) {
        const std::string other = good + "# once more " + std::to_string(i) + '\n';
        std::this_thread::sleep_for(std::chrono::milliseconds{15 * i});  // when it looks anyhow
        {
            std::ofstream half{file};
            half << other.substr(0, 50) << std::flush;
            std::this_thread::sleep_for(std::chrono::milliseconds{20});
            half << other.substr(50);
        }
        const json told = served.get("/v1/changes?after=" + std::to_string(i + 1)).body;
        CHECK(told["revision"] == i + 2);
        CHECK(told["problem"].is_null());
    }
}

TEST_CASE("what cannot be is refused in the words of the command", "[page]") {
    const ServedScene served;
    const auto problem = [&](const json& body) {
        const auto answer = served.post("/v1/run", body);
        CHECK(answer.status == 400);
        return answer.problem();
    };
    CHECK_THAT(problem({{"values", {{"bras.lead", 1}}}}), Contains("did you mean 'brass.lead'?"));
    CHECK_THAT(problem({{"values", {{"brass.frequency_hz", -1}}}}),
               Contains("brass.frequency_hz cannot be -1: expected a number of 0 or more"));
    CHECK_THAT(problem({{"values", {{"brass.frequency_hz", "fast"}}}}),
               Contains("values.brass.frequency_hz: expected a finite number, found \"fast\""));
    CHECK_THAT(problem({{"values", 3}}), Contains("values: expected an object"));
    CHECK_THAT(problem({{"duration", 3}}),
               Contains("duration: unknown key") && Contains("did you mean 'duration_s'?"));
    CHECK_THAT(problem({{"duration_s", 1e9}}), Contains("duration_s: expected a number from"));
    CHECK_THAT(problem({{"rate_hz", 0}}), Contains("rate_hz: expected a number from"));
    CHECK_THAT(served.post("/v1/step", {{"state", "AAAA"}}).problem(),
               Contains("none of this scene"));
    CHECK_THAT(served.post("/v1/step", {{"state", "?"}}).problem(), Contains("base64"));
    CHECK_THAT(served.post("/v1/step", {{"frames", {{{"dt", -1}}}}}).problem(),
               Contains("frames.0.dt: expected a number from 0 to 1, found -1"));
    CHECK_THAT(
        served.post("/v1/step", {{"frames", {{{"dt", 0}, {"hold", {{"wid", {1}}}}}}}}).problem(),
        Contains("there is no target 'wid'; there is wind; did you mean 'wind'?"));
    CHECK_THAT(served.post("/v1/step", {{"frames", {{{"dt", 0}, {"hold", {{"wind", {1, 2}}}}}}}})
                   .problem(),
               Contains("hold.wind: expected 1 numbers, found 2"));
    CHECK_THAT(served.post_text("/v1/run", "{").problem(), Contains("not JSON"));
    CHECK_THAT(served.post_text("/v1/run", "[]").problem(), Contains("expected an object"));
    CHECK_THAT(served.post_text("/v1/run", "{}", "text/plain").problem(),
               Contains("application/json"));
    const auto much = served.post("/v1/run", {{"duration_s", 900}, {"rate_hz", 10000}});
    CHECK(much.status == 413);
    CHECK_THAT(much.problem(), Contains("ask for fewer seconds or a lower rate"));
}
