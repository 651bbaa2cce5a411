// A crane's arm that goes where a follower tells it, with a light crate on its rope and with one
// that is too heavy for it; and a drum that a motor turns.

#include <array>
#include <cstdio>

#include <hopcoil/follow/follower.hpp>
#include <hopcoil/parts/parts.hpp>

using namespace hopcoil;

namespace {

// Its X axis is what a hinge turns about.
const Quaternion about_z = facing({0, 0, 1}, {1, 0, 0}, {0, 1, 0});

Parts crane(double crate_kg) {
    PartsStructure made;
    const PartShape beam{.half_size_m = {1, 0.06, 0.06}};
    const std::uint32_t arm = made.add({.placement = {{1, 0, 0}}, .shapes = {beam}});
    Part crate{.placement = {{2, -1, 0}}, .shapes = {{.half_size_m = {0.2, 0.2, 0.2}}}};
    crate.mass_kg = crate_kg;
    const std::uint32_t load = made.add(crate);
    // It pulls with at most 500 N m.
    made.joints = {{.b = arm,
                    .frame = {{}, about_z},
                    .spring = {.stiffness = 6000, .damping = 1200, .most = 500}}};
    made.links = {{.a = arm,
                   .b = load,
                   .point_a = {1, 0, 0},
                   .point_b = {0, 0.2, 0},
                   .longest_m = 0.8,
                   .stiffness_n_per_m = hard}};
    return Parts{made};
}

Parts drum() {
    PartsStructure made;
    made.parts = {{.shapes = {{.type = PartShape::Type::sphere, .radius_m = 0.3}}}};
    made.joints = {
        {.b = 0, .frame = {{}, about_z}, .spring = {.damping = 4, .wanted_rate = 3, .most = 6}}};
    return Parts{made};
}

}  // namespace

int main() {
    constexpr double frame_s = 1.0 / 60;
    constexpr double to_deg = 57.29577951308232;
    Follower<double> told{{.frequency_hz = 0.4, .damping_ratio = 1}, 0};
    Parts light = crane(8);
    Parts heavy = crane(25);
    Parts winch = drum();

    std::puts("  time    told   8 kg  25 kg     drum");
    for (int frame = 0; frame <= 240; ++frame) {
        if (frame % 30 == 0) {
            std::printf("%4.1f s %5.1f  %5.1f  %5.1f deg  %4.2f rad/s\n", frame * frame_s,
                        told.value() * to_deg, light.joint_position(0) * to_deg,
                        heavy.joint_position(0) * to_deg, winch.motions()[0].angular_velocity.z);
        }
        told.step(0.7, frame_s);
        const std::array target{JointTarget{.joint = 0, .wanted = told.value()}};
        for (Parts* each : {&light, &heavy})
            each->step({.targets = target}, frame_s);
        winch.step({}, frame_s);
    }
}
