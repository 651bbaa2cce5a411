#include <algorithm>
#include <array>
#include <cmath>
#include <cstddef>
#include <stdexcept>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/base/state.hpp>
#include <hopcoil/points/net.hpp>
#include <hopcoil/points/net_builders.hpp>

#include "points/nets.hpp"
#include "support/allocations.hpp"
#include "support/instruction_sets.hpp"
#include "support/random.hpp"
#include "support/vectors.hpp"

using namespace hopcoil;

namespace {

double lowest(const Net& net) {
    double least = 1e9;
    for (const Vector3& p : net.positions())
        least = std::min(least, p.y);
    return least;
}

double fastest(const Net& net) {
    double most = 0;
    for (const Vector3& v : net.velocities())
        most = std::max(most, std::sqrt(dot(v, v)));
    return most;
}

/// Every point on a velocity of its own.
void stir(Net& net, unsigned seed, double speed) {
    Random random{seed};
    for (std::uint32_t i = 0; i < net.size(); ++i)
        net.push(i, {random.between(-speed, speed), random.between(-speed, speed),
                     random.between(-speed, speed)});
}

}  // namespace

TEST_CASE("a spring between two points swings as the closed form says", "[net]") {
    // Masses m1, m2 about their middle: w^2 = k (1/m1 + 1/m2), decay c/2 (1/m1 + 1/m2).
    const double m1 = 0.5;
    const double m2 = 2;
    const double k = 40;
    const double c = 0.3;
    const double per_mass = 1 / m1 + 1 / m2;
    const double decay = c / 2 * per_mass;
    const double w = std::sqrt(k * per_mass - decay * decay);
    NetStructure pair{.points = {{{0, 0, 0}, m1}, {{1.2, 0, 0}, m2}},
                      .links = {spring_link(0, 1, 1, {k, c})}};
    for (const NetMethod method : all_methods) {
        Net net{pair, {.method = method, .substeps = 60, .iterations = 30, .gravity = {0, 0, 0}}};
        double worst = 0;
        for (int frame = 1; frame <= 120; ++frame) {
            net.step({}, frame_s);
            const double t = frame * frame_s;
            const double wanted =
                0.2 * std::exp(-decay * t) * (std::cos(w * t) + decay / w * std::sin(w * t));
            const double length = net.positions()[1].x - net.positions()[0].x;
            worst = std::max(worst, std::abs(length - 1 - wanted));
        }
        INFO(facts_of(method).name);
        // Semi-implicit Euler, and positions that damp a little more than asked.
        CHECK(worst < (method == NetMethod::positions ? 0.02 : 0.004));
    }
}

TEST_CASE("a hanging rope is a catenary with every method", "[net]") {
    const RopeSettings settings{
        .length_m = 3, .segments = 40, .stretch_n = 2e4, .stretch_damping_n_s = 4};
    const NetStructure loop = rope_between({.length_m = 2, .segments = 20}, {1, 3, 0}, {1, 3, 0});
    CHECK(loop.points[10].position.y == Approx(2));
    CHECK(loop.points[20].position == Vector3{1, 3, 0});
    const NetStructure made = rope_between(settings, {0, 2, 0}, {2, 2.4, 0});
    // The builder starts it in that shape: along it the horizontal pull is the same everywhere.
    double least = 1e9;
    double most = 0;
    for (std::size_t i = 1; i + 1 < made.points.size(); ++i) {
        const auto slope = [&](std::size_t at) {
            const Vector3 way = made.points[at + 1].position - made.points[at].position;
            return way.y / way.x;
        };
        const double pull = 1 / (slope(i) - slope(i - 1));
        least = std::min(least, pull);
        most = std::max(most, pull);
    }
    CHECK(most / least < 1.01);
    for (const NetMethod method : all_methods) {
        Net net{made, {.method = method, .drag_per_s = 1}};
        const std::vector<Vector3> start = positions_of(net);
        for (int frame = 0; frame < 300; ++frame)
            net.step({}, frame_s);
        INFO(facts_of(method).name);
        CHECK(farthest(start, positions_of(net)) < 0.005 * settings.length_m);
    }
}

