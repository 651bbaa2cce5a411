#include <cmath>
#include <cstdint>
#include <cstring>
#include <string>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/base/quaternion.hpp>
#include <hopcoil/io/file_problems.hpp>
#include <hopcoil/io/gltf.hpp>
#include <hopcoil/scene/run.hpp>
#include <hopcoil/scene/scene.hpp>
#include <hopcoil/scene/scene_nodes.hpp>
#include <hopcoil/take/take.hpp>

#include "support/files.hpp"
#include "support/random.hpp"
#include "support/vectors.hpp"

using namespace hopcoil;
using namespace hopcoil::io;
using namespace hopcoil::scene;
using Catch::Matchers::Contains;

namespace {

io::NodeTrack random_track(Random& random, const std::string& node, io::TrackKind kind,
                           io::NodeTrack::Between between) {
    io::NodeTrack track{.node = node, .kind = kind, .between = between};
    double time_s = 0;
    for (int i = 0; i < 40; ++i) {
        const auto row = [&] {
            std::array<double, 4> numbers{};
            for (std::size_t k = 0; k < size_of(kind); ++k)
                numbers[k] = random.between(-2, 2);
            if (kind != io::TrackKind::rotation) return numbers;
            const Quaternion q = normalized({numbers[0], numbers[1], numbers[2], numbers[3]});
            return std::array{q.w, q.x, q.y, q.z};
        };
        track.times_s.push_back(time_s += random.between(0.01, 0.3));
        track.values.push_back(row());
        if (between != io::NodeTrack::Between::cubic) continue;
        track.slopes_before.push_back(row());
        track.slopes_after.push_back(row());
    }
    return track;
}

void check_near(const std::vector<std::array<double, 4>>& a,
                const std::vector<std::array<double, 4>>& b) {
    REQUIRE(a.size() == b.size());
    for (std::size_t i = 0; i < a.size(); ++i) {
        for (std::size_t k = 0; k < 4; ++k)
            CHECK(a[i][k] == Approx(b[i][k]).epsilon(1e-7).margin(1e-7));  // a float's precision
    }
}

std::string complaint_about_model(const std::string& text, const char* name = "test.gltf") {
    const TestFolder folder;
    try {
        static_cast<void>(io::read_animations(folder.write(name, text)));
        return {};
    } catch (const std::runtime_error& problem) {
        return problem.what();
    }
}

/// One channel of a node named gull with times 0 and 1; what is in its place of `@` varies.
std::string gltf_with(const std::string& from, const std::string& to) {
    std::string text = R"({"asset": {"version": "2.0"}, "nodes": [{"name": "gull"}],
"buffers": [{"byteLength": 32,
  "uri": "data:application/octet-stream;base64,AAAAAAAAgD8AAAAAAAAAAAAAAAAAAIA/AAAAQAAAQEA="}],
"bufferViews": [{"buffer": 0, "byteLength": 8}, {"buffer": 0, "byteOffset": 8, "byteLength": 24}],
"accessors": [{"bufferView": 0, "componentType": 5126, "count": 2, "type": "SCALAR"},
              {"bufferView": 1, "componentType": 5126, "count": 2, "type": "VEC3"}],
"animations": [{"name": "fly", "samplers": [{"input": 0, "output": 1}],
  "channels": [{"sampler": 0, "target": {"node": 0, "path": "translation"}}]}]})";
    const std::size_t at = text.find(from);
    if (at != std::string::npos) text.replace(at, from.size(), to);
    return text;
}

}  // namespace

