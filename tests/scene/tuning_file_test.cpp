#include <cmath>
#include <string>

#include <catch2/catch.hpp>

#include <hopcoil/io/file_problems.hpp>
#include <hopcoil/scene/scene.hpp>
#include <hopcoil/scene/tuning_file.hpp>
#include <hopcoil/spring/wish.hpp>

#include "support/files.hpp"
#include "support/scenes.hpp"

using namespace hopcoil;
using namespace hopcoil::io;
using namespace hopcoil::scene;
using Catch::Matchers::Contains;

namespace {

const std::string feels = R"(# Feels of the quay.
[tuning.lamp]
about = "swings a while"
frequency_hz = 1.1
damping_ratio = 0.25

# What signs do.
[tuning.sign]
position = { overshoot_percent = 12, settling_time_s = 0.4 }
rotation = "taut"
)";

const std::string lamp_scene = R"(
tunings = "quay.tunings.toml"
[target.hook]
moves = [{ at_s = 1, jump_to_m = 1 }]
[follower.lamp]
target = "hook"
tuning = "lamp"
[follower.plate]
target = "hook"
tuning = "sign.position"
)";

std::string complaint_about_tunings(const std::string& text) {
    const TestFolder folder;
    try {
        static_cast<void>(read_tunings(folder.write("t.toml", text)));
        return {};
    } catch (const io::InputProblems& problem) {
        return problem.what();
    }
}

}  // namespace

TEST_CASE("a tuning file holds names for scenes, and a change of it changes them all",
          "[tunings]") {
    const TestFolder folder;
    const auto file = folder.write("quay.tunings.toml", feels);
    const std::vector<SharedTuning> all = read_tunings(file);
    REQUIRE(all.size() == 2);
    CHECK(all[0].name == "lamp");
    CHECK(all[0].about == "swings a while");
    CHECK(all[0].whole == Tuning{.frequency_hz = 1.1, .damping_ratio = 0.25});
    CHECK_FALSE(all[1].whole);
    CHECK(all[1].position == tuning_from(Wish{.overshoot_percent = 12, .settling_time_s = 0.4}));
    CHECK(all[1].rotation);
    CHECK_FALSE(all[1].scale);
    CHECK(all[1].for_pose().scale == PoseTuning{}.scale);  // what is not covered is as it was

    const auto scene_file = folder.write("lamp.toml", lamp_scene);
    const auto lamp = [&] {
        return tuning_in(read_scene(scene_file), 0);
    };
    CHECK(lamp() == *all[0].whole);
    save_tuning(file, {.name = "lamp", .whole = Tuning{.frequency_hz = 3, .damping_ratio = 0.7}});
    CHECK(lamp() == Tuning{.frequency_hz = 3, .damping_ratio = 0.7});
}

TEST_CASE("saving keeps everything else in the file as it stands", "[tunings]") {
    const TestFolder folder;
    const auto file = folder.write("quay.tunings.toml", feels);
    save_tuning(file, {.name = "lamp",
                       .about = "a \"new\" line\n, one",
                       .whole = Tuning{.frequency_hz = 0.1 + 0.2, .damping_ratio = 1.0 / 3}});
    const std::string text = contents_of(file);
    CHECK_THAT(text, Contains("# Feels of the quay.") &&
                         Contains("# What signs do.\n[tuning.sign]") &&
                         Contains("rotation = \"taut\""));
    const auto all = read_tunings(file);
    REQUIRE(all.size() == 2);
    CHECK(all[0].whole->frequency_hz == 0.1 + 0.2);  // to the last bit
    CHECK(all[0].whole->damping_ratio == 1.0 / 3);
    CHECK(all[0].about == "a \"new\" line , one");

    save_tuning(file, {.name = "new-one", .rotation = Tuning{.frequency_hz = 5}});
    CHECK(read_tunings(file).back().rotation->frequency_hz == 5);
    CHECK_THAT(contents_of(file), Contains("# What signs do.\n[tuning.sign]"));

    const auto fresh = folder.path() / "fresh.toml";
    save_tuning(fresh, {.name = "a", .whole = Tuning{}});
    save_tuning(fresh, {.name = "a", .whole = Tuning{.frequency_hz = 4}});
    CHECK(read_tunings(fresh).size() == 1);
    CHECK(read_tunings(fresh)[0].whole->frequency_hz == 4);
}

TEST_CASE("what cannot be saved is refused, and the file is as it was", "[tunings]") {
    const TestFolder folder;
    const auto file = folder.write("quay.tunings.toml", feels);
    const Tuning fine;
    CHECK_THROWS_WITH(save_tuning(file, {.name = "a b", .whole = fine}),
                      Contains("cannot be a name"));
    CHECK_THROWS_WITH(save_tuning(file, {.name = "a"}), Contains("has to have numbers"));
    CHECK_THROWS_AS(save_tuning(file, {.name = "a", .whole = Tuning{.frequency_hz = -1}}),
                    std::invalid_argument);
    CHECK(contents_of(file) == feels);
    const auto scene = folder.write("scene.toml", lamp_scene);
    CHECK_THROWS_AS(save_tuning(scene, {.name = "a", .whole = fine}), io::InputProblems);
    CHECK(contents_of(scene) == lamp_scene);
    const auto inlined = folder.write("inline.toml", "tuning = { a = { frequency_hz = 1 } }\n");
    CHECK_THROWS_WITH(save_tuning(inlined, {.name = "a", .whole = fine}),
                      Contains("cannot be replaced where it stands"));
    CHECK_THROWS_AS(save_tuning(folder.path() / "no" / "x.toml", {.name = "a", .whole = fine}),
                    io::FileProblem);
}

