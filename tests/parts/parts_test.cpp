#include <algorithm>
#include <cmath>
#include <limits>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/base/random.hpp>
#include <hopcoil/base/state.hpp>
#include <hopcoil/parts/parts.hpp>

#include "parts/solids.hpp"
#include "support/allocations.hpp"

using namespace hopcoil;

namespace {

/// One kilogram on a thread.
Part bob(const Vector3& place) {
    Part part;
    part.placement.position = place;
    part.given = {1.0, {}, {}, {1e-5, 1e-5, 1e-5}};
    return part;
}

/// When something goes up through zero, from a value a frame before.
class Crossings {
  public:
    void look(double time_s, double value) {
        if (before_ < 0 && value >= 0) {
            last_s_ = time_s - dt_ * value / (value - before_);
            if (count_ == 0) first_s_ = last_s_;
            ++count_;
        }
        before_ = value;
    }
    explicit Crossings(double dt) : dt_{dt} {}
    [[nodiscard]] double period_s() const { return (last_s_ - first_s_) / (count_ - 1); }

  private:
    double dt_;
    double before_ = 1;
    double first_s_ = 0;
    double last_s_ = 0;
    int count_ = 0;
};

/// 2 pi sqrt(l/g) over the arithmetic-geometric mean of 1 and cos(angle/2).
double pendulum_period_s(double length_m, double angle_rad) {
    double a = 1;
    double b = std::cos(angle_rad / 2);
    for (int i = 0; i < 20; ++i) {
        const double mean = (a + b) / 2;
        b = std::sqrt(a * b);
        a = mean;
    }
    return 2 * 3.14159265358979324 * std::sqrt(length_m / g) / a;
}

}  // namespace

TEST_CASE("a pendulum has the period of the elliptic integral", "[parts]") {
    for (const double angle : {0.3, 1.6, 2.5}) {
        for (const std::size_t substeps : {5U, 12U}) {
            PartsStructure made;
            made.parts = {bob({std::sin(angle), -std::cos(angle), 0})};
            made.joints = {{.b = 0, .frame = {{}, about({0, 0, 1})}}};
            Parts pendulum{made, {.substeps = substeps, .sleep_speed_m_per_s = 0}};
            Crossings crossings{frame_s};
            for (int i = 1; i <= 1800; ++i) {
                pendulum.step({}, frame_s);
                crossings.look(i * frame_s, pendulum.placements()[0].position.x);
            }
            CHECK(crossings.period_s() == Approx(pendulum_period_s(1, angle)).epsilon(2e-5));
            CHECK(pendulum.largest_joint_gap_m() < 1e-8);
            CHECK(pendulum.guarded_substeps() == 0);
        }
    }
}

TEST_CASE("a double pendulum keeps its energy for a minute", "[parts][long]") {
    PartsStructure made;
    made.parts = {bob({1, 0, 0}), bob({2, 0, 0})};
    made.joints = {{.b = 0, .frame = {{}, about({0, 0, 1})}},
                   {.a = 0, .b = 1, .frame = {{1, 0, 0}, about({0, 0, 1})}}};
    Parts pendulum{made, {.sleep_speed_m_per_s = 0}};
    const double start = pendulum.energy();
    double sum = 0;
    for (int i = 0; i < 3600; ++i) {
        pendulum.step({}, frame_s);
        if (i >= 3000) sum += (pendulum.energy() - start) / 600;
    }
    CHECK(std::abs(sum) < 0.002 * 2 * g);
}

TEST_CASE("what turns freely keeps its angular momentum, and flips about its middle axis",
          "[parts]") {
    PartsStructure made;
    made.parts = {bob({})};
    made.parts[0].given.inertia = {1, 2, 3};
    Parts part{made, {.substeps = 5, .gravity = {}, .sleep_speed_m_per_s = 0}};
    part.set_motion(0, {{}, {0.001, 5, 0.001}});
    const Vector3 momentum = part.angular_momentum();
    const double energy = part.energy();
    int flips = 0;
    double before = 5;
    for (int i = 0; i < 3600; ++i) {
        part.step({}, frame_s);
        const Quaternion back = conjugate(part.placements()[0].rotation);
        const double own = rotated(back, part.motions()[0].angular_velocity).y;
        if (own * before < 0) ++flips;
        before = own;
        CHECK(length(part.angular_momentum() - momentum) < 1e-9);
        CHECK(part.energy() == Approx(energy).epsilon(1e-5));
    }
    CHECK(flips == 9);
}

