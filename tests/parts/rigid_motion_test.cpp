// Rigid parts against closed forms: what a text book of mechanics says of one body or two.

#include <algorithm>
#include <array>
#include <cmath>
#include <utility>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/random.hpp>
#include <hopcoil/parts/parts.hpp>

#include "parts/solids.hpp"
#include "support/allocations.hpp"

using namespace hopcoil;

namespace {

Vector3 any_vector(RandomNumbers& random, double most) {
    const double x = random.between(-most, most);
    const double y = random.between(-most, most);
    const double z = random.between(-most, most);
    return {x, y, z};
}

Quaternion any_turn(RandomNumbers& random) {
    return turned_by(any_vector(random, 2));
}

/// A mass that spins the same about every axis.
Part mass(double mass_kg, const Vector3& place, double inertia = 0.01) {
    Part part;
    part.placement.position = place;
    part.given = {mass_kg, {}, {}, {inertia, inertia, inertia}};
    return part;
}

/// Whether a place in its own frame is inside of a shape.
bool is_inside(const PartShape& shape, const Vector3& at) {
    const Vector3& half = shape.half_size_m;
    switch (shape.type) {
        case PartShape::Type::sphere:
            return length(at) <= shape.radius_m;
        case PartShape::Type::capsule:
            return length(at - Vector3{0, std::fmin(std::fmax(at.y, -half.y), half.y), 0}) <=
                   shape.radius_m;
        case PartShape::Type::box:
            return std::fabs(at.x) <= half.x && std::fabs(at.y) <= half.y &&
                   std::fabs(at.z) <= half.z;
        case PartShape::Type::outline:
            break;
    }
    bool is_in = false;  // crossings of a ray
    const auto& outline = shape.outline;
    for (std::size_t i = 0, j = outline.size() - 1; i < outline.size(); j = i++) {
        const Vector3& a = outline[i];
        const Vector3& b = outline[j];
        if ((a.y > at.y) != (b.y > at.y) && at.x < a.x + (b.x - a.x) * (at.y - a.y) / (b.y - a.y))
            is_in = !is_in;
    }
    return is_in && std::fabs(at.z) <= half.z;
}

using Matrix = std::array<double, 9>;

/// A body's mass, its centre, and its inertia about that, summed over a fine grid.
struct Summed {
    double mass_kg = 0;
    Vector3 centre{};
    Matrix inertia{};
};
Summed sum_of(const std::vector<PartShape>& shapes, double reach, int cells) {
    const double step = 2 * reach / cells;
    Summed sum;
    Matrix second{};  // of x_i x_j
    for (const PartShape& shape : shapes) {
        const Quaternion back = conjugate(normalized(shape.placement.rotation));
        const double weight = shape.density_kg_per_m3 * step * step * step;
        for (int i = 0; i < cells * cells * cells; ++i) {
            const Vector3 at{-reach + step * (0.5 + i % cells),
                             -reach + step * (0.5 + i / cells % cells),
                             -reach + step * (0.5 + static_cast<double>(i / (cells * cells)))};
            if (!is_inside(shape, rotated(back, at - shape.placement.position))) continue;
            sum.mass_kg += weight;
            sum.centre = sum.centre + at * weight;
            const std::array<double, 3> x{at.x, at.y, at.z};
            for (std::size_t k = 0; k < 9; ++k)
                second[k] += weight * x[k / 3] * x[k % 3];
        }
    }
    sum.centre = sum.centre * (1 / sum.mass_kg);
    const std::array<double, 3> c{sum.centre.x, sum.centre.y, sum.centre.z};
    for (std::size_t k = 0; k < 9; ++k)
        second[k] -= sum.mass_kg * c[k / 3] * c[k % 3];
    const double trace = second[0] + second[4] + second[8];
    for (std::size_t k = 0; k < 9; ++k)
        sum.inertia[k] = (k % 4 == 0 ? trace : 0) - second[k];
    return sum;
}

/// The matrix whose principal axes and moments are given.
Matrix matrix_of(const MassProperties& mass) {
    Matrix matrix{};
    for (std::size_t axis = 0; axis < 3; ++axis) {
        const Vector3 unit{axis == 0 ? 1.0 : 0, axis == 1 ? 1.0 : 0, axis == 2 ? 1.0 : 0};
        const Vector3 way = rotated(mass.axes, unit);
        const std::array<double, 3> e{way.x, way.y, way.z};
        const double moment = dot(mass.inertia, unit);
        for (std::size_t k = 0; k < 9; ++k)
            matrix[k] += moment * e[k / 3] * e[k % 3];
    }
    return matrix;
}

}  // namespace