TEST_CASE("a cloth hung by its edge stretches as its fabric, on every grid and with every method",
          "[net][long]") {
    for (const std::size_t count : {13U, 24U, 36U}) {
        const ClothSettings settings{.columns = count, .rows = count};
        const double wanted = 1 + settings.mass_kg_per_m2 * g / (2 * settings.stretch_n_per_m);
        for (const NetMethod method : {NetMethod::implicit, NetMethod::automatic}) {
            Net net{hung_cloth(settings), {.method = method, .drag_per_s = 4}};
            for (int frame = 0; frame < 120; ++frame)
                net.step({}, frame_s);
            INFO(count << " points a side, " << facts_of(net.plan().method).name);
            const double height = 0.5 - lowest(net);
            CHECK(height == Approx(wanted).epsilon(method == NetMethod::implicit ? 1e-4 : 0.02));
            // Never further than what was said.
            CHECK(height < wanted * (1.001 + net.plan().excess_percent / 100));
        }
    }
}

TEST_CASE("a rope with a weight hangs as far down as its stretch and its plan say", "[net]") {
    for (const std::size_t segments : {10U, 40U}) {
        for (const double weight : {0.0, 0.3, 1.0, 4.0}) {
            for (const bool has_tethers : {true, false}) {
                const RopeSettings settings{.length_m = 2,
                                            .segments = segments,
                                            .stretch_n = 20000,
                                            .stretch_damping_n_s = 20};
                NetStructure made = rope(settings);
                made.points.front().is_pinned = true;
                made.points.back().mass_kg += weight;
                Net net{made, {.has_tethers = has_tethers, .drag_per_s = 2}};
                for (int frame = 0; frame < 300; ++frame)
                    net.step({}, frame_s);
                const NetPlan& plan = net.plan();
                CAPTURE(segments, weight, has_tethers, plan.substeps, plan.excess_percent);
                REQUIRE(plan.method == NetMethod::positions);
                const double load_n = (weight + 0.5 * 2 * settings.mass_kg_per_m) * g;
                const double wanted = 2 * (1 + load_n / settings.stretch_n);
                const double excess = 100 * (lowest(net) / -wanted - 1);
                CHECK(excess > -0.02);
                CHECK(excess < 1.3 * plan.excess_percent + 0.02);
                CHECK(plan.excess_percent <= net.settings().height_error_percent);
                CHECK((weight < 4 || segments < 40 || plan.substeps > 30));
            }
        }
    }
}

TEST_CASE("from a common equilibrium the methods keep one shape", "[net][long]") {
    const ClothSettings settings{.columns = 17, .rows = 17, .stretch_n_per_m = 300};
    NetStructure made = cloth(settings, {{}, turned_by({-1.2, 0, 0})});
    for (const ClothCorner corner : {ClothCorner::top_left, ClothCorner::top_right})
        pin(made, points_at(settings, corner, 0.13));
    Net settled{made, {.method = NetMethod::implicit, .drag_per_s = 2}};
    for (int frame = 0; frame < 900; ++frame)
        settled.step({}, frame_s);
    const std::vector<Vector3> shape = positions_of(settled);
    for (std::size_t i = 0; i < shape.size(); ++i)
        made.points[i].position = shape[i];
    for (const NetMethod method : all_methods) {
        Net net{made, {.method = method, .drag_per_s = 2}};
        for (int frame = 0; frame < 240; ++frame)
            net.step({}, frame_s);
        INFO(facts_of(method).name);
        CHECK(farthest(shape, positions_of(net)) < 0.005);
    }
}

TEST_CASE("momentum stays without forces from outside, and energy never grows", "[net]") {
    for (const NetMethod method : all_methods) {
        Net net{soft_ball({.refinement = 1}, {{0.1, 0.2, 0.3}}),
                {.method = method, .gravity = {0, 0, 0}, .air_density_kg_per_m3 = 0}};
        stir(net, 3, 0.5);
        for (std::uint32_t i = 0; i < net.size(); ++i)
            net.push(i, {0.3, 1, -0.2});
        const Vector3 momentum = net.momentum();
        const Vector3 turning = net.angular_momentum();
        const double start = net.energy();
        double most = start;
        for (int frame = 0; frame < 600; ++frame) {
            net.step({}, frame_s);
            most = std::max(most, net.energy());
        }
        INFO(facts_of(method).name);
        const bool is_exact = method == NetMethod::forces;
        CHECK(apart(net.momentum(), momentum) < (is_exact ? 1e-10 : 1e-7));
        CHECK(apart(net.angular_momentum(), turning) < (is_exact ? 1e-10 : 1e-3));
        CHECK(most < start * (1 + 1e-9));
    }
}

