// Skeletons and meshes of models: read with their hierarchy, posed by clips, written back with their
// motion, walked on.

#include <array>
#include <cmath>
#include <cstring>
#include <string>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/base/components.hpp>
#include <hopcoil/field/ground.hpp>
#include <hopcoil/field/ground_mesh.hpp>
#include <hopcoil/io/base64.hpp>
#include <hopcoil/io/file_problems.hpp>
#include <hopcoil/io/skeleton_file.hpp>
#include <hopcoil/scene/run.hpp>

#include "support/files.hpp"
#include "support/vectors.hpp"

using namespace hopcoil;
using Catch::Matchers::Contains;

namespace {

const std::string dog_file = SCENES "/quay/quay_dog.gltf";

std::vector<LegNames> dog_legs() {
    std::vector<LegNames> legs;
    for (const std::string leg : {"hind.right", "fore.left", "hind.left", "fore.right"})
        legs.push_back({leg + ".hip", leg + ".knee", leg + ".ankle", leg + ".toe"});
    return legs;
}

std::vector<Pose> in_space(const Skeleton& skeleton, const std::vector<Pose>& local) {
    std::vector<Pose> model(local.size());
    to_model(skeleton, local, model);
    return model;
}

}  // namespace

TEST_CASE("a skeleton is read with its hierarchy, and a walker stands on its legs", "[skeleton]") {
    const Skeleton skeleton = io::read_skeleton(dog_file);
    REQUIRE(skeleton.joints.size() == 27);
    CHECK(skeleton.joints[skeleton.joints[skeleton.find("head")].parent].name == "neck");
    const Rig rig{skeleton, dog_legs()};
    // Left before right, fore before hind, groups crosswise.
    const WalkerSettings& settings = rig.settings();
    CHECK(settings.legs[0].hip.x > 0);
    CHECK(settings.legs[0].hip.z > 0);
    CHECK(settings.legs[3].hip.x < 0);
    CHECK(settings.legs[3].hip.z < 0);
    CHECK(settings.legs[0].group == settings.legs[3].group);
    CHECK(settings.legs[1].group == settings.legs[2].group);
    CHECK(settings.leg_length_m == Approx(0.4646).margin(1e-3));
}

TEST_CASE("a clip goes round and round, and moves only what it has tracks for", "[skeleton]") {
    const Skeleton skeleton = io::read_skeleton(dog_file);
    const io::Clip clip{skeleton, io::read_animations(dog_file).at(0)};
    CHECK(clip.duration_s() == Approx(1.6));
    std::vector<Pose> once(skeleton.joints.size());
    std::vector<Pose> later(once.size());
    const std::size_t tail = skeleton.find("tail.2");
    bool moved = false;
    for (double t = 0; t < 1.6; t += 0.05) {
        clip.pose(t, once);
        clip.pose(t + 3.2, later);
        for (std::size_t i = 0; i < once.size(); ++i)
            CHECK(length_of(rotation_vector(once[i].rotation * conjugate(later[i].rotation))) <
                  1e-6);
        CHECK(once[skeleton.find("fore.left.knee")] ==
              skeleton.joints[skeleton.find("fore.left.knee")].rest);
        // The file's own law: 0.28 sin(2 p - 1) about the upright.
        const double law = 0.28 * std::sin(2 * 2 * 3.14159265358979 * t / 1.6 - 1);
        const bool at_key = std::abs(std::remainder(t, 0.1)) < 1e-9;
        CHECK(rotation_vector(once[tail].rotation).y == Approx(law).margin(at_key ? 1e-5 : 0.025));
        moved = moved || std::abs(law) > 0.2;
    }
    CHECK(moved);
}