TEST_CASE("mass, centre and inertia of any solids are those of a sum over small cells",
          "[parts][long]") {
    RandomNumbers random{stream_of(31, "solids")};
    const std::vector<Vector3> ell{{-0.2, -0.2, 0}, {0.25, -0.2, 0}, {0.25, -0.05, 0},
                                   {0.0, -0.05, 0}, {0.0, 0.2, 0},   {-0.2, 0.2, 0}};
    for (int round = 0; round < 8; ++round) {
        std::vector<PartShape> shapes;
        for (const auto type : {PartShape::Type::sphere, PartShape::Type::capsule,
                                PartShape::Type::box, PartShape::Type::outline}) {
            if (round < 4 && static_cast<int>(type) != round) continue;
            PartShape shape{.type = type,
                            .placement = {any_vector(random, 0.2), any_turn(random)},
                            .radius_m = random.between(0.1, 0.2)};
            const double x = random.between(0.08, 0.25);
            const double y = random.between(0.08, 0.25);
            shape.half_size_m = {x, y, random.between(0.08, 0.25)};
            shape.density_kg_per_m3 = random.between(200, 2000);
            if (type == PartShape::Type::outline) shape.outline = ell;
            shapes.push_back(shape);
        }
        const Summed sum = sum_of(shapes, 0.8, 90);
        const MassProperties made = mass_properties(shapes);
        CAPTURE(round);
        CHECK(made.mass_kg == Approx(sum.mass_kg).epsilon(0.01));
        CHECK(length(made.centre - sum.centre) < 1e-3);
        const Matrix inertia = matrix_of(made);
        const double size = sum.inertia[0] + sum.inertia[4] + sum.inertia[8];
        for (std::size_t k = 0; k < 9; ++k)
            CHECK(std::fabs(inertia[k] - sum.inertia[k]) < 0.005 * size);
    }
}

TEST_CASE("a ball rolls down a slope where friction lets it, else it slides and spins up",
          "[parts]") {
    const double friction = 0.3;
    for (const double slope_rad : {0.2, 0.5, 0.72, 0.85, 1.1}) {
        const Quaternion turned = turned_by({0, 0, -slope_rad});  // down along +X
        PartsStructure made;
        made.parts = {{.placement = {rotated(turned, {0, 0.2, 0}), {}},
                       .shapes = {ball(0.2)},
                       .friction = friction}};
        Parts part{made, {.sleep_speed_m_per_s = 0}};
        const std::vector<ContactShape> slope{
            {.type = ContactShape::Type::plane, .rotation = turned, .friction = friction}};
        constexpr int frames = 90;
        for (int i = 0; i < frames; ++i)
            part.step({.shapes = slope}, frame_s);
        const double time_s = frames * frame_s;
        const double speed = length(part.motions()[0].velocity);
        const double spin = length(part.motions()[0].angular_velocity);
        const double pull = g * std::sin(slope_rad);
        const double grip = friction * g * std::cos(slope_rad);
        CAPTURE(slope_rad);
        if (std::tan(slope_rad) < 3.5 * friction) {
            CHECK(speed == Approx(5.0 / 7 * pull * time_s).epsilon(0.01));
            CHECK(spin * 0.2 == Approx(speed).epsilon(0.01));
        } else {
            CHECK(speed == Approx((pull - grip) * time_s).epsilon(0.01));
            CHECK(spin == Approx(2.5 * grip / 0.2 * time_s).epsilon(0.02));
        }
    }
}

