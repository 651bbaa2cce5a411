// What touches, rolls, slides and tips, against closed forms.

#include <algorithm>
#include <cmath>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/state.hpp>
#include <hopcoil/field/terrain.hpp>
#include <hopcoil/parts/parts.hpp>

#include "parts/solids.hpp"
#include "support/allocations.hpp"
#include "support/blocks.hpp"
#include "support/random.hpp"

using namespace hopcoil;

namespace {

/// A capsule of steel-like weight lying across the way along X: it rolls as a cylinder nearly does.
PartShape roller(double radius, double half_length) {
    return {.type = PartShape::Type::capsule,
            .placement = {{}, turned_by({math::pi / 2, 0, 0})},
            .radius_m = radius,
            .half_size_m = {0, half_length, 0}};
}

}  // namespace

TEST_CASE("a capsule rolls down a slope as its inertia says, and stays on its way", "[parts]") {
    for (const double slope_rad : {0.1, 0.35}) {
        const Quaternion turned = turned_by({0, 0, -slope_rad});
        PartsStructure made;
        made.parts = {
            {.placement = {rotated(turned, {0, 0.15, 0}), turned}, .shapes = {roller(0.15, 0.3)}}};
        Parts part{made, {.sleep_speed_m_per_s = 0}};
        const ContactShape slope{.type = ContactShape::Type::plane, .rotation = turned};
        for (int i = 0; i < 90; ++i)
            part.step({.shapes = {&slope, 1}}, frame_s);
        const MassProperties& mass = part.mass(0);
        // About its length, which is the axis that it moves least mass around.
        const double inertia = std::fmin(mass.inertia.x, std::fmin(mass.inertia.y, mass.inertia.z));
        const double pull = g * std::sin(slope_rad) / (1 + inertia / (mass.mass_kg * 0.15 * 0.15));
        CAPTURE(slope_rad);
        CHECK(length(part.motions()[0].velocity) == Approx(1.5 * pull).epsilon(0.01));
        CHECK(std::fabs(part.placements()[0].position.z) < 1e-6);
    }
}

TEST_CASE("a ball with spin ends up rolling at two sevenths of what its rim had", "[parts]") {
    for (const double spin : {-20.0, 8.0, 30.0}) {
        PartsStructure made;
        made.parts = {{.placement = {{0, 0.2, 0}}, .shapes = {ball(0.2)}}};
        Parts part{made, {.sleep_speed_m_per_s = 0}};
        const FlatGround ground;
        for (int i = 0; i < 20; ++i)
            part.step({.ground = &ground}, frame_s);
        part.set_motion(0, {{}, {0, 0, -spin}});
        for (int i = 0; i < 120; ++i)
            part.step({.ground = &ground}, frame_s);
        CAPTURE(spin);
        const double speed = 2.0 / 7 * 0.2 * spin;
        CHECK(part.motions()[0].velocity.x == Approx(speed).epsilon(0.01));
        CHECK(part.motions()[0].angular_velocity.z == Approx(-speed / 0.2).epsilon(0.01));
        // And it goes on rolling.
        for (int i = 0; i < 300; ++i)
            part.step({.ground = &ground}, frame_s);
        CHECK(part.motions()[0].velocity.x == Approx(speed).epsilon(0.01));
    }
}

