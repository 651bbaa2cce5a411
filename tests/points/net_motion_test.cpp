// Nets against closed forms of motion: what a text book of mechanics says of points, ropes and
// strips, with every method.

#include <algorithm>
#include <array>
#include <cmath>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/base/components.hpp>
#include <hopcoil/base/math.hpp>
#include <hopcoil/field/terrain.hpp>
#include <hopcoil/points/net.hpp>
#include <hopcoil/points/net_builders.hpp>

#include "points/nets.hpp"
#include "support/allocations.hpp"
#include "support/blocks.hpp"
#include "support/random.hpp"
#include "support/vectors.hpp"

using namespace hopcoil;

namespace {

/// The time from one upward crossing of zero to the next, over all that were seen.
class Period {
  public:
    void look(double time_s, double value) {
        if (before_ < 0 && value >= 0) {
            last_s_ = time_s - (time_s - before_s_) * value / (value - before_);
            if (count_ == 0) first_s_ = last_s_;
            ++count_;
        }
        before_ = value;
        before_s_ = time_s;
    }
    [[nodiscard]] int count() const { return count_; }
    [[nodiscard]] double seconds() const { return (last_s_ - first_s_) / (count_ - 1); }

  private:
    double before_ = 1;
    double before_s_ = 0;
    double first_s_ = 0;
    double last_s_ = 0;
    int count_ = 0;
};

/// Gives each link and bend a damping of its own, from hardly any to far too much.
void damp_unevenly(NetStructure& net, Random& random) {
    for (NetLink& link : net.links)
        link.damping_n_s_per_m = link.stiffness_n_per_m * random.over_magnitudes(1e-6, 1);
    for (NetBend& bend : net.bends)
        bend.damping_n_s_per_m = bend.stiffness_n_per_m * random.over_magnitudes(1e-6, 1);
}

/// Points anywhere, of masses a hundred to one, some of them joined, by springs or by ropes.
NetStructure any_body(Random& random, int points, bool has_ropes) {
    NetStructure made;
    for (int i = 0; i < points; ++i) {
        made.points.push_back(
            {{random.between(-1, 1), random.between(-1, 1), random.between(-1, 1)},
             random.over_magnitudes(0.1, 10)});
    }
    const double stiffness = random.over_magnitudes(1e3, 1e8);
    const double share = random.between(2, 11) / points;
    for (std::uint32_t a = 0; a < made.points.size(); ++a) {
        for (std::uint32_t b = a + 1; b < made.points.size(); ++b) {
            const double length = apart(made.points[a].position, made.points[b].position);
            const double shortest = has_ropes ? 0 : length;
            if (random.chance(share)) made.links.push_back({a, b, shortest, length, stiffness});
        }
    }
    return made;
}

double moving_energy(const Net& net) {
    double energy = 0;
    for (std::size_t i = 0; i < net.size(); ++i) {
        const Vector3 v = net.velocities()[i];
        energy += 0.5 * net.structure().points[i].mass_kg * dot(v, v);
    }
    return energy;
}

}  // namespace

TEST_CASE("a thrown point flies a parabola", "[net]") {
    for (const NetMethod method : all_methods) {
        NetStructure two{.points = {{{0, 1, 0}, 0.3}, {{5, 5, 5}, 1}}};
        two.links = {spring_link(0, 1, 20, {0, 0})};
        Net net{two, {.method = method, .substeps = 20}};
        net.push(0, {2, 3, -1});
        double worst = 0;
        for (int frame = 1; frame <= 60; ++frame) {
            net.step({}, frame_s);
            const double t = frame * frame_s;
            const Vector3 at{2 * t, 1 + 3 * t - 0.5 * g * t * t, -t};
            worst = std::fmax(worst, apart(net.positions()[0], at));
        }
        INFO(facts_of(method).name);
        CHECK(worst < 0.005);
    }
}

