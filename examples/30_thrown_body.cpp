// A body of points that has an orientation, with two limbs of rope, thrown and landing: what a
// program draws is its frame and the points of its limbs.

#include <algorithm>
#include <array>
#include <cstdio>

#include <hopcoil/base/angles.hpp>
#include <hopcoil/points/net.hpp>
#include <hopcoil/points/net_builders.hpp>

using namespace hopcoil;

namespace {

Placement frame(const Net& net) {
    std::array<Vector3, 6> points{};
    std::copy_n(net.positions().begin(), points.size(), points.begin());
    return frame_of(points);
}

}  // namespace

int main() {
    // A crate, and a rope on each side of it.
    NetStructure crate = oriented_body(
        {.half_size_m = {0.25, 0.15, 0.2}, .mass_kg = 4, .stiffness_n_per_m = 3e4}, {{0, 1.5, 0}});
    const RopeSettings cord{.length_m = 0.5, .segments = 6, .mass_kg_per_m = 0.3};
    for (const std::uint32_t side : {0U, 1U}) {
        const Vector3 at = crate.points[side].position;
        const std::uint32_t limb = crate.add(rope(cord, {at}));
        attach(crate, side, limb, {8000, 8});
    }
    Net net{crate, {.friction = 0.6}};
    // Thrown ahead and up, turning over.
    const Vector3 middle = frame(net).position;
    for (std::uint32_t i = 0; i < net.size(); ++i)
        net.push(i, Vector3{2.5, 2, 0} + cross({0, 0.5, -3}, net.positions()[i] - middle));

    const FlatGround quay;
    std::puts("  time      x       y    up of it  points that touch");
    for (int step = 1; step <= 180; ++step) {
        net.step({.ground = &quay}, 1.0 / 60);
        if (step % 20 != 0) continue;
        const Placement at = frame(net);
        const Vector3 up = rotated(at.rotation, {0, 1, 0});
        std::printf("%5.2f s %6.2f m %5.2f m %8.2f %10zu\n", step / 60.0, at.position.x,
                    at.position.y, up.y, net.contact_count());
    }
    std::printf("its links are stretched by %.2f %% at most\n", 100 * net.largest_stretch());
}