TEST_CASE("resistance to rolling stops a ball evenly, and holds it on a slight slope", "[parts]") {
    PartsStructure made;
    made.parts = {{.placement = {{0, 0.2, 0}}, .shapes = {ball(0.2)}, .rolling_m = 0.01}};
    Parts part{made, {.sleep_speed_m_per_s = 0}};
    const FlatGround ground;
    for (int i = 0; i < 20; ++i)
        part.step({.ground = &ground}, frame_s);
    part.set_motion(0, {{2, 0, 0}, {0, 0, -10}});
    for (int i = 0; i < 60; ++i)
        part.step({.ground = &ground}, frame_s);
    // Torque 0.01 N m for each newton, on a ball that rolls.
    const double slows = 5.0 / 7 * 0.01 / 0.2 * g;
    CHECK(part.motions()[0].velocity.x == Approx(2 - slows).epsilon(0.01));

    for (const double slope_rad : {0.03, 0.08}) {  // it holds up to tan = 0.01 / 0.2
        const Quaternion turned = turned_by({0, 0, -slope_rad});
        made.parts[0].placement = {rotated(turned, {0, 0.2, 0}), {}};
        Parts on_slope{made};
        const ContactShape slope{.type = ContactShape::Type::plane, .rotation = turned};
        for (int i = 0; i < 120; ++i)
            on_slope.step({.shapes = {&slope, 1}}, frame_s);
        const double way =
            length(on_slope.placements()[0].position - made.parts[0].placement.position);
        CAPTURE(slope_rad);
        if (slope_rad < 0.05) {
            CHECK(way < 0.002);
        } else {
            const double pull = 5.0 / 7 * g * (std::sin(slope_rad) - 0.05 * std::cos(slope_rad));
            CHECK(way == Approx(0.5 * pull * 4).epsilon(0.03));
        }
    }
}

TEST_CASE("a belt carries a box until it goes as fast, a driven tray as far as friction lets it",
          "[parts]") {
    PartsStructure made;
    made.parts = {{.placement = {{0, 0.1, 0}}, .shapes = {box({0.1, 0.1, 0.1})}}};
    Parts part{made, {.sleep_speed_m_per_s = 0}};
    ContactShape belt{.type = ContactShape::Type::plane, .velocity = {2, 0, 0}};
    for (int i = 1; i <= 60; ++i) {
        belt.position.x = 2 * i * frame_s;
        part.step({.shapes = {&belt, 1}}, frame_s);
        if (i == 12)
            CHECK(part.motions()[0].velocity.x == Approx(0.5 * g * 12 * frame_s).epsilon(0.05));
    }
    CHECK(part.motions()[0].velocity.x == Approx(2).epsilon(0.001));

    for (const double pull : {2.0, 8.0}) {
        made = {};
        made.parts = {{.shapes = {box({2, 0.1, 1})}, .is_driven = true},
                      {.placement = {{-0.8, 0.25, 0}}, .shapes = {box({0.15, 0.15, 0.15})}}};
        Parts tray{made, {.sleep_speed_m_per_s = 0}};
        for (int i = 0; i < 30; ++i)
            tray.step({}, frame_s);
        constexpr int frames = 30;
        for (int i = 1; i <= frames; ++i) {
            const double t = i * frame_s;
            const Placement there{{0.5 * pull * t * t, 0, 0}, {}};
            tray.step({.driven = {&there, 1}}, frame_s);
        }
        const double speed = tray.motions()[1].velocity.x;
        CAPTURE(pull);
        CHECK(speed == Approx(std::fmin(pull, 0.5 * g) * frames * frame_s).epsilon(0.03));
    }
}

TEST_CASE("a block that is pushed above half of its width over friction tips, below it slides",
          "[parts]") {
    // 0.2 m wide, friction 0.5: tips above 0.2 m.
    for (const double height : {0.1, 0.17, 0.24, 0.35}) {
        PartsStructure made;
        made.parts = {{.placement = {{0, 0.2, 0}}, .shapes = {box({0.1, 0.2, 0.1})}}};
        Parts block{made, {.sleep_speed_m_per_s = 0}};
        const FlatGround ground;
        for (int i = 0; i < 30; ++i)
            block.step({.ground = &ground}, frame_s);
        const double weight = block.mass(0).mass_kg * g;
        const Vector3 start = block.placements()[0].position;
        double tilt = 0;
        for (int i = 0; i < 60; ++i) {
            // More than friction holds, and more than its weight holds down at that height.
            const double tips_n = weight * 0.1 / height;
            const double slides_n = 0.5 * weight;
            const PartForce push{.part = 0,
                                 .place = {0, height - 0.2, 0},
                                 .newtons = {1.05 * std::fmin(tips_n, slides_n), 0, 0}};
            block.step({.forces = {&push, 1}, .ground = &ground}, frame_s);
            tilt = std::fmax(tilt, length(rotation_vector(block.placements()[0].rotation)));
        }
        CAPTURE(height, tilt);
        if (height < 0.2) {
            CHECK(tilt < 0.01);
            CHECK(block.placements()[0].position.x - start.x > 0.05);
        } else {
            CHECK(tilt > 0.1);
        }
    }
}

