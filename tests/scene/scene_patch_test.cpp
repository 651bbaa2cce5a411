// Parameters written back into a scene's files: those, and nothing else.

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <string>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/scene/scene_dials.hpp>
#include <hopcoil/scene/scene_patch.hpp>

#include "support/files.hpp"

using namespace hopcoil;
using namespace hopcoil::scene;
using Catch::Matchers::Contains;

namespace {

/// The shipped scenes in a folder of their own.
class CopiedQuay {
  public:
    CopiedQuay() { std::filesystem::copy(SCENES "/quay", folder_.path() / "quay"); }
    [[nodiscard]] std::string file(const std::string& name) const {
        return (folder_.path() / "quay" / name).string();
    }

  private:
    TestFolder folder_;
};

std::size_t comments_in(const std::string& text) {
    return static_cast<std::size_t>(std::count(text.begin(), text.end(), '#'));
}

double value_at(const Scene& scene, const std::string& path) {
    for (const SceneDial& dial : dials_of(scene)) {
        if (dial.path == path) return value_of(scene, dial);
    }
    FAIL("no dial " << path);
    return 0;
}

/// A scene of a hook and what comes under it.
std::string hung_on_hook(const std::string& rest) {
    std::string text{"[target.hook]\nmoves = [{ at_s = 1, jump_to = 1 }]\n"};
    text += rest;
    return text;
}

/// A scene with one number changed, written and read again.
std::string patched(const std::string& text, const std::vector<SceneNumber>& values) {
    const TestFolder folder;
    const std::string file = folder.write("scene.toml", text).string();
    Scene scene = read_scene(file);
    set_values(scene, values);
    CHECK(write_changes(scene) == std::vector<std::string>{file});
    return contents_of(file);
}

}  // namespace

TEST_CASE("every number of every shipped scene can be written back, one at a time",
          "[patch][long]") {
    for (const std::string name :
         {"vane.toml", "boom_lamp.toml", "skiff.toml", "tide_dial.toml", "streamer.toml",
          "mud_crab.toml", "lamplighter.toml", "quay_dog.toml"}) {
        const CopiedQuay quay;
        const std::string file = quay.file(name);
        const std::string original = contents_of(file);
        for (const SceneDial& dial : dials_of(read_scene(file))) {
            CAPTURE(name, dial.path);
            Scene scene = read_scene(file);
            const double now = value_of(scene, dial);
            const double wanted = now == 0 ? 0.01 : 1.01 * now;
            if (set_value(scene, dial, wanted) != DialStatus::set) continue;
            REQUIRE(write_changes(scene) == std::vector<std::string>{file});
            const double set = value_of(scene, dial);  // a whole number is rounded
            CHECK(std::fabs(set - wanted) <=
                  (dial.path.ends_with(".nodes") ? 0.5 : 1e-12 * std::fabs(wanted)));
            CHECK(value_at(read_scene(file), dial.path) == Approx(set).epsilon(1e-12));
            CHECK(comments_in(contents_of(file)) == comments_in(original));
            std::ofstream{file} << original;
        }
    }
}

TEST_CASE("a number is replaced where it stands; what is beside it stays", "[patch]") {
    const std::string text =
        "# the lamp\n[target.hook]\nstart_m = 0  # here\nmoves = [{ at_s = 1, jump_to_m = 0.5 "
        "}]\n\n"
        "[follower.lamp]  # brass, \xc3\xa9tam\xc3\xa9\ntarget = \"hook\"\n"
        "tuning = { frequency_hz = 2, damping_ratio = 0.3 }  # lively\n";
    std::string expected = text;
    expected.replace(expected.find("0.3"), 3, "0.45");
    expected.replace(expected.find("jump_to_m = 0.5") + 12, 3, "0.75");
    CHECK(patched(text, {{"lamp.damping_ratio", 0.45}, {"hook.moves.0.jump_to_m", 0.75}}) ==
          expected);
}

TEST_CASE("a choice is written by its name", "[patch]") {
    const std::string head = "[target.way]\nstart_m = [0, 0, 0]\nmoves = []\n\n[walker.cat]\n";
    const std::string said = head + "target = \"way\"\nstep_order = \"trot\"  # quick\n";
    std::string expected = said;
    expected.replace(expected.find("trot"), 4, "pace");
    CHECK(patched(said, {{"cat.step_order", 7}}) == expected);
    CHECK(patched(head + "target = \"way\"\n", {{"cat.step_order", 12}}) ==
          head + "step_order = \"by_speed\"\ntarget = \"way\"\n");
}