TEST_CASE("what slides on the flat stops after v^2 / (2 mu g), whichever way it goes", "[parts]") {
    for (const double heading : {0.0, 0.4, 1.0, 2.6}) {
        PartsStructure made;
        made.parts = {{.placement = {{0, 0.05, 0}, turned_by({0, heading, 0})},
                       .shapes = {box({0.3, 0.05, 0.3})},
                       .friction = 0.4}};
        Parts part{made};
        const FlatGround ground;
        for (int i = 0; i < 30; ++i)
            part.step({.ground = &ground}, frame_s);
        const Vector3 start = part.placements()[0].position;
        part.set_motion(0, {{3 * std::cos(heading), 0, 3 * std::sin(heading)}, {}});
        for (int i = 0; i < 180; ++i)
            part.step({.ground = &ground}, frame_s);
        const double friction = std::sqrt(0.4 * 0.5);
        const Vector3 way = part.placements()[0].position - start;
        CAPTURE(heading);
        CHECK(length(way) == Approx(9 / (2 * friction * g)).epsilon(0.015));
        CHECK(std::atan2(way.z, way.x) == Approx(heading).margin(0.01));
        CHECK(length(part.motions()[0].velocity) == 0);
    }
}

TEST_CASE("two balls that meet part as momentum and restitution say", "[parts]") {
    RandomNumbers random{stream_of(5, "meetings")};
    for (int round = 0; round < 40; ++round) {
        const double restitution = random.between(0, 1);
        const double dense = random.between(200, 4000);
        const double beside = random.between(0, 0.15);  // of the two radii of 0.1 m
        const double speed = random.between(1, 4);
        PartsStructure made;
        made.parts = {{.shapes = {ball(0.1)}, .friction = 0, .restitution = restitution},
                      {.placement = {{0.6, beside, 0}},
                       .shapes = {ball(0.1, dense)},
                       .friction = 0,
                       .restitution = restitution}};
        Parts parts{made, {.gravity = {}, .sleep_speed_m_per_s = 0}};
        parts.set_motion(0, {{speed, 0, 0}, {}});
        const Vector3 momentum = parts.momentum();
        for (int i = 0; i < 90; ++i)
            parts.step({}, frame_s);
        // Along the line between the centres as they touch; across it nothing acts.
        const double sine = beside / 0.2;
        const Vector3 line{std::sqrt(1 - sine * sine), sine, 0};
        const double share = dense / (500 + dense) * (1 + restitution);
        const Vector3 first = Vector3{speed, 0, 0} - line * (share * speed * line.x);
        CAPTURE(round, restitution, dense, beside, speed);
        CHECK(length(parts.momentum() - momentum) < 1e-9 * length(momentum));
        CHECK(length(parts.motions()[0].velocity - first) < 0.02 * speed);
        CHECK(length(parts.motions()[0].angular_velocity) < 1e-9);
    }
}

TEST_CASE("impacts say what met, where and how fast, and nothing of what lies still", "[parts]") {
    const FlatGround floor;
    for (const double restitution : {0.0, 0.5}) {
        PartsStructure made;
        made.parts = {{.placement = {{0, 1.1, 0}},
                       .shapes = {ball(0.1)},
                       .friction = 0,
                       .restitution = restitution},
                      {.placement = {{2, 0.6, 0}}, .shapes = {box({0.1, 0.1, 0.1})}},
                      {.placement = {{4, 0.1, 0}}, .shapes = {box({0.1, 0.1, 0.1})}}};
        Parts parts{made};
        std::vector<PartImpact> of_ball;
        std::vector<PartImpact> of_box;
        for (int i = 0; i < 240; ++i) {
            const long before = allocations();
            parts.step({.ground = &floor}, frame_s);
            REQUIRE(allocations() == before);
            for (const PartImpact& each : parts.impacts()) {
                REQUIRE(each.part < 2);
                CHECK(each.other == no_part);
                CHECK(each.normal.y == Approx(1));
                CHECK(std::fabs(each.place.y) < 0.005);
                (each.part == 0 ? of_ball : of_box).push_back(each);
            }
        }
        CAPTURE(restitution);
        REQUIRE(of_ball.size() >= (restitution > 0 ? 4U : 1U));
        CHECK((restitution > 0 || of_ball.size() == 1));
        double speed = std::sqrt(2 * g * 1.0);
        for (std::size_t k = 0; k < std::min<std::size_t>(of_ball.size(), 4); ++k) {
            CHECK(of_ball[k].speed_m_per_s == Approx(speed).epsilon(0.02));
            speed *= restitution;
        }
        REQUIRE(of_box.size() == 1);  // its four corners are one
        const double fallen = std::sqrt(2 * g * 0.5);
        CHECK(of_box[0].speed_m_per_s == Approx(fallen).epsilon(0.01));
    }
    // Of two parts that meet, and of a row: each pair says so once.
    PartsStructure row;
    for (int i = 0; i < 4; ++i) {
        row.parts.push_back({.placement = {{i == 0 ? -1.0 : 0.2 * i, 0, 0}},
                             .shapes = {ball(0.1)},
                             .friction = 0,
                             .restitution = 1});
    }
    Parts balls{row, {.gravity = {}}};
    balls.set_motion(0, {{3, 0, 0}, {}});
    std::vector<std::pair<std::uint32_t, std::uint32_t>> met;
    for (int i = 0; i < 60; ++i) {
        balls.step({}, frame_s);
        for (const PartImpact& each : balls.impacts()) {
            met.emplace_back(std::minmax(each.part, each.other));
            CHECK(each.speed_m_per_s == Approx(3).epsilon(0.01));
        }
    }
    std::sort(met.begin(), met.end());
    CHECK(met == std::vector<std::pair<std::uint32_t, std::uint32_t>>{{0, 1}, {1, 2}, {2, 3}});
    balls.step({}, 0);
    CHECK(balls.impacts().empty());
}

