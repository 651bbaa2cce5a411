// A body of points goes hand over hand: its hands are pulled to the holds and its trunk along the
// planned way, no harder than its arms could, so that it swings, lags and takes pushes as a body
// does. The plan knows the way; the points are what is drawn.

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdio>
#include <vector>

#include <hopcoil/follow/intent.hpp>
#include <hopcoil/gait/brachiator.hpp>
#include <hopcoil/points/net.hpp>
#include <hopcoil/points/net_builders.hpp>

using namespace hopcoil;

namespace {

constexpr Vector3 half_trunk_m{0.18, 0.3, 0.1};

/// Six points with a full orientation, and two arms: shoulder, elbow, hand.
NetStructure body_of(const Brachiator& rigger) {
    NetStructure body = oriented_body({.half_size_m = half_trunk_m, .mass_kg = 60},
                                      {rigger.position(), rigger.rotation()});
    const double bone_m = 0.5 * rigger.settings().arm_length_m;
    for (const std::uint32_t side : {0U, 1U}) {
        const BrachiatorHand& hand = rigger.hands()[side];
        const auto elbow = static_cast<std::uint32_t>(body.points.size());
        body.points.push_back({.position = hand.elbow, .mass_kg = 2.5});
        body.points.push_back({.position = hand.position, .mass_kg = 2.5});
        const std::uint32_t shoulder = side == 0 ? 1 : 0;  // the left one is at +X
        body.links.push_back(spring_link(shoulder, elbow, bone_m, {2e4, 20}));
        body.links.push_back(spring_link(elbow, elbow + 1, bone_m, {2e4, 20}));
    }
    return body;
}

Placement frame(const Net& net) {
    std::array<Vector3, 6> points{};
    std::copy_n(net.positions().begin(), 6, points.begin());
    return frame_of(points);
}

double length(const Vector3& v) {
    return std::sqrt(dot(v, v));
}

}  // namespace

int main() {
    std::vector<Vector3> hooks(14);
    for (int i = 0; i < 14; ++i)
        hooks[static_cast<std::size_t>(i)] = {0, 4 + 0.1 * (i % 3), 1.0 * i};
    Brachiator rigger{{}, hooks};
    Net body{body_of(rigger)};

    const double trunk_n = 3.5 * 65 * standard_gravity / 6;  // on each of its points
    double furthest = 0;
    double least_together = 1;
    std::puts("  time   planned z   drawn z   apart   up of it   hands to their holds");
    for (int frame_count = 1; frame_count <= 600; ++frame_count) {
        if (frame_count == 300) {
            for (std::uint32_t i = 0; i < 6; ++i)
                body.push(i, {1.5, 0, 0});  // something hits the trunk alone
        }
        rigger.step(1.3, 1.0 / 60);
        // Where each point of the trunk is planned to be, a little ahead: a pull lags by that.
        constexpr double lag_s = 0.1;
        const Vector3 middle = rigger.position() + rigger.velocity() * lag_s;
        std::vector<NetGrab> grabs;
        for (std::uint32_t i = 0; i < 6; ++i) {
            const double sign = i % 2 == 0 ? -1 : 1;
            const Vector3 axis = i < 2   ? Vector3{half_trunk_m.x, 0, 0}
                                 : i < 4 ? Vector3{0, half_trunk_m.y, 0}
                                         : Vector3{0, 0, half_trunk_m.z};
            grabs.push_back({.point = i,
                             .target = middle + rotated(rigger.rotation(), axis * sign),
                             .most_force_n = trunk_n});
        }
        for (const std::uint32_t side : {0U, 1U}) {
            grabs.push_back({.point = 7 + 2 * side,
                             .target = rigger.hands()[side].position,
                             .most_force_n = 2000});
        }
        body.step({.grabs = grabs}, 1.0 / 60);

        const Placement at = frame(body);
        const double apart = length(at.position - rigger.position());
        furthest = std::max(furthest, apart);
        const Vector3 up = rotated(at.rotation, {0, 1, 0});
        least_together = std::min(least_together, dot(up, rotated(rigger.rotation(), {0, 1, 0})));
        if (frame_count % 60 != 0) continue;
        double hands_off = 0;
        for (const std::uint32_t side : {0U, 1U}) {
            if (!rigger.hands()[side].holds) continue;
            hands_off = std::max(
                hands_off, length(body.positions()[7 + 2 * side] - rigger.hands()[side].position));
        }
        std::printf("%5.1f s %8.2f m %8.2f m %5.0f cm %8.2f %12.0f mm\n", frame_count / 60.0,
                    rigger.position().z, at.position.z, 100 * apart, up.y, 1000 * hands_off);
    }
    std::printf("never further than %.0f cm from the plan; arms stretched by %.1f %% at most\n",
                100 * furthest, 100 * body.largest_stretch());
    return furthest < 0.5 && least_together > 0.8 ? 0 : 1;
}