TEST_CASE("a box on a slope sticks below its friction angle and slides above", "[parts]") {
    const double friction = 0.5;
    for (const double beyond_deg : {-3.0, -0.5, 0.5, 3.0}) {
        const double angle = std::atan(friction) + beyond_deg * 3.14159265358979 / 180;
        const Quaternion turned = turned_by({0, 0, angle});
        PartsStructure made;
        made.parts = {{.placement = {rotated(turned, {0, 0.1, 0}), turned},
                       .shapes = {box({0.2, 0.1, 0.2})},
                       .friction = friction}};
        Parts part{made};
        const std::vector<ContactShape> slope{
            {.type = ContactShape::Type::plane, .rotation = turned, .friction = friction}};
        for (int i = 0; i < 120; ++i)
            part.step({.shapes = slope}, frame_s);
        const double way = length(part.placements()[0].position - made.parts[0].placement.position);
        const double slides = 2 * g * (std::sin(angle) - friction * std::cos(angle));
        INFO("beyond by " << beyond_deg << " degrees");
        if (beyond_deg < 0) CHECK(way < 2e-4);
        if (beyond_deg > 0) CHECK(way == Approx(slides).epsilon(0.02));
    }
}

TEST_CASE("a ball bounces to the square of its restitution each time", "[parts]") {
    for (const double restitution : {0.5, 0.8}) {
        PartsStructure made;
        made.parts = {
            {.placement = {{0, 1.1, 0}}, .shapes = {ball(0.1)}, .restitution = restitution}};
        Parts part{made};
        const FlatGround ground;
        double highest = 0;
        int bounces = 0;
        bool rises = false;
        for (int i = 0; i < 2000 && bounces < 4; ++i) {
            part.step({.ground = &ground}, 1.0 / 720);
            const double speed = part.motions()[0].velocity.y;
            if (speed > 0) {
                highest = std::max(highest, part.placements()[0].position.y - 0.1);
            } else if (rises) {
                ++bounces;
                CHECK(highest == Approx(std::pow(restitution, 2 * bounces)).epsilon(0.02));
                highest = 0;
            }
            rises = speed > 0;
        }
        CHECK(bounces == 4);
    }
}

TEST_CASE("ten boxes stand for a minute, then sleep until something moves", "[parts][long]") {
    for (const double sleep_speed : {0.0, 0.01}) {
        PartsStructure made;
        made.parts.reserve(10);
        for (int i = 0; i < 10; ++i) {
            made.parts.push_back(
                {.placement = {{0, 0.1 + 0.2 * i, 0}}, .shapes = {box({0.1, 0.1, 0.1})}});
        }
        Parts stack{made, {.sleep_speed_m_per_s = sleep_speed}};
        const FlatGround ground;
        const int frames = sleep_speed > 0 ? 3600 : 600;
        for (int i = 0; i < frames; ++i)
            stack.step({.ground = &ground}, frame_s);
        for (std::size_t i = 0; i < 10; ++i) {
            const Vector3 way = stack.placements()[i].position - made.parts[i].placement.position;
            CHECK(length(way) < 0.004);
        }
        CHECK(stack.still() == (sleep_speed > 0));
        if (sleep_speed == 0) continue;
        stack.push(9, {}, {2, 0, 0});
        CHECK_FALSE(stack.still());
        for (int i = 0; i < 60; ++i)
            stack.step({.ground = &ground}, frame_s);
        CHECK(stack.placements()[9].position.x > 0.02);
    }
}

TEST_CASE("a chain of thirty with a weight of a hundred times a part holds together", "[parts]") {
    PartsStructure made;
    for (std::uint32_t i = 0; i < 30; ++i) {
        made.parts.push_back({.placement = {{0.1 * i + 0.05, 0, 0}},
                              .shapes = {box({0.05, 0.01, 0.01})},
                              .mass_kg = i == 29 ? 10 : 0.1});
        made.joints.push_back({.type = PartJoint::Type::ball,
                               .a = i == 0 ? no_part : i - 1,
                               .b = i,
                               .frame = {{0.1 * i, 0, 0}}});
    }
    Parts chain{made};
    double largest = 0;
    for (int i = 0; i < 240; ++i) {
        chain.step({}, frame_s);
        largest = std::max(largest, chain.largest_joint_gap_m());
    }
    CHECK(largest < 0.0001);
}

