#include <algorithm>
#include <array>
#include <cmath>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/base/random.hpp>
#include <hopcoil/base/state.hpp>
#include <hopcoil/field/terrain.hpp>
#include <hopcoil/gait/support.hpp>
#include <hopcoil/parts/balance.hpp>

#include "support/allocations.hpp"
#include "support/numbers.hpp"
#include "support/rafts.hpp"

using namespace hopcoil;

namespace {

static_assert(System<Balance>);

constexpr double one_frame = 1.0 / 60;
constexpr double ten_degrees = 0.17632698;

double norm(const Vector3& v) {
    return std::sqrt(dot(v, v));
}

Terrain slope(double along_x, double along_z) {
    Terrain ground;
    ground.add(Terrain::Plane{.slope_x = along_x, .slope_z = along_z});
    return ground;
}

/// Steps of 15 cm, 60 cm deep, ahead of the origin.
Terrain stairs() {
    Terrain ground;
    ground.add(Terrain::Plane{});
    for (int i = 1; i <= 14; ++i) {
        ground.add(
            Terrain::Box{.middle = {0, 0.075 * i, 2.0 + 0.6 * i}, .size = {20, 0.15 * i, 0.6}});
    }
    return ground;
}

/// What a watcher sees of a body from frame to frame.
struct Watch {
    double slip_m = 0;     ///< of soles that stay planted
    double outside_m = 0;  ///< of the ground's push from the soles that carry
    double pulled_n = 0;   ///< the most that the ground pulled downward
    double fastest_foot = 0;
    double highest_m = 0;  ///< its centre of mass, as it falls and gets up too

    void begin() { before_.clear(); }
    void look(const Balance& body) {
        highest_m = std::max(highest_m, body.centre_of_mass().y);
        std::vector<Vector3> soles;
        for (std::size_t side = 0; side < 2; ++side) {
            const BalanceFoot& foot = body.feet()[side];
            const bool stood = before_.size() == 2 && before_[side].planted && foot.planted;
            if (stood) slip_m = std::max(slip_m, norm(foot.position - before_[side].position));
            if (before_.size() == 2) {
                const double speed = norm(foot.position - before_[side].position) / one_frame;
                fastest_foot = std::max(fastest_foot, speed);
            }
            for (const double x : {-0.05, 0.05}) {
                for (const double z : {-0.135, 0.135}) {
                    if (foot.planted)
                        soles.push_back(foot.position + rotated(foot.rotation, {x, 0, z}));
                }
            }
        }
        const Vector3 force = body.ground_force();
        if (force.y > 0 && body.state() == BalanceState::stands && !soles.empty()) {
            outside_m = std::max(outside_m, -support_margin(soles, body.pressure()));
            pulled_n = std::max(pulled_n, -force.y);
        }
        before_.assign(body.feet().begin(), body.feet().end());
    }

  private:
    std::vector<BalanceFoot> before_{};
};

struct Outcome {
    int kept = 0;
    int fell = 0;
    int up_again = 0;
    double help_nms = 0;
    Watch watch{};
};

/// Pushed once each in any direction, at any time of a stride; whether it stays on its feet for
/// four seconds, or else is on them again within five.
Outcome pushed(const Ground& ground, double walks, double least, double most, int count,
               double help = 0) {
    RandomNumbers numbers{stream_of(17, "pushes")};
    Outcome outcome;
    BalanceSettings settings;
    settings.help = help;
    for (int i = 0; i < count; ++i) {
        const double angle = numbers.between(-math::pi, math::pi);
        const double speed = numbers.between(least, most);
        const int at = (walks > 0 ? 150 : 20) + static_cast<int>(numbers.between(0, 27));
        Balance body{settings, ground, {0, 0, 0}};
        outcome.watch.begin();
        int fell_at = -1;
        int up_at = -1;
        for (int frame = 0; frame < at + 240 || (fell_at >= 0 && frame < fell_at + 300); ++frame) {
            if (frame == at) body.push({speed * std::cos(angle), 0, speed * std::sin(angle)});
            body.step({.velocity = {0, 0, walks}, .ground = &ground}, one_frame);
            outcome.watch.look(body);
            if (fell_at < 0 && body.state() == BalanceState::limp) fell_at = frame;
            if (fell_at >= 0 && up_at < 0 && body.state() == BalanceState::stands) up_at = frame;
            if (up_at >= 0) break;
        }
        outcome.kept += fell_at < 0 ? 1 : 0;
        outcome.fell += fell_at < 0 ? 0 : 1;
        outcome.up_again += up_at >= 0 ? 1 : 0;
        outcome.help_nms += body.log().help_nms;
    }
    return outcome;
}

}  // namespace

TEST_CASE("a body that stands keeps still, whatever pulls at it a little", "[balance][long]") {
    const FlatGround ground;
    Balance body{{}, ground, {0.3, 0, -0.2}, 0.7};
    const Vector3 first = body.feet()[0].position;
    CHECK(norm(body.placements()[0].position - Vector3{0.3, 0, -0.2}) > 0.8);
    RandomNumbers numbers{stream_of(3, "noise")};
    Vector3 least{1e9, 0, 1e9};
    Vector3 most{-1e9, 0, -1e9};
    for (int frame = 0; frame < 3600; ++frame) {
        const auto noise = [&] {
            return numbers.between(-5, 5);
        };
        const double x = noise();
        const double y = noise();
        const double z = noise();
        const PartForce force{.part = 1, .newtons = {x, y, z}};
        body.step({.yaw_rad = 0.7, .ground = &ground, .forces = {&force, 1}}, one_frame);
        if (frame < 60) continue;
        const Vector3 c = body.centre_of_mass();
        least = {std::min(least.x, c.x), 0, std::min(least.z, c.z)};
        most = {std::max(most.x, c.x), 0, std::max(most.z, c.z)};
    }
    CHECK(body.log().steps == 0);
    CHECK(most.x - least.x < 0.01);
    CHECK(most.z - least.z < 0.01);
    CHECK(body.feet()[0].position == first);
    CHECK(body.log().help_nms == 0);
    for (int frame = 0; frame < 300; ++frame)
        body.step({.yaw_rad = 0.7, .ground = &ground}, one_frame);
    CHECK(body.still());
    // What the ground carries is its weight, but for the legs.
    CHECK_THAT(body.ground_force().y, Catch::Matchers::WithinRel(0.9 * 70 * 9.80665, 0.002));
}