TEST_CASE("a blow runs through a row of balls, from each to the next", "[parts]") {
    // Between equal balls: ahead goes (1 + e) / 2 of the speed, (1 - e) / 2 stays behind.
    for (const double restitution : {1.0, 0.9, 0.6}) {
        for (const double apart_m : {0.0, 1e-4, 0.02}) {
            for (const std::size_t thrown : {1U, 2U, 3U}) {
                constexpr std::size_t count = 6;
                PartsStructure made;
                for (std::size_t i = 0; i < count; ++i) {
                    const double x = (0.2 + apart_m) * static_cast<double>(i);
                    made.parts.push_back({.placement = {{x, 0, 0}},
                                          .shapes = {ball(0.1)},
                                          .restitution = restitution});
                }
                Parts row{made, {.gravity = {}, .sleep_speed_m_per_s = 0}};
                for (std::uint32_t i = 0; i < thrown; ++i)
                    row.set_motion(i, {{1.5, 0, 0}, {}});
                // Ball by ball, until none runs into the next.
                std::vector<double> speeds(count, 0.0);
                std::fill_n(speeds.begin(), thrown, 1.5);
                for (int k = 0; k < 1000; ++k) {
                    for (std::size_t i = count - 1; i > 0; --i) {
                        const double into = speeds[i - 1] - speeds[i];
                        if (into <= 0) continue;
                        speeds[i - 1] -= (1 + restitution) / 2 * into;
                        speeds[i] += (1 + restitution) / 2 * into;
                    }
                }
                for (int i = 0; i < 60; ++i)
                    row.step({}, frame_s);
                CAPTURE(restitution, apart_m, thrown);
                double sum = 0;
                for (std::size_t i = 0; i < count; ++i) {
                    sum += row.motions()[i].velocity.x;
                    // Several blows within one substep are one where they share a ball.
                    const bool is_last = i + 1 == count && thrown == 1 && apart_m != 1e-4;
                    if (restitution == 1 || is_last)
                        CHECK(row.motions()[i].velocity.x == Approx(speeds[i]).margin(0.02));
                }
                CHECK(sum == Approx(1.5 * static_cast<double>(thrown)));
            }
        }
    }
}