TEST_CASE("a box that leans on a wall stands where friction holds both ends, else it slides down",
          "[parts]") {
    // Without friction at the wall it stands while tan(lean) <= 2 mu, the lean from upright.
    for (const double lean_rad : {0.55, 1.0}) {
        PartsStructure made;
        const Quaternion turn = turned_by({0, 0, lean_rad});
        const Vector3 foot{0.6 * std::sin(lean_rad), 0, 0};
        const Vector3 middle = foot + rotated(turn, {0, 0.3, 0}) + Vector3{0.03, 0.02, 0};
        made.parts = {{.placement = {middle, turn}, .shapes = {box({0.02, 0.3, 0.1})}}};
        made.parts[0].friction = 0.5;
        Parts plank{made};
        std::vector<ContactShape> room(2);
        room[0].friction = 0.5;
        room[1].friction = 0;
        room[1].rotation = turned_by({0, 0, -math::pi / 2});  // a wall at X = 0 that faces +X
        for (int i = 0; i < 120; ++i)
            plank.step({.shapes = room}, frame_s);
        const double lies = rotated(plank.placements()[0].rotation, {0, 1, 0}).y;
        CAPTURE(lean_rad, lies);
        if (std::tan(lean_rad) < 2 * 0.5) {
            CHECK(lies == Approx(std::cos(lean_rad)).margin(0.05));
        } else {
            CHECK(std::fabs(lies) < 0.3);
        }
    }
}

TEST_CASE("what sleeps still touches what it touched", "[parts]") {
    PartsStructure made;
    for (int i = 0; i < 3; ++i)
        made.parts.push_back(
            {.placement = {{0, 0.1 + 0.2 * i, 0}}, .shapes = {box({0.1, 0.1, 0.1})}});
    Parts stack{made};
    const FlatGround ground;
    const auto carried_n = [&] {
        double sum = 0;
        for (const PartContact& contact : stack.contacts())
            sum += contact.other == no_part ? contact.force_n : 0;
        return sum;
    };
    for (int i = 0; i < 240; ++i)
        stack.step({.ground = &ground}, frame_s);
    REQUIRE(stack.still());
    const double weight = 3 * stack.mass(0).mass_kg * g;
    CHECK(carried_n() == Approx(weight).epsilon(0.01));
    // Woken gently it goes on as if it had not slept: nothing sinks or jumps.
    const Vector3 before = stack.placements()[2].position;
    stack.push(2, {}, {0.01, 0, 0});
    for (int i = 0; i < 10; ++i) {
        stack.step({.ground = &ground}, frame_s);
        CHECK(carried_n() == Approx(weight).epsilon(0.05));
        CHECK(length(stack.placements()[2].position - before) < 5e-4);
    }
    Parts copy = stack;
    const auto kept = save_state(stack);
    Parts loaded{made};
    REQUIRE(load_state(loaded, kept));
    CHECK(loaded.contacts().size() == stack.contacts().size());
    for (int i = 0; i < 120; ++i) {
        copy.step({.ground = &ground}, frame_s);
        loaded.step({.ground = &ground}, frame_s);
    }
    CHECK(copy.placements()[2] == loaded.placements()[2]);
    CHECK(copy.contacts().size() == loaded.contacts().size());
}

TEST_CASE("what is driven where it lay, awake or asleep, presses on nothing any more", "[parts]") {
    PartsStructure made;
    for (int i = 0; i < 2; ++i)
        made.parts.push_back({.placement = {{1.0 * i, 0.1, 0}}, .shapes = {box({0.1, 0.1, 0.1})}});
    const FlatGround ground;
    for (const int lies : {5, 240}) {
        Parts boxes{made};
        for (int i = 0; i < lies; ++i)
            boxes.step({.ground = &ground}, frame_s);
        const auto on_ground = [&](std::uint32_t part) {
            const auto contacts = boxes.contacts();
            return std::count_if(contacts.begin(), contacts.end(),
                                 [&](const PartContact& each) { return each.part == part; });
        };
        REQUIRE(on_ground(0) > 0);
        REQUIRE(boxes.set_driven(0, true) == StepStatus::stepped);
        const Placement there[]{boxes.placements()[0]};
        for (int i = 0; i < 3; ++i)
            boxes.step({.driven = there, .ground = &ground}, frame_s);
        CHECK(on_ground(0) == 0);
        CHECK(on_ground(1) > 0);
    }
}