TEST_CASE("frames between ticks show a body that moves evenly, walking and falling",
          "[parts][balance]") {
    const FlatGround ground;
    Balance slow{{}, ground, {0, 0, 0}};
    Balance quick{{}, ground, {0, 0, 0}};
    const BalanceInputs inputs{.velocity = {0, 0, 1}, .ground = &ground};
    constexpr int frames = 7;  // a tick
    std::vector<std::array<Vector3, 3>> shown(quick.body_size());
    double trunk_leap = 0;
    double leg_leap = 0;
    for (int i = 1; i <= 5 * 240 * frames; ++i) {
        const bool is_pushed = i == 4 * 240 * frames;
        quick.step(inputs, Balance::tick_s / frames);
        if (i % frames == 0) {
            slow.step(inputs, Balance::tick_s);
            REQUIRE(norm(quick.feet()[0].position - slow.feet()[0].position) < 1e-9);
        }
        for (std::size_t part = 0; part < quick.body_size(); ++part) {
            auto& [before, last, now] = shown[part];
            before = last;
            last = now;
            now = quick.placements()[part].position;
            const bool is_calm = i > 2 && i < 4 * 240 * frames;
            double& most = part < 3 ? trunk_leap : leg_leap;
            if (is_calm) most = std::max(most, norm(now - last * 2 + before));
            if (i % frames == 0) REQUIRE(norm(now - slow.placements()[part].position) < 1e-9);
        }
        if (is_pushed) {
            CHECK(quick.state() == BalanceState::stands);
            quick.push({5, 0, 1});
            slow.push({5, 0, 1});
        }
    }
    CHECK(quick.state() == BalanceState::limp);
    // In steps of whole ticks the trunk would leap by 4 mm, and feet by 16 mm.
    CHECK(trunk_leap < 5e-4);
    CHECK(leg_leap < 6e-3);
}

TEST_CASE("pushes of half a metre a second are kept without help, standing and walking",
          "[balance][long]") {
    const Terrain flat = slope(0, 0);
    const Terrain up = slope(0, ten_degrees);
    const Terrain down = slope(0, -ten_degrees);
    const Terrain across = slope(ten_degrees, 0);
    const Terrain steps = stairs();
    for (const double walks : {0.0, 1.0}) {
        for (const Terrain* ground : {&flat, &up, &down, &across, &steps}) {
            const Outcome outcome = pushed(*ground, walks, 0.1, 0.5, 2);
            INFO("walking at " << walks << " on ground " << (ground - &flat));
            CHECK(outcome.kept == 2);
            CHECK(outcome.help_nms == 0);
            CHECK(outcome.watch.slip_m == 0);
            CHECK(outcome.watch.outside_m < 2e-3);
            CHECK(outcome.watch.pulled_n == 0);
            CHECK(outcome.watch.fastest_foot < 8);
        }
    }
}

TEST_CASE("hard pushes are caught with steps, harder ones throw it, and it gets up",
          "[balance][long]") {
    const FlatGround ground;
    CHECK(pushed(ground, 0, 1, 1.5, 10).kept >= 9);
    const Outcome thrown = pushed(ground, 0, 3, 3, 10);
    CHECK(thrown.fell >= 9);
    CHECK(thrown.up_again == thrown.fell);
    CHECK(thrown.watch.highest_m < 1.15);
    // Help keeps what feet alone do not, and is counted.
    const Outcome alone = pushed(ground, 0, 2.2, 2.2, 6);
    const Outcome helped = pushed(ground, 0, 2.2, 2.2, 6, 0.2);
    CHECK(helped.kept >= alone.kept + 3);
    CHECK(helped.help_nms > 0);
    CHECK(alone.help_nms == 0);
    BalanceSettings settings;
    settings.help = 0.1;
    Balance body{settings, ground, {}};
    body.push({1.8, 0, 0});
    for (int frame = 0; frame < 120; ++frame)
        body.step({.ground = &ground}, one_frame);
    CHECK(body.log().most_help <= 0.1 + 1e-12);
}

TEST_CASE("nothing but gravity, the ground and what strikes it moves its centre of mass",
          "[balance][long]") {
    const FlatGround ground;
    RandomNumbers numbers{stream_of(11, "momentum")};
    constexpr double mass_kg = 0.9 * 70;
    for (const double help : {0.0, 0.2}) {
        BalanceSettings settings;
        settings.help = help;
        Balance body{settings, ground, {}};
        double off = 0;
        double least_up = 1e9;
        double over_cone = -1e9;
        double most_help = 0;
        for (int i = 0; i < 2400 && body.state() == BalanceState::stands; ++i) {
            const double x = numbers.between(-60, 60);
            const double z = numbers.between(-60, 60);
            const PartForce wind{.part = 1, .newtons = {x, 0, z}};
            const Vector3 before = body.trunk_velocity();
            body.step(
                {.velocity = {0, 0, i < 1200 ? 0.8 : 0.0}, .ground = &ground, .forces = {&wind, 1}},
                Balance::tick_s);
            if (body.state() != BalanceState::stands) break;
            const Vector3& force = body.ground_force();
            const Vector3 given = force + wind.newtons + Vector3{0, -9.80665 * mass_kg, 0};
            const Vector3 changed = (body.trunk_velocity() - before) * (mass_kg / Balance::tick_s);
            off = std::max(off, norm(changed - given));
            least_up = std::min(least_up, force.y);
            over_cone = std::max(over_cone, std::hypot(force.x, force.z) - 0.8 * force.y);
            most_help = std::max(most_help, std::hypot(body.help_nm().x, body.help_nm().z));
        }
        CHECK(off < 0.05);  // of some 620 N
        CHECK(least_up >= 0);
        CHECK(over_cone < 1e-9);
        CHECK(most_help <= help * body.toppling_nm() + 1e-9);
    }
}