TEST_CASE("what is wrong in a tuning file is named with its place", "[tunings]") {
    CHECK_THAT(complaint_about_tunings(""), Contains("expected at least one table [tuning.NAME]"));
    CHECK_THAT(complaint_about_tunings("[tuning.a]\n"), Contains("expected numbers"));
    CHECK_THAT(complaint_about_tunings("[tuning.a]\nfrequncy_hz = 2\n"),
               Contains("t.toml:2:1: tuning.a.frequncy_hz: unknown key") &&
                   Contains("did you mean 'frequency_hz'?"));
    CHECK_THAT(complaint_about_tunings("[tuning.a]\nfrequency_hz = -2\n"), Contains("0 or more"));
    CHECK_THAT(complaint_about_tunings("[tuning.a]\nfrequency_hz = 2\nhalf_life_s = 1\n"),
               Contains("one form only"));
    CHECK_THAT(complaint_about_tunings("[tuning.a]\nposition = 'livly'\n"),
               Contains("did you mean 'lively'?"));
    CHECK_THAT(complaint_about_tunings("[tuning.'a b']\nlead = 1\n"),
               Contains("expected a name of letters"));
    CHECK_THAT(complaint_about_tunings("tuning = 3\n"),
               Contains("expected a table, found the whole number 3"));
    CHECK_THAT(complaint_about_tunings("[tuning.a\n"), Contains("t.toml:1:"));
}

TEST_CASE("a scene may include others", "[tunings][scene]") {
    const TestFolder folder;
    std::filesystem::create_directory(folder.path() / "parts");
    folder.write("parts/wind.csv", "time_s,heading_deg\n0,0\n1,10\n");
    folder.write("parts/wind.toml",
                 "title = 'not this'\nduration_s = 99\n"
                 "[target.wind]\ncsv = 'wind.csv'\ncolumn = 'heading_deg'\n"
                 "[tuning.calmly]\nfrequency_hz = 0.5\n");
    folder.write("more.toml", "include = 'parts/wind.toml'\n[follower.first]\ntarget = 'wind'\n");
    const Scene scene = read_scene(folder.write("main.toml", R"(
title = "this"
duration_s = 2
include = ["more.toml"]
[follower.vane]
target = "wind"
tuning = "calmly"
)"));
    CHECK(scene.title == "this");
    CHECK(scene.duration_s == 2);
    REQUIRE(scene.systems.size() == 2);
    CHECK(scene.systems[0].name == "first");
    CHECK(tuning_in(scene, 1).frequency_hz == 0.5);

    const auto complaint = [&](const std::string& text) -> std::string {
        try {
            static_cast<void>(read_scene(folder.write("main.toml", text)));
            return {};
        } catch (const std::runtime_error& problem) {
            return problem.what();
        }
    };
    CHECK_THAT(complaint("include = 'main.toml'\n"), Contains("is included already"));
    CHECK_THAT(complaint("include = 'nowhere.toml'\n"),
               Contains("main.toml:1:1") && Contains("nowhere.toml"));
    CHECK_THAT(complaint("include = 'parts/wind.toml'\n[target.wind]\nmoves = []\n"
                         "[follower.f]\ntarget = 'wind'\n"),
               Contains("another file has a target of this name"));
    CHECK_THAT(complaint("tunings = 'parts/wind.toml'\n"), Contains("parts/wind.toml:1:1: title"));
    folder.write("bad.toml", "[follower.x]\ntarget = 'wnd'\nbad = 1\n");
    CHECK_THAT(complaint("include = ['parts/wind.toml', 'bad.toml']\n"),
               Contains("bad.toml:2:1: follower.x.target: there is no target 'wnd'") &&
                   Contains("bad.toml:3:1: follower.x.bad: unknown key"));
}

TEST_CASE("a tuning that another file of the folder has is found there", "[tunings]") {
    const TestFolder folder;
    folder.write("feels.toml", "[tuning.hop]\nfrequency_hz = 3\n");
    folder.write("broken.toml", "[tuning.hop\n");
    const auto scene = folder.write("s.toml",
                                    "[target.h]\nmoves = [{ at_s = 1, jump_to_m = 1 }]\n"
                                    "[follower.f]\ntarget = \"h\"\ntuning = \"hop\"\n");
    CHECK_THAT(complaint_of([&] { static_cast<void>(read_scene(scene)); }),
               Contains("s.toml:5:") && Contains("feels.toml has one") &&
                   Contains("tunings = \"feels.toml\""));
}