TEST_CASE("without gravity every builder's net stays as it was built", "[net]") {
    const Placement placement{{0.3, -0.1, 0.2}, turned_by({0.4, -1.1, 0.7})};
    const std::array<NetStructure, 5> made{cloth({.columns = 9, .rows = 7}, placement),
                                           rope({}, placement),
                                           rope_between({.length_m = 1}, {0, 0, 0}, {0.6, 0.8, 0}),
                                           soft_ball({}, placement), oriented_body({}, placement)};
    for (const NetStructure& structure : made) {
        for (const NetMethod method : all_methods) {
            Net net{structure, {.method = method, .gravity = {0, 0, 0}}};
            const std::vector<Vector3> start = positions_of(net);
            for (int frame = 0; frame < 60; ++frame)
                net.step({}, frame_s);
            CHECK(farthest(start, positions_of(net)) < 1e-12);
            CHECK(net.still());
        }
    }
}

TEST_CASE("forces give the same motion in any order of points and links", "[net]") {
    const ClothSettings settings{.columns = 8, .rows = 8, .stretch_n_per_m = 100};
    const NetStructure made = hung_cloth(settings, {{}, turned_by({1, 0.2, 0})});
    // Points backwards, links shuffled.
    NetStructure other = made;
    const auto last = static_cast<std::uint32_t>(made.points.size() - 1);
    std::reverse(other.points.begin(), other.points.end());
    std::reverse(other.links.begin(), other.links.end());
    std::rotate(other.links.begin(), other.links.begin() + 37, other.links.end());
    for (NetLink& link : other.links) {
        link.a = last - link.a;
        link.b = last - link.b;
    }
    for (NetBend& bend : other.bends) {
        bend.a = last - bend.a;
        bend.middle = last - bend.middle;
        bend.c = last - bend.c;
    }
    for (auto& corners : other.triangles) {
        for (std::uint32_t& corner : corners)
            corner = last - corner;
    }
    Net one{made, {.method = NetMethod::forces, .substeps = 20}};
    Net two{other, {.method = NetMethod::forces, .substeps = 20}};
    for (int frame = 0; frame < 50; ++frame) {  // 1,000 steps
        one.step({}, frame_s);
        two.step({}, frame_s);
    }
    double worst = 0;
    for (std::size_t i = 0; i < one.size(); ++i)
        worst = std::max(worst, apart(one.positions()[i], two.positions()[last - i]));
    CHECK(worst < 1e-9);
}

TEST_CASE("a cloth whose pins are yanked across the scene stays finite at any stiffness and step",
          "[net]") {
    for (const NetMethod method : {NetMethod::positions, NetMethod::implicit}) {
        for (const double stiffness : {10.0, 1e3, 1e5, 1e7}) {
            for (const double dt : {frame_s, 0.1}) {
                const ClothSettings settings{.columns = 12,
                                             .rows = 12,
                                             .stretch_n_per_m = stiffness,
                                             .shear_n_per_m = stiffness / 10};
                Net net{hung_cloth(settings, {{}, turned_by({-1.2, 0, 0})}), {.method = method}};
                std::vector<Vector3> pins;
                for (const std::uint32_t each : net.pins())
                    pins.push_back(net.positions()[each]);
                const double start = net.energy();
                double most = start;
                bool all_stepped = true;
                for (int frame = 0; frame < 60; ++frame) {
                    if (frame % 20 == 19) {
                        for (Vector3& each : pins)
                            each = each + Vector3{5, 3, -4} * (frame > 20 ? -1 : 1);
                    }
                    all_stepped =
                        net.step({.pins = pins}, dt) == StepStatus::stepped && all_stepped;
                    if (frame < 19) most = std::max(most, net.energy());
                }
                INFO(facts_of(method).name << ", " << stiffness << " N/m, " << dt << " s");
                CHECK(all_stepped);
                CHECK(std::isfinite(fastest(net)));
                CHECK(most < start + 0.01 * std::abs(start));
            }
        }
    }
}