TEST_CASE("what it cannot use lets no time pass, and a spoilt state is not loaded", "[balance]") {
    const FlatGround ground;
    Part ball;
    ball.shapes = {{.type = PartShape::Type::sphere}};
    ball.placement.position = {1, 0.1, 1};
    Balance body{{}, ground, {}, 0, {ball}};
    body.push({0.4, 0, 0});
    body.step({.ground = &ground}, 0.3);
    const auto kept = save_state(body);
    const PartForce nowhere{.part = 99};
    const PartForce endless{.part = 1, .newtons = {not_a_number, 0, 0}};
    const PartGrab strong{.part = 1, .most_force_n = -1};
    const ContactShape shape{.radius_m = -1};
    const std::vector<Placement> few(3);
    for (const BalanceInputs& bad :
         {BalanceInputs{.forces = {&nowhere, 1}}, BalanceInputs{.forces = {&endless, 1}},
          BalanceInputs{.grabs = {&strong, 1}}, BalanceInputs{.shapes = {&shape, 1}},
          BalanceInputs{.pose = few}, BalanceInputs{.yaw_rad = not_a_number}}) {
        const std::uint64_t rejected = body.rejected_inputs();
        const std::uint64_t ticks = body.ticks();
        CHECK(body.step(bad, 0.1) == StepStatus::rejected);
        CHECK(body.rejected_inputs() == rejected + 1);
        CHECK(body.ticks() == ticks);
    }
    Balance other{{}, ground, {}, 0, {ball}};
    for (std::size_t length = 0; length < kept.size(); length += 97)
        CHECK_FALSE(load_state(other, std::span{kept}.first(length)));
    CHECK(other.centre_of_mass() == Balance({}, ground, {}, 0, {ball}).centre_of_mass());
    Balance alone{{}, ground, {}};
    CHECK_FALSE(load_state(alone, kept));  // it has no ball
    REQUIRE(load_state(other, kept));
    for (int i = 0; i < 60; ++i) {
        body.step({.ground = &ground}, one_frame);
        other.step({.ground = &ground}, one_frame);
    }
    CHECK(other.centre_of_mass() == body.centre_of_mass());
}

TEST_CASE("it walks at the speed it is told, turns, and stops", "[balance][long]") {
    const FlatGround ground;
    for (const double speed : {0.4, 1.0, 1.25}) {
        Balance body{{}, ground, {}};
        double from = 0;
        for (int frame = 0; frame < 720; ++frame) {
            if (frame == 240) from = body.centre_of_mass().z;
            body.step({.velocity = {0, 0, speed}, .ground = &ground}, one_frame);
        }
        CHECK_THAT((body.centre_of_mass().z - from) / 8, Catch::Matchers::WithinRel(speed, 0.05));
        CHECK(std::abs(body.centre_of_mass().x) < 0.25);
        for (int frame = 0; frame < 300; ++frame)
            body.step({.yaw_rad = 1.2, .ground = &ground}, one_frame);
        CHECK(norm(body.velocity()) < 0.05);
        const Vector3 ahead = rotated(body.placements()[0].rotation, {0, 0, 1});
        CHECK(std::abs(std::atan2(ahead.x, ahead.z) - 1.2) < 0.15);
        CHECK(body.log().falls == 0);
    }
    Balance body{{}, ground, {}};
    for (int frame = 0; frame < 600; ++frame) {
        const Vector3 to = body.toward({2, 0, 1.5}, {});
        body.step({.velocity = to, .yaw_rad = 0.9, .ground = &ground}, one_frame);
    }
    CHECK(std::hypot(body.centre_of_mass().x - 2, body.centre_of_mass().z - 1.5) < 0.1);
    CHECK(body.still());
}

TEST_CASE("legs of a body that is pushed hard stay whole, and their feet do not leap",
          "[balance]") {
    const FlatGround ground;
    const BalanceBuild build;
    const double bone = 0.5 * (build.leg_length_m - build.ankle_height_m);
    for (int i = 0; i < 8; ++i) {
        const double angle = 0.25 * math::pi * i;
        const bool walks = i % 2 == 0;
        CAPTURE(i);
        Balance body{{}, ground, {}};
        const PartsStructure& structure = body.structure();
        double gap = 0;
        double leap = 0;
        std::array<std::array<Vector3, 3>, 2> feet{};
        for (int tick = 0; tick < 900 && body.state() == BalanceState::stands; ++tick) {
            if (tick == 500) body.push({2.2 * std::cos(angle), 0, 2.2 * std::sin(angle)});
            body.step({.velocity = {0, 0, walks ? 1.0 : 0}, .ground = &ground}, Balance::tick_s);
            for (const std::size_t side : {0U, 1U}) {
                const Placement& shin = body.placements()[5 + side];
                const Placement& foot = body.placements()[7 + side];
                const auto joint =
                    std::find_if(structure.joints.begin(), structure.joints.end(),
                                 [&](const PartJoint& each) { return each.b == 7 + side; });
                const Vector3 ankle =
                    joint->frame.position - structure.parts[7 + side].placement.position;
                gap =
                    std::max(gap, norm(shin.position + rotated(shin.rotation, {0, -0.5 * bone, 0}) -
                                       foot.position - rotated(foot.rotation, ankle)));
                auto& [before, last, now] = feet[side];
                before = last;
                last = now;
                now = foot.position;
                if (tick > 2) leap = std::max(leap, norm(now - last * 2 + before));
            }
        }
        CHECK(gap < 0.01);
        CHECK(leap < 0.03);
    }
}

