// Plants in scenes.

#include <algorithm>
#include <cmath>
#include <string>
#include <vector>

#include <catch2/catch.hpp>

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

const std::string garden = R"(
duration_s = 3
[wind.breeze]
mean_m_per_s = [3, 0, 0]
[target.cart]
start_m = [0, 0.5, 0]
moves = [{ sine_amplitude_m = [0.2, 0, 0], frequency_hz = 0.6 }]
[plant.tree]
to = "cart"
levels = 3
children = 2
wind = "breeze"
carried = [{ name = "nest", tip = 1 }]
pushes = [{ at_s = 1, for_s = 0.3, tip = 2, newtons = [0, 0, 0.5] }]
[follower.bird]
target = "tree.nest"
[plant.grass]
levels = 1
pieces = 3
bed = { count = 5, half_size_m = [1, 0, 1] }
wind = "breeze"
)";

Vector3 place(const Take& take, std::size_t row, const std::string& channel, std::size_t i = 0) {
    const auto numbers =
        take.row(row).subspan(take.columns_of(*take.find_channel(channel)).first + 3 * i, 3);
    return {numbers[0], numbers[1], numbers[2]};
}

double length_from_base(const Vector3& v) {
    return std::sqrt(dot(v, v));
}

}  // namespace

TEST_CASE("a plant in a scene is carried, pushed, and carries others", "[scene][plant]") {
    const TestFolder folder;
    const Scene scene = read_scene(folder.write("garden.toml", garden));
    const Take take = take_of(scene);
    const std::string tree = "tree.position_m";
    const Take::Columns columns = take.columns_of(*take.find_channel(tree));
    CHECK(columns.count == 3 * 15);
    for (std::size_t row = 0; row < take.row_count(); ++row) {
        CHECK(length_from_base(place(take, row, tree) - place(take, row, "cart.value_m")) < 1e-12);
        // Branches keep their length.
        const Vector3 piece = place(take, row, tree, 2) - place(take, row, tree, 1);
        CHECK(length_from_base(piece) == Approx(0.25).epsilon(1e-9));
    }
    // It starts in its rest shape, with what follows it where that is.
    CHECK(length_from_base(place(take, 0, "bird.value_m") -
                           place(take, 0, "tree.nest.position_m")) < 1e-12);
    // The push sends it to one side that nothing else drives it to.
    const Scene unpushed = read_scene(
        folder.write("calm.toml", std::string{garden}.replace(garden.find("newtons = [0, 0, 0.5]"),
                                                              21, "newtons = [0, 0, 0]")));
    const Take calm = take_of(unpushed);
    double furthest = 0;
    for (std::size_t row = 0; row < take.row_count(); ++row) {
        const double way =
            length_from_base(place(take, row, tree, 14) - place(calm, row, tree, 14));
        if (take.times_s()[row] < 1) CHECK(way == 0);
        furthest = std::max(furthest, way);
    }
    CHECK(furthest > 0.05);
}

TEST_CASE("a plant moves the same at every rate of a scene", "[scene][plant]") {
    const TestFolder folder;
    const Scene scene = read_scene(folder.write("garden.toml", garden));
    const auto at = [&](double rate) {
        Scene other = scene;
        other.rate_hz = rate;
        return take_of(other);
    };
    const Take slow = at(24);
    const Take quick = at(144);
    const std::string tree = "tree.position_m";
    double size = 0;
    for (std::size_t i = 1; i < 15; ++i)
        size = std::max(size, length_from_base(place(slow, 0, tree, i) - place(slow, 0, tree)));
    for (std::size_t row = 0; row < slow.row_count(); row += 12) {
        for (const std::size_t i : {7U, 14U}) {
            CHECK(length_from_base(place(slow, row, tree, i) - place(quick, 6 * row, tree, i)) <
                  0.01 * size);
        }
    }
}

TEST_CASE("a plant on a walker sways alike at every rate", "[scene][plant]") {
    const std::string hat = R"(
duration_s = 4
[target.way]
moves = [{ at_s = 0.3, through_m = [[2, 2, 0, 0], [4, 2.5, 0, 2]] }]
[walker.bearer]
target = "way"
[plant.hat]
to = "bearer"
facing = "bearer.facing"
at_m = [0, 0.5, 0]
levels = 3
)";
    const TestFolder folder;
    const Scene scene = read_scene(folder.write("hat.toml", hat));
    const auto fastest = [&](double rate) {
        Scene other = scene;
        other.rate_hz = rate;
        const Take take = take_of(other);
        const std::vector<double> speeds =
            take.column(take.columns_of(*take.find_channel("hat.tip_speed_m_per_s")).first);
        return *std::max_element(speeds.begin(), speeds.end());
    };
    const double usual = fastest(60);
    CHECK(usual < 5);
    for (const double rate : {24.0, 144.0, 480.0})
        CHECK(fastest(rate) == Approx(usual).epsilon(0.03));
}