TEST_CASE("forces diverge above their stable step, say so and keep the last good state", "[net]") {
    const ClothSettings settings{.columns = 12, .rows = 12};
    const NetStructure made = hung_cloth(settings, {{}, turned_by({-1.2, 0, 0})});
    const NetPlan plan = plan_for(made, {.method = NetMethod::forces});
    const auto run = [&](double step_s) {
        Net net{made, {.method = NetMethod::forces, .substeps = 1, .frame_s = step_s}};
        for (int i = 0; i < 3000; ++i) {
            if (net.step({}, step_s) == StepStatus::diverged) return false;
        }
        return fastest(net) < 100;
    };
    CHECK(run(0.95 * plan.stable_step_s));
    CHECK_FALSE(run(2.5 * plan.stable_step_s));
    Net net{made, {.method = NetMethod::forces, .substeps = 1}};
    StepStatus status = StepStatus::stepped;
    for (int i = 0; i < 3000 && status == StepStatus::stepped; ++i)
        status = net.step({}, frame_s);
    CHECK(status == StepStatus::diverged);
    CHECK(std::isfinite(fastest(net)));
}

TEST_CASE("rope links only pull, struts only push, a range does nothing inside it", "[net]") {
    const auto force_at = [](const NetLink& link, double length) {
        NetStructure made{.points = {{{0, 0, 0}, 1, 0, true}, {{length, 0, 0}, 1}},
                          .links = {link}};
        Net net{made, {.method = NetMethod::forces, .substeps = 1, .gravity = {0, 0, 0}}};
        net.step({}, 1e-3);
        return net.velocities()[1].x / 1e-3;
    };
    const NetLink pulls = rope_link(0, 1, 1, {100, 0});
    const NetLink pushes = strut_link(0, 1, 1, {100, 0});
    NetLink range = spring_link(0, 1, 1, {100, 0});
    range.shortest_m = 0.5;
    range.longest_m = 2;
    CHECK(force_at(pulls, 1.1) == Approx(-10));
    CHECK(force_at(pulls, 0.9) == 0);
    CHECK(force_at(pushes, 1.1) == 0);
    CHECK(force_at(pushes, 0.9) == Approx(10));
    CHECK(force_at(range, 1.5) == 0);
    CHECK(force_at(range, 2.1) == Approx(-10));
    CHECK(force_at(range, 0.4) == Approx(10));
}

TEST_CASE("an angle link turns back like an angular spring", "[net]") {
    const double stiffness = 0.5;
    for (const double rest : {math::pi, 2.0, 1.2}) {
        const double angle = rest - 0.02;
        const math::SinCos at = math::sincos(angle);
        NetStructure made{
            .points = {{{1, 0, 0}, 1, 0, true}, {{0, 0, 0}, 1, 0, true}, {{at.cos, at.sin, 0}, 1}},
            .bends = {angle_link({0, 1, 2}, rest, stiffness, 1, 1)}};
        Net net{made, {.method = NetMethod::forces, .substeps = 1, .gravity = {0, 0, 0}}};
        net.step({}, 1e-4);
        const Vector3 v = net.velocities()[2];
        const double turning = (v.y * at.cos - v.x * at.sin) / 1e-4;
        CHECK(turning == Approx(stiffness * 0.02).epsilon(0.03));
    }
    CHECK_THROWS_AS(angle_link({0, 1, 2}, 0.01, 1, 1, 1), InvalidValue);
}

TEST_CASE("a point slides down a slope beyond its friction angle, and not below it", "[net]") {
    for (const NetMethod method : all_methods) {
        for (const double degrees : {28.0, 32.0}) {
            const double slope = degrees * math::pi / 180;
            const Quaternion turn = turned_by({0, 0, -slope});
            const ContactShape plane{.rotation = turn, .friction = std::tan(math::pi / 6)};
            const Vector3 normal = rotated(turn, {0, 1, 0});
            Net net{NetStructure{.points = {{normal * 0.005, 1}}}, {.method = method}};
            for (int frame = 0; frame < 120; ++frame)
                net.step({.shapes = {&plane, 1}}, frame_s);
            INFO(facts_of(method).name << ", " << degrees);
            const double way = apart(net.positions()[0], normal * 0.005);
            if (degrees < 30) CHECK(way < 1e-3);
            if (degrees > 30) CHECK(way > 0.05);
            CHECK(net.contact_depth_m() < 1e-6);
        }
    }
}

