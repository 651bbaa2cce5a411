#include <cmath>
#include <limits>
#include <string>

#include <catch2/catch.hpp>

#include <hopcoil/io/file_problems.hpp>
#include <hopcoil/scene/named_settings.hpp>
#include <hopcoil/scene/scene_dials.hpp>
#include <hopcoil/scene/scene_patch.hpp>

#include "support/files.hpp"
#include "support/scenes.hpp"

using namespace hopcoil;
using namespace hopcoil::io;
using namespace hopcoil::scene;
using Catch::Matchers::Contains;

namespace {

const std::string tails = R"([settings.long-tail]
about = "long and slow"
kind = "chain"
numbers = { nodes = 30, tip.frequency_hz = 1.5, root = { lead = 0.25 } }

[tuning.lamp]
frequency_hz = 1.1
damping_ratio = 0.25
)";

const std::string quay = R"(
tunings = "tails.toml"
[target.stern]
moves = [{ at_s = 1, jump_to_m = [1, 0, 0] }]
[chain.streamer]
root = "stern"
settings = "long-tail"
tip_tuning = { frequency_hz = 4 }
[chain.line]
root = "stern"
[cascade.string]
target = "stern"
links = [{ name = "lamp" }, { name = "tassel" }]
[follower.buoy]
target = "stern"
settings = "lamp"
)";

struct Quay {
    TestFolder folder;
    std::string tails_file = folder.write("tails.toml", tails);
    std::string file = folder.write("quay.toml", quay);
    Scene scene = read_scene(file);

    [[nodiscard]] double operator[](const std::string& path) const {
        for (const SceneDial& dial : dials_of(scene)) {
            if (dial.path == path) return value_of(scene, dial);
        }
        return std::numeric_limits<double>::quiet_NaN();
    }
    [[nodiscard]] const SceneSystem& system(const std::string& name) const {
        for (const SceneSystem& each : scene.systems) {
            if (each.name == name) return each;
        }
        throw std::out_of_range{name};
    }
};

}  // namespace

TEST_CASE("a system takes named settings, and what its table says itself wins", "[settings]") {
    const Quay quay_scene;
    CHECK(quay_scene["streamer.nodes"] == 30);
    CHECK(quay_scene["streamer.root.lead"] == 0.25);
    CHECK(quay_scene["streamer.tip.frequency_hz"] == 4);
    CHECK(quay_scene["line.nodes"] != 30);
    CHECK(quay_scene["buoy.frequency_hz"] == 1.1);  // a tuning is settings too
    CHECK(quay_scene.system("streamer").spec->outputs().front().count == 31);  // and the root
}

TEST_CASE("settings are taken from one system, kept in a file and given to another", "[settings]") {
    Quay quay_scene;
    set_values(quay_scene.scene, {{"streamer.spacing_m", 0.33}, {"streamer.carry", 0.1}});
    const NamedSettings kept =
        settings_of(quay_scene.system("streamer"), "gale", {"nodes", "spa*"});
    CHECK(kept.kind == "chain");
    CHECK(kept.numbers.size() == 2);
    save_settings(quay_scene.tails_file, kept);
    save_settings(quay_scene.tails_file, settings_of(quay_scene.system("line"), "still"));
    // What was there is as it was.
    CHECK_THAT(contents_of(quay_scene.tails_file), Contains(tails));
    const auto all = read_settings(quay_scene.tails_file);
    REQUIRE(all.size() == 3);
    CHECK(all[1].name == "gale");
    quay_scene.scene = read_scene(quay_scene.file);
    CHECK(apply_settings(quay_scene.scene, "line", find_settings(quay_scene.scene, "gale")) == 2);
    CHECK(quay_scene["line.spacing_m"] == 0.33);
    CHECK(quay_scene["line.nodes"] == 30);
    CHECK(quay_scene.scene.changes.back() == "line=gale");
    // As any change it can be written into the scene.
    write_changes(quay_scene.scene);
    quay_scene.scene = read_scene(quay_scene.file);
    CHECK(quay_scene["line.spacing_m"] == 0.33);
    // Saved again under the name it replaces what was there.
    save_settings(quay_scene.tails_file, {.name = "gale", .numbers = {{"nodes", 5}}});
    CHECK(read_settings(quay_scene.tails_file).size() == 3);
    CHECK(read_settings(quay_scene.tails_file)[1].numbers.front().value == 5);
}

TEST_CASE("a blend meets both ends, and is even in octaves for logarithmic dials", "[settings]") {
    Quay quay_scene;
    const NamedSettings calm{.name = "calm", .numbers = {{"frequency_hz", 1}, {"lead", 0}}};
    const NamedSettings wild{.name = "wild", .numbers = {{"frequency_hz", 4}, {"lead", 1}}};
    const SceneSystem& buoy = quay_scene.system("buoy");
    CHECK(blend(buoy, calm, wild, 0).numbers.front().value == 1);
    CHECK(blend(buoy, calm, wild, 1).numbers.front().value == 4);
    const NamedSettings half = blend(buoy, calm, wild, 0.5);
    CHECK(half.numbers[0].value == Approx(2));
    CHECK(half.numbers[1].value == Approx(0.5));
    // What one of them leaves open comes from the system.
    const NamedSettings damped{.name = "damped", .numbers = {{"damping_ratio", 1.25}}};
    CHECK(blend(buoy, damped, calm, 0.5).numbers[1].value == Approx(0.75));
    apply_settings(quay_scene.scene, "string.tassel", half);
    CHECK(quay_scene["string.tassel.frequency_hz"] == Approx(2));
    CHECK_THROWS_WITH(blend(buoy, calm, wild, std::nan("")), Contains("amount"));
    CHECK_THROWS_WITH(blend(quay_scene.system("line"), calm, wild, 0.5),
                      Contains("no dial 'frequency_hz'") && Contains("did you mean"));
}