TEST_CASE("what slides or rolls over a floor of slabs goes as over one", "[parts]") {
    const auto shown = [](int slabs, const PartShape& shape, double yaw_rad, double heading_rad) {
        PartsStructure made;
        const double half = 3.0 / slabs;
        for (int i = 0; i < slabs * slabs; ++i) {
            const Vector3 at{-3 + half * (1 + 2 * (i % slabs)), -0.1,
                             -3 + half * (1 + 2 * (i / slabs % slabs))};
            made.parts.push_back(
                {.placement = {at, {}}, .shapes = {box({half, 0.1, half})}, .is_driven = true});
        }
        const auto last = static_cast<std::uint32_t>(made.parts.size());
        made.parts.push_back({.placement = {{-1, 0.1, -0.7}, turned_by({0, yaw_rad, 0})},
                              .shapes = {shape},
                              .friction = 0.05});
        Parts parts{made, {.sleep_speed_m_per_s = 0}};
        parts.set_motion(last, {{2 * std::cos(heading_rad), 0, 2 * std::sin(heading_rad)}, {}});
        for (int i = 0; i < 60; ++i)
            parts.step({}, frame_s);
        return parts.placements()[last].position;
    };
    for (const double heading_rad : {0.0, 0.5, 1.2}) {
        for (const double yaw_rad : {0.0, 0.3}) {
            for (const PartShape& shape :
                 {box({0.1, 0.1, 0.1}), box({0.2, 0.1, 0.05}), ball(0.1)}) {
                const Vector3 one = shown(1, shape, yaw_rad, heading_rad);
                const Vector3 many = shown(5, shape, yaw_rad, heading_rad);
                CAPTURE(heading_rad, yaw_rad, one.x, one.y, one.z, many.x, many.y, many.z);
                CHECK(length(many - one) < 0.01);
                CHECK(std::fabs(many.y - 0.1) < 0.001);
            }
        }
    }
}

TEST_CASE("a ball in a round bowl swings as long as rolling makes it, on any ground", "[parts]") {
    for (const double bowl_m : {0.6, 2.0}) {
        const double radius = 0.1;
        const HeightGround bowl{[bowl_m](double x, double z) {
            return bowl_m - std::sqrt(std::fmax(bowl_m * bowl_m - x * x - z * z, 0.0));
        }};
        // Let go at the height where it touches, on a way of its own across the bowl.
        const double lean = 0.15;
        const Vector3 start{(bowl_m - radius) * std::sin(lean),
                            bowl_m - (bowl_m - radius) * std::cos(lean), 0};
        PartsStructure made;
        made.parts = {
            {.placement = {rotated(turned_by({0, 0.7, 0}), start), {}}, .shapes = {ball(radius)}}};
        Parts part{made, {.sleep_speed_m_per_s = 0}};
        double before = 1;
        double first_s = 0;
        double last_s = 0;
        int count = 0;
        double off = 0;
        for (int i = 1; i <= 2400; ++i) {
            part.step({.ground = &bowl}, frame_s / 4);
            const Vector3& at = part.placements()[0].position;
            off = std::fmax(off, std::fabs(length(at - Vector3{0, bowl_m, 0}) - bowl_m + radius));
            if (before < 0 && at.x >= 0) {
                last_s = (i - at.x / (at.x - before)) * frame_s / 4;
                if (count++ == 0) first_s = last_s;
            }
            before = at.x;
        }
        const double slow = 2 * math::pi * std::sqrt(1.4 * (bowl_m - radius) / g);
        CAPTURE(bowl_m, count, off);
        REQUIRE(count > 2);
        CHECK((last_s - first_s) / (count - 1) ==
              Approx(slow * (1 + lean * lean / 16)).epsilon(0.01));
        CHECK(off < 0.003);
    }
}