TEST_CASE("a point that slides stops after v^2 / (2 mu g), whichever way it goes", "[net]") {
    const FlatGround ground;
    for (const NetMethod method : all_methods) {
        for (const double heading : {0.3, 2.2, 4.0}) {
            NetStructure two{.points = {{{0, 0.005, 0}, 0.3}, {{3, 0.005, 3}, 1}}};
            two.links = {spring_link(0, 1, 20, {0, 0})};
            Net net{two, {.method = method, .substeps = 20, .friction = 0.4}};
            for (int frame = 0; frame < 10; ++frame)
                net.step({.ground = &ground}, frame_s);
            const Vector3 start = net.positions()[0];
            net.push(0, {2 * std::cos(heading), 0, 2 * std::sin(heading)});
            for (int frame = 0; frame < 120; ++frame)
                net.step({.ground = &ground}, frame_s);
            const Vector3 way = net.positions()[0] - start;
            INFO(facts_of(method).name << " toward " << heading);
            CHECK(length_of(way) == Approx(4 / (2 * 0.4 * g)).epsilon(0.04));
            CHECK(std::cos(std::atan2(way.z, way.x) - heading) > 0.9999);
        }
    }
}

TEST_CASE("the wind leaves a cloth that lies flat, and carries off one that stands on edge",
          "[net]") {
    const FlatGround ground;
    const ClothSettings settings{.width_m = 1, .height_m = 1, .columns = 11, .rows = 11};
    for (const NetMethod method : all_methods) {
        for (const bool lies : {true, false}) {
            const Quaternion turned = lies ? turned_by({math::pi / 2, 0, 0}) : Quaternion{};
            const Vector3 at{0, lies ? 0.02 : 1.02, 0};
            Net net{cloth(settings, {at, turned}), {.method = method}};
            const Wind wind{{.mean_m_per_s = {2, 1.5, 6}}};
            if (lies) {
                for (int frame = 0; frame < 30; ++frame)
                    net.step({.ground = &ground}, frame_s);
            }
            for (int frame = 1; frame <= 120; ++frame)
                net.step({.ground = &ground, .wind = &wind, .time_s = frame * frame_s}, frame_s);
            const double moved = apart(net.positions()[60], at);
            INFO(facts_of(method).name << (lies ? " flat " : " on edge ") << moved);
            if (lies) {
                CHECK(moved < 0.03);
            } else {
                CHECK(moved > 1);
            }
        }
    }
}

/// The most that a net's energy of motion becomes, over what random pushes give it.
double most_energy_gained(const NetStructure& made, Random& random, double dt) {
    Net net{made, {.method = NetMethod::positions, .gravity = {}, .air_density_kg_per_m3 = 0}};
    for (std::uint32_t i = 0; i < net.size(); ++i)
        net.push(i, {random.between(-1, 1), random.between(-1, 1), random.between(-1, 1)});
    const double start = moving_energy(net);
    double most = 0;
    for (int frame = 0; frame < 120; ++frame) {
        net.step({}, dt);
        most = std::max(most, moving_energy(net));
    }
    return most / start;
}

TEST_CASE("a body of any links, however stiff, never moves faster than it was pushed", "[net]") {
    Random random{7};
    for (int body = 0; body < 280; ++body) {
        const bool has_ropes = body % 4 > 1;
        NetStructure made = any_body(random, 4 + body % 30, has_ropes);
        if (body >= 200) damp_unevenly(made, random);
        INFO(made.points.size() << " points, " << made.links.size() << " links");
        CHECK(most_energy_gained(made, random, body % 2 == 0 ? frame_s : 0.1) <=
              (has_ropes ? 1.05 : 1.001));
    }
}

TEST_CASE(
    "a cloth of any grid, stiffness, damping and masses never moves faster than it was pushed",
    "[net][long]") {
    Random random{11};
    for (int which = 0; which < 36; ++which) {
        ClothSettings settings{.width_m = random.over_magnitudes(0.3, 3),
                               .height_m = random.over_magnitudes(0.3, 3),
                               .columns = 4 + static_cast<std::size_t>(random.between(0, 20)),
                               .rows = 3 + static_cast<std::size_t>(random.between(0, 20))};
        settings.stretch_n_per_m = random.over_magnitudes(1e2, 1e9);
        settings.shear_n_per_m = settings.stretch_n_per_m * random.over_magnitudes(1e-3, 0.5);
        settings.bending_n_m = random.over_magnitudes(1e-6, 1e2);
        NetStructure made = cloth(settings);
        if (which % 3 > 0) damp_unevenly(made, random);
        if (which % 3 == 2) {
            for (NetPoint& point : made.points)
                point.mass_kg *= random.over_magnitudes(0.01, 100);
        }
        INFO(settings.columns << " x " << settings.rows << " points of " << settings.stretch_n_per_m
                              << " N/m");
        CHECK(most_energy_gained(made, random, which % 2 == 0 ? frame_s : 0.1) <= 1.001);
    }
}