TEST_CASE("limits of hinges, slides and balls are kept", "[parts]") {
    PartsStructure made;
    for (std::uint32_t i = 0; i < 6; ++i) {
        made.parts.push_back(
            {.placement = {{0.2 * i + 0.1, 0, 0}}, .shapes = {box({0.09, 0.02, 0.02})}});
        PartJoint joint{.a = i == 0 ? no_part : i - 1, .b = i, .frame = {{0.2 * i, 0, 0}}};
        if (i % 3 == 0) {
            joint.frame.rotation = about({0, 0, 1});
            joint.lowest = -0.4;
            joint.highest = 0.6;
        } else if (i % 3 == 1) {
            joint.type = PartJoint::Type::ball;
            joint.most_lean_rad = 0.5;
            joint.most_twist_rad = 0.2;
        } else {
            joint.type = PartJoint::Type::slide;
            joint.lowest = -0.01;
            joint.highest = 0.03;
        }
        made.joints.push_back(joint);
    }
    Parts chain{made};
    RandomNumbers random{stream_of(3, "blows")};
    for (int i = 0; i < 900; ++i) {
        if (i % 60 == 0) {
            chain.push(5, {},
                       {random.between(-1, 1), random.between(-1, 1), random.between(-1, 1)});
        }
        chain.step({}, frame_s);
        for (std::size_t joint = 0; joint < 6; ++joint) {
            const double at = chain.joint_position(joint);
            const double beyond_rad = 0.5 * 3.14159265 / 180;
            if (joint % 3 == 0) CHECK((at > -0.4 - beyond_rad && at < 0.6 + beyond_rad));
            if (joint % 3 == 1) CHECK(at < 0.5 + beyond_rad);
            if (joint % 3 == 2) CHECK((at > -0.011 && at < 0.031));
        }
    }
}

TEST_CASE("links have the period and the decay of their numbers at any number of substeps",
          "[parts]") {
    struct Case {
        double stiffness;
        double damping;
    };
    for (const auto& [stiffness, damping] : {Case{400, 0}, Case{400, 1}, Case{20000, 0}}) {
        for (const std::size_t substeps : {5U, 12U, 50U}) {
            PartsStructure made;
            made.parts = {bob({0, -1, 0})};
            made.link(no_part, {}, 0, {}, stiffness, damping);
            Parts part{made, {.substeps = substeps, .gravity = {}, .sleep_speed_m_per_s = 0}};
            part.set_motion(0, {{0, 0.5, 0}, {}});
            const double h = plan_for(made, part.settings()).substep_s;
            Crossings crossings{h};
            const int steps = static_cast<int>(4 / h);
            for (int i = 1; i <= steps; ++i) {
                part.step({}, h);
                crossings.look(i * h, part.placements()[0].position.y + 1);
            }
            const double w = std::sqrt(stiffness - damping * damping / 4);
            CHECK(crossings.period_s() == Approx(2 * 3.14159265358979 / w).epsilon(0.002));
            const double left = part.energy() / 0.125;
            if (damping > 0) CHECK(left == Approx(std::exp(-damping * 4)).epsilon(0.1));
        }
    }
}

TEST_CASE("a link that is stiff for its substeps still sags as its stiffness says", "[parts]") {
    for (const double stiffness : {300.0, 1e5, 1e7}) {
        PartsStructure made;
        made.parts = {bob({0, -1, 0})};
        made.link(no_part, {}, 0, {}, stiffness, 20);
        Parts part{made, {.substeps = 5, .sleep_speed_m_per_s = 0}};
        for (int i = 0; i < 1200; ++i)
            part.step({}, frame_s);
        CHECK(-1 - part.placements()[0].position.y == Approx(g / stiffness).epsilon(0.01));
    }
    PartsStructure made;
    made.parts = {bob({0, -1, 0})};
    made.link(no_part, {}, 0, {}, 1e7);
    const PartsPlan plan = plan_for(made, {});
    CHECK(plan.stiffest == Approx(1e7 * plan.substep_s * plan.substep_s));
    CHECK(plan_for(made, {.substeps = plan.exact_substeps}).stiffest <= 1);
    CHECK(plan_for(made, {.substeps = plan.exact_substeps - 1}).stiffest > 1);
}