TEST_CASE("a solid that hangs from one place swings as its inertia says", "[parts]") {
    for (const bool in_halves : {false, true}) {
        // A plank of 0.8 m, hung at its end, in one piece or in two that are fixed together.
        PartsStructure made;
        if (in_halves) {
            made.parts = {{.placement = {{0, -0.2, 0}}, .shapes = {box({0.05, 0.2, 0.02})}},
                          {.placement = {{0, -0.6, 0}}, .shapes = {box({0.05, 0.2, 0.02})}}};
        } else {
            made.parts = {{.placement = {{0, -0.4, 0}}, .shapes = {box({0.05, 0.4, 0.02})}}};
        }
        made.joints = {{.b = 0, .frame = {{}, about({0, 0, 1})}}};
        if (in_halves)
            made.joints.push_back(
                {.type = PartJoint::Type::fixed, .a = 0, .b = 1, .frame = {{0, -0.4, 0}}});
        Parts plank{made, {.sleep_speed_m_per_s = 0}};
        plank.push(0, {}, {0.02, 0, 0});
        double before = 0;
        double first_s = 0;
        double last_s = 0;
        int count = 0;
        for (int i = 1; i <= 3600; ++i) {
            plank.step({}, frame_s / 4);
            const double at = plank.joint_position(0);
            if (before < 0 && at >= 0) {
                last_s = (i - at / (at - before)) * frame_s / 4;
                if (count++ == 0) first_s = last_s;
            }
            before = at;
        }
        const double inertia_per_kg = (0.8 * 0.8 + 0.1 * 0.1) / 12 + 0.4 * 0.4;
        const double period_s = 2 * math::pi * std::sqrt(inertia_per_kg / (g * 0.4));
        CAPTURE(in_halves, count);
        REQUIRE(count > 5);
        CHECK((last_s - first_s) / (count - 1) == Approx(period_s).epsilon(0.001));
        CHECK(plank.largest_joint_gap_m() < 1e-6);
    }
}

TEST_CASE("a spinning top leans and goes round at m g l / (I w)", "[parts]") {
    for (const double spin : {60.0, 120.0}) {
        PartsStructure made;
        Part wheel;
        wheel.placement.position = {0.3, 0, 0};
        wheel.given = {2.0, {}, {}, {0.02, 0.011, 0.011}};
        made.parts = {wheel};
        made.joints = {{.type = PartJoint::Type::ball, .b = 0}};
        Parts top{made, {.substeps = 40, .sleep_speed_m_per_s = 0}};
        const double round_rad_per_s = 2.0 * g * 0.3 / (0.02 * spin);
        // In its steady motion from the start: the axis level, going round the vertical.
        top.set_motion(0,
                       {cross({0, round_rad_per_s, 0}, {0.3, 0, 0}), {spin, round_rad_per_s, 0}});
        double turned = 0;
        double before = 0;
        constexpr int frames = 120;
        for (int i = 0; i < frames; ++i) {
            top.step({}, frame_s);
            const Vector3& at = top.placements()[0].position;
            const double angle = std::atan2(-at.z, at.x);
            turned += std::remainder(angle - before, 2 * math::pi);
            before = angle;
            CHECK(std::fabs(at.y) < 0.01);
            CHECK(length(at) == Approx(0.3).epsilon(1e-6));
        }
        CAPTURE(spin);
        CHECK(turned / (frames * frame_s) == Approx(round_rad_per_s).epsilon(0.02));
    }
}

TEST_CASE("nothing inside of a body of parts moves its centre or turns it as a whole",
          "[parts][long]") {
    RandomNumbers random{stream_of(77, "adrift")};
    for (int round = 0; round < 6; ++round) {
        PartsStructure made;
        for (std::uint32_t i = 0; i < 7; ++i) {
            made.parts.push_back({.placement = {{0.25 * i, 0, 0}, any_turn(random)},
                                  .shapes = {box({0.1, 0.04, 0.06})}});
            if (i == 0) continue;
            PartJoint joint{.a = i - 1, .b = i, .frame = {{0.25 * i - 0.125, 0, 0}}};
            joint.type = i % 3 == 0   ? PartJoint::Type::hinge
                         : i % 3 == 1 ? PartJoint::Type::ball
                                      : PartJoint::Type::fixed;
            joint.spring = {.stiffness = 3, .damping = 0.05};
            made.joints.push_back(joint);
        }
        made.link(0, {0, 0.04, 0}, 6, {0, 0.04, 0}, 200, 1);
        Parts body{made, {.gravity = {}, .sleep_speed_m_per_s = 0}};
        body.push(2, {0.1, 0, 0}, any_vector(random, 3));
        body.push(5, {}, any_vector(random, 3));
        const Vector3 momentum = body.momentum();
        const Vector3 turning = body.angular_momentum();
        const Vector3 start = body.centre_of_mass();
        double mass_kg = 0;
        for (std::uint32_t i = 0; i < 7; ++i)
            mass_kg += body.mass(i).mass_kg;
        constexpr int frames = 600;
        for (int i = 0; i < frames; ++i)
            body.step({}, frame_s);
        const Vector3 went = body.centre_of_mass() - start;
        const Vector3 expected = momentum * (frames * frame_s / mass_kg);
        CAPTURE(round);
        CHECK(length(body.momentum() - momentum) < 1e-9 * (1 + length(momentum)));
        CHECK(length(went - expected) < 1e-9 * (1 + length(expected)));
        CHECK(length(body.angular_momentum() - turning) < 1e-6 * (1 + length(turning)));
    }
}