TEST_CASE("a weight on a rope swings as a pendulum of its length", "[net]") {
    for (const NetMethod method : all_methods) {
        // The rope weighs a thousandth of what hangs on it.
        RopeSettings settings{.length_m = 1, .segments = 4, .mass_kg_per_m = 0.002};
        settings.stretch_n = 4000;
        NetStructure made = rope(settings);
        made.points.back().mass_kg = 2;
        made.points.front().is_pinned = true;
        Net net{made,
                {.method = method,
                 .substeps = method == NetMethod::forces ? 0U : 30U,
                 .iterations = 20}};
        net.push(4, {0.5, 0, 0});
        Period period;
        double highest = 0;
        for (int frame = 1; frame <= 600; ++frame) {
            net.step({}, frame_s);
            period.look(frame * frame_s, net.positions()[4].x);
            if (frame > 480) highest = std::fmax(highest, net.positions()[4].x);
        }
        // 2 pi sqrt(l/g) (1 + a^2/16), a = 0.5 m/s over sqrt(g l).
        const double angle = 0.5 / std::sqrt(g);
        const double length = 1 + 2 * g / 4000;
        const double wanted = 2 * math::pi * std::sqrt(length / g) * (1 + angle * angle / 16);
        INFO(facts_of(method).name);
        REQUIRE(period.count() > 3);
        CHECK(period.seconds() == Approx(wanted).epsilon(0.01));
        // It still swings after eight seconds: at least two thirds as far.
        CHECK(highest > 0.66 * angle);
    }
}

// Stiff links need substeps enough: positions hold them softer than that (docs/nets.md).
TEST_CASE("two weights on a rope over a smooth drum move as their difference says", "[net][long]") {
    constexpr std::uint32_t count = 81;
    constexpr double apart = 0.03;
    constexpr double point_kg = 0.005;
    constexpr double radius = 0.2;
    constexpr double around = radius + 0.005;  // where the points lie
    for (const double heavier : {1.5, 2.5}) {
        for (const NetMethod method : {NetMethod::forces, NetMethod::implicit}) {
            NetStructure made;
            for (std::uint32_t i = 0; i < count; ++i) {
                const double at = apart * (i - 0.5 * (count - 1));
                const double beyond = std::fabs(at) - around * math::pi / 2;
                Vector3 place{around * std::sin(at / around), around * std::cos(at / around), 0};
                if (beyond > 0) place = {at > 0 ? around : -around, -beyond, 0};
                made.points.push_back({place, point_kg});
                if (i > 0) made.links.push_back(spring_link(i - 1, i, apart, {1e6, 60}));
            }
            made.points.front().mass_kg = 1;
            made.points.back().mass_kg = heavier;
            NetSettings settings{.method = method};
            if (method == NetMethod::implicit) {
                settings.substeps = 8;
                settings.iterations = 40;
            }
            Net net{made, settings};
            const ContactShape drum{.type = ContactShape::Type::capsule,
                                    .rotation = turned_by({math::pi / 2, 0, 0}),
                                    .radius_m = radius,
                                    .half_size_m = {0, 1, 0},
                                    .friction = 0};
            const double from = net.positions().back().y;
            for (int frame = 0; frame < 30; ++frame)
                net.step({.shapes = {&drum, 1}}, frame_s);
            // The rope that has gone over pulls as well: M y'' = (difference + 2 y kg_per_m) g.
            const double kg_per_m = point_kg / apart;
            const double whole = 1 + heavier + point_kg * (count - 2);
            const double rate = std::sqrt(2 * kg_per_m * g / whole);
            const double way =
                (heavier - 1) / (2 * kg_per_m) * (std::cosh(rate * 30 * frame_s) - 1);
            CAPTURE(heavier, static_cast<int>(method));
            CHECK(from - net.positions().back().y == Approx(way).epsilon(0.02));
        }
    }
}