TEST_CASE("boxes of the ground are met as boxes that stand by themselves", "[parts]") {
    Random random{77};
    const std::vector<PartShape> shapes{ball(0.15), box({0.2, 0.15, 0.1}), roller(0.1, 0.2)};
    int met = 0;
    for (int round = 0; round < 24; ++round) {
        Terrain steps;
        steps.add(Terrain::Plane{});
        std::vector<ContactShape> alone{{.type = ContactShape::Type::plane}};
        for (int i = 0; i < 4; ++i) {
            const Terrain::Box block{
                .middle = {1.2 + 0.8 * i, random.between(0, 0.4), random.between(-1, 1)},
                .size = {0.8, random.between(0.3, 1), 3},
                .yaw_rad = random.between(-0.3, 0.3)};
            steps.add(block);
            alone.push_back({.type = ContactShape::Type::box,
                             .position = block.middle,
                             .rotation = turned_by({0, block.yaw_rad, 0}),
                             .half_size_m = block.size * 0.5});
        }
        PartsStructure made;
        made.parts = {{.placement = {{0, 0.3, random.between(-0.5, 0.5)}},
                       .shapes = {shapes[static_cast<std::size_t>(round) % shapes.size()]},
                       .restitution = random.between(0, 0.6)}};
        const PartsSettings settings{.sleep_speed_m_per_s = 0};
        Parts on_ground{made, settings};
        Parts on_shapes{made, settings};
        for (Parts* each : {&on_ground, &on_shapes})
            each->set_motion(0, {{2, 0, 0.3}, {}});
        CAPTURE(round);
        for (int i = 0; i < 60; ++i) {
            const long before = allocations();
            on_ground.step({.ground = &steps}, frame_s);
            REQUIRE(allocations() == before);
            on_shapes.step({.shapes = alone}, frame_s);
            const Vector3 apart =
                on_ground.placements()[0].position - on_shapes.placements()[0].position;
            REQUIRE(length(apart) < 1e-3);
            met += on_ground.motions()[0].velocity.x < 1 ? 1 : 0;
        }
    }
    CHECK(met > 200);
}

TEST_CASE("blocks of triangles, coarse or fine, are met as blocks", "[parts][long]") {
    Random random{78};
    const std::vector<PartShape> shapes{ball(0.15), box({0.2, 0.15, 0.1}), roller(0.1, 0.2)};
    std::vector<double> apart(shapes.size(), 0);
    constexpr int rounds = 30;
    for (int round = 0; round < rounds; ++round) {
        const auto cells = static_cast<std::uint32_t>(round % 3 == 2 ? 10 : 1 + 4 * (round % 3));
        const auto shape = static_cast<std::size_t>(round / 3) % shapes.size();
        Terrain solid;
        Terrain triangles;
        for (int i = 0; i < 5; ++i) {
            Terrain::Box block{
                .middle = {1.2 + 0.8 * i, random.between(0, 0.4), random.between(-1, 1)},
                .size = {0.8, random.between(0.3, 1), 3},
                .yaw_rad = random.between(-0.3, 0.3)};
            if (i == 4) block = {.middle = {0, -0.5, 0}, .size = {12, 1, 12}};
            solid.add(block);
            triangles.add(mesh_of(block, cells));
        }
        PartsStructure made;
        made.parts = {{.placement = {{0, 0.3, random.between(-0.5, 0.5)}},
                       .shapes = {shapes[shape]},
                       .restitution = random.between(0, 0.6)}};
        const PartsSettings settings{.sleep_speed_m_per_s = 0};
        Parts on_solid{made, settings};
        Parts on_triangles{made, settings};
        const PartMotion thrown{{random.between(1, 6), 0, random.between(-1, 1)}, {}};
        on_solid.set_motion(0, thrown);
        on_triangles.set_motion(0, thrown);
        double most = 0;
        for (int i = 0; i < 120; ++i) {
            const long before = allocations();
            on_triangles.step({.ground = &triangles}, frame_s);
            REQUIRE(allocations() == before);
            on_solid.step({.ground = &solid}, frame_s);
            const Vector3 way =
                on_triangles.placements()[0].position - on_solid.placements()[0].position;
            most = std::fmax(most, length(way));
            const double inner = shape == 0 ? 0.15 : 0.1;
            const Vector3& place = on_triangles.placements()[0].position;
            CAPTURE(round, i, place.x, place.y, place.z);
            REQUIRE(solid.distance_to(place, 0.3, 0).metres > inner - 0.002);
        }
        CAPTURE(round, shape, cells);
        if (shape == 0) CHECK(most < 2e-3);
        apart[shape] += most / (rounds / 3.0);
    }
    // Edges and corners tumble a little otherwise for other spots on the same line.
    CHECK(apart[1] < 0.1);
    CHECK(apart[2] < 0.2);
}

