// Whole poses, and quantities that stay in their range.

#include <cmath>
#include <vector>

#include <Eigen/Core>
#include <catch2/catch.hpp>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/follow/bounded_follower.hpp>
#include <hopcoil/follow/pose_follower.hpp>
#include <hopcoil/follow/size_follower.hpp>

#include "support/random.hpp"

using namespace hopcoil;
using Catch::Matchers::Contains;

TEST_CASE("each part of a pose follows as it would alone", "[pose]") {
    const PoseTuning tuning{.position = {.frequency_hz = 3, .damping_ratio = 0.3},
                            .rotation = {.frequency_hz = 1, .damping_ratio = 0.8},
                            .scale = {.frequency_hz = 2, .damping_ratio = 0.2}};
    PoseFollower sign{tuning, Pose{}};
    Follower<Vector3> position{tuning.position, Vector3{}};
    RotationFollower rotation{tuning.rotation, Quaternion{}};
    const Pose target{{1, 2, 3}, turned_by({0.4, 1, 0}), {2, 0.5, 1}};
    sign.jump(target);
    position.jump(target.position);
    rotation.jump(target.rotation);
    double tallest = 0;
    for (int frame = 0; frame < 400; ++frame) {
        const Pose before = sign.value();
        const double speed_before = sign.velocity().scale.x;
        sign.step(target, 0.01);

        position.step(target.position, 0.01);
        rotation.step(target.rotation, 0.01);
        CHECK(sign.value().position == position.value());
        CHECK(sign.value().rotation == rotation.value());
        const Vector3 rate = (sign.value().scale - before.scale) * 100;
        CHECK(rate.x == Approx(0.5 * (speed_before + sign.velocity().scale.x)).margin(0.05));

        tallest = std::fmax(tallest, sign.value().scale.x);
    }
    // In octaves: the overshoot of the logarithm, exp(-pi z / sqrt(1 - z^2)) of it.
    const double past = std::exp(-3.14159265 * 0.2 / std::sqrt(1 - 0.04));
    CHECK(std::log(tallest) == Approx(std::log(2) * (1 + past)).epsilon(1e-3));
    CHECK(sign.value().scale.y == Approx(0.5).epsilon(1e-2));
}

TEST_CASE("a scale stays above zero however hard it swings", "[pose]") {
    Random random{61};
    PoseFollower sign{PoseTuning::shared({.frequency_hz = 2, .damping_ratio = 0.05}), Pose{}};
    for (int i = 0; i < 2000; ++i) {
        if (random.chance(0.05)) sign.push({.scale = {random.between(-20, 20), 0, 0}});
        sign.step({.scale = {random.over_magnitudes(0.05, 5), 1, 1}}, 0.02);
        CHECK(sign.value().scale.x > 0);
    }
    CHECK(sign.step({.scale = {0, 1, 1}}, 0.02) == StepStatus::rejected);
    CHECK(sign.step({.scale = {-1, 1, 1}}, 0.02) == StepStatus::rejected);
}

TEST_CASE("a size follows in its logarithm, stays above zero and arrives exactly", "[size]") {
    Random random{63};
    const Tuning tuning{.frequency_hz = 2, .damping_ratio = 0.1, .lead = 0.3};
    SizeFollower<double> bloom{tuning, 1.0};
    Follower<double> logarithm{tuning, 0.0};
    for (int i = 0; i < 2000; ++i) {
        const double target = random.over_magnitudes(0.01, 50);
        if (random.chance(0.1)) {
            bloom.jump(target);
            logarithm.jump(std::log(target));
        }
        const double before = bloom.value();
        if (random.chance(0.1)) {
            const double push = random.between(-30, 30) * before;
            const double velocity = bloom.velocity();
            bloom.push(push);
            logarithm.push(push / before);
            CHECK(bloom.velocity() == Approx(velocity + push));
        }
        bloom.step(target, 0.02);
        logarithm.step(std::log(target), 0.02);
        CHECK(bloom.value() > 0);
        CHECK(std::log(bloom.value()) == Approx(logarithm.value()).margin(1e-9));
        CHECK(bloom.velocity() == Approx(bloom.value() * logarithm.velocity()).margin(1e-9));
    }
    SizeFollower<Eigen::Vector2f> eyes{{}, Eigen::Vector2f{1, 1}};
    const Eigen::Vector2f wide{1.3f, 0.7f};
    for (int i = 0; i < 2000; ++i)
        eyes.step(wide, 0.02);
    CHECK(eyes.value() == wide);
    CHECK(eyes.still());
}

TEST_CASE("what is no size is rejected, and nothing wild becomes infinite", "[size]") {
    SizeFollower<float> bloom{{.frequency_hz = 1, .damping_ratio = 0}, 1.f};
    bloom.step(2.f, 0.1);
    const float value = bloom.value();
    for (const float wrong : {0.f, -1.f, NAN, INFINITY}) {
        CHECK(bloom.step(wrong, 0.1) == StepStatus::rejected);
        CHECK(bloom.jump(wrong) == StepStatus::rejected);
        CHECK(bloom.resume({wrong, 0, 0}) == StepStatus::rejected);
        CHECK(bloom.resume({1, wrong - 1, 0}) == StepStatus::rejected);
        CHECK_THROWS_WITH((SizeFollower<float>{{}, wrong}), Contains("size"));
    }
    CHECK(bloom.rejected_inputs() == 16);
    CHECK(bloom.value() == value);
    for (const float push : {1e4f, -1e5f, 1e30f, 1e38f}) {
        bloom.push(push);
        for (int i = 0; i < 50; ++i) {
            bloom.step(1e-3f, 0.05);
            CHECK(bloom.value() > 0);
            CHECK(is_finite(bloom.value()));
            CHECK(is_finite(bloom.velocity()));
        }
    }
    CHECK(bloom.resume({2, 1, -4}) == StepStatus::stepped);
    CHECK(bloom.value() == Approx(3));
    CHECK(bloom.velocity() == Approx(-4));
    CHECK(bloom.target() == 2);
}