TEST_CASE("the ground carries what rests on it, nearer supports more", "[parts]") {
    // A plank on two balls that are held, its weight nearer to the left one.
    PartsStructure made;
    made.parts = {{.placement = {{0, 0.35, 0}}, .shapes = {box({1, 0.05, 0.2})}, .mass_kg = 10}};
    made.parts.push_back({.placement = {{-0.4, 0.5, 0}}, .shapes = {box({0.1, 0.1, 0.1})}});
    made.parts[1].mass_kg = 6;
    Parts plank{made};
    std::vector<ContactShape> rails(2);
    for (std::size_t i = 0; i < 2; ++i) {
        rails[i].type = ContactShape::Type::capsule;
        rails[i].radius_m = 0.1;
        rails[i].half_size_m = {0, 0.5, 0};
        rails[i].rotation = turned_by({math::pi / 2, 0, 0});
        rails[i].position = {i == 0 ? -0.8 : 0.6, 0.2, 0};
    }
    for (int i = 0; i < 240; ++i)
        plank.step({.shapes = rails}, frame_s);
    double left_n = 0;
    double right_n = 0;
    double between_n = 0;
    for (const PartContact& contact : plank.contacts()) {
        if (contact.other != no_part) {
            between_n += contact.force_n;
        } else {
            (contact.place.x < 0 ? left_n : right_n) += contact.force_n;
        }
    }
    // Moments about the right rail.
    CHECK(left_n == Approx(g * (10 * 0.6 + 6 * 1.0) / 1.4).epsilon(0.02));
    CHECK(right_n == Approx(g * 16 - g * (10 * 0.6 + 6 * 1.0) / 1.4).epsilon(0.02));
    CHECK(between_n == Approx(g * 6).epsilon(0.02));
}

TEST_CASE("forces, torques and hands give what they say", "[parts]") {
    PartsStructure made;
    made.parts = {mass(2, {}, 0.05)};
    Parts part{made, {.gravity = {}, .sleep_speed_m_per_s = 0}};
    const PartForce force{
        .part = 0, .place = {0, 0.1, 0}, .newtons = {3, 0, 0}, .torque_nm = {0, 0, 0.2}};
    constexpr int frames = 12;
    for (int i = 0; i < frames; ++i)
        part.step({.forces = {&force, 1}}, frame_s / 10);
    const double time_s = frames * frame_s / 10;
    CHECK(part.motions()[0].velocity.x == Approx(3 * time_s / 2).epsilon(1e-9));
    // 0.2 N m, less 3 N at an arm of 0.1 m; it has hardly turned.
    CHECK(part.motions()[0].angular_velocity.z ==
          Approx((0.2 - 0.3) * time_s / 0.05).epsilon(1e-3));

    Parts held{made, {.gravity = {}, .sleep_speed_m_per_s = 0}};
    const PartGrab hand{.part = 0, .target = {5, 0, 0}, .most_force_n = 4};
    for (int i = 0; i < 30; ++i)
        held.step({.grabs = {&hand, 1}}, frame_s);
    CHECK(held.motions()[0].velocity.x <= 4 * 30 * frame_s / 2 + 1e-9);
    CHECK(held.motions()[0].velocity.x == Approx(4 * 30 * frame_s / 2).epsilon(0.02));
}