TEST_CASE("a plant is a tree of tapered tubes in a model, and branches in pictures",
          "[scene][plant]") {
    const TestFolder folder;
    const Scene scene = read_scene(folder.write("garden.toml", garden));
    const Take take = take_of(scene);
    const io::BakedModel baked = io::model_of(take, model_channels_of(scene, take));
    REQUIRE(baked.model.skins.size() == 2);
    const io::ModelSkin& skin = baked.model.skins.front();
    CHECK(skin.joints == 15);
    CHECK(skin.positions.size() == skin.joint.size());
    for (const std::size_t joint : skin.joint)
        CHECK(joint < skin.joints);
    const auto lines = lines_of(scene, take);
    const auto grass = std::find_if(lines.begin(), lines.end(),
                                    [](const LineChannel& line) { return line.name == "grass"; });
    REQUIRE(grass != lines.end());
    CHECK(grass->view.parents.size() == 5 * 4);
    CHECK(grass->view.parents[5] == 4);
    CHECK(grass->view.radius_m.size() == 5 * 4);
}

TEST_CASE("a plant's dials turn while it sways; another shape starts anew", "[scene][plant]") {
    const TestFolder folder;
    Scene scene = read_scene(folder.write("garden.toml", garden));
    const auto system = static_cast<std::size_t>(
        std::find_if(scene.systems.begin(), scene.systems.end(),
                     [](const SceneSystem& each) { return each.name == "tree"; }) -
        scene.systems.begin());
    const auto dials = scene.systems[system].spec->dials();
    const auto index = [&](const std::string& path) {
        return static_cast<std::size_t>(
            std::find_if(dials.begin(), dials.end(),
                         [&](const SpecDial& dial) { return dial.path == path; }) -
            dials.begin());
    };
    SystemSpec& spec = *scene.systems[system].spec;
    CHECK(spec.set_dial(index("frequency_hz"), 2) == DialStatus::set);
    CHECK(spec.dial(index("frequency_hz")) == 2);
    CHECK(spec.set_dial(index("frequency_hz"), -1) == DialStatus::refused);
    const ValueArray before = LiveScene{scene}.output(system, 0, 14).value;
    CHECK(spec.set_dial(index("angle_rad"), 1.2) == DialStatus::set);
    CHECK_FALSE(LiveScene{scene}.output(system, 0, 14).value == before);
    // A plant of other branches has no place in what the scene records.
    CHECK(spec.set_dial(index("least_length_m"), 1) == DialStatus::refused);
}

TEST_CASE("what is wrong with a plant is said where it stands", "[scene][plant]") {
    const TestFolder folder;
    const auto complaint = [&](const std::string& table) {
        try {
            static_cast<void>(read_scene(folder.write("bad.toml", "[plant.p]\n" + table)));
        } catch (const std::exception& problem) {
            return std::string{problem.what()};
        }
        return std::string{};
    };
    CHECK(complaint("levels = 3\n").empty());
    CHECK_THAT(complaint("levels = 24\nchildren = 9\n"), Contains("at most 20000 pieces"));
    CHECK_THAT(complaint("variation = 2\n"), Contains("bad.toml:2") && Contains("variation"));
    CHECK_THAT(complaint("bed = { count = 900 }\n"), Contains("20000 branches"));
    CHECK_THAT(complaint("carried = [{ tip = 0 }]\n"), Contains("'name'"));
    CHECK_THAT(complaint("carried = [{ name = 'a', tip = 99 }]\n"), Contains("tip"));
    CHECK_THAT(complaint("pushes = [{ at_s = 1, newtons = [1, 2] }]\n"), Contains("newtons"));
    CHECK_THAT(complaint("branches = [{ from = 'trunk', end_m = [0, 1, 0] }]\n"),
               Contains("a branch before this one"));
    CHECK_THAT(complaint("branches = [{ end_m = [0, 0, 0] }]\n"), Contains("length"));
    CHECK(complaint("branches = [{ name = 'trunk', end_m = [0, 1, 0] }, "
                    "{ from = 'trunk', end_m = [0.3, 1.4, 0], radius_m = 0.005 }]\n"
                    "pushes = [{ branch = 'trunk', newtons = [1, 0, 0] }]\n")
              .empty());
}