TEST_CASE("a wave runs along a taut rope at the root of tension over mass", "[net][long]") {
    for (const NetMethod method : all_methods) {
        RopeSettings settings{.length_m = 2, .segments = 20, .mass_kg_per_m = 0.1};
        settings.stretch_n = 2000;
        settings.stretch_damping_n_s = 0;
        // Stretched by a twentieth: 100 N, waves of 31.6 sqrt(1/1.05) m/s over its mass as it is.
        NetStructure made = rope_between(settings, {0, 0, 0}, {2.1, 0, 0});
        Net net{made,
                {.method = method,
                 .substeps = method == NetMethod::forces ? 0U : 80U,
                 .iterations = 30,
                 .has_tethers = false,
                 .gravity = {}}};
        // Its first mode: half a wave from end to end.
        for (std::uint32_t i = 1; i < 20; ++i)
            net.push(i, {0, 0.5 * std::sin(math::pi * i / 20), 0});
        Period period;
        for (int i = 1; i <= 480; ++i) {
            net.step({}, frame_s / 4);
            period.look(i * frame_s / 4, net.positions()[10].y);
        }
        const double speed = std::sqrt(100 / (0.1 * 2 / 2.1));
        INFO(facts_of(method).name);
        REQUIRE(period.count() > 4);
        CHECK(period.seconds() ==
              Approx(2 * 2.1 / speed).epsilon(method == NetMethod::positions ? 0.06 : 0.01));
    }
}

TEST_CASE("a clamped strip swings at the frequency of a beam", "[net]") {
    // w = 1.8751^2 sqrt(B / (m L^4)), B and m for each metre of width.
    ClothSettings settings{.width_m = 0.1, .height_m = 0.4, .columns = 3, .rows = 11};
    settings.mass_kg_per_m2 = 0.3;
    settings.stretch_n_per_m = 3000;
    settings.shear_n_per_m = 300;
    settings.bending_n_m = 2e-3;
    settings.stretch_damping_n_s_per_m = 0;
    NetStructure made = cloth(settings);
    const double step_m = 0.4 / 10;
    for (std::size_t i = 0; i < made.points.size(); ++i)
        made.points[i].is_pinned = made.points[i].position.y > 0.2 - 1.5 * step_m;
    const double length_m = 0.4 - 0.5 * step_m;  // a clamp over two rows sits between them
    const double mode = 1.8751 * 1.8751;
    const double rate = mode * std::sqrt(2e-3 / 0.3) / (length_m * length_m);
    for (const NetMethod method : all_methods) {
        Net net{made,
                {.method = method,
                 .substeps = method == NetMethod::positions ? 30U : 0U,
                 .iterations = 10,
                 .has_tethers = false,
                 .gravity = {},
                 .air_density_kg_per_m3 = 0}};
        for (std::uint32_t i = 0; i < net.size(); ++i) {
            const double along = (0.2 - made.points[i].position.y) / 0.4;
            if (!made.points[i].is_pinned) net.push(i, {0, 0, 0.1 * along * along});
        }
        Period period;
        for (int i = 1; i <= 2400; ++i) {
            net.step({}, frame_s / 2);
            period.look(i * frame_s / 2, net.positions()[net.size() - 2].z);
        }
        INFO(facts_of(method).name);
        REQUIRE(period.count() > 3);
        CHECK(period.seconds() == Approx(2 * math::pi / rate).epsilon(0.04));
    }
}