TEST_CASE("a slide falls along its axis as gravity pulls there, and its spring swings", "[parts]") {
    for (const double down_rad : {0.3, 0.9, math::pi / 2}) {
        PartsStructure made;
        made.parts = {mass(1.5, {})};
        made.joints = {
            {.type = PartJoint::Type::slide, .b = 0, .frame = {{}, turned_by({0, 0, -down_rad})}}};
        Parts slide{made, {.sleep_speed_m_per_s = 0}};
        for (int i = 0; i < 60; ++i)
            slide.step({}, frame_s);
        CAPTURE(down_rad);
        CHECK(slide.joint_position(0) == Approx(0.5 * g * std::sin(down_rad)).epsilon(0.002));

        made.joints[0].spring = {.stiffness = 60};
        Parts spring{made, {.sleep_speed_m_per_s = 0}};
        double furthest = 0;
        double nearest = 1;
        for (int i = 0; i < 240; ++i) {
            spring.step({}, frame_s);
            furthest = std::fmax(furthest, spring.joint_position(0));
            nearest = std::fmin(nearest, spring.joint_position(0));
        }
        // Between where it was let go and twice as far as it would hang at rest.
        CHECK(furthest == Approx(2 * 1.5 * g * std::sin(down_rad) / 60).epsilon(0.01));
        CHECK(nearest == Approx(0).margin(0.004));
    }
}

TEST_CASE("a hinge's spring turns what it holds at the root of stiffness over inertia", "[parts]") {
    for (const double stiffness : {0.5, 8.0, 60.0}) {
        PartsStructure made;
        made.parts = {mass(1, {}, 0.02)};
        made.joints = {{.b = 0, .frame = {{}, about({0, 1, 0})}}};
        made.joints[0].spring = {.stiffness = stiffness};
        Parts wheel{made, {.gravity = {}, .sleep_speed_m_per_s = 0}};
        wheel.set_motion(0, {{}, {0, 0.5, 0}});
        const double rate = std::sqrt(stiffness / 0.02);
        double off = 0;
        for (int i = 1; i <= 240; ++i) {
            wheel.step({}, frame_s);
            const double angle = 0.5 / rate * std::sin(rate * i * frame_s);
            off = std::fmax(off, std::fabs(wheel.joint_position(0) - angle));
        }
        CAPTURE(stiffness);
        CHECK(off < 0.06 * 0.5 / rate);
    }
}

TEST_CASE("a heap that is turned about the vertical falls in the same way, turned", "[parts]") {
    const auto heap = [](const Quaternion& turn) {
        PartsStructure made;
        for (std::uint32_t i = 0; i < 5; ++i) {
            const Vector3 place{0.05 * i, 0.3 + 0.4 * i, 0.03 * i};
            made.parts.push_back(
                {.placement = {rotated(turn, place), turn}, .shapes = {box({0.2, 0.1, 0.15})}});
        }
        return Parts{made};
    };
    const FlatGround ground;
    const Quaternion turn = turned_by({0, 1.1, 0});
    Parts straight = heap({});
    Parts turned = heap(turn);
    for (int i = 0; i < 45; ++i) {  // until the first have landed: then small differences grow
        straight.step({.ground = &ground}, frame_s);
        turned.step({.ground = &ground}, frame_s);
        for (std::size_t k = 0; k < 5; ++k) {
            const Vector3 expected = rotated(turn, straight.placements()[k].position);
            CHECK(length(turned.placements()[k].position - expected) < 1e-6);
        }
    }
}