TEST_CASE("a ball rolls over many triangles as over a plane, and from one slope to the next",
          "[parts]") {
    Terrain floor;
    floor.add(mesh_of({.middle = {0, -0.5, 0}, .size = {12, 1, 12}}, 30));
    PartsStructure made;
    made.parts = {{.placement = {{-4, 0.15, 0.1}}, .shapes = {ball(0.15)}}};
    Parts rolling{made};
    rolling.set_motion(0, {{4, 0, 0.3}, {}});
    for (int i = 0; i < 120; ++i)
        rolling.step({.ground = &floor}, frame_s);
    CHECK(rolling.motions()[0].velocity.x == Approx(4 * 5.0 / 7).epsilon(1e-3));
    CHECK(rolling.motions()[0].velocity.z == Approx(0.3 * 5.0 / 7).epsilon(1e-2));
    // Into a fold, as a height field and as triangles: it touches the ramp before it is over it.
    for (const bool is_field : {false, true}) {
        const double slope = std::tan(0.5);
        Terrain ramp;
        if (is_field) {
            ramp.add(
                HeightField{{.columns = 3, .rows = 2, .spacing_m = 5, .from_x = -5, .from_z = -2},
                            {0, 0, 5 * slope, 0, 0, 5 * slope}});
        } else {
            ramp.add(GroundMesh{{{-5, 0, -2},
                                 {-5, 0, 3},
                                 {0, 0, -2},
                                 {0, 0, 3},
                                 {5, 5 * slope, -2},
                                 {5, 5 * slope, 3}},
                                {{0, 1, 2}, {1, 3, 2}, {2, 3, 4}, {3, 5, 4}}});
        }
        made.parts[0].placement.position = {-1, 0.15, 0};
        Parts thing{made};
        thing.set_motion(0, {{3, 0, 0}, {0, 0, -20}});
        double highest = 0;
        for (int i = 0; i < 60; ++i) {
            thing.step({.ground = &ramp}, frame_s);
            const Vector3& place = thing.placements()[0].position;
            const double over_ramp = (place.y - slope * place.x) * std::cos(0.5);
            CAPTURE(is_field, i, place.x, place.y);
            REQUIRE(std::fmin(over_ramp, place.y) > 0.15 - 0.001);
            highest = std::fmax(highest, place.y);
        }
        CHECK(highest > 0.4);
    }
}

TEST_CASE("a thin deck of triangles is met from below, and holds from above", "[parts]") {
    Terrain pier;
    pier.add(Terrain::Plane{});
    pier.add(mesh_of({.middle = {0, 1.5, 0}, .size = {12, 0.1, 12}}, 5));
    Random random{5};
    const std::vector<PartShape> shapes{ball(0.1), box({0.1, 0.08, 0.15}), roller(0.08, 0.1)};
    for (int i = 0; i < 18; ++i) {
        const bool from_below = i % 2 == 0;
        PartsStructure made;
        made.parts = {{.placement = {{0, from_below ? 0.5 : 2.5, 0}},
                       .shapes = {shapes[static_cast<std::size_t>(i) % shapes.size()]},
                       .restitution = 0.3}};
        Parts thing{made};
        const double speed = random.between(5, 15);
        thing.set_motion(0, {{random.between(-0.5, 0.5), from_below ? speed : -speed, 0},
                             {random.between(-5, 5), 0, random.between(-5, 5)}});
        for (int frame = 0; frame < 90; ++frame) {
            thing.step({.ground = &pier}, frame_s);
            const double height = thing.placements()[0].position.y;
            CAPTURE(i, frame, speed, height);
            REQUIRE((from_below ? height < 1.45 - 0.078 : height > 1.55 + 0.078));
        }
    }
}

