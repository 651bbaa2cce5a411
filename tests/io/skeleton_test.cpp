// Skeletons of models: read with their hierarchy, posed by clips, written back with their motion.

#include <cmath>
#include <string>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/base/components.hpp>
#include <hopcoil/field/ground.hpp>
#include <hopcoil/io/file_problems.hpp>
#include <hopcoil/io/skeleton_file.hpp>

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
    CHECK_THAT(refused(R"([{"matrix": [1]}])"), Contains("instead of a matrix"));
    CHECK_THAT(refused(R"([{"rotation": [0, 0, 1]}])"), Contains("expected 4 numbers"));
}