TEST_CASE("a soft ball lands, gives way and comes to rest above the ground", "[net]") {
    const FlatGround ground;
    for (const NetMethod method : all_methods) {
        Net net{soft_ball({.refinement = 1}, {{0, 0.8, 0}}), {.method = method}};
        double least = 1;
        for (int frame = 0; frame < 300; ++frame) {
            net.step({.ground = &ground}, frame_s);
            least = std::min(least, lowest(net));
        }
        INFO(facts_of(method).name);
        CHECK(least > 0.005 - 1e-9);
        CHECK(fastest(net) < 0.2);  // it may rock
        CHECK(net.positions().back().y < 0.23);
        CHECK(net.positions().back().y > 0.19);
        CHECK(net.contact_count() > 0);
    }
}

TEST_CASE(
    "a cloth catches a ball, light or heavy, and carries it at the same height by forces and "
    "by the implicit method",
    "[net][long]") {
    const ClothSettings settings{.columns = 21, .rows = 21, .stretch_n_per_m = 2000};
    const auto height_m = [&](NetMethod method, double mass_kg) {
        NetStructure made = cloth(settings, {{}, turned_by({-math::pi / 2, 0, 0})});
        for (const ClothEdge edge :
             {ClothEdge::top, ClothEdge::bottom, ClothEdge::left, ClothEdge::right})
            pin(made, points_at(settings, edge));
        made.points.push_back({{0.03, 0.4, -0.02}, mass_kg, 0.12});
        Net net{made, {.method = method, .drag_per_s = 3}};
        double least = 1;
        for (int frame = 0; frame < 240; ++frame) {
            net.step({}, frame_s);
            least = std::min(least, net.positions().back().y);
        }
        INFO(facts_of(method).name << ", " << mass_kg << " kg");
        CHECK(least > -0.25);  // it gives way, and lets nothing through
        CHECK(net.contact_count() > 0);
        return net.positions().back().y;
    };
    for (const double mass_kg : {0.02, 0.4, 4.0}) {
        const double true_m = height_m(NetMethod::forces, mass_kg);
        INFO(mass_kg << " kg");
        CHECK(std::abs(height_m(NetMethod::implicit, mass_kg) - true_m) < 0.004);
        // One link after the other, a heavy ball's weight is not found in few substeps.
        CHECK(std::abs(height_m(NetMethod::automatic, mass_kg) - true_m) < 0.03);
    }
}

TEST_CASE("a ball thrown at a free cloth keeps the momentum of both, by the implicit method",
          "[net]") {
    const ClothSettings settings{.columns = 13, .rows = 13, .stretch_n_per_m = 500};
    for (const double speed : {0.5, 3.0, 15.0}) {
        NetStructure made = cloth(settings);
        made.points.push_back({{0.02, 0.03, 0.5}, 0.3, 0.1});
        Net net{made, {.method = NetMethod::implicit, .gravity = {}, .air_density_kg_per_m3 = 0}};
        const auto ball = static_cast<std::uint32_t>(made.points.size() - 1);
        net.push(ball, {0, 0, -speed});
        const Vector3 before = net.momentum();
        for (int frame = 0; frame < 90; ++frame)
            net.step({}, frame_s);
        const Vector3 after = net.momentum();
        INFO(speed << " m/s");
        CHECK(apart(before, after) < 1e-9 * speed);
        // It has pushed the cloth along, and has not passed it.
        CHECK(net.velocities()[ball].z > -speed);
        CHECK(net.positions()[ball].z > net.positions()[6 * 13 + 6].z);
    }
}

TEST_CASE("cloth with self-contact does not pass through itself", "[net]") {
    // Folded over a bar, its two halves blown against each other.
    const ClothSettings settings{.width_m = 0.4, .height_m = 1, .columns = 9, .rows = 21};
    NetStructure made = cloth(settings, {{}, turned_by({-math::pi / 2, 0, 0})});
    for (std::uint32_t column = 0; column < 9; ++column)
        made.points[10 * 9 + column].is_pinned = true;
    const auto crossed = [&](bool self_contact) {
        Net net{
            made,
            {.method = NetMethod::positions, .drag_per_s = 1, .has_self_contact = self_contact}};
        for (std::uint32_t i = 0; i < made.points.size(); ++i) {
            const double side = made.points[i].position.z < -1e-6 ? 1 : -1;
            net.set_force(i, {0, 0, 0.006 * side});
        }
        for (int frame = 0; frame < 180; ++frame)
            net.step({}, frame_s);
        // The half that was in front has to stay in front.
        int count = 0;
        for (std::uint32_t i = 0; i < made.points.size(); ++i) {
            const double before = made.points[i].position.z;
            const double now = net.positions()[i].z;
            count += before * now < -1e-4 ? 1 : 0;
        }
        return count;
    };
    CHECK(crossed(false) > 20);
    CHECK(crossed(true) == 0);
}

