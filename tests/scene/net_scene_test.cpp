// Nets in scenes.

#include <algorithm>
#include <cmath>
#include <string>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/io/gltf.hpp>
#include <hopcoil/io/take_model.hpp>
#include <hopcoil/scene/live_scene.hpp>
#include <hopcoil/scene/run.hpp>
#include <hopcoil/scene/scene_dials.hpp>
#include <hopcoil/scene/scene_nodes.hpp>
#include <hopcoil/scene/system_report.hpp>

#include "support/files.hpp"
#include "support/scenes.hpp"

using namespace hopcoil;
using namespace hopcoil::scene;
using Catch::Matchers::Contains;

namespace {

const std::string washing = R"(
duration_s = 2
[target.pole]
start_m = [0.5, 2, 0]
moves = [{ sine_amplitude_m = [0.1, 0.05, 0.2], frequency_hz = 0.7 }]
[wind.sea]
mean_m_per_s = [0, 0, 3]
[net.sheet]
cloth = { columns = 9, rows = 9, stretch_n_per_m = 400 }
at_m = [0, 1.5, 0]
pins = [
  { where = "top_left", patch_m = 0.13 },
  { where = "top_right", patch_m = 0.13, to = "pole", until_s = 1.5 },
]
balls = [{ name = "float", at_m = [0, 3, 0], radius_m = 0.1, held_until_s = 0.5 }]
wind = "sea"
[follower.gull]
target = "sheet.80"
)";

std::string problems_of(const TestFolder& folder, const std::string& text) {
    try {
        static_cast<void>(scene_in(folder, text));
    } catch (const std::exception& problem) {
        return problem.what();
    }
    return "";
}

}  // namespace

TEST_CASE("a net in a scene goes with its pins, lets go in time and catches what falls",
          "[scene][net]") {
    const TestFolder folder;
    const Take take = take_of(scene_in(folder, washing));
    const std::string sheet = "sheet.position_m";
    // The right corner keeps its distance from the pole until it is let go.
    const std::size_t corner = 3 * 8;
    for (const std::size_t row : {0U, 30U, 60U, 88U}) {
        for (std::size_t k = 0; k < 3; ++k) {
            const double apart =
                number_in(take, row, sheet, corner + k) - number_in(take, row, "pole.value_m", k);
            const double at_start =
                number_in(take, 0, sheet, corner + k) - number_in(take, 0, "pole.value_m", k);
            CHECK(apart == Approx(at_start).margin(2e-3));
        }
    }
    const std::size_t last = take.row_count() - 1;
    CHECK(number_in(take, last, sheet, corner + 1) < number_in(take, 88, sheet, corner + 1) - 0.1);
    CHECK(number_in(take, 30, "sheet.float.position_m", 1) == 3);
    CHECK(number_in(take, last, "sheet.float.position_m", 1) < 2.5);
    // What follows a point of it is not far from it.
    for (std::size_t k = 0; k < 3; ++k)
        CHECK(number_in(take, last, "gull.value_m", k) ==
              Approx(number_in(take, last, sheet, 3 * 80 + k)).margin(0.8));
}

TEST_CASE("a heavy ball that is let go is caught, by the method that carries it", "[scene][net]") {
    const TestFolder folder;
    const Scene scene = scene_in(folder, R"(
duration_s = 3
[net.sheet]
cloth = { columns = 17, rows = 17, stretch_n_per_m = 2000, mass_kg_per_m2 = 0.2 }
turned_deg = [-90, 0, 0]
pins = [{ where = "top" }, { where = "bottom" }, { where = "left" }, { where = "right" }]
balls = [{ name = "stone", at_m = [0, 0.3, 0], radius_m = 0.12, mass_kg = 3, held_until_s = 0.2 }]
)");
    const Take take = take_of(scene);
    for (std::size_t row = 0; row < take.row_count(); ++row) {
        const double y = number_in(take, row, "sheet.stone.position_m", 1);
        CHECK(y > -0.3);
        CHECK(y <= 0.3 + 1e-9);
        if (take.times_s()[row] < 0.2) CHECK(y == 0.3);
    }
    CHECK_THAT(report_on(scene, take).at(0).words, Contains("implicit"));
}