TEST_CASE("a spring holds a pose, and no harder than it can", "[parts]") {
    PartsStructure made;
    made.parts = {bob({1, 0, 0})};
    made.joints = {{.b = 0, .frame = {{}, about({0, 0, 1})}}};
    made.joints[0].spring = {.stiffness = 400, .damping = 40, .wanted = 0.3};
    Parts arm{made};
    for (int i = 0; i < 300; ++i)
        arm.step({}, frame_s);
    const double at = arm.joint_position(0);
    CHECK(400 * (0.3 - at) == Approx(g * std::cos(at)).epsilon(0.01));

    made.joints[0].spring.most = 5;  // half of what it would take
    Parts weak{made};
    for (int i = 0; i < 30; ++i)
        weak.step({}, frame_s);
    CHECK(weak.joint_position(0) < -0.3);
}

TEST_CASE("an outline is cut into convex pieces of the same area and weight", "[parts]") {
    const std::vector<Vector3> hook{{0, 0, 0}, {3, 0, 0}, {3, 1, 0}, {1, 1, 0},
                                    {1, 2, 0}, {3, 2, 0}, {3, 3, 0}, {0, 3, 0}};
    const auto pieces = convex_pieces(hook);
    CHECK(pieces.size() == 3);
    std::vector<PartShape> parts;
    parts.reserve(pieces.size());
    for (const std::vector<Vector3>& piece : pieces)
        parts.push_back({.type = PartShape::Type::outline, .outline = piece});
    const PartShape whole{.type = PartShape::Type::outline, .outline = hook};
    const MassProperties one = mass_properties(std::vector{whole});
    const MassProperties many = mass_properties(parts);
    CHECK(one.mass_kg == Approx(500 * 0.2 * 7));
    CHECK(many.mass_kg == Approx(one.mass_kg));
    CHECK(many.centre.x == Approx(one.centre.x));
    CHECK(many.inertia.x + many.inertia.y + many.inertia.z ==
          Approx(one.inertia.x + one.inertia.y + one.inertia.z));

    // A box as an outline weighs and turns as a box does.
    const PartShape square{
        .type = PartShape::Type::outline,
        .half_size_m = {0, 0, 0.3},
        .outline = {{-0.1, -0.2, 0}, {-0.1, 0.2, 0}, {0.1, 0.2, 0}, {0.1, -0.2, 0}}};
    const MassProperties as_outline = mass_properties(std::vector{square});
    const MassProperties as_box = mass_properties(std::vector{box({0.1, 0.2, 0.3})});
    CHECK(as_outline.mass_kg == Approx(as_box.mass_kg));
    const auto sorted = [](const Vector3& v) {
        std::vector<double> numbers{v.x, v.y, v.z};
        std::sort(numbers.begin(), numbers.end());
        return numbers;
    };
    for (std::size_t k = 0; k < 3; ++k)
        CHECK(sorted(as_outline.inertia)[k] == Approx(sorted(as_box.inertia)[k]));

    CHECK_THROWS_AS(convex_pieces(std::vector<Vector3>{{0, 0, 0}, {1, 0, 0}}), InvalidValue);
    const std::vector<Vector3> crossed{{0, 0, 0}, {1, 1, 0}, {1, 0, 0}, {0, 1.5, 0}};
    CHECK_THROWS_AS(convex_pieces(crossed), InvalidValue);
}

namespace {

/// Shapes, joints, springs and links at random, thrown about.
PartsStructure random_heap(RandomNumbers& random) {
    const auto between = [&](double a, double b) {
        return random.between(a, b);
    };
    const auto turn = [&] {
        return turned_by({between(-3, 3), between(-3, 3), between(-3, 3)});
    };
    PartsStructure made;
    const auto count = static_cast<std::uint32_t>(between(3, 10));
    for (std::uint32_t i = 0; i < count; ++i) {
        PartShape shape;
        shape.type = static_cast<PartShape::Type>(static_cast<int>(between(0, 4)));
        shape.radius_m = between(0.04, 0.15);
        shape.half_size_m = {between(0.03, 0.2), between(0.03, 0.2), between(0.03, 0.2)};
        shape.outline = {
            {-0.1, -0.1, 0}, {0.15, -0.05, 0}, {0.1, 0.1, 0}, {0, 0.02, 0}, {-0.1, 0.12, 0}};
        shape.density_kg_per_m3 = std::exp(between(4, 9));
        made.parts.push_back({.placement = {{0.4 * i, between(1, 1.2), between(-0.1, 0.1)}, turn()},
                              .shapes = {shape},
                              .is_driven = i == 0 && between(0, 1) < 0.5,
                              .restitution = between(0, 1) < 0.3 ? between(0, 0.9) : 0});
    }
    for (std::uint32_t i = 1; i < count; ++i) {
        if (between(0, 1) < 0.6) {
            PartJoint joint{.type = static_cast<PartJoint::Type>(static_cast<int>(between(0, 4))),
                            .a = i - 1,
                            .b = i,
                            .frame = {{0.4 * i - 0.2, 1, 0}, turn()}};
            if (between(0, 1) < 0.4) {
                joint.lowest = -between(0, 1);
                joint.highest = between(0, 1);
                joint.most_lean_rad = between(0.1, 2);
            }
            joint.spring.stiffness = between(0, 1) < 0.5 ? std::pow(10, between(-2, 6)) : 0;
            joint.spring.damping = between(0, 1) < 0.3 ? std::pow(10, between(-3, 4)) : 0;
            if (between(0, 1) < 0.3) joint.spring.most = between(0, 100);
            made.joints.push_back(joint);
        }
        if (between(0, 1) < 0.4) {
            made.link(i - 1, {between(-0.1, 0.1), between(-0.1, 0.1), 0}, i,
                      {between(-0.1, 0.1), between(-0.1, 0.1), 0},
                      between(0, 1) < 0.1 ? hard : std::pow(10, between(-1, 7)),
                      between(0, 1) < 0.5 ? std::pow(10, between(-2, 5)) : 0);
        }
    }
    return made;
}

}  // namespace