TEST_CASE("air carries a falling sheet at its terminal speed, and wind blows it along", "[net]") {
    const ClothSettings settings{.columns = 9, .rows = 9, .stretch_n_per_m = 50};
    for (const NetMethod method : all_methods) {
        Net net{cloth(settings, {{}, turned_by({-math::pi / 2, 0, 0})}),
                {.method = method, .lift_coefficient = 0}};
        for (int frame = 0; frame < 120; ++frame)
            net.step({}, frame_s);
        const double mass = settings.mass_kg_per_m2;
        const double wanted = std::sqrt(2 * mass * g / (1.2 * 1.2));
        double mean = 0;
        for (const Vector3& v : net.velocities())
            mean -= v.y / static_cast<double>(net.size());
        INFO(facts_of(method).name);
        CHECK(mean == Approx(wanted).epsilon(0.08));
    }
    const Wind gale{{.mean_m_per_s = {50, 0, 0}, .spread_m_per_s = 10}};
    for (const NetMethod method : {NetMethod::positions, NetMethod::implicit}) {
        Net net{hung_cloth({.columns = 11, .rows = 11}), {.method = method}};
        bool all_stepped = true;
        for (int frame = 0; frame < 60; ++frame) {
            all_stepped =
                net.step({.wind = &gale, .time_s = frame * 0.1}, 0.1) == StepStatus::stepped &&
                all_stepped;
        }
        CHECK(all_stepped);
        CHECK(fastest(net) < 100);
        CHECK(net.positions().back().x > 0.3);
    }
}

TEST_CASE("a net moves by the same bits with every instruction set", "[net]") {
    NetStructure made = hung_cloth({.columns = 19, .rows = 13}, {{}, turned_by({1, 0.2, 0})});
    const std::uint32_t first_of_rope = made.add(rope({.segments = 21, .bending_n_m2 = 1e-4}));
    attach(made, first_of_rope, 19, {});
    made.add(soft_ball({}, {{3, 0, 0}, {}}));
    // Nothing of this lies side by side.
    made.links.push_back(strut_link(7, 200, 0.3, {.damping_n_s_per_m = 2}));
    made.bends.push_back(angle_link({3, 90, 5}, 1.5, 0.1, 0.4, 0.5));
    for (const NetMethod method : all_methods) {
        std::vector<Vector3> plain;
        for (const InstructionSet set : available_sets()) {
            Net net{made, {.method = method}};
            net.use(set);
            for (int frame = 0; frame < 20; ++frame)
                REQUIRE(net.step({}, frame_s) == StepStatus::stepped);
            if (plain.empty()) plain = positions_of(net);
            CHECK(positions_of(net) == plain);
        }
    }
}