TEST_CASE("an arch of loose wedges and a pyramid of boxes stand, dominoes fall in turn",
          "[parts][long]") {
    const FlatGround ground;
    const auto drift_after = [&](const PartsStructure& made, int frames) {
        Parts things{made, {.sleep_speed_m_per_s = 0}};
        for (int i = 0; i < frames; ++i)
            things.step({.ground = &ground}, frame_s);
        double most = 0;
        for (std::size_t i = 0; i < made.parts.size(); ++i) {
            const Vector3 way = things.placements()[i].position - made.parts[i].placement.position;
            most = std::fmax(most, length(way));
        }
        return most;
    };
    PartsStructure arch;
    constexpr int wedges = 11;
    for (int i = 0; i < wedges; ++i) {
        PartShape wedge{.type = PartShape::Type::outline, .half_size_m = {0.1, 0.1, 0.2}};
        for (const auto& [radius, corner] :
             {std::pair{0.8, 0}, std::pair{1.1, 0}, std::pair{1.1, 1}, std::pair{0.8, 1}}) {
            const double angle = math::pi * (i + corner) / wedges;
            wedge.outline.push_back({radius * std::cos(angle), radius * std::sin(angle), 0});
        }
        arch.parts.push_back({.shapes = {wedge}, .friction = 0.7});
    }
    CHECK(drift_after(arch, 240) < 0.001);
    PartsStructure pyramid;
    for (int row = 0; row < 6; ++row) {
        for (int k = 0; k < 6 - row; ++k) {
            pyramid.parts.push_back({.placement = {{0.42 * (k + 0.5 * row), 0.1 + 0.2 * row, 0}},
                                     .shapes = {box({0.2, 0.1, 0.15})}});
        }
    }
    CHECK(drift_after(pyramid, 240) < 0.002);

    PartsStructure row;
    for (int i = 0; i < 10; ++i)
        row.parts.push_back(
            {.placement = {{0.25 * i, 0.3, 0}}, .shapes = {box({0.03, 0.3, 0.15})}});
    Parts dominoes{row};
    for (int i = 0; i < 30; ++i)
        dominoes.step({.ground = &ground}, frame_s);
    CHECK(std::all_of(row.parts.begin(), row.parts.end(), [&](const Part& part) {
        const auto i = static_cast<std::size_t>(&part - row.parts.data());
        return length(dominoes.placements()[i].position - part.placement.position) < 1e-3;
    }));
    dominoes.push(0, {0, 0.25, 0}, {2, 0, 0});
    std::vector<int> fell_at(row.parts.size(), 0);
    for (int frame = 1; frame <= 240; ++frame) {
        dominoes.step({.ground = &ground}, frame_s);
        for (std::size_t i = 0; i < fell_at.size(); ++i) {
            const bool leans = rotated(dominoes.placements()[i].rotation, {0, 1, 0}).y < 0.9;
            if (leans && fell_at[i] == 0) fell_at[i] = frame;
        }
    }
    CHECK(fell_at.front() > 0);
    CHECK(std::is_sorted(fell_at.begin(), fell_at.end()));
}

TEST_CASE("solids thrown at each other do not pass through, whatever their shapes", "[parts]") {
    RandomNumbers random{stream_of(9, "thrown")};
    const std::vector<Vector3> wedge{{-0.1, -0.1, 0}, {0.15, -0.1, 0}, {-0.1, 0.12, 0}};
    const auto any_shape = [&] {
        PartShape shape = random.between(0, 1) < 0.5 ? ball(0.12) : box({0.1, 0.14, 0.08});
        if (random.between(0, 1) < 0.4)
            shape = {
                .type = PartShape::Type::capsule, .radius_m = 0.07, .half_size_m = {0, 0.1, 0}};
        if (random.between(0, 1) < 0.3)
            shape = {
                .type = PartShape::Type::outline, .half_size_m = {0, 0, 0.1}, .outline = wedge};
        return shape;
    };
    for (int round = 0; round < 60; ++round) {
        PartsStructure made;
        made.parts = {{.placement = {{-0.6, 0, 0}, any_turn(random)}, .shapes = {any_shape()}},
                      {.placement = {{0.6, 0.03, 0}, any_turn(random)}, .shapes = {any_shape()}}};
        Parts parts{made, {.gravity = {}, .sleep_speed_m_per_s = 0}};
        const double speed = random.between(0.5, 6);
        parts.set_motion(0, {{speed, 0, 0}, any_vector(random, 5)});
        parts.set_motion(1, {{-speed, 0, 0}, any_vector(random, 5)});
        const double energy = parts.energy();
        const Vector3 momentum = parts.momentum();
        double deepest = 0;
        for (int i = 0; i < 120; ++i) {
            parts.step({}, frame_s);
            deepest = std::fmax(deepest, parts.contact_depth_m());
        }
        CAPTURE(round, speed);
        const Vector3 apart = parts.placements()[1].position - parts.placements()[0].position;
        const Vector3 drift = parts.motions()[1].velocity - parts.motions()[0].velocity;
        CHECK(deepest < 0.03);
        CHECK(parts.energy() <= energy * 1.001);
        CHECK(length(parts.momentum() - momentum) < 1e-9 * (1 + length(momentum)));
        // Still on its own side, or gone past beside it: never on the far side of the middle.
        CHECK((apart.x > 0 || std::hypot(apart.y, apart.z) > 0.05));
        CHECK(std::isfinite(dot(drift, drift)));
    }
}