TEST_CASE("a hand pulls no harder than it is told, and what it holds follows", "[net]") {
    for (const NetMethod method : all_methods) {
        NetStructure two{.points = {{{0, 0, 0}, 0.5}, {{0, 2, 0}, 1}}};
        two.links = {spring_link(0, 1, 20, {0, 0})};
        Net net{two, {.method = method, .substeps = 10, .gravity = {}}};
        const NetGrab hand{.point = 0, .target = {40, 0, 0}, .most_force_n = 3};
        for (int frame = 0; frame < 30; ++frame)
            net.step({.grabs = {&hand, 1}}, frame_s);
        INFO(facts_of(method).name);
        CHECK(net.velocities()[0].x <= 3 / 0.5 * 0.5 * 1.001);
        CHECK(net.velocities()[0].x == Approx(3 / 0.5 * 0.5).epsilon(0.05));
        CHECK(std::fabs(net.velocities()[0].y) < 1e-9);

        const NetGrab near{.point = 0, .target = {1, 0.5, 0}, .most_force_n = 200};
        for (int frame = 0; frame < 240; ++frame)
            net.step({.grabs = {&near, 1}}, frame_s);
        CHECK(apart(net.positions()[0], near.target) < 0.01);
        CHECK(length_of(net.velocities()[0]) < 0.01);
    }
}

TEST_CASE("a lasting force stretches a spring by force over stiffness, until it is taken away",
          "[net]") {
    for (const NetMethod method : all_methods) {
        NetStructure pair{.points = {{{0, 0, 0}, 1}, {{0.5, 0, 0}, 0.2}}};
        pair.points[0].is_pinned = true;
        pair.links = {spring_link(0, 1, 0.5, {200, 2})};
        Net net{pair, {.method = method, .substeps = 20, .iterations = 20, .gravity = {}}};
        net.set_force(1, {6, 0, 0});
        for (int frame = 0; frame < 240; ++frame)
            net.step({}, frame_s);
        INFO(facts_of(method).name);
        CHECK(net.positions()[1].x == Approx(0.5 + 6.0 / 200).epsilon(1e-3));
        net.set_force(1, {});
        for (int frame = 0; frame < 240; ++frame)
            net.step({}, frame_s);
        CHECK(net.positions()[1].x == Approx(0.5).epsilon(1e-3));
        CHECK(net.still());
    }
}

TEST_CASE("cloth hangs over the edge of a step and along its side, not in it", "[net][long]") {
    const auto as_triangles = GENERATE(false, true);
    for (const NetMethod method : all_methods) {
        if (as_triangles && method != NetMethod::positions) continue;  // the ground is asked alike
        Terrain quay;
        // Three slabs side by side, of the same height: their seams are no sides.
        for (int i = 0; i < 3 && !as_triangles; ++i)
            quay.add(Terrain::Box{.middle = {1.3 + 0.6 * i, 0, 0}, .size = {0.6, 2, 3}});
        if (as_triangles) quay.add(mesh_of({.middle = {1.9, 0, 0}, .size = {1.8, 2, 3}}, 6));
        const ClothSettings fabric{.width_m = 1.2, .height_m = 0.6, .columns = 25, .rows = 13};
        const Placement level{{1.1, 1.3, 0}, turned_by({math::pi / 2, 0, 0})};
        NetSettings settings{.method = method, .thickness_m = 0.01, .friction = 0.9};
        if (method == NetMethod::implicit) settings.substeps = 4;
        Net net{cloth(fabric, level), settings};
        const long before = allocations();
        for (int i = 0; i < 300; ++i)
            net.step({.ground = &quay}, frame_s);
        CHECK(allocations() == before);
        int hanging = 0;
        for (const Vector3& place : net.positions()) {
            const bool is_in_it = place.x > 1.005 && place.y < 1.005;
            CHECK_FALSE(is_in_it);
            hanging += place.y < 0.9 ? 1 : 0;
        }
        double speed = 0;
        for (const Vector3& each : net.velocities())
            speed = std::fmax(speed, length_of(each));
        CAPTURE(static_cast<int>(method), hanging, speed);
        CHECK(hanging > 100);
        CHECK(speed < 0.05);
    }
}

TEST_CASE("a belt carries what lies on it, up to what friction gives", "[net]") {
    // A plate that moves below a point: the point speeds up at mu g until it goes with it.
    for (const NetMethod method : all_methods) {
        NetStructure two{.points = {{{0, 0.005, 0}, 0.3}, {{0.5, 0.005, 0}, 1}}};
        two.links = {spring_link(0, 1, 20, {0, 0})};
        Net net{two, {.method = method, .substeps = 20, .friction = 0.5}};
        ContactShape plate{.type = ContactShape::Type::plane, .friction = 0.5};
        plate.velocity = {1.5, 0, 0};
        double earlier = 0;
        for (int frame = 1; frame <= 60; ++frame) {
            plate.position.x = 1.5 * frame * frame_s;
            net.step({.shapes = {&plate, 1}}, frame_s);
            if (frame == 10) earlier = net.velocities()[0].x;
        }
        INFO(facts_of(method).name);
        CHECK(earlier == Approx(0.5 * g * 10 * frame_s).epsilon(0.1));
        CHECK(net.velocities()[0].x == Approx(1.5).epsilon(0.01));
    }
}