TEST_CASE("a net goes on bit for bit from its state, and steps without allocating", "[net]") {
    const ClothSettings settings{.columns = 11, .rows = 9};
    const FlatGround ground{-0.6};
    const Wind wind{{.mean_m_per_s = {3, 0, 1}}};
    for (const NetMethod method : all_methods) {
        NetStructure made = hung_cloth(settings, {{}, turned_by({-1, 0, 0})});
        made.points.push_back({{0.05, 0.3, 0}, 0.05, 0.1});  // a ball, which falls on it
        // A tail of rope, which goes slack and taut, and a spring too soft to be felt.
        const std::uint32_t tail = made.add(rope({.length_m = 0.4, .segments = 5}, {{0, -1, 0.2}}));
        made.links.push_back(rope_link(50, tail, 0.01, {500, 0}));
        made.links.push_back({1, tail, 0.1, 0.1, 1e-320});
        const NetSettings chosen{
            .method = method, .scheme = Scheme::position_verlet, .has_self_contact = true};
        Net net{made, chosen};
        double time_s = 0;
        const auto go_on = [&](Net& one, int frames) {
            for (int frame = 0; frame < frames; ++frame) {
                time_s += frame_s;
                one.step({.ground = &ground, .wind = &wind, .time_s = time_s}, frame_s);
            }
        };
        go_on(net, 40);
        const long before = allocations();
        go_on(net, 10);
        CHECK(allocations() == before);
        const std::vector<std::byte> kept = save_state(net);
        Net copy = net;
        const double then_s = time_s;
        go_on(net, 40);
        Net restored{made, chosen};
        CHECK(load_state(restored, kept));
        for (Net* again : {&copy, &restored}) {
            time_s = then_s;
            go_on(*again, 40);
            CHECK(positions_of(*again) == positions_of(net));
        }
        Net other{rope({}), {}};
        CHECK_FALSE(load_state(other, kept));
    }
}

TEST_CASE("a copied net touches shapes without allocating, and refuses more than 64", "[net]") {
    const ContactShape sphere{
        .type = ContactShape::Type::sphere, .position = {0, -0.4, 0}, .radius_m = 0.3};
    const std::vector<ContactShape> many(65, sphere);
    for (const NetMethod method : all_methods) {
        const Net net{cloth({.columns = 9, .rows = 9}, {{}, turned_by({-math::pi / 2, 0, 0})}),
                      {.method = method}};
        Net copy = net;
        const long before = allocations();
        for (int frame = 0; frame < 30; ++frame)
            copy.step({.shapes = std::span{many}.first(20)}, frame_s);
        CHECK(allocations() == before);
        CHECK(copy.contact_count() > 0);
        CHECK(copy.nearest_point({0, 5, 0}) == 40);
        CHECK(copy.step({.shapes = many}, frame_s) == StepStatus::rejected);
    }
}

TEST_CASE("the default takes positions where the chosen scheme is slow for so many points",
          "[net]") {
    const NetStructure large = hung_cloth({.columns = 16, .rows = 16, .stretch_n_per_m = 10});
    CHECK(plan_for(large, {.scheme = Scheme::implicit_euler}).method == NetMethod::positions);
}

TEST_CASE("pins, cuts, pushes and hands change a net while it runs", "[net]") {
    const ClothSettings settings{.columns = 9, .rows = 9};
    for (const NetMethod method : all_methods) {
        INFO(facts_of(method).name);
        Net net{hung_cloth(settings), {.method = method, .drag_per_s = 1}};
        const NetGrab hand{.point = 76, .radius_m = 0.15, .target = {0, -0.3, 0.5}};
        for (int frame = 0; frame < 120; ++frame)
            net.step({.grabs = {&hand, 1}}, frame_s);
        CHECK(apart(net.positions()[76], hand.target) < 0.05);
        // A weak hand does not stretch it.
        const NetGrab weak{.point = 76, .radius_m = 0.15, .target = {0, -9, 0}, .most_force_n = 2};
        for (int frame = 0; frame < 120; ++frame)
            net.step({.grabs = {&weak, 1}}, frame_s);
        CHECK(net.largest_stretch() < 0.2);
        // Let go by all pins but one corner it hangs by that.
        for (std::uint32_t i = 1; i < 9; ++i)
            net.set_pinned(i, false);
        for (int frame = 0; frame < 300; ++frame)
            net.step({}, frame_s);
        CHECK(net.pins().size() == 1);
        CHECK(lowest(net) < -0.75);
        const Vector3 velocity = net.velocities()[40];
        CHECK(net.push(40, {0, 0, 1}) == StepStatus::stepped);
        CHECK(net.velocities()[40] == velocity + Vector3{0, 0, 1});
        CHECK(net.push(0, {0, 0, 1}) == StepStatus::rejected);
        const std::size_t links = net.structure().links.size();
        net.cut_link(0);
        CHECK(net.structure().links.size() == links - 1);
        CHECK_THROWS_AS(net.cut_link(links), std::out_of_range);
    }
}