TEST_CASE("a skeleton that walked is written and read again with the same motion", "[skeleton]") {
    const TestFolder folder;
    const Skeleton skeleton = io::read_skeleton(dog_file);
    const Rig rig{skeleton, dog_legs()};
    const FlatGround flat;
    Walker dog{rig.settings(), flat, {0, 0, 0}};
    std::vector<double> times_s;
    std::vector<Pose> poses;
    std::vector<Pose> local(skeleton.joints.size());
    for (int frame = 0; frame < 60; ++frame) {
        dog.step({.ahead = 1}, flat, 1.0 / 30);
        CHECK(rig.pose(dog, {}, local) < 1e-6);
        times_s.push_back(frame / 30.0);
        poses.insert(poses.end(), local.begin(), local.end());
    }
    for (const std::string name : {"dog.glb", "dog.gltf"}) {
        const std::string path = (folder.path() / name).string();
        io::write_model(path, {.nodes = io::model_nodes_of(skeleton, times_s, poses)});
        const Skeleton back = io::read_skeleton(path);
        REQUIRE(back.joints.size() == skeleton.joints.size());
        const io::Clip clip{back, io::read_animations(path).at(0)};
        std::vector<Pose> read(back.joints.size());
        for (const std::size_t frame : {0U, 17U, 58U}) {
            clip.pose(times_s[frame], read);
            const auto first = poses.begin() + static_cast<std::ptrdiff_t>(frame * read.size());
            const std::vector<Pose> truth{first, first + static_cast<std::ptrdiff_t>(read.size())};
            const std::vector<Pose> a = in_space(back, read);
            const std::vector<Pose> b = in_space(skeleton, truth);
            for (const char* joint : {"nose", "fore.left.toe", "hind.right.ankle"})
                CHECK(apart(a[back.find(joint)].position, b[skeleton.find(joint)].position) < 1e-5);
        }
    }
}

TEST_CASE("what is no skeleton is refused where it stands", "[skeleton]") {
    const TestFolder folder;
    const auto refused = [&](const std::string& nodes) {
        folder.write("odd.gltf", R"({"asset": {"version": "2.0"}, "nodes": )" + nodes + "}");
        try {
            static_cast<void>(io::read_skeleton((folder.path() / "odd.gltf").string()));
        } catch (const std::exception& problem) {
            return std::string{problem.what()};
        }
        return std::string{};
    };
    CHECK_THAT(refused("[]"), Contains("found no node"));
    CHECK_THAT(refused(R"([{"name": "a", "children": [1]}, {"children": [0]}])"),
               Contains("in a circle"));
    CHECK_THAT(refused(R"([{"children": [2]}, {"children": [2]}, {}])"), Contains("two parents"));
    CHECK_THAT(refused(R"([{"children": [7]}])"), Contains("/nodes/0/children/0"));
    CHECK_THAT(refused(R"([{"matrix": [1]}])"), Contains("expected 16 numbers, found 1"));
    CHECK_THAT(refused(R"([{"matrix": [1,0,0,0, 1,1,0,0, 0,0,1,0, 0,0,0,1]}])"),
               Contains("not one that skews"));
    CHECK_THAT(refused(R"([{"matrix": [1,0,0,0, 0,0,0,0, 0,0,1,0, 0,0,0,1]}])"),
               Contains("no axis without length"));
    CHECK_THAT(refused(R"([{"rotation": [0, 0, 1]}])"), Contains("expected 4 numbers"));
}