TEST_CASE("legs join hips and soles, and keep their lengths", "[balance]") {
    const Terrain ground = stairs();
    const BalanceSettings settings;
    Balance body{settings, ground, {}};
    const double bone = 0.5 * (settings.build.leg_length_m - settings.build.ankle_height_m);
    double gap = 0;
    for (int frame = 0; frame < 600; ++frame) {
        if (frame == 300) body.push({0.4, 0, 0.3});
        body.step({.velocity = {0, 0, 0.9}, .ground = &ground}, one_frame);
        for (const std::size_t side : {0U, 1U}) {
            const auto end = [&](std::size_t part, double y) {
                const Placement& at = body.placements()[part];
                return at.position + rotated(at.rotation, {0, y, 0});
            };
            gap = std::max(gap, norm(end(3 + side, 0.5 * bone) - body.hip(side)));
            gap = std::max(gap, norm(end(3 + side, -0.5 * bone) - end(5 + side, 0.5 * bone)));
        }
    }
    CHECK(body.log().falls == 0);
    CHECK(body.centre_of_mass().y > 1.8);  // it has climbed
    CHECK(gap < 1e-9);
}

TEST_CASE(
    "a walk goes up and down with its steps, on feet that roll and are lifted no higher than told",
    "[balance]") {
    const FlatGround ground;
    const BalanceSettings settings;
    for (const double speed : {0.5, 1.0, 1.3}) {
        Balance body{settings, ground, {}};
        double lifted = 0;
        std::array<double, 2> height{1e9, 0};  // of its centre of mass
        std::array<double, 2> when_both_down{1e9, 0};
        std::array<double, 2> pitch{1e9, -1e9};  // of a foot, as it is shown
        double toe_moved = 0;
        Vector3 toe_before{};
        for (int tick = 0; tick < 240 * 8; ++tick) {
            body.step({.velocity = {0, 0, speed}, .ground = &ground}, Balance::tick_s);
            if (tick < 240 * 3) continue;
            const double y = body.centre_of_mass().y;
            height = {std::min(height[0], y), std::max(height[1], y)};
            if (body.feet()[0].planted && body.feet()[1].planted)
                when_both_down = {std::min(when_both_down[0], y), std::max(when_both_down[1], y)};
            for (const BalanceFoot& foot : body.feet())
                lifted = std::max(lifted, foot.position.y);
            const Placement& sole = body.placements()[7];
            const Vector3 ahead = rotated(sole.rotation, {0, 0, 1});
            pitch = {std::min(pitch[0], ahead.y), std::max(pitch[1], ahead.y)};
            const Vector3 toe = sole.position + ahead * (0.5 * settings.build.foot_length_m);
            const bool heel_is_up = ahead.y < -0.02 && body.feet()[0].planted;
            if (heel_is_up && toe_before != Vector3{})
                toe_moved = std::max(toe_moved, norm(toe - toe_before));
            toe_before = heel_is_up ? toe : Vector3{};
        }
        INFO(speed << " m/s");
        CHECK(lifted > 0.8 * settings.lift_m);
        CHECK(lifted < 1.1 * settings.lift_m);
        CHECK(height[1] - height[0] > 0.008 * speed * speed);
        CHECK(height[1] - height[0] < 0.03 * speed * speed);
        CHECK(when_both_down[1] < 0.5 * (height[0] + height[1]));
        CHECK(pitch[0] < -0.3 * speed);  // its heel rises
        CHECK(pitch[1] > 0.15 * speed);  // its toe
        CHECK(toe_moved < 1e-9);
    }
}

TEST_CASE("it walks as fast as it is told in every direction, and turns its feet with it",
          "[balance][long]") {
    const FlatGround ground;
    for (const auto& [aside, ahead] :
         {std::array{0.6, 0.0}, std::array{-0.4, 0.0}, std::array{0.0, 1.2}, std::array{0.0, -0.7},
          std::array{-0.5, 0.5}, std::array{0.4, -0.4}}) {
        CAPTURE(aside, ahead);
        Balance body{{}, ground, {}};
        Vector3 from{};
        double nearest = 1;
        for (int i = 0; i < 240 * 10; ++i) {
            if (i == 240 * 4) from = body.centre_of_mass();
            body.step({.velocity = {aside, 0, ahead}, .ground = &ground}, Balance::tick_s);
            nearest = std::min(nearest, body.feet()[0].position.x - body.feet()[1].position.x);
        }
        const Vector3 mean = (body.centre_of_mass() - from) * (1 / 6.0);
        CHECK(mean.x == Approx(aside).margin(0.04));
        CHECK(mean.z == Approx(ahead).margin(0.04));
        CHECK(nearest > 0.1);  // no foot crosses the other
    }
    const auto yaw_of = [](const Quaternion& turn) {
        const Vector3 ahead = rotated(turn, {0, 0, 1});
        return std::atan2(ahead.x, ahead.z);
    };
    for (const double rate : {0.3, -1.0, 2.0}) {
        CAPTURE(rate);
        Balance body{{}, ground, {}};
        double off = 0;
        for (int i = 0; i < 240 * 7; ++i) {
            const double yaw = rate * std::min(i / 240.0, 4.0);
            body.step({.yaw_rad = yaw, .ground = &ground}, Balance::tick_s);
            const double pelvis = yaw_of(body.placements()[0].rotation);
            for (const BalanceFoot& foot : body.feet())
                off = std::max(
                    off, std::abs(std::remainder(yaw_of(foot.rotation) - pelvis, 2 * math::pi)));
        }
        CHECK(off < 0.85);
        CHECK(std::abs(std::remainder(yaw_of(body.feet()[0].rotation) - 4 * rate, 2 * math::pi)) <
              0.3);
    }
}

TEST_CASE("a body that walks off an edge keeps its feet at the end of its legs", "[balance]") {
    Terrain quay;
    quay.add(Terrain::Plane{.point = {0, -1.2, 0}});
    quay.add(Terrain::Box{.middle = {0, -0.6, 0}, .size = {3, 1.2, 2}});
    for (const double speed : {0.6, 1.2}) {
        CAPTURE(speed);
        Balance body{{}, quay, {}};
        const BalanceBuild& build = body.settings().build;
        double furthest = 0;
        for (int i = 0; i < 240 * 6; ++i) {
            body.step({.velocity = {0, 0, speed}, .ground = &quay}, Balance::tick_s);
            for (std::size_t side = 0; side < 2; ++side) {
                const Vector3& foot = body.placements()[7 + side].position;
                furthest = std::max(furthest, norm(foot - body.hip(side)));
            }
        }
        CHECK(body.log().falls >= 1);
        CHECK(furthest < 1.05 * build.leg_length_m);
    }
}