TEST_CASE("a net moved and turned as a whole moves on alike", "[net]") {
    for (const NetMethod method : all_methods) {
        NetSettings settings{.method = method, .gravity = {0, 0, 0}};
        Net one{soft_ball({.refinement = 1}), settings};
        stir(one, 5, 0.3);
        for (int frame = 0; frame < 20; ++frame)
            one.step({}, frame_s);
        Net two = one;
        const Vector3 way{4, -2, 1};
        const Quaternion turn = turned_by({0.3, 1, -0.4});
        CHECK(two.cut(way, turn) == StepStatus::stepped);
        for (int frame = 0; frame < 20; ++frame) {
            one.step({}, frame_s);
            two.step({}, frame_s);
        }
        double worst = 0;
        for (std::size_t i = 0; i < one.size(); ++i)
            worst =
                std::max(worst, apart(way + rotated(turn, one.positions()[i]), two.positions()[i]));
        INFO(facts_of(method).name);
        CHECK(worst < 1e-9);
    }
}

TEST_CASE("an oriented body keeps its frame while it turns, with limbs attached", "[net]") {
    const Quaternion turn = turned_by({0.3, 2.4, -0.5});
    NetStructure body = oriented_body({}, {{1, 2, 3}, turn});
    const auto frame = [](const Net& net) {
        std::array<Vector3, 6> points{};
        std::copy_n(net.positions().begin(), 6, points.begin());
        return frame_of(points);
    };
    const std::uint32_t limb = body.add(rope({.length_m = 0.3, .segments = 3}, {{1, 1.9, 3}}));
    attach(body, 2, limb, {5000, 5});
    Net net{body, {.method = NetMethod::forces}};
    const Placement start = frame(net);
    CHECK(apart(start.position, {1, 2, 3}) < 1e-12);
    CHECK(length_of(rotation_vector(start.rotation * conjugate(turn))) < 1e-9);
    for (std::uint32_t i = 0; i < 6; ++i)
        net.push(i, cross({0, 3, 0}, net.positions()[i] - Vector3{1, 2, 3}));
    for (int step = 0; step < 12; ++step)
        net.step({}, frame_s);
    // Turned by 0.6 rad about Y, as far as the limb lets it.
    const Vector3 turned = rotation_vector(frame(net).rotation * conjugate(turn));
    CHECK(turned.y == Approx(0.6).margin(0.15));
    CHECK(net.largest_stretch() < 0.05);
}

TEST_CASE("what cannot be a net is refused by name, and what cannot be used is rejected", "[net]") {
    CHECK_THROWS_AS(Net{NetStructure{}}, InvalidValue);
    NetStructure bad = rope({});
    bad.points[3].mass_kg = 0;
    CHECK_THROWS_WITH(Net{bad}, Catch::Contains("mass_kg"));
    bad = rope({});
    bad.links[0].b = 99;
    CHECK_THROWS_AS(Net{bad}, std::out_of_range);
    CHECK_THROWS_WITH(cloth({.columns = 1}), Catch::Contains("columns"));
    CHECK_THROWS_WITH(cloth({.stretch_n_per_m = std::nan("")}), Catch::Contains("stretch"));
    CHECK_THROWS_WITH(rope({.length_m = -1}), Catch::Contains("length_m"));
    CHECK_THROWS_AS(rope_between({}, {0, 0, 0}, {0, std::nan(""), 0}), InvalidValue);
    CHECK_THROWS_WITH((Net{rope({}), {.iterations = 0}}), Catch::Contains("iterations"));
    Net net{rope({})};
    const std::vector<Vector3> start = positions_of(net);
    for (const double dt : {-1.0, std::nan(""), HUGE_VAL})
        CHECK(net.step({}, dt) == StepStatus::rejected);
    const std::array<Vector3, 2> pins{};
    CHECK(net.step({.pins = pins}, frame_s) == StepStatus::rejected);
    const NetGrab grab{.point = 999};
    CHECK(net.step({.grabs = {&grab, 1}}, frame_s) == StepStatus::rejected);
    CHECK(net.cut({std::nan(""), 0, 0}) == StepStatus::rejected);
    CHECK(net.rejected_inputs() == 6);
    CHECK(positions_of(net) == start);
    // Every dial takes its default back and refuses what is out of range.
    for (const Dial<Net>& dial : Net::dials()) {
        CHECK(dial.set(net, dial.get(net)) == DialStatus::set);
        CHECK(dial.set(net, -1) == DialStatus::refused);
    }
}