TEST_CASE("in a storm nothing diverges, and no energy comes from nowhere", "[parts]") {
    const FlatGround ground;
    for (std::uint64_t seed = 0; seed < 12; ++seed) {
        RandomNumbers random{stream_of(seed, "storm")};
        const PartsStructure made = random_heap(random);
        Parts heap{made, {.substeps = static_cast<std::size_t>(random.between(4, 25))}};
        double weight = 0;
        for (std::uint32_t i = 0; i < heap.size(); ++i) {
            weight += heap.mass(i).mass_kg;
            heap.set_motion(
                i, {{random.between(-10, 10), random.between(-5, 5), random.between(-10, 10)},
                    {random.between(-20, 20), random.between(-20, 20), random.between(-20, 20)}});
        }
        const bool has_ground = random.between(0, 1) < 0.7;
        double allowed = heap.energy();
        for (int i = 0; i < 60; ++i) {
            if (!heap.driven().empty() && random.between(0, 1) < 0.1) {
                const Placement to{{random.between(-3, 3), random.between(0.5, 3), 0},
                                   turned_by({random.between(-3, 3), 0, 1})};
                const double before = heap.energy();
                heap.cut_driven({&to, 1});
                allowed += heap.energy() - before;
            }
            const StepStatus status =
                heap.step({.ground = has_ground ? &ground : nullptr}, random.between(0.001, 0.1));
            REQUIRE(status != StepStatus::rejected);
            REQUIRE(heap.energy() < allowed + 0.01 * weight * (50 + 3 * g));
        }
    }
}

TEST_CASE("a step does not allocate, and a restored state goes on bit for bit", "[parts]") {
    RandomNumbers random{stream_of(8, "state")};
    const PartsStructure made = random_heap(random);
    Parts heap{made};
    const FlatGround ground;
    const PartsInputs inputs{.ground = &ground};
    for (int i = 0; i < 60; ++i)
        heap.step(inputs, frame_s);
    REQUIRE_FALSE(heap.contacts().empty());
    const long before = allocations();
    for (int i = 0; i < 20; ++i)
        heap.step(inputs, frame_s);
    CHECK(allocations() == before);

    const std::vector<std::byte> kept = save_state(heap);
    Parts other{made};
    REQUIRE(load_state(other, kept));
    Parts copy = heap;
    for (int i = 0; i < 20; ++i) {
        heap.step(inputs, 0.02);
        other.step(inputs, 0.02);
        copy.step(inputs, 0.02);
    }
    for (std::size_t i = 0; i < heap.size(); ++i) {
        CHECK(heap.placements()[i] == other.placements()[i]);
        CHECK(heap.placements()[i] == copy.placements()[i]);
    }
    // Bytes that are wrong are refused.
    for (std::size_t i = 16; i < kept.size(); i += 37) {
        std::vector<std::byte> spoilt = kept;
        spoilt[i] ^= std::byte{0xff};
        Parts third{made};
        CHECK_FALSE(load_state(third, spoilt));
        CHECK(third.placements()[1] == Parts{made}.placements()[1]);
    }
    Parts fewer{PartsStructure{.parts = {made.parts.begin(), made.parts.begin() + 2}}};
    CHECK_FALSE(load_state(fewer, kept));
}