TEST_CASE("a body that nothing carries any more is limp before it hits the ground", "[balance]") {
    Terrain quay;
    quay.add(Terrain::Plane{.point = {0, -4, 0}});
    quay.add(Terrain::Box{.middle = {0, -0.5, 0}, .size = {3, 1, 2}});
    Balance body{{}, quay, {}};
    for (int i = 0; i < 240 * 6 && body.state() == BalanceState::stands; ++i)
        body.step({.velocity = {0, 0, 1}, .ground = &quay}, Balance::tick_s);
    CHECK(body.state() == BalanceState::limp);
    CHECK(body.centre_of_mass().y > -2);
}

TEST_CASE("on a raft that drifts it stands, walks and is caught as on still ground",
          "[balance][long]") {
    const Vector3 drift{0.8, 0, -0.5};
    for (const bool walks : {false, true}) {
        for (const double dt : {1.0 / 60, 1.0 / 144}) {
            CAPTURE(walks, dt);
            TwoRafts rafts{drift, 60};
            const Terrain& still = rafts.still;
            Terrain& moving = rafts.moving;
            Balance on_still{{}, still, {}};
            Balance on_moving{{}, moving, {}};
            double most = 0;
            for (int i = 1; i * dt < 7; ++i) {
                const Vector3 from = drift * (i * dt);
                const Vector3 place{1, 0, walks ? 2.0 : 0};
                const Vector3 before = drift * ((i - 1) * dt);
                const Vector3 velocity = on_still.toward(place, {});
                const Vector3 seen = on_moving.toward(place + before, drift);
                moving.move(1, {.position = from, .velocity = drift});
                if (i == static_cast<int>(3 / dt)) {
                    on_still.push({0.5, 0, 0.8});
                    on_moving.push({0.5, 0, 0.8});
                }
                on_still.step({.velocity = velocity, .ground = &still}, dt);
                on_moving.step({.velocity = seen, .ground = &moving}, dt);
                const Vector3 there = on_moving.centre_of_mass() - from;
                most = std::max(most, norm(there - on_still.centre_of_mass()));
            }
            CHECK(on_still.log().falls == 0);
            CHECK(on_moving.log().falls == 0);
            CHECK(on_moving.log().steps == on_still.log().steps);
            CHECK(most < 0.15);  // without its velocity, some metres
        }
    }
}

TEST_CASE("a body leans against what goes on pulling at it, and reaches with a bent arm",
          "[balance][long]") {
    const FlatGround ground;
    // Of its height over the ground a pull at the chest is held by as much of a lean.
    for (const double newtons : {-40.0, 30.0, 60.0}) {
        CAPTURE(newtons);
        Balance body{{}, ground, {}};
        const std::vector<PartForce> pull{{.part = 1, .newtons = {0, 0, newtons}}};
        for (int i = 0; i < 240 * 6; ++i)
            body.step({.ground = &ground, .forces = pull}, Balance::tick_s);
        CHECK(body.log().falls == 0);
        CHECK(norm(body.velocity()) < 0.01);
        // The ground pushes back through the middle of its feet.
        const Vector3 middle = (body.feet()[0].position + body.feet()[1].position) * 0.5;
        CHECK(body.ground_force().z == Approx(-newtons).margin(2));
        CHECK(std::abs(body.pressure().z - middle.z) < 0.03);
        CHECK((body.centre_of_mass().z - middle.z) * newtons < 0);
    }
    // A thing nearer than its arm is long is held without a push.
    Part crate;
    crate.shapes.push_back({.half_size_m = {0.2, 0.5, 0.2}});
    crate.mass_kg = 40;
    crate.placement.position = {0.25, 0.5, 0.5};
    Balance body{{}, ground, {}, 0, {crate}};
    body.take_hold({.thing = 0, .place = {0, 0.45, -0.2}});
    for (int i = 0; i < 240 * 8; ++i)
        body.step({.ground = &ground}, Balance::tick_s);
    CHECK(body.has_hold());
    CHECK(body.log().falls == 0);
    CHECK(body.tilt_rad() < 0.1);
    CHECK(norm(body.placements().back().position - crate.placement.position) < 0.12);
    CHECK(norm(body.motions().back().velocity) < 1e-3);
}

TEST_CASE("a body leans against a hand and into a wind", "[balance]") {
    const FlatGround ground;
    const auto is_balanced = [](const Balance& body, double newtons) {
        CHECK(body.log().falls == 0);
        CHECK(norm(body.velocity()) < 0.01);
        const Vector3 middle = (body.feet()[0].position + body.feet()[1].position) * 0.5;
        CHECK(body.ground_force().z == Approx(-newtons).margin(2));
        CHECK(std::abs(body.pressure().z - middle.z) < 0.03);
        CHECK((body.centre_of_mass().z - middle.z) * newtons < 0);
    };
    Balance held{{}, ground, {}};
    const PartGrab hand{.part = 1, .target = {0, 1.2, 8}, .most_force_n = 50};
    for (int i = 0; i < 240 * 6; ++i)
        held.step({.ground = &ground, .grabs = {&hand, 1}}, Balance::tick_s);
    is_balanced(held, 50);

    Balance blown{{}, ground, {}};
    const Wind storm{{.mean_m_per_s = {0, 0, 14}, .spread_m_per_s = 0}};
    for (int i = 0; i < 60 * 6; ++i)
        blown.step({.ground = &ground, .wind = &storm, .time_s = i / 60.0}, 1.0 / 60);
    // Trunk, head and arms, some 0.45 m2 across; its legs are held by the ground.
    const double newtons = -blown.ground_force().z;
    CHECK(newtons == Approx(0.5 * 1.2 * 1.2 * 0.45 * 14 * 14).epsilon(0.5));
    is_balanced(blown, newtons);
}