TEST_CASE("steps stop, hold and push what comes against their sides and edges", "[parts]") {
    const auto as_triangles = GENERATE(false, true);
    Terrain quay;
    const auto add = [&](const Terrain::Box& block, std::uint32_t part) {
        if (as_triangles) {
            quay.add(mesh_of(block, 3), part);
        } else {
            quay.add(block, part);
        }
    };
    quay.add(Terrain::Plane{});
    add({.middle = {2, 0.3, 0}, .size = {2, 0.6, 6}}, 0);
    const std::uint32_t raft = quay.add_part({.position = {-3, 0, 0}});
    add({.middle = {0, 0.2, 0}, .size = {1, 0.4, 6}}, raft);
    PartsStructure made;
    made.parts = {{.placement = {{-1, 0.15, 2}}, .shapes = {ball(0.15)}, .restitution = 0.5},
                  {.placement = {{-0.5, 0.2, 0}}, .shapes = {box({0.2, 0.2, 0.2})}},
                  {.placement = {{0.75, 0.75, -2}}, .shapes = {box({0.6, 0.03, 0.15})}},
                  {.placement = {{-1.5, 0.1, -1}}, .shapes = {box({0.1, 0.1, 0.1})}}};
    Parts things{made};
    things.set_motion(0, {{4, 0, 0}, {}});
    things.set_motion(1, {{4, 0, 0}, {}});
    double slowest = 4;
    for (int i = 0; i < 240; ++i) {
        things.step({.ground = &quay}, frame_s);
        slowest = std::fmin(slowest, things.motions()[0].velocity.x);
        for (const std::uint32_t k : {0U, 1U})
            REQUIRE(things.placements()[k].position.x < (k == 0 ? 0.851 : 0.801));
    }
    // It had begun to roll: the wall turns its way round, not its spin.
    CHECK(slowest < -1);
    CHECK(slowest > -2);
    CHECK(things.placements()[1].position.x == Approx(0.8).margin(0.002));
    // The plank leans from the floor over the edge: its underside goes through that.
    const Placement& plank = things.placements()[2];
    const Vector3 along = rotated(plank.rotation, {1, 0, 0});
    const Vector3 up = rotated(plank.rotation, {0, 1, 0});
    CHECK(things.is_asleep(2));
    CHECK(along.y > 0.3);
    CHECK(dot(Vector3{1, 0.6, -2} - plank.position, up) == Approx(-0.03).margin(0.002));
    CHECK((plank.position - along * 0.6 - up * 0.03).y == Approx(0).margin(0.002));
    // A raft comes: what sleeps before it is pushed along.
    REQUIRE(things.is_asleep(3));
    GroundFrame frame{.position = {-3, 0, 0}, .velocity = {0.5, 0, 0}};
    for (int i = 0; i < 180; ++i) {
        frame.position.x += 0.5 * frame_s;
        quay.move(raft, frame);
        things.step({.ground = &quay}, frame_s);
    }
    CHECK(things.placements()[3].position.x == Approx(-1.5 + 0.5 + 0.1).margin(0.01));
}

TEST_CASE("a platform that comes sideways strikes what is in its way, at any speed", "[parts]") {
    const auto as_triangles = GENERATE(false, true);
    for (const double speed : {0.5, 4.0, 20.0}) {
        for (const double restitution : {0.0, 0.6}) {
            Terrain quay;
            const std::uint32_t raft = quay.add_part({});
            const Terrain::Box block{.size = {1, 1, 1}};
            if (as_triangles) {
                quay.add(mesh_of(block), raft);
            } else {
                quay.add(block, raft);
            }
            PartsStructure made;
            made.parts = {
                {.placement = {{1, 0, 0}}, .shapes = {ball(0.1)}, .restitution = restitution}};
            Parts thing{made, {.gravity = {}}};
            GroundFrame frame{.velocity = {speed, 0, 0}};
            double nearest = 1;
            const double dt = 0.05 / speed;
            for (int i = 0; i < 20; ++i) {
                frame.position.x += speed * dt;
                quay.move(raft, frame);
                thing.step({.ground = &quay}, dt);
                const double gap = thing.placements()[0].position.x - frame.position.x - 0.6;
                nearest = std::fmin(nearest, gap);
            }
            CAPTURE(speed, restitution);
            CHECK(nearest > -0.001);
            CHECK(thing.motions()[0].velocity.x == Approx((1 + restitution) * speed).epsilon(0.01));
        }
    }
}

