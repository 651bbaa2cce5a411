// A rod on a hinge, let go from near the top: its period. Then a second rod hinged to its end,
// which makes chaos of it while the energy stays.

#include <cmath>
#include <cstdio>
#include <vector>

#include <hopcoil/parts/parts.hpp>

using namespace hopcoil;

namespace {

/// A rod of a metre along X from x on, at an angle about the origin.
Part rod(double from_m, double angle_rad) {
    const Quaternion turned = turned_by({0, 0, angle_rad});
    const PartShape shape{.type = PartShape::Type::box, .half_size_m = {0.5, 0.02, 0.02}};
    return {.placement = {rotated(turned, {from_m + 0.5, 0, 0}), turned}, .shapes = {shape}};
}

PartJoint hinge(std::uint32_t a, std::uint32_t b, const Vector3& place) {
    // The frame's X axis is what it turns about.
    return {.a = a, .b = b, .frame = {place, facing({0, 0, 1}, {1, 0, 0}, {0, 1, 0})}};
}

}  // namespace

int main() {
    const double from_the_bottom = 2.4;
    const double angle = from_the_bottom - 1.5707963267948966;
    PartsStructure made;
    made.parts = {rod(0, angle)};
    made.joints = {hinge(no_part, 0, {})};
    Parts one{made};
    double first_s = -1;
    double last_s = -1;
    int swings = 0;
    double before = 1;
    for (int frame = 1; frame <= 1800; ++frame) {
        one.step({}, 1.0 / 60);
        const double x = one.placements()[0].position.x;
        if (before > 0 && x <= 0) {
            last_s = (frame - x / (x - before)) / 60;
            if (first_s < 0) first_s = last_s;
            ++swings;
        }
        before = x;
    }
    std::printf("a rod from %.1f rad: period %.3f s, gap of the joint below a micrometre: %s\n",
                from_the_bottom, (last_s - first_s) / (swings - 1),
                one.largest_joint_gap_m() < 1e-6 ? "yes" : "no");

    made.parts.push_back(rod(1, angle));
    made.joints.push_back(hinge(0, 1, rotated(turned_by({0, 0, angle}), {1, 0, 0})));
    Parts two{made};
    const double start_j = two.energy();
    std::puts("two of them:   end of the second           energy since the start");
    for (int frame = 1; frame <= 600; ++frame) {
        two.step({}, 1.0 / 60);
        if (frame % 120 != 0) continue;
        const Placement& end = two.placements()[1];
        const Vector3 tip = end.position + rotated(end.rotation, {0.5, 0, 0});
        std::printf("%4d s %12.2f m across, %5.2f m up %17.1f %%\n", frame / 60, tip.x, tip.y,
                    100 * (two.energy() - start_j) / std::abs(start_j));
    }
}