TEST_CASE("nothing of its legs leaps, as it walks and as it gets up", "[balance][long]") {
    const FlatGround ground;
    /// The hardest that the middle of a leg's part is accelerated while a body is on its legs.
    const auto hardest = [&](Balance& body, const Vector3& velocity, int ticks) {
        std::array<std::vector<Vector3>, 2> before{};  // the last tick's, and the one before
        double most = 0;
        for (int i = 0; i < ticks; ++i) {
            const BalanceState state = body.state();
            body.step({.velocity = velocity, .ground = &ground}, Balance::tick_s);
            std::vector<Vector3> now;
            for (std::uint32_t part = 0; part < body.body_size(); ++part)
                now.push_back(body.placements()[part].position);
            const bool goes_on = body.state() == state && state != BalanceState::limp;
            if (!goes_on) before = {};
            for (std::size_t k = 3; k < 9 && goes_on && !before[1].empty(); ++k) {
                const Vector3 bend = now[k] - before[0][k] * 2 + before[1][k];
                most = std::max(most, norm(bend) / (Balance::tick_s * Balance::tick_s));
            }
            before = {now, before[0]};
        }
        return most;
    };
    for (const double speed : {0.5, 1.0, 1.3, -0.6}) {
        CAPTURE(speed);
        Balance body{{}, ground, {}};
        CHECK(hardest(body, {0, 0, speed}, 240 * 5) < 150);
        CHECK(hardest(body, {}, 240 * 2) < 600);
    }
    // It rises off its back, its front and its sides, in whatever pose it lies.
    RandomNumbers numbers{stream_of(5, "blows")};
    for (int fall = 0; fall < 8; ++fall) {
        CAPTURE(fall);
        Balance body{{}, ground, {}};
        const double angle = numbers.between(0, 6.28);
        const double speed = numbers.between(2.8, 4.2);
        const double blow_n_s = numbers.between(-20, 20);
        body.push({speed * std::cos(angle), 0, speed * std::sin(angle)});
        body.strike(1, body.placements()[1].position + Vector3{0.2, 0.2, 0}, {0, 0, blow_n_s});
        double jumped = 0;
        for (int i = 0; i < 240 * 5 && body.state() != BalanceState::rises; ++i) {
            const Vector3 before = body.centre_of_mass();
            body.step({.ground = &ground}, Balance::tick_s);
            jumped = std::max(jumped, norm(body.centre_of_mass() - before));
        }
        REQUIRE(body.state() == BalanceState::rises);
        CHECK(jumped < 8 * Balance::tick_s);
        CHECK(hardest(body, {}, 240 * 3) < 1200);
        CHECK(body.state() == BalanceState::stands);
    }
}

TEST_CASE("knees do not flip as a body catches itself", "[balance][long]") {
    const FlatGround ground;
    RandomNumbers numbers{stream_of(5, "knees")};
    double quickest_rad_per_s = 0;
    for (int push = 0; push < 60; ++push) {
        const double angle = numbers.between(0, 6.28);
        const double speed = numbers.between(0.8, 4.5);
        const Vector3 velocity{0, 0, numbers.between(0, 1) > 0.5 ? 1.0 : 0.0};
        Balance body{{}, ground, {}};
        for (int tick = 0; tick < 240; ++tick)
            body.step({.velocity = velocity, .ground = &ground}, Balance::tick_s);
        body.push({speed * std::cos(angle), 0, speed * std::sin(angle)});
        for (int tick = 0; tick < 360 && body.state() == BalanceState::stands; ++tick) {
            const std::vector<Placement> before(body.placements().begin(), body.placements().end());
            body.step({.velocity = velocity, .ground = &ground}, Balance::tick_s);
            if (body.state() != BalanceState::stands) break;
            for (std::size_t part = 3; part < 7; ++part) {  // thighs and shins
                const Quaternion turn =
                    body.placements()[part].rotation * conjugate(before[part].rotation);
                quickest_rad_per_s =
                    std::max(quickest_rad_per_s, norm(rotation_vector(turn)) / Balance::tick_s);
            }
        }
    }
    CHECK(quickest_rad_per_s > 10);
    CHECK(quickest_rad_per_s < 55);
}

TEST_CASE("feet that carry a rising body are flat, wherever it is told to go", "[balance]") {
    const FlatGround ground;
    const BalanceSettings settings{.lies_s = 0.1};
    Balance body{settings, ground, {}};
    body.push({4.5, 0, 0});
    double tilted = 0;
    int looks = 0;
    for (int frame = 0; frame < 400 && body.log().falls < 2; ++frame) {
        body.step({.velocity = {0, 0, 1}, .ground = &ground}, one_frame);
        const bool carries = body.height() > 0.8 && body.tilt_rad() < 0.3;
        if (body.state() != BalanceState::rises || !carries) continue;
        for (const std::size_t side : {0U, 1U}) {
            if (!body.feet()[side].planted) continue;
            const Vector3 ahead = rotated(body.placements()[7 + side].rotation, {0, 0, 1});
            tilted = std::max(tilted, std::abs(ahead.y));
            ++looks;
        }
    }
    CHECK(looks > 20);
    CHECK(tilted < 0.05);
}

TEST_CASE("feet keep every bit in the frame of a deck that pitches under them", "[balance]") {
    Terrain deck;
    const std::uint32_t part = deck.add_part({});
    deck.add(Terrain::Box{.middle = {0, -0.1, 0}, .size = {8, 0.2, 8}}, part);
    Balance body{{}, deck, {}};
    bool keeps = true;
    for (int frame = 1; frame <= 900; ++frame) {
        const double t = frame * one_frame;
        const double rate = 2 * math::pi * 0.2;
        deck.move(part, {.position = {0, 0.1 * std::sin(rate * t), 0},
                         .rotation = turned_by({0, 0, 0.09 * std::sin(rate * t)}),
                         .velocity = {0, 0.1 * rate * std::cos(rate * t), 0},
                         .angular_velocity = {0, 0, 0.09 * rate * std::cos(rate * t)}});
        const auto before = body.feet();
        body.step({.ground = &deck}, one_frame);
        for (const std::size_t side : {0U, 1U}) {
            const BalanceFoot& foot = body.feet()[side];
            if (!before[side].planted || !foot.planted) continue;
            keeps = keeps && foot.on_part == before[side].on_part && foot.part == part;
            const Vector3 place = deck.frame(part, 0).to_world(foot.on_part);
            keeps = keeps && place == foot.position;
        }
    }
    CHECK(keeps);
    CHECK(body.log().falls == 0);
}