TEST_CASE("what sleeps goes along when its deck moves, sinks or is taken away", "[parts]") {
    for (const Vector3& speed :
         {Vector3{0.4, 0, 0}, Vector3{0, 0.5, 0}, Vector3{0.005, 0, 0}, Vector3{0, -0.2, 0}}) {
        for (const bool is_part : {false, true}) {
            Terrain harbour;
            const std::uint32_t deck = harbour.add_part({});
            harbour.add(Terrain::Box{.middle = {0, -0.1, 0}, .size = {8, 0.2, 4}}, deck);
            PartsStructure made;
            made.parts = {
                {.placement = {{0, -0.1, 0}}, .shapes = {box({4, 0.1, 2})}, .is_driven = true},
                {.placement = {{0, 0.1, 0}}, .shapes = {box({0.1, 0.1, 0.1})}}};
            if (!is_part) made.parts[0].placement.position.y = -50;
            Parts parts{made};
            const Vector3 first = made.parts[0].placement.position;
            GroundFrame frame;
            const auto step = [&] {
                harbour.move(deck, frame);
                const Placement at{first + frame.position, {}};
                parts.step({.driven = {&at, 1}, .ground = is_part ? nullptr : &harbour}, frame_s);
            };
            for (int i = 0; i < 90; ++i)
                step();
            REQUIRE(parts.is_asleep(1));
            frame.velocity = speed;
            for (int i = 0; i < 60; ++i) {
                frame.position = frame.position + speed * frame_s;
                step();
            }
            const Vector3 way = parts.placements()[1].position - Vector3{0, 0.1, 0};
            CAPTURE(speed.x, speed.y, is_part, way.x, way.y);
            // It slips until friction has brought it to the deck's speed.
            const double slips = speed.x * speed.x / (2 * 0.5 * g);
            CHECK(std::fabs(way.x - frame.position.x + slips) < 0.002);
            CHECK(std::fabs(way.y - frame.position.y) < 0.003);
        }
    }
    PartsStructure made;
    made.parts = {{.placement = {{0, 0.1, 0}}, .shapes = {box({0.1, 0.1, 0.1})}}};
    Parts crate{made};
    const FlatGround ground;
    for (int i = 0; i < 90; ++i)
        crate.step({.ground = &ground}, frame_s);
    REQUIRE(crate.still());
    for (int i = 0; i < 30; ++i)
        crate.step({}, frame_s);
    CHECK(crate.motions()[0].velocity.y == Approx(-g / 2).epsilon(0.05));
}

TEST_CASE("what has come to rest on uneven ground stays asleep", "[parts]") {
    const HeightGround waves{[](double x, double z) {
        return 0.1 * std::sin(2 * x) * std::cos(1.7 * z) + 0.05 * x;
    }};
    for (const PartShape& shape : {ball(0.2), box({0.2, 0.1, 0.15}), roller(0.1, 0.3)}) {
        PartsStructure made;
        made.parts = {{.placement = {{0.3, 0.6, 0.2}, {}}, .shapes = {shape}, .rolling_m = 0.05}};
        Parts part{made};
        for (int i = 0; i < 300; ++i)
            part.step({.ground = &waves}, frame_s);
        REQUIRE(part.still());
        const Placement rests = part.placements()[0];
        for (int i = 0; i < 300; ++i) {
            part.step({.ground = &waves}, frame_s);
            REQUIRE(part.still());
        }
        CHECK(part.placements()[0] == rests);
        CHECK_FALSE(part.contacts().empty());
    }
}