TEST_CASE("a net hangs between several things that move, and lies on one of them", "[scene][net]") {
    const TestFolder folder;
    const Scene scene = scene_in(folder, R"(
duration_s = 1
[target.way]
start_m = [0, 2, 0]
moves = [{ at_s = 0.2, jump_to_m = [0, 2, 1] }]
[target.turn]
rotation = true
moves = [{ sine_amplitude_deg = [0, 20, 0], frequency_hz = 1 }]
[follower.left]
target = "way"
[follower.right]
target = "left"
[follower.yaw]
target = "turn"
[follower.roll]
target = "yaw"
[net.line]
rope = { length_m = 1, segments = 8 }
at_m = [0, 2, 0]
pins = [
  { where = "start", to = "left", facing = "yaw" },
  { where = "end", to = "right", facing = "roll" },
]
shapes = [{ type = "box", half_size_m = [0.1, 0.1, 0.1], to = "left", facing = "yaw" }]
)");
    const Take take = take_of(scene);
    // What is used twice is recorded once, what is different under names of its own.
    for (const char* name :
         {"line.target.value_m", "line.target.value", "line.target2.value_m", "line.target2.value"})
        CHECK(take.find_channel(name).has_value());
    CHECK_FALSE(take.find_channel("line.target3.value_m").has_value());
    const auto place = [&](const char* channel, std::size_t point) {
        const std::size_t at = take.columns_of(*take.find_channel(channel)).first + 3 * point;
        const auto row = take.row(take.row_count() - 1);
        return Vector3{row[at], row[at + 1], row[at + 2]};
    };
    const Vector3 start = place("line.position_m", 0);
    const Vector3 end = place("line.position_m", 8);
    CHECK(length_of(start - place("left.value_m", 0)) < 1.01);
    CHECK(start.z > 0.8);
    CHECK(end.z > 0.5);
    CHECK(end.z < start.z);
}