namespace {

/// Turned about Y and twice as large; its two sides are alike, so that it can be mirrored.
const std::string by_scale = R"("scale": [2, 2, 2], "rotation": [0, 0.70710678, 0, 0.70710678])";
const std::string by_mirror = R"("scale": [-2, 2, 2], "rotation": [0, 0.70710678, 0, 0.70710678])";
const std::string by_matrix = R"("matrix": [0, 0, -2, 0, 0, 2, 0, 0, 2, 0, 0, 0, 0, 0, 0, 1])";
const std::string mirrored_matrix = R"("matrix": [0, 0, 2, 0, 0, 2, 0, 0, 2, 0, 0, 0, 0, 0, 0, 1])";

/// A ramp of two triangles, 4 m long and 1 m high, below a node that is moved; its corners by an index, or three for each triangle.
std::string ramp(bool by_index, const std::string& placed) {
    std::vector<float> places;
    const std::vector<std::array<float, 3>> corners{
        {-1, 0, 0}, {1, 0, 0}, {1, 0.5F, 2}, {-1, 0.5F, 2}};
    const std::vector<std::uint32_t> indices{0, 2, 1, 0, 3, 2};
    if (by_index) {
        for (const auto& corner : corners)
            places.insert(places.end(), corner.begin(), corner.end());
    }
    for (std::size_t i = 0; !by_index && i < indices.size(); ++i)
        places.insert(places.end(), corners[indices[i]].begin(), corners[indices[i]].end());
    std::string bytes(4 * places.size() + 4 * indices.size(), '\0');
    std::memcpy(bytes.data(), places.data(), 4 * places.size());
    std::memcpy(bytes.data() + 4 * places.size(), indices.data(), 4 * indices.size());
    const auto number = [](std::size_t n) {
        return std::to_string(n);
    };
    const std::string indexed = by_index ? R"(, "indices": 1)" : "";
    return R"({"asset": {"version": "2.0"}, "nodes": [
{"name": "quay", "translation": [3, 0, 0], "children": [1]},
{"name": "ramp", "mesh": 0, )" +
           placed + R"(}],
"meshes": [{"primitives": [{"attributes": {"POSITION": 0})" +
           indexed + R"(}]}],
"accessors": [{"bufferView": 0, "componentType": 5126, "type": "VEC3", "count": )" +
           number(places.size() / 3) +
           R"(}, {"bufferView": 1, "componentType": 5125, "type": "SCALAR", "count": 6}],
"bufferViews": [{"buffer": 0, "byteOffset": 0, "byteLength": )" +
           number(4 * places.size()) + R"(}, {"buffer": 0, "byteOffset": )" +
           number(4 * places.size()) + R"(, "byteLength": 24}],
"buffers": [{"byteLength": )" +
           number(bytes.size()) + R"(, "uri": "data:application/octet-stream;base64,)" +
           io::to_base64(bytes) + R"("}]})";
}

}  // namespace

TEST_CASE("a model is ground where its nodes put it, and a scene's walker climbs it", "[ground]") {
    const TestFolder folder;
    const std::vector<std::string> placements{mirrored_matrix, by_matrix, by_mirror, by_scale};
    for (std::size_t i = 0; i < 2 * placements.size(); ++i) {
        folder.write("ramp.gltf", ramp(i % 2 == 0, placements[i / 2]));
        CAPTURE(placements[i / 2]);
        const io::TriangleMesh mesh = io::read_triangles((folder.path() / "ramp.gltf").string());
        CHECK(mesh.triangles.size() == 2);
        std::vector<Vector3> corners;
        for (const auto& [x, y, z] : mesh.corners)
            corners.push_back({x, y, z});
        const GroundMesh ground{corners, mesh.triangles};
        // Turned by 90 degrees about Y it rises along x, from the node's place on.
        for (const double along : {0.1, 1.7, 3.9}) {
            const auto spot = ground.at(3 + along, 1.2, 1e9);
            REQUIRE(spot.has_value());
            CHECK(spot->height == Approx(along / 4).margin(1e-6));
        }
        CHECK_FALSE(ground.at(2.9, 0, 1e9).has_value());
    }
    // Seen from below: nothing to stand on.
    folder.write("ramp.gltf", ramp(true, R"("rotation": [0, 0, 1, 0])"));
    folder.write("lid.toml", "duration_s = 1\n[ground.quay]\nmodel = \"ramp.gltf\"\n");
    CHECK_THROWS_WITH(scene::read_scene((folder.path() / "lid.toml").string()),
                      Contains("lid.toml:3") && Contains("nothing of it faces upward"));
    folder.write("ramp.gltf", ramp(true, by_scale));
    folder.write("climb.toml", R"(
duration_s = 7
[ground.quay]
model = "ramp.gltf"
[target.way]
start_m = [1, 0, 0]
moves = [{ at_s = 0.5, through_m = [[6, 6.2, 0, 0]] }]
[walker.crab]
target = "way"
ground = "quay"
legs = 4
leg_length_m = 0.6
)");
    const scene::Scene scene = scene::read_scene((folder.path() / "climb.toml").string());
    Take take;
    scene::run(scene, take);
    const auto sole = take.columns_of(*take.find_channel("crab.leg1.position_m")).first + 6;
    const auto last = take.row(take.row_count() - 1);
    CHECK(last[sole + 1] == Approx((last[sole] - 3) / 4).margin(1e-6));
    CHECK(last[sole + 1] > 0.7);
}
