// A skeleton from a model walks: its legs by the walker, its back, head and tail by the model's own
// animation. What comes out is a model again, with the joints' names, to be taken on elsewhere.

#include <cstdio>
#include <vector>

#include <hopcoil/field/ground.hpp>
#include <hopcoil/gait/rig.hpp>
#include <hopcoil/io/skeleton_file.hpp>

int main(int count, char** arguments) {
    const char* const file = count > 1 ? arguments[1] : "scenes/quay/quay_dog.gltf";
    const hopcoil::Skeleton skeleton = hopcoil::io::read_skeleton(file);
    const hopcoil::io::Clip glad{skeleton, hopcoil::io::read_animations(file).front()};
    const hopcoil::Rig rig{
        skeleton,
        {{"fore.left.hip", "fore.left.knee", "fore.left.ankle", "fore.left.toe"},
         {"fore.right.hip", "fore.right.knee", "fore.right.ankle", "fore.right.toe"},
         {"hind.left.hip", "hind.left.knee", "hind.left.ankle", "hind.left.toe"},
         {"hind.right.hip", "hind.right.knee", "hind.right.ankle", "hind.right.toe"}}};
    std::printf("%zu joints, legs of %.3f m\n", skeleton.joints.size(),
                rig.settings().leg_length_m);

    const hopcoil::FlatGround quay;
    hopcoil::Walker dog{rig.settings(), quay, {0, 0, 0}};
    std::vector<hopcoil::Pose> base(skeleton.joints.size());
    std::vector<hopcoil::Pose> local(skeleton.joints.size());
    std::vector<hopcoil::Pose> poses;
    std::vector<double> times_s;
    double missed_m = 0;
    for (int frame = 0; frame < 90; ++frame) {
        const double time_s = frame / 30.0;
        dog.step({.ahead = 1.2}, quay, 1.0 / 30);
        glad.pose(time_s, base);
        const double missed = rig.pose(dog, base, local);
        if (missed > missed_m) missed_m = missed;
        times_s.push_back(time_s);
        poses.insert(poses.end(), local.begin(), local.end());
    }
    std::printf("%.2f m in 3 s, %d steps; ankles are off their places by at most %.0f mm\n",
                dog.position().z, static_cast<int>(dog.log().steps), 1000 * missed_m);
    if (count > 2) {
        hopcoil::io::write_model(arguments[2],
                                 {.nodes = hopcoil::io::model_nodes_of(skeleton, times_s, poses)});
    } else {
        std::printf("name a model and a file ending in .glb to have it written\n");
    }
}