TEST_CASE("a net that something carries starts in its frame, and its pins go along",
          "[scene][net]") {
    const TestFolder folder;
    const Take take = take_of(scene_in(folder, R"(
duration_s = 1.5
[target.head]
start_m = [3, 4, -2]
moves = [{ sine_amplitude_m = [0.2, 0, 0.1], frequency_hz = 0.8 }]
[target.turn]
rotation = true
start_deg = [0, 90, 0]
moves = [{ at_s = 0.2, ramp_to_deg = [0, 150, 10], over_s = 1 }]
[net.flag]
to = "head"
facing = "turn"
cloth = { columns = 7, rows = 5, width_m = 0.6, height_m = 0.4 }
at_m = [0.3, -0.2, 0]
pins = [{ where = "left" }, { where = "bottom_right", to = "head", until_s = 0.1 }]
[net.halyard]
to = "head"
rope = { segments = 6, length_m = 1.5, end_m = [0, -1, 0.5] }
pins = [{ where = "start" }]
)"));
    const auto place_of = [&](std::size_t row, const std::string& channel, std::size_t i = 0) {
        return Vector3{number_in(take, row, channel, 3 * i),
                       number_in(take, row, channel, 3 * i + 1),
                       number_in(take, row, channel, 3 * i + 2)};
    };
    // A quarter turn to the left takes +X to -Z: the sheet's right half lies there.
    const Vector3 right = place_of(0, "flag.position_m", 6) - place_of(0, "head.value_m");
    CHECK(right.x == Approx(0).margin(1e-9));
    CHECK(right.z == Approx(-0.6).margin(1e-9));
    const Vector3 end = place_of(0, "halyard.position_m", 6) - place_of(0, "head.value_m");
    CHECK(end.y == Approx(-1).margin(1e-9));
    CHECK(end.z == Approx(0.5).margin(1e-9));
    for (std::size_t row = 0; row < take.row_count(); ++row) {
        const Quaternion turn{
            number_in(take, row, "turn.value", 0), number_in(take, row, "turn.value", 1),
            number_in(take, row, "turn.value", 2), number_in(take, row, "turn.value", 3)};
        const Vector3 head = place_of(row, "head.value_m");
        for (std::size_t i = 0; i < 5; ++i) {
            const Vector3 held = head + rotated(turn, {0, -0.1 * static_cast<double>(i), 0});
            const Vector3 gap = place_of(row, "flag.position_m", 7 * i) - held;
            CHECK(std::sqrt(dot(gap, gap)) < 2e-4);  // shown between its own steps
        }
        const Vector3 tied = place_of(row, "halyard.position_m") - head;
        CHECK(std::sqrt(dot(tied, tied)) < 2e-4);
    }
}

TEST_CASE("a net moves the same at every rate, and on from a kept state", "[scene][net]") {
    const TestFolder folder;
    for (const std::string method : {"forces", "positions", "implicit"}) {
        std::string text = washing;
        text.replace(text.find("wind = "), 0, "method = \"" + method + "\"\n");
        if (method == "implicit")
            text.erase(text.find("balls"), text.find("wind = ") - text.find("balls"));
        Scene scene = scene_in(folder, text);
        scene.systems.pop_back();  // alone, without what follows it
        const Take slow = take_of(scene);
        scene.rate_hz = 180;
        const Take quick = take_of(scene);
        // Until the float lands in it: in folds any difference grows.
        double worst = 0;
        for (std::size_t row = 0; row <= 54; ++row) {
            for (std::size_t k = 0; k < 243; ++k)
                worst = std::max(worst, std::abs(number_in(slow, row, "sheet.position_m", k) -
                                                 number_in(quick, 3 * row, "sheet.position_m", k)));
        }
        INFO(method);
        CHECK(worst < 1e-5);  // where pins go between rows is known a little better
    }
    Scene scene = scene_in(folder, washing);
    LiveScene live{scene};
    live.advance_to(0.8);
    const auto kept = live.save();
    live.advance_to(1.7);
    const std::vector<double> wanted(live.row().begin(), live.row().end());
    REQUIRE(live.load(kept));
    live.advance_to(1.7);
    CHECK(std::equal(wanted.begin(), wanted.end(), live.row().begin()));
}

TEST_CASE("a hand pulls a point of a net until it lets go", "[scene][net]") {
    const TestFolder folder;
    LiveScene live{scene_in(folder, washing)};
    const ValueArray place{{0.2, 1, 0.6}};
    REQUIRE(live.grab(1, place, 0, 80));
    live.advance_to(1.4);
    const ValueArray pulled = live.output(1, 0, 80).value;
    CHECK(pulled[2] == Approx(0.6).margin(0.15));
    CHECK(live.grab(1, std::nullopt));
    live.advance_to(2);
    CHECK(std::abs(live.output(1, 0, 80).value[2] - 0.6) > 0.1);
    CHECK_FALSE(live.grab(2, place));  // a follower has no point to be pulled
    CHECK_FALSE(live.grab(1, place, 0, 81));
}

TEST_CASE("a net's dials are turned while it moves", "[scene][net]") {
    const TestFolder folder;
    Scene scene = scene_in(folder, washing);
    const auto all = dials_of(scene);
    const auto named = [&](const std::string& path) {
        return std::any_of(all.begin(), all.end(),
                           [&](const SceneDial& dial) { return dial.path == path; });
    };
    for (const char* path : {"sheet.cloth.stretch_n_per_m", "sheet.cloth.bending_n_m",
                             "sheet.friction", "sheet.damping_factor"})
        CHECK(named(path));
    // Softer while it hangs: it goes on from where it is, and sags.
    LiveScene live{scene};
    live.advance_to(1);
    const ValueArray before = live.output(1, 0, 80).value;
    for (const SceneDial& dial : all) {
        if (dial.path == "sheet.cloth.stretch_n_per_m")
            CHECK(live.set(dial, 20) == DialStatus::set);
    }
    CHECK(live.output(1, 0, 80).value == before);
    live.advance_to(1.4);
    CHECK(live.output(1, 0, 80).value[1] < before[1] - 0.05);
}

TEST_CASE("a cloth becomes a mesh of a model, which goes from shape to shape", "[scene][net]") {
    const TestFolder folder;
    const Scene scene = scene_in(folder, washing);
    const Take take = take_of(scene);
    const io::BakedModel model = io::model_of(take, model_channels_of(scene, take));
    REQUIRE(model.model.meshes.size() == 1);
    const io::ModelMesh& mesh = model.model.meshes.front();
    CHECK(mesh.triangles.size() == 128);
    CHECK(mesh.shapes.size() == mesh.times_s.size());
    CHECK(mesh.shapes.size() > 50);
    CHECK(mesh.texture.size() == 81);
    CHECK(mesh.shapes.back().positions[80][1] ==
          Approx(number_in(take, take.row_count() - 1, "sheet.position_m", 3 * 80 + 1)));
    const std::string file = (folder.path() / "sheet.glb").string();
    io::write_model(file, model.model);
    CHECK(io::read_triangles(file).corners.size() >= 81);
}

TEST_CASE("a net is reported with its method, stretch and energy", "[scene][net]") {
    const TestFolder folder;
    const Scene scene = scene_in(folder, washing);
    const Take take = take_of(scene);
    for (const SystemReport& report : report_on(scene, take)) {
        if (report.name != "sheet") continue;
        CHECK_THAT(report.words, Contains("cloth of 1 x 1 m"));
        CHECK(report.figures[0].key == "largest_stretch_percent");
        CHECK(report.figures[0].value > 0);
        CHECK(report.charts.size() == 2);
        CHECK(report.components.size() == 2);
    }
    const auto limits = scene.systems[1].spec->step_limits();
    REQUIRE(limits.size() == 9);
    CHECK(limits[1].stable_below_s > 1e-4);
    CHECK(std::count_if(limits.begin(), limits.end(),
                        [](const StepLimit& limit) { return limit.is_chosen; }) == 1);
}

TEST_CASE("ropes, balls and nets of one's own are read, and what is wrong with them is said",
          "[scene][net]") {
    const TestFolder folder;
    const std::string rope = R"(
duration_s = 1
[ground.quay]
[net.line]
rope = { length_m = 1.2, segments = 12, end_m = [1, 2, 0] }
at_m = [0, 2, 0]
pins = [{ where = "start" }, { where = "end" }]
forces = [{ points = [6], newtons = [0, -1, 0] }]
[net.buoy]
soft_ball = { radius_m = 0.2, refinement = 1 }
at_m = [0, 1, 0]
ground = "quay"
[net.frame]
own_points = [{ at_m = [0, 3, 0] }, { at_m = [1, 3, 0] }, { at_m = [1, 4, 0], mass_kg = 2 }]
links = [{ from = 0, to = 1 }, { from = 1, to = 2, type = "rope" }]
bends = [{ from = 0, middle = 1, to = 2, angle_deg = 90 }]
pins = [{ points = [0, 1] }]
shapes = [{ type = "plane", at_m = [0, 2, 0] }]
)";
    const Take take = take_of(scene_in(folder, rope));
    const std::size_t last = take.row_count() - 1;
    CHECK(number_in(take, last, "line.position_m", 3 * 12) == 1);
    CHECK(number_in(take, last, "line.position_m", 3 * 6 + 1) < 1.75);
    CHECK(number_in(take, last, "buoy.position_m", 1) > 0);
    CHECK(number_in(take, last, "frame.position_m", 7) > 2);

    const auto complaint = [&](const std::string& table) {
        return problems_of(folder, "[net.n]\n" + table);
    };
    CHECK_THAT(complaint(""), Contains("expected one of the keys 'cloth'"));
    CHECK_THAT(complaint("cloth = {}\nrope = {}"), Contains("expected one of the keys 'cloth'"));
    CHECK_THAT(complaint("cloth = { colums = 3 }"), Contains("did you mean 'columns'"));
    CHECK_THAT(complaint("cloth = { columns = 1 }"), Contains("columns"));
    CHECK_THAT(complaint("cloth = { columns = 900, rows = 900 }"), Contains("found 810000"));
    CHECK_THAT(complaint("cloth = { stretch_n_per_m = -1 }"), Contains("stretch_n_per_m"));
    CHECK_THAT(complaint("cloth = {}\nmethod = 'magic'"), Contains("positions"));
    CHECK_THAT(complaint("cloth = {}\npins = [{ where = 'start' }]"), Contains("an edge or"));
    CHECK_THAT(complaint("rope = {}\npins = [{ where = 'top' }]"), Contains("'start' or 'end'"));
    CHECK_THAT(complaint("cloth = {}\npins = [{ points = [9999] }]"), Contains("found 9999"));
    CHECK_THAT(complaint("cloth = {}\npins = [{ }]"), Contains("'where' or 'points'"));
    CHECK_THAT(complaint("cloth = {}\nballs = [{ name = 'a', at_m = [0, 0, 0], radius_m = -1 }]"),
               Contains("radius_m"));
    CHECK_THAT(complaint("cloth = {}\nfriction = nan"), Contains("friction"));
}