TEST_CASE("settings that do not fit are refused with their place, and change nothing",
          "[settings]") {
    const TestFolder folder;
    const auto complaint = [&](const std::string& settings, const std::string& table) {
        folder.write("tails.toml", settings);
        const auto scene = folder.write("s.toml",
                                        "tunings = \"tails.toml\"\n[target.t]\n"
                                        "moves = [{ at_s = 1, jump_to_m = [1, 0, 0] }]\n" +
                                            table);
        return complaint_of([&] { static_cast<void>(read_scene(scene)); });
    };
    const std::string follower = "[follower.a]\ntarget = \"t\"\nsettings = \"tail\"\n";
    const std::string chain = "[chain.a]\nroot = \"t\"\nsettings = \"tail\"\n";
    CHECK_THAT(complaint("[settings.tail]\nkind = \"chain\"\nnumbers = { nodes = 3 }\n", follower),
               Contains("s.toml:6:") && Contains("'tail' is for a chain, not for a follower"));
    CHECK_THAT(complaint("[settings.tail]\nnumbers = { node = 3 }\n", chain),
               Contains("'node', which is no dial here; did you mean 'nodes'"));
    CHECK_THAT(complaint("[settings.tail]\nnumbers = { spacing_m = -1 }\n", chain),
               Contains("spacing_m -1; expected a number from"));
    CHECK_THAT(complaint("[settings.tial]\nnumbers = { nodes = 3 }\n", chain),
               Contains("no settings named 'tail'") && Contains("did you mean 'tial'"));
    CHECK_THAT(complaint("[settings.tail]\nnumbers = { nodes = \"three\" }\n", chain),
               Contains("'tail' has nodes \"three\"; expected a number from 1 to"));
    CHECK_THAT(complaint("[settings.tail]\nnumbers = { nodes = true }\n", chain),
               Contains("tails.toml:2:") && Contains("expected a number, or the name of a choice"));
    CHECK_THAT(complaint("[settings.tail]\n", chain), Contains("expected a key 'numbers'"));
    CHECK_THAT(
        complaint("[settings.tail]\nnumbers = { nodes = 3 }\n[tuning.tail]\nlead = 1\n", chain),
        Contains("tail"));
    CHECK_THROWS_WITH(
        save_settings(folder.write("x.toml", tails), {.name = "a b", .numbers = {{"nodes", 5}}}),
        Contains("'a b' cannot be a name"));
    CHECK_THROWS_WITH(save_settings(folder.write("x.toml", tails), {.name = "a"}),
                      Contains("have to have numbers"));
}

TEST_CASE("what is chosen is kept, given, blended and refused as numbers are", "[settings]") {
    const TestFolder folder;
    const std::string file = (folder.path() / "kept.toml").string();
    const std::string alone = R"([target.course]
moves = [{ at_s = 1, jump_to_m = [0, 0, 2] }]
[walker.crab]
target = "course"
legs = 6
step_order = "wave"
)";
    const std::string scene_file =
        folder.write("walk.toml", "tunings = \"kept.toml\"\n" + alone + R"(
[walker.other]
target = "course"
legs = 6
settings = "crab-ways"
[walker.own]
target = "course"
legs = 6
step_order = "trot"
settings = "crab-ways"
)");
    const auto order_of = [](const Scene& scene, const std::string& name) {
        for (const SceneDial& dial : dials_of(scene)) {
            if (dial.path == name + ".step_order")
                return value_in_words(dial, value_of(scene, dial));
        }
        return std::string{};
    };
    const Scene crab = read_scene(folder.write("crab.toml", alone));

    const NamedSettings kept =
        settings_of(crab.systems.front(), "crab-ways", {"step_order", "bob_m"});
    REQUIRE(kept.choices.size() == 1);
    CHECK(kept.choices.front().name == "wave");
    save_settings(file, kept);
    CHECK_THAT(contents_of(file), Contains("step_order = \"wave\""));
    REQUIRE(read_settings(file).size() == 1);
    CHECK(read_settings(file).front().choices.front().name == "wave");

    Scene scene = read_scene(scene_file);
    CHECK(order_of(scene, "other") == "wave");
    CHECK(order_of(scene, "own") == "trot");  // its table says so itself
    apply_settings(scene, "own", kept);
    CHECK(order_of(scene, "own") == "wave");
    const NamedSettings trot{.name = "trot", .choices = {{"step_order", "trot"}}};
    const SceneSystem& own = scene.systems.front();
    CHECK(blend(own, kept, trot, 0.4).choices.front().name == "wave");
    CHECK(blend(own, kept, trot, 0.6).choices.front().name == "trot");

    const NamedSettings odd{.name = "odd", .choices = {{"step_order", "wavy"}}};
    CHECK_THROWS_WITH(apply_settings(scene, "own", odd), Contains("did you mean 'wave'"));
    const NamedSettings none{.name = "none", .choices = {{"reach", "far"}}};
    CHECK_THROWS_WITH(apply_settings(scene, "own", none), Contains("reach"));
    folder.write("kept.toml", "[settings.crab-ways]\nnumbers = { step_order = \"wavy\" }\n");
    CHECK_THROWS_WITH(read_scene(scene_file), Contains("did you mean 'wave'") &&
                                                  Contains("crab-ways") && Contains("walk.toml:"));
}