TEST_CASE("a tuning by wish, by name or not said at all becomes its numbers", "[patch]") {
    const std::string numbers = "tuning = { frequency_hz = 3, damping_ratio = ";
    CHECK_THAT(patched(hung_on_hook("[follower.lamp]\ntarget = \"hook\"\n"
                                    "tuning = { overshoot_percent = 12, settling_time_s = 0.4 }\n"),
                       {{"lamp.frequency_hz", 3}}),
               Contains(numbers));
    CHECK_THAT(patched(hung_on_hook("[follower.lamp]\ntarget = \"hook\"\ntuning = \"lively\"\n"),
                       {{"lamp.frequency_hz", 3}}),
               Contains(numbers) && !Contains("lively"));
    CHECK_THAT(
        patched(hung_on_hook("[follower.lamp]\ntarget = \"hook\"\n"), {{"lamp.frequency_hz", 3}}),
        Contains("[follower.lamp]\n" + numbers));
    CHECK_THAT(patched(hung_on_hook("[cascade.string]\ntarget = \"hook\"\n"
                                    "links = [{ name = \"a\" , tuning = \"lively\" }]\n"),
                       {{"string.a.frequency_hz", 3}}),
               Contains("{ name = \"a\" , " + numbers));
}

TEST_CASE("keys keep their units", "[patch]") {
    const std::string text = patched(
        "[target.mark]\nstart_deg = 0\nmoves = [{ at_s = 1, jump_to_deg = 30 "
        "}]\n[pursuit.needle]\ntarget = \"mark\"\n"
        "max_speed_deg_per_s = 90\n",
        {{"needle.max_speed", 0.5 * 3.14159265358979323846}});
    CHECK_THAT(text, Contains("max_speed_deg_per_s = 90"));
    const std::string glide = patched(
        "[target.mark]\nmoves = [{ at_s = 1, jump_to_deg = 30 }]\n[glide.needle]\ntarget = "
        "\"mark\"\n",
        {{"needle.half_life_s", 0.25}});
    CHECK_THAT(glide, Contains("[glide.needle]\nhalf_life_s = 0.25\n"));
}

TEST_CASE("numbers in included files are written there", "[patch]") {
    const TestFolder folder;
    folder.write("common.toml", "[target.hook]\nmoves = [{ at_s = 1, jump_to = 1 }]\n");
    const std::string file =
        folder
            .write("scene.toml", "include = \"common.toml\"\n[follower.lamp]\ntarget = \"hook\"\n")
            .string();
    Scene scene = read_scene(file);
    set_values(scene, {{"hook.moves.0.at_s", 2}});
    const auto written = write_changes(scene);
    REQUIRE(written.size() == 1);
    CHECK_THAT(contents_of(folder.path() / "common.toml"), Contains("at_s = 2"));
}

TEST_CASE("what has no place of its own is refused, and the file stays as it is", "[patch]") {
    const TestFolder folder;
    const std::string text =
        "target.hook = { moves = [{ at_s = 1, jump_to = 1 }] }\nfollower.lamp = { target = "
        "\"hook\" }\n";
    const std::string file = folder.write("scene.toml", text).string();
    Scene scene = read_scene(file);
    set_values(scene, {{"lamp.lead", 1}});
    CHECK_THROWS_WITH(write_changes(scene), Contains("lamp.lead"));
    CHECK(contents_of(file) == text);
}

TEST_CASE("several values are set together or not at all", "[patch]") {
    const CopiedQuay quay;
    Scene scene = read_scene(quay.file("skiff.toml"));
    const double before = value_at(scene, "lantern.frequency_hz");
    CHECK_THROWS_WITH(set_values(scene, {{"lantern.frequency_hz", 3}, {"lantern.led", 1}}),
                      Contains("did you mean 'lantern.lead'?"));
    CHECK_THROWS_WITH(set_values(scene, {{"lantern.frequency_hz", 3}, {"lantern.lead", NAN}}),
                      Contains("lantern.lead cannot be nan"));
    CHECK_THROWS(set_values(scene, {{"lantern.frequency_hz", 3}, {"course.moves.0.at_s", -1}}));
    CHECK(value_at(scene, "lantern.frequency_hz") == before);
    set_values(scene, {{"lantern.frequency_hz", 3}, {"course.moves.0.at_s", 0.75}});
    CHECK(value_at(scene, "lantern.frequency_hz") == 3);
    CHECK(value_at(scene, "course.moves.0.at_s") == 0.75);
}