TEST_CASE("parts refuse what cannot be, by name, and reject bad inputs", "[parts]") {
    PartsStructure made;
    made.parts = {{.shapes = {box({0.1, 0.1, 0.1})}}};
    made.parts[0].friction = -1;
    CHECK_THROWS_WITH(Parts{made}, Catch::Matchers::Contains("friction = -1"));
    made.parts[0].friction = 0.5;
    made.joints = {{.a = 0, .b = 3}};
    CHECK_THROWS_AS(Parts{made}, std::out_of_range);
    made.joints = {{.a = 0, .b = 0}};
    CHECK_THROWS_AS(Parts{made}, std::out_of_range);
    made.joints.clear();
    CHECK_THROWS_AS((Parts{made, {.substeps = 0}}), InvalidValue);

    Parts part{made};
    const double nan = std::numeric_limits<double>::quiet_NaN();
    const Placement before = part.placements()[0];
    CHECK(part.step({}, nan) == StepStatus::rejected);
    CHECK(part.step({}, -1) == StepStatus::rejected);
    CHECK(part.step({}, 1e300) == StepStatus::rejected);
    const PartForce wild{.newtons = {nan, 0, 0}};
    CHECK(part.step({.forces = {&wild, 1}}, frame_s) == StepStatus::rejected);
    CHECK(part.push(7, {}, {}) == StepStatus::rejected);
    CHECK(part.rejected_inputs() == 5);
    CHECK(part.placements()[0] == before);
    CHECK_FALSE(part.try_set_spring(0, {}));
}

TEST_CASE("a part is driven for a while and free again, with the velocity that it had", "[parts]") {
    PartsStructure made;
    made.parts = {{.shapes = {ball(0.1)}}, {.placement = {{0, 0.1, 3}}, .shapes = {ball(0.1)}}};
    made.parts.push_back({.placement = {{9, 0, 0}}, .shapes = {ball(0.1)}, .is_driven = true});
    Parts parts{made, {.gravity = {0, 0, 0}}};
    CHECK(parts.set_driven(2, false) == StepStatus::rejected);  // it was made so
    CHECK(parts.set_driven(9, true) == StepStatus::rejected);
    REQUIRE(parts.set_driven(0, true) == StepStatus::stepped);
    CHECK(parts.driven().size() == 2);
    for (int i = 1; i <= 60; ++i) {
        const Placement to[]{{{0, 0, 0.01 * i}, turned_by({0, 0.02 * i, 0})}, {{9, 0, 0}}};
        parts.step({.driven = to}, frame_s);
    }
    const Parts copy = parts;
    const auto kept = save_state(parts);
    REQUIRE(parts.set_driven(0, false) == StepStatus::stepped);
    CHECK_THAT(parts.motions()[0].velocity.z, Catch::Matchers::WithinAbs(0.6, 1e-9));
    CHECK_THAT(parts.motions()[0].angular_velocity.y, Catch::Matchers::WithinAbs(1.2, 1e-6));
    for (int i = 0; i < 60; ++i)
        parts.step({}, frame_s);
    CHECK_THAT(parts.placements()[0].position.z, Catch::Matchers::WithinAbs(1.2, 1e-6));
    // A saved state knows what was driven.
    REQUIRE(load_state(parts, kept));
    CHECK(parts.driven().size() == 2);
    CHECK(parts.placements()[0] == copy.placements()[0]);
    // Elsewhere at once, alone, and thrown.
    CHECK(parts.cut_part(1, {{0, 5, 0}}, {.velocity = {2, 0, 0}}) == StepStatus::stepped);
    parts.step({}, 0.5);
    CHECK_THAT(parts.placements()[1].position.x, Catch::Matchers::WithinAbs(1, 1e-9));
    CHECK(parts.cut_part(1, {{0, std::nan(""), 0}}, {}) == StepStatus::rejected);
}

TEST_CASE("parts of one group without contact pass through each other", "[parts]") {
    for (const std::uint32_t group : {0U, 3U}) {
        PartsStructure made;
        made.parts = {{.shapes = {ball(0.1)}, .no_contact_group = group},
                      {.placement = {{0, 0, 1}}, .shapes = {ball(0.1)}, .no_contact_group = group}};
        Parts parts{made, {.gravity = {0, 0, 0}}};
        parts.set_motion(0, {.velocity = {0, 0, 2}});
        for (int i = 0; i < 60; ++i)
            parts.step({}, frame_s);
        CHECK((parts.motions()[1].velocity.z > 0.5) == (group == 0));
    }
}