TEST_CASE("falling, lying and rising keep pose and velocity, and happen when told", "[balance]") {
    const FlatGround ground;
    BalanceSettings settings;
    settings.lies_s = -1;
    Balance body{settings, ground, {}};
    body.push({0.6, 0, 0.4});
    for (int frame = 0; frame < 12; ++frame)
        body.step({.ground = &ground}, one_frame);
    const auto change = [&](BalanceState state) {
        const std::vector<Placement> before{body.placements().begin(), body.placements().end()};
        const std::vector<PartMotion> moving{body.motions().begin(), body.motions().end()};
        CHECK(body.become(state) == StepStatus::stepped);
        const bool is_at_once = state == BalanceState::limp || state == BalanceState::animated;
        CHECK((body.state() == state) == is_at_once);
        body.step({.ground = &ground}, Balance::tick_s);
        CHECK(body.state() == state);
        for (std::size_t i = 0; i < before.size(); ++i) {
            const Vector3 went = body.placements()[i].position - before[i].position;
            CHECK(norm(went - moving[i].velocity * Balance::tick_s) < 6e-3);
        }
    };
    CHECK(body.become(BalanceState::rises) == StepStatus::rejected);
    change(BalanceState::limp);
    for (int frame = 0; frame < 300; ++frame)
        body.step({.ground = &ground}, one_frame);
    CHECK(body.state() == BalanceState::limp);  // it was not told to get up
    CHECK(body.centre_of_mass().y < 0.35);
    change(BalanceState::rises);
    for (int frame = 0; frame < 240 && body.state() != BalanceState::stands; ++frame)
        body.step({.ground = &ground}, one_frame);
    CHECK(body.state() == BalanceState::stands);
    CHECK(body.log().rise_help_nms >= 0);
    // Animated: carried where a pose has it, then on its own feet with that velocity.
    change(BalanceState::animated);
    std::vector<Placement> pose{
        body.placements().begin(),
        body.placements().begin() + static_cast<std::ptrdiff_t>(body.body_size())};
    for (int frame = 0; frame < 60; ++frame) {
        for (Placement& each : pose)
            each.position.z += 0.5 * one_frame;
        body.step({.ground = &ground, .pose = pose}, one_frame);
    }
    CHECK(norm(body.placements()[1].position - pose[1].position) < 5e-3);
    CHECK_THAT(body.trunk_velocity().z, Catch::Matchers::WithinAbs(0.5, 1e-3));
    change(BalanceState::stands);
    CHECK_THAT(body.trunk_velocity().z, Catch::Matchers::WithinAbs(0.5, 0.03));
    for (int frame = 0; frame < 180; ++frame)
        body.step({.ground = &ground}, one_frame);
    CHECK(body.log().falls == 0);
    CHECK(body.state() == BalanceState::stands);
}

TEST_CASE("it is struck by what is thrown, takes hold of a thing and lets it go", "[balance]") {
    const FlatGround ground;
    Part sack;
    sack.shapes = {{.type = PartShape::Type::sphere, .radius_m = 0.15}};
    sack.mass_kg = 8;
    sack.placement.position = {0, 1.3, 2};
    Part cart;
    cart.shapes = {{.half_size_m = {0.2, 0.4, 0.2}}};
    cart.mass_kg = 15;
    cart.friction = 0.2;
    cart.placement.position = {-0.25, 0.4, -0.6};
    Balance body{{}, ground, {}, 0, {sack, cart}};
    body.hold_still(0, true);
    const BalanceInputs stands{.ground = &ground};
    for (int frame = 0; frame < 30; ++frame)
        body.step(stands, one_frame);
    CHECK(body.placements()[body.body_size()].position == Vector3{0, 1.3, 2});
    body.throw_thing(0, sack.placement, {.velocity = {0, 1.2, -6}});
    double fastest = 0;
    for (int frame = 0; frame < 120; ++frame) {
        body.step(stands, one_frame);
        fastest = std::max(fastest, -body.velocity().z);
    }
    // Its momentum is shared by both, and then taken by the ground.
    CHECK(fastest > 0.3);
    CHECK(fastest < 1.2);
    CHECK(body.log().falls == 0);
    CHECK(body.log().catches > 0);

    Balance hauler{{}, ground, {}, 0, {sack, cart}};
    const auto thing = hauler.body_size() + 1;
    hauler.throw_thing(1, {{-0.2, 0.4, 0.5}}, {});
    CHECK(hauler.take_hold({.thing = 1, .place = {0, 0.4, -0.25}, .most_force_n = 120}) ==
          StepStatus::stepped);
    for (int frame = 0; frame < 60; ++frame)
        hauler.step(stands, one_frame);
    REQUIRE(hauler.has_hold());
    const double from = hauler.placements()[thing].position.z;
    for (int frame = 0; frame < 240; ++frame)
        hauler.step({.velocity = {0, 0, -0.5}, .ground = &ground}, one_frame);
    const Vector3 dragged = hauler.motions()[thing].velocity;
    CHECK(hauler.placements()[thing].position.z < from - 1);
    CHECK(hauler.log().falls == 0);
    hauler.let_go();
    CHECK(norm(hauler.motions()[thing].velocity - dragged) == 0);
    CHECK(hauler.take_hold({.thing = 7}) == StepStatus::rejected);
    CHECK(hauler.throw_thing(9, {}, {}) == StepStatus::rejected);
}