namespace {

NetStructure level_rope(bool pulls_only) {
    NetStructure made = rope({.length_m = 0.5,
                              .segments = 10,
                              .stretch_n = 400,
                              .stretch_damping_n_s = 0.5,
                              .pulls_only = pulls_only},
                             {{}, turned_by({0, 0, math::pi / 2})});
    made.points.front().is_pinned = true;
    return made;
}

/// Where points are after some frames by forces.
std::vector<Vector3> moved(const NetStructure& structure, Scheme scheme, std::size_t substeps,
                           int frames) {
    Net net{structure, {.method = NetMethod::forces, .scheme = scheme, .substeps = substeps}};
    for (int frame = 0; frame < frames; ++frame)
        REQUIRE(net.step({}, frame_s) == StepStatus::stepped);
    return positions_of(net);
}

}  // namespace

TEST_CASE("with small steps every scheme gives the same fall of a rope, the better the smaller",
          "[net]") {
    const NetStructure made = level_rope(false);
    const std::vector<Vector3> reference = moved(made, Scheme::runge_kutta_4, 800, 12);
    const auto error = [&](Scheme scheme, std::size_t substeps) {
        return farthest(moved(made, scheme, substeps, 12), reference);
    };
    for (const SchemeFacts& each : all_schemes()) {
        INFO(each.name);
        const double coarse = error(each.scheme, 100);
        const double fine = error(each.scheme, 200);
        CHECK(coarse < 3e-3);
        // Half the error at order 1, and far less at higher ones.
        CHECK(fine < 0.6 * coarse);
    }
}

TEST_CASE("implicit Euler holds nets that buckle and become slack, at any step", "[net]") {
    const FlatGround ground{-0.6};
    const NetStructure hung = hung_cloth({.columns = 6, .rows = 6}, {{}, turned_by({1.2, 0, 0})});
    for (const NetStructure& made : {level_rope(false), level_rope(true), hung,
                                     soft_ball({.radius_m = 0.2, .refinement = 1})}) {
        Net net{made, {.method = NetMethod::forces, .scheme = Scheme::implicit_euler}};
        INFO(made.points.size());
        CHECK(net.plan().substeps == 1);
        const double at_start = net.energy();
        for (int frame = 0; frame < 180; ++frame)
            REQUIRE(net.step({.ground = &ground}, frame_s) == StepStatus::stepped);
        CHECK(net.energy() < at_start);
        CHECK(net.largest_stretch() < 0.05);
        for (const Vector3& each : net.positions())
            CHECK(each.y > -0.6 - 1e-6);
    }
}

TEST_CASE("implicit Euler steps a whole cloth, however stiff, and it hangs as with other methods",
          "[net][long]") {
    const auto low = [](double stretch, const NetSettings& settings) {
        Net net{hung_cloth({.columns = 13, .rows = 13, .stretch_n_per_m = stretch}), settings};
        const double at_start = net.energy();
        for (int frame = 0; frame < 90; ++frame) {
            REQUIRE(net.step({}, frame_s) == StepStatus::stepped);
            REQUIRE(net.energy() <= at_start + 1e-9);
        }
        double lowest = 0;
        for (const Vector3& each : net.positions())
            lowest = std::fmin(lowest, each.y);
        return lowest;
    };
    for (const double stretch : {30.0, 1e6}) {
        INFO(stretch);
        CHECK(
            low(stretch,
                {.method = NetMethod::forces, .scheme = Scheme::implicit_euler, .drag_per_s = 3}) ==
            Approx(low(stretch, {.method = NetMethod::positions, .drag_per_s = 3})).epsilon(0.02));
    }
}