TEST_CASE("a model that is written and read back has the same tracks", "[gltf]") {
    Random random{5};
    using Between = io::NodeTrack::Between;
    io::Model model{.animation = "dusk", .made_by = R"({"scene": "quay", "seed": 7})"};
    for (const Between between : {Between::straight, Between::step, Between::cubic}) {
        io::ModelNode node{.name = "node \"" + std::to_string(static_cast<int>(between)) + "\""};
        for (const io::TrackKind kind :
             {io::TrackKind::translation, io::TrackKind::rotation, io::TrackKind::scale})
            node.tracks.push_back(random_track(random, node.name, kind, between));
        model.nodes.push_back(node);
    }
    const TestFolder folder;
    for (const char* name : {"model.gltf", "model.glb"}) {
        io::write_model(folder.path() / name, model);
        const auto animations = io::read_animations(folder.path() / name);
        REQUIRE(animations.size() == 1);
        CHECK(animations[0].name == "dusk");
        REQUIRE(animations[0].tracks.size() == 9);
        for (std::size_t i = 0; i < 9; ++i) {
            const io::NodeTrack& read = animations[0].tracks[i];
            const io::NodeTrack& written = model.nodes[i / 3].tracks[i % 3];
            CHECK(read.node == written.node);
            CHECK(read.kind == written.kind);
            CHECK(read.between == written.between);
            REQUIRE(read.times_s.size() == written.times_s.size());
            for (std::size_t k = 0; k < read.times_s.size(); ++k)
                CHECK(read.times_s[k] == Approx(written.times_s[k]).epsilon(1e-7));
            check_near(read.values, written.values);
            check_near(read.slopes_before, written.slopes_before);
            check_near(read.slopes_after, written.slopes_after);
        }
    }
    CHECK_THAT(contents_of(folder.path() / "model.gltf"), Contains("\"extras\"") &&
                                                              Contains("\"seed\": 7") &&
                                                              Contains("\"scene\": \"quay\""));
    CHECK_THROWS_AS(io::write_model(folder.path() / "model.obj", model), std::invalid_argument);
    model.made_by = "[]";
    CHECK_THROWS_WITH(io::write_model(folder.path() / "x.glb", model),
                      Contains("not a JSON object"));
    model.made_by.clear();
    model.nodes[0].tracks[0].times_s[3] = model.nodes[0].tracks[0].times_s[2];
    CHECK_THROWS_WITH(io::write_model(folder.path() / "x.glb", model), Contains("times that rise"));
    CHECK(folder.file_count() == 2);
}