TEST_CASE("a pose is a system with a dial for every number of every part", "[pose]") {
    STATIC_REQUIRE(System<PoseFollower>);
    STATIC_REQUIRE(System<BoundedFollower<double>>);
    PoseFollower sign{{}, Pose{}};
    for (const auto& dial : PoseFollower::dials()) {
        CAPTURE(dial.path);
        CHECK(dial.get(sign) == dial.default_value);
        CHECK(dial.set(sign, 0.25) == DialStatus::set);
        CHECK(dial.get(sign) == 0.25);
        CHECK(dial.set(sign, NAN) == DialStatus::refused);
        CHECK(dial.get(sign) == 0.25);
    }
    CHECK(sign.tuning().scale.lead == 0.25);
}

TEST_CASE("a pose moves as a whole or not at all", "[pose]") {
    PoseFollower sign{{}, Pose{}};
    sign.jump({.position = {1, 0, 0}});
    sign.step({.position = {1, 0, 0}}, 0.1);
    const Pose before = sign.value();
    sign.step({.position = {5, 0, 0}, .rotation = {0, 0, 0, 0}}, 0.1);
    sign.step({.position = {NAN, 0, 0}, .rotation = turned_by({1, 0, 0})}, 0.1);
    CHECK(sign.rejected_inputs() == 2);
    CHECK(sign.value().position == before.position);
    CHECK(sign.value().rotation == before.rotation);
    CHECK_THROWS_WITH((PoseFollower{{}, Pose{.scale = {1, 0, 1}}}), Contains("scale"));
    CHECK_THROWS_WITH((PoseFollower{{.scale = {.damping_ratio = -1}}, Pose{}}),
                      Contains("damping_ratio"));
}

TEST_CASE("a bounded value never leaves its range and has no kink", "[bounded]") {
    Random random{62};
    for (int i = 0; i < 30; ++i) {
        const double low = random.between(-3, 0);
        const double high = low + random.over_magnitudes(0.01, 5);
        const double width = high - low;
        const BoundedFollower<double> start{
            {.frequency_hz = 1, .damping_ratio = 0.15}, {.low = low, .high = high}, low};
        std::vector<double> targets;
        for (int k = 0; k < 8; ++k) {
            targets.push_back(random.chance(0.5) ? (random.chance(0.5) ? low : high)
                                                 : random.between(low - width, high + width));
        }
        // The largest change of velocity in a step, which a kink would not let shrink.
        const auto largest_change = [&](int steps) {
            BoundedFollower<double> lid = start;
            double largest = 0;
            for (const double target : targets) {
                const double velocity = lid.velocity();
                lid.cut(target);
                CHECK(lid.velocity() == Approx(velocity).margin(1e-9 * width));
                for (int k = 0; k < steps; ++k) {
                    const double before = lid.velocity();
                    lid.step(target, 0.3 / steps);
                    if (lid.value() < low || lid.value() > high) FAIL("out of range");
                    largest = std::fmax(largest, std::fabs(lid.velocity() - before));
                }
            }
            return largest;
        };
        CHECK(largest_change(4000) < 0.2 * largest_change(500) + 1e-12);
    }
}

TEST_CASE("a bounded value comes to rest exactly at the end it is sent to", "[bounded]") {
    using Colour = Eigen::Vector3f;
    BoundedFollower<Colour> glow{{.frequency_hz = 3, .damping_ratio = 0.3},
                                 {.low = Colour::Zero(), .high = Colour::Ones()},
                                 Colour{0.5f, 0.2f, 0}};
    const Colour target{1, 0, 0.7f};
    glow.jump(target);
    for (int frame = 0; frame < 3000; ++frame) {
        glow.step(target, 1.0 / 60);
        CHECK(glow.value().minCoeff() >= 0);
        CHECK(glow.value().maxCoeff() <= 1);
    }
    CHECK(glow.value().x() == 1);
    CHECK(glow.value().y() == 0);
    CHECK(glow.value().z() == Approx(0.7f));
    CHECK(glow.still());
    glow.step(Colour{2, -1, NAN}, 0.1);
    CHECK(glow.rejected_inputs() == 1);
    CHECK_THROWS_WITH((BoundedFollower<double>{{}, {.low = 1, .high = 1}, 1.0}),
                      Contains("high") && Contains("above low"));
}

TEST_CASE("in the middle of its range a bounded follower is a follower", "[bounded]") {
    const Tuning tuning{.frequency_hz = 2, .damping_ratio = 0.5};
    BoundedFollower<double> lid{tuning, {.low = 0, .high = 1}, 0.3};
    Follower<double> free{tuning, 0.3};
    for (int frame = 0; frame < 50; ++frame) {
        lid.step(0.6, 0.01);
        free.step(0.6, 0.01);
        CHECK(lid.value() == free.value());
        CHECK(lid.velocity() == free.velocity());
    }
}