TEST_CASE("a body is the same at every frame rate, after a copy, and from saved state",
          "[balance][long]") {
    const FlatGround ground;
    const auto after = [&](double hz) {
        Balance body{{}, ground, {}};
        body.push({0.5, 0, 0.4});
        for (int i = 0; i < std::lround(3 * hz); ++i)
            body.step({.velocity = {0, 0, 0.6}, .ground = &ground}, 1 / hz);
        return body.centre_of_mass();
    };
    const Vector3 usual = after(60);
    for (const double hz : {24.0, 30.0, 120.0, 240.0})
        CHECK(norm(after(hz) - usual) < 1e-9);

    Part ball;
    ball.shapes = {{.type = PartShape::Type::sphere}};
    ball.placement.position = {1, 0.1, 1};
    Balance body{{}, ground, {}, 0, {ball}};
    RandomNumbers numbers{stream_of(5, "states")};
    for (int round = 0; round < 10; ++round) {
        const double x = numbers.between(-2.2, 2.2);
        const double z = numbers.between(-2.2, 2.2);
        body.push({x, 0, z});
        for (int i = 0; i < 25 + 7 * round; ++i)
            body.step({.ground = &ground}, one_frame);
        Balance copy = body;
        Balance loaded{{}, ground, {}, 0, {ball}};
        REQUIRE(load_state(loaded, save_state(body)));
        for (int i = 0; i < 40; ++i) {
            body.step({.ground = &ground}, one_frame);
            copy.step({.ground = &ground}, one_frame);
            loaded.step({.ground = &ground}, one_frame);
        }
        for (std::size_t i = 0; i < body.placements().size(); ++i) {
            REQUIRE(copy.placements()[i] == body.placements()[i]);
            REQUIRE(loaded.placements()[i] == body.placements()[i]);
        }
    }
}

TEST_CASE("steps of a body do not allocate, nor take what is not finite", "[balance][long]") {
    const FlatGround ground;
    Balance body{{}, ground, {}};
    Balance copy = body;
    const long before = allocations();
    for (int i = 0; i < 200; ++i) {
        if (i == 20) copy.push({2.6, 0, 1});
        if (i == 120) copy.become(BalanceState::rises);
        copy.step({.ground = &ground}, one_frame);
    }
    CHECK(allocations() == before);
    CHECK(body.push({not_a_number, 0, 0}) == StepStatus::rejected);
    CHECK(body.step({.velocity = {not_a_number, 0, 0}}, 0.1) == StepStatus::rejected);
    CHECK(body.step({}, -0.1) == StepStatus::rejected);
    const PartForce bad{.part = 99};
    CHECK(body.step({.forces = {&bad, 1}}, 0.1) == StepStatus::rejected);
    CHECK(body.step({}, 1e6) == StepStatus::guarded);
    for (const Placement& each : body.placements())
        CHECK(std::isfinite(norm(each.position)));
    BalanceSettings settings;
    settings.help = 0.5;
    CHECK_THROWS_AS(Balance(settings, ground, {}), InvalidValue);
    CHECK_FALSE(body.try_retune(settings));
    settings.help = 0.1;
    CHECK(body.try_retune(settings));
    settings.build.mass_kg = 60;
    CHECK_FALSE(body.try_retune(settings));
    CHECK_THROWS_AS(body_of_height(-1, 70), InvalidValue);
    // A storm: blows, odd steps, states at random.
    RandomNumbers numbers{stream_of(8, "storm")};
    const auto any = [&](double most) {
        return numbers.between(-most, most);
    };
    for (int i = 0; i < 600; ++i) {
        const auto part = static_cast<std::uint32_t>(numbers.between(0, 12.99));
        const double x = any(200);
        const double y = any(200);
        const double z = any(200);
        if (i % 20 == 0) body.strike(part, {}, {x, y, z});
        if (i % 97 == 0) body.become(static_cast<BalanceState>(i / 97 % 3));
        body.step({.velocity = {any(2), 0, 0}, .ground = &ground}, numbers.between(0.001, 0.1));
        for (const Placement& each : body.placements())
            REQUIRE(norm(each.position) < 1e4);
    }
}

TEST_CASE("a body can be small, tall, or without arms", "[balance]") {
    const FlatGround ground;
    for (const double height : {0.4, 1.2, 2.4}) {
        BalanceSettings settings;
        settings.build = body_of_height(height, 20 * height * height * height);
        settings.stance_width_m *= height / 1.7;
        settings.lift_m *= height / 1.7;
        if (height == 1.2) settings.build.arm_length_m = 0;
        // Smaller bodies are quicker.
        const double quick = std::sqrt(height / 1.7);
        settings.step_time_s *= quick;
        settings.walk_step_s *= quick;
        settings.reaction_s *= quick;
        Balance body{settings, ground, {}};
        body.push({0.4 * quick, 0, 0.3 * quick});
        for (int frame = 0; frame < 240; ++frame)
            body.step({.ground = &ground}, one_frame);
        INFO(height);
        CHECK(body.log().falls == 0);
        CHECK(std::abs(body.height() - 1) < 0.03);
        CHECK(body.body_size() == (height == 1.2 ? 9U : 13U));
    }
}

TEST_CASE("the nearest supported spot lies on the hull", "[balance][support]") {
    const std::vector<Vector3> feet{{0, 0, 0}, {1, 0, 0}, {1, 0, 2}, {0, 0, 2}, {0.5, 0, 1}};
    RandomNumbers numbers{stream_of(2, "spots")};
    for (int i = 0; i < 500; ++i) {
        const double x = numbers.between(-2, 3);
        const double z = numbers.between(-2, 4);
        const Vector3 near = nearest_supported(feet, {x, 0.4, z});
        CHECK(near.x == std::clamp(x, 0.0, 1.0));
        CHECK(near.z == std::clamp(z, 0.0, 2.0));
        CHECK(near.y == 0.4);
    }
    CHECK(nearest_supported({}, {3, 1, 2}) == Vector3{3, 1, 2});
    CHECK(nearest_supported(std::span{feet}.first(1), {3, 1, 2}) == Vector3{0, 1, 0});
}