TEST_CASE("solids have their colour and all of their corners in a model", "[gltf]") {
    io::Model model{.animation = "still"};
    io::ModelNode box{.name = "box", .has_marker = false, .colour = std::array{0.5, 1.0, 0.0}};
    box.solid = {{{0, 0, 0}, {0, 0, 1}, {1, 0, 1}, {1, 0, 0}}, {{0, 1, 2, 3}}};
    model.nodes.push_back(box);
    // More corners than two bytes can count.
    io::ModelNode field{.name = "field", .has_marker = false};
    for (std::size_t i = 0; i < 24'000; ++i) {
        const auto x = static_cast<double>(i);
        field.solid.corners_m.insert(field.solid.corners_m.end(),
                                     {{x, 0, 0}, {x, 0, 1}, {x + 1, 0.5, 0}});
        field.solid.faces.push_back({3 * i, 3 * i + 1, 3 * i + 2});
    }
    model.nodes.push_back(field);
    const TestFolder folder;
    const std::string file = folder.path() / "ground.gltf";
    io::write_model(file, model);
    CHECK_THAT(contents_of(file), Contains("baseColorFactor"));
    const io::TriangleMesh mesh = io::read_triangles(file);
    REQUIRE(mesh.triangles.size() == 2 + 24'000);
    for (std::size_t i = 0; i < 24'000; i += 997) {
        const auto corner = [&](std::size_t k) {
            return mesh.corners.at(mesh.triangles[2 + i].at(k));
        };
        CHECK(corner(0)[0] == static_cast<double>(i));
        CHECK(corner(2)[1] == 0.5);
    }
}

TEST_CASE("a scene's motion in a model, followed in another scene, is the same motion", "[gltf]") {
    const TestFolder folder;
    const Scene scene = read_scene(folder.write("first.toml", R"(
duration_s = 4
[target.perch]
moves = [{ at_s = 0.5, through_m = [[1.5, 2, 2.5, 1], [3, 4, 1, 2]] }]
[target.bank]
rotation = true
moves = [{ at_s = 0.5, ramp_to_deg = [0, 90, 30], over_s = 1 }]
[target.puff]
start = 1
moves = [{ at_s = 2, jump_to = 1.5 }]
[pose.gull]
position = "perch"
rotation = "bank"
scale = "puff"
[target.wind]
angle = true
moves = [{ at_s = 1, jump_to_deg = 200 }]
[follower.vane]
target = "wind"
)"));
    Take take;
    run(scene, take);
    const auto nodes = nodes_of(scene, take);
    REQUIRE(nodes.size() == 2);
    CHECK(nodes[0].name == "gull");
    CHECK((nodes[0].position && nodes[0].rotation && nodes[0].scale));
    CHECK(nodes[1].name == "vane");
    const auto by_names = nodes_of(take);
    REQUIRE(by_names.size() == 2);
    CHECK(by_names[0].position == nodes[0].position);
    CHECK(by_names[0].scale == nodes[0].scale);

    for (const KeyShape shape : {KeyShape::cubic, KeyShape::straight}) {
        const io::BakedModel baked = io::model_of(
            take, {nodes},
            {.distance = KeyReductionSettings{1e-3, shape}, .angle_rad = 0.1 * 3.14159265 / 180});
        CHECK(baked.keys * 5 < baked.samples);
        CHECK(baked.largest_error_m <= 1e-3);
        CHECK(baked.largest_error_rad <= 0.1 * 3.14159266 / 180);
        io::write_model(folder.path() / "gull.glb", baked.model);
        const Scene again = read_scene(folder.write("second.toml", R"(
duration_s = 4
[target.place]
gltf = "gull.glb"
node = "gull"
[target.turn]
gltf = "gull.glb"
node = "gull"
track = "rotation"
[target.size]
gltf = "gull.glb"
node = "gull"
track = "scale"
[follower.camera]
target = "place"
[follower.tail]
target = "turn"
[follower.balloon]
target = "size"
size = true
)"));
        Take other;
        run(again, other);
        const auto largest_gap = [&](const char* a, const char* b) {
            const auto first = take.column(*take.find_column(a));
            const auto second = other.column(*other.find_column(b));
            double gap = 0;
            for (std::size_t i = 0; i < first.size(); ++i)
                gap = std::max(gap, std::abs(first[i] - second[i]));
            return gap;
        };
        CHECK(largest_gap("gull.position.value_m.x", "place.value_m.x") < 1.01e-3);
        CHECK(largest_gap("gull.position.value_m.z", "place.value_m.z") < 1.01e-3);
        CHECK(largest_gap("gull.rotation.value.y", "turn.value.y") < 1.01e-3);
        CHECK(largest_gap("gull.scale.value", "size.value.y") < 1.01e-3);
    }
    // Without a tolerance there is a key for each row.
    const io::BakedModel whole = io::model_of(take, {nodes});
    CHECK(whole.keys == whole.samples);
    CHECK(whole.model.nodes[0].tracks[0].times_s.size() == take.row_count());
}

TEST_CASE("a chain is a tube that bends with its nodes, square to it at every moment", "[gltf]") {
    const TestFolder folder;
    const Scene scene = read_scene(folder.write("tail.toml", R"(
duration_s = 3
[target.hand]
moves = [{ at_s = 0.2, through_m = [[0.8, 1, 0.3, 0], [1.4, 0, 0.5, 1], [2, 0, 0, 0]] }]
[chain.tail]
root = "hand"
nodes = 6
radius_m = [0.05, 0.01]
)"));
    Take take;
    run(scene, take);
    const io::Model model = io::model_of(take, model_channels_of(scene, take)).model;
    REQUIRE(model.skins.size() == 1);
    const io::ModelSkin& skin = model.skins.front();
    REQUIRE(skin.joints == 7);
    CHECK(model.nodes[skin.first_joint].name == "tail.0");
    double least_square = 0;
    double turned = 0;
    for (std::size_t key = 0; key < take.row_count(); key += 7) {
        const auto joint = [&](std::size_t i, std::size_t track) {
            return model.nodes[skin.first_joint + i].tracks[track].values[key];
        };
        const auto place = [&](std::size_t i) {
            const auto at = joint(i, 0);
            return Vector3{at[0], at[1], at[2]};
        };
        for (std::size_t v = 0; v < skin.positions.size(); ++v) {
            const std::size_t i = skin.joint[v];
            // What ends it has other normals; inside, those of the ring at a joint.
            const bool is_inside = i > 0 && i + 1 < skin.joints && skin.blend[v] == 0;
            if (!is_inside) continue;
            const auto at = joint(i, 1);
            const Quaternion q{at[0], at[1], at[2], at[3]};
            const auto& n = skin.normals[v];
            const Vector3 normal = rotated(q, {n[0], n[1], n[2]});
            const Vector3 along = place(i + 1) - place(i - 1);
            least_square = std::max(least_square, std::abs(dot(normal, along)));
            turned = std::max(turned, angle_between(q, {}));
        }
    }
    CHECK(turned > 0.3);          // it does bend
    CHECK(least_square < 0.012);  // of 0.2 m: the ring at first is square to the smooth curve
    io::write_model(folder.path() / "tail.gltf", model);
    // What is written is read: the nodes' tracks are targets.
    const auto animations = io::read_animations(folder.path() / "tail.gltf");
    CHECK(animations.front().tracks.size() == 14);
}

TEST_CASE("tracks of each kind of interpolation are targets as they should be", "[gltf]") {
    io::NodeTrack step{.node = "a",
                       .between = io::NodeTrack::Between::step,
                       .times_s = {0, 1, 2},
                       .values = {{0}, {5}, {1}}};
    const Trajectory jumps = trajectory_from(step, AfterEnd::hold);
    CHECK(jumps.after(0.99).value[0] == 0);
    CHECK(jumps.before(1).value[0] == 0);
    CHECK(jumps.after(1).value[0] == 5);
    CHECK(jumps.after(9).value[0] == 1);
    io::NodeTrack cubic{.node = "a",
                        .between = io::NodeTrack::Between::cubic,
                        .times_s = {0, 2},
                        .values = {{0}, {8}},
                        .slopes_before = {{0}, {12}},
                        .slopes_after = {{0}, {0}}};
    const Trajectory cube = trajectory_from(cubic, AfterEnd::mirror);  // t^3, then back
    for (const double t : {0.3, 1.0, 1.9}) {
        CHECK(cube.after(t).value[0] == Approx(t * t * t));
        CHECK(cube.after(t).velocity[0] == Approx(3 * t * t));
        CHECK(cube.after(4 - t).value[0] == Approx(t * t * t));
        CHECK(cube.after(4 - t).velocity[0] == Approx(-3 * t * t));
    }
    io::NodeTrack turn{.node = "a",
                       .kind = io::TrackKind::rotation,
                       .times_s = {0, 1},
                       .values = {{1, 0, 0, 0}, {-std::cos(1.2), 0, -std::sin(1.2), 0}}};
    const Trajectory even = trajectory_from(turn, AfterEnd::hold);
    for (const double t : {0.1, 0.5, 0.77}) {
        CHECK(even.after(t).value[2] == Approx(std::sin(1.2 * t)).margin(1e-6));
        CHECK(even.after(t).velocity[1] == Approx(2.4).margin(1e-4));
    }
}

TEST_CASE("narrow numbers are widened as the format says", "[gltf]") {
    // Two turns in signed bytes: none, and a half turn about Y.
    const std::string text = R"({"asset": {"version": "2.0"}, "nodes": [{"name": "gull"}],
"buffers": [{"byteLength": 16, "uri": "data:application/octet-stream;base64,AAAAAAAAgD8AAAB/AH8AgQ=="}],
"bufferViews": [{"buffer": 0, "byteLength": 8}, {"buffer": 0, "byteOffset": 8, "byteLength": 8}],
"accessors": [{"bufferView": 0, "componentType": 5126, "count": 2, "type": "SCALAR"},
 {"bufferView": 1, "componentType": 5120, "normalized": true, "count": 2, "type": "VEC4"}],
"animations": [{"samplers": [{"input": 0, "output": 1}],
 "channels": [{"sampler": 0, "target": {"node": 0, "path": "rotation"}},
              {"sampler": 0, "target": {"node": 0, "path": "weights"}}]}]})";
    const TestFolder folder;
    const auto animations = io::read_animations(folder.write("narrow.gltf", text));
    REQUIRE(animations[0].tracks.size() == 1);  // weights are passed over
    CHECK(animations[0].tracks[0].values[0] == std::array<double, 4>{1, 0, 0, 0});
    CHECK(animations[0].tracks[0].values[1][2] == 1);
    CHECK(animations[0].tracks[0].values[1][0] == -1);
}

TEST_CASE("what is wrong in a model is named with its JSON pointer", "[gltf]") {
    CHECK(complaint_about_model(gltf_with("", "")).empty());
    CHECK_THAT(complaint_about_model("{"), Contains("test.gltf:1:2: expected JSON"));
    CHECK_THAT(complaint_about_model("[1]"), Contains("/: expected an object, found a list"));
    CHECK_THAT(complaint_about_model("{}"), Contains("/: expected a key 'asset'"));
    CHECK_THAT(complaint_about_model(gltf_with("\"2.0\"", "\"1.0\"")),
               Contains("/asset/version: expected version 2"));
    CHECK_THAT(complaint_about_model(gltf_with("\"translation\"", "\"translaton\"")),
               Contains("/animations/0/channels/0/target/path: expected translation"));
    CHECK_THAT(complaint_about_model(gltf_with("\"sampler\": 0", "\"sampler\": 7")),
               Contains("/animations/0/channels/0/sampler: expected one of 1 entries"));
    CHECK_THAT(complaint_about_model(gltf_with("\"node\": 0", "\"node\": -1")),
               Contains("expected a whole number, 0 or more, found -1"));
    CHECK_THAT(complaint_about_model(gltf_with("\"VEC3\"", "\"VEC2\"")),
               Contains("/accessors/1/type: expected VEC3, found 'VEC2'"));
    CHECK_THAT(complaint_about_model(gltf_with("5126", "5124")),
               Contains("/accessors/0/componentType"));
    CHECK_THAT(complaint_about_model(gltf_with("\"count\": 2, \"type\": \"VEC3\"",
                                               "\"count\": 4000000000000, \"type\": \"VEC3\"")),
               Contains("/accessors/1: it reaches beyond its data"));
    CHECK_THAT(complaint_about_model(gltf_with("\"byteLength\": 24", "\"byteLength\": 25")),
               Contains("reaches beyond"));
    CHECK_THAT(complaint_about_model(gltf_with("\"count\": 2, \"type\": \"VEC3\"",
                                               "\"count\": 1, \"type\": \"VEC3\"")),
               Contains("output: expected 2 values for 2 keys, found 1"));
    CHECK_THAT(complaint_about_model(gltf_with("AAAAAAAAgD8", "AACAPwAAgD8")),
               Contains("input: expected times that rise, found 1 after 1"));
    CHECK_THAT(complaint_about_model(gltf_with("AAAAAAAAgD8", "AADAfwAAgD8")),
               Contains("/accessors/0: expected finite numbers, found nan"));
    CHECK_THAT(complaint_about_model(gltf_with("base64,AAAA", "base64,A!AA")),
               Contains("/buffers/0/uri: expected data in base64"));
    CHECK_THAT(complaint_about_model(
                   gltf_with("\"type\": \"SCALAR\"", "\"type\": \"SCALAR\", \"sparse\": {}")),
               Contains("sparse data is not read"));
    CHECK_THAT(complaint_about_model(
                   gltf_with("{\"input\": 0,", "{\"interpolation\": \"SMOOTH\", \"input\": 0,")),
               Contains("expected LINEAR, STEP or CUBICSPLINE"));
    const std::string outside = gltf_with("data:application/octet-stream;base64,AAAA", "../x.bin?");
    CHECK_THAT(complaint_about_model(outside), Contains("expected a file in the same folder"));
    CHECK_THAT(complaint_about_model("glTF", "cut.glb"), Contains("cut short"));
    CHECK_THAT(complaint_about_model(std::string("glTF\1\0\0\0\14\0\0\0", 12), "old.glb"),
               Contains("expected version 2 of the format, found 1"));
    CHECK_THAT(complaint_about_model(std::string("glTF\2\0\0\0\24\0\0\0\377\377\377\377JSON", 20),
                                     "b.glb"),
               Contains("cut short"));
    CHECK_THROWS_AS(io::read_animations("nowhere.glb"), io::FileProblem);

    const TestFolder folder;
    folder.write("a.gltf", gltf_with("", ""));
    const auto scene = [&](const std::string& keys) -> std::string {
        try {
            static_cast<void>(
                read_scene(folder.write("s.toml", "[target.t]\ngltf = 'a.gltf'\n" + keys +
                                                      "[follower.f]\ntarget = 't'\n")));
            return {};
        } catch (const std::runtime_error& problem) {
            return problem.what();
        }
    };
    CHECK(scene("node = 'gull'\n").empty());
    CHECK(scene("node = 'gull'\nanimation = 'fly'\n").empty());
    CHECK_THAT(scene("node = 'gul'\n"), Contains("there is no translation of 'gul'; there is "
                                                 "translation of gull"));
    CHECK_THAT(
        scene("node = 'gull'\nanimation = 'swim'\n"),
        Contains("s.toml:4:1: target.t.animation: there is no animation 'swim'; there is fly"));
    CHECK_THAT(scene("node = 'gull'\ntrack = 'spin'\n"),
               Contains("expected translation, rotation or"));
    CHECK_THAT(scene(""), Contains("expected a key 'node'"));
}