TEST_CASE("a body of points is thrown, turns as it was told, and is followed where it faces",
          "[net]") {
    const TestFolder folder;
    const std::string crate = R"(
duration_s = 1.5
[ground.quay]
[net.crate]
at_m = [0, 1.5, 0]
gravity_m_per_s2 = 9.8
air_density_kg_per_m3 = 0
ground = "quay"
body = { half_size_m = [0.25, 0.15, 0.2], mass_kg = 4, velocity_m_per_s = [2.5, 2, 0], turn_rate_deg_per_s = [0, 0, -120]LIMBS }
balls = [{ name = "float", at_m = [0, 3, 5], velocity_m_per_s = [1, 0, -2], held_until_s = 0.1 }]
[pose.gull]
position = "crate.middle"
rotation = "crate.facing"
)";
    const auto with = [&](const std::string& limbs) {
        std::string text = crate;
        text.replace(text.find("LIMBS"), 5, limbs);
        return text;
    };
    const Scene scene = scene_in(folder, with(""));
    const Take take = take_of(scene);
    const auto at = [&](const Take& of, const std::string& name, std::size_t row) {
        return of.row(row)[of.find_column(name).value()];
    };
    for (const std::size_t row : {6U, 18U, 30U}) {
        const double t = static_cast<double>(row) / 60;
        CAPTURE(t);
        CHECK(at(take, "crate.middle.position_m.x", row) == Approx(2.5 * t).margin(1e-6));
        CHECK(at(take, "crate.middle.position_m.y", row) ==
              Approx(1.5 + 2 * t - 4.9 * t * t).margin(0.01));
        const double thrown_s = std::max(0.0, t - 0.1);
        CHECK(at(take, "crate.float.position_m.x", row) == Approx(thrown_s).margin(1e-3));
        CHECK(at(take, "crate.float.position_m.z", row) == Approx(5 - 2 * thrown_s).margin(1e-3));
        const double angle = -120 * t * std::acos(-1.0) / 180;
        CHECK(at(take, "crate.facing.value.w", row) == Approx(std::cos(angle / 2)).margin(0.01));
        CHECK(at(take, "crate.facing.value.z", row) == Approx(std::sin(angle / 2)).margin(0.01));
    }
    // It lies on the ground in the end, on one of its sides.
    CHECK(at(take, "crate.middle.position_m.y", take.row_count() - 1) < 0.3);
    CHECK(at(take, "gull.position.value_m.x", take.row_count() - 1) > 1);

    const Scene limbed =
        scene_in(folder, with(", limbs = [{ on = 'left' }, { on = 'right', length_m = "
                              "0.8, segments = 9 }]"));
    const auto found = std::find_if(limbed.systems.begin(), limbed.systems.end(),
                                    [](const auto& each) { return each.name == "crate"; });
    REQUIRE(found != limbed.systems.end());
    CHECK(found->spec->outputs().front().count == 6 + 7 + 10);
    const std::vector<View> views = found->spec->views();
    REQUIRE(views.size() == 3);  // its box, its limbs, the float
    CHECK(views[1].parents[6] == 1);
    CHECK(views[1].parents[13] == 0);
    const Take flown = take_of(limbed);
    double longest = 0;
    for (std::size_t row = 0; row < flown.row_count(); ++row)
        longest = std::max(longest, at(flown, "crate.largest_stretch", row));
    CHECK(longest < 0.2);
    const std::string model = (folder.path() / "crate.glb").string();
    io::write_model(model, io::model_of(flown, model_channels_of(limbed, flown)).model);
    CHECK(io::read_nodes(model).size() >= 2);

    CHECK_THAT(problems_of(folder, with(", limbs = [{ on = 'top' }]")), Contains("limbs[0].on"));
    CHECK_THAT(problems_of(folder, with(", limbs = [{ length_m = 1 }]")), Contains("'on'"));
    CHECK_THAT(problems_of(folder, with("") + "[net.other]\nbody = { mass_kg = -1 }\n"),
               Contains("mass_kg"));
}
