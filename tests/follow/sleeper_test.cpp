// Movers that fall asleep on their target, of every kind.

#include <array>
#include <stdexcept>
#include <vector>

#include <Eigen/Core>
#include <catch2/catch.hpp>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/base/system.hpp>
#include <hopcoil/follow/follower_bank.hpp>
#include <hopcoil/follow/pose_follower.hpp>
#include <hopcoil/follow/rotation_mover.hpp>
#include <hopcoil/follow/sleeper.hpp>
#include <hopcoil/follow/watcher.hpp>

#include "support/movers.hpp"
#include "support/random.hpp"
#include "support/vectors.hpp"

using namespace hopcoil;
using Catch::Matchers::Contains;

TEST_CASE("a sleeper snaps, stops doing work and wakes on a new target", "[sleeper]") {
    Sleeper lamp{Follower<double>{{.frequency_hz = 2, .damping_ratio = 0.3}, 5.0}};
    CHECK(lamp.is_asleep());
    int frames = 0;
    for (; frames < 2000 && (frames < 2 || !lamp.is_asleep()); ++frames)
        lamp.step(6, 1.0 / 60);
    CHECK(lamp.is_asleep());
    CHECK(frames < 200);
    CHECK(lamp.value() == 6);
    CHECK(lamp.velocity() == 0);

    lamp.step(6, 1e308);  // nothing is computed
    CHECK(lamp.is_asleep());
    lamp.push(1.0);
    CHECK_FALSE(lamp.is_asleep());
    lamp.step(6, 0.1);
    CHECK(lamp.value() > 6);
    lamp.step(7, 0.1);
    CHECK_FALSE(lamp.still());
    CHECK_THROWS_WITH((Sleeper{Glide<float>{{}, 0.f}, {.distance = -1}}), Contains("distance"));
}

TEST_CASE("a sleeper does not sleep through a swing's turning point", "[sleeper]") {
    Sleeper lamp{Follower<double>{{.frequency_hz = 1, .damping_ratio = 0.01}, 0.0}};
    lamp.jump(1);
    for (int frame = 0; frame < 600; ++frame) {
        lamp.step(1, 1.0 / 120);
        CHECK_FALSE(lamp.is_asleep());
    }
}

TEST_CASE("a group answers whether anything is still moving", "[sleeper]") {
    std::vector<Sleeper<Glide<Eigen::Vector2f>>> panels(
        5, Sleeper{Glide<Eigen::Vector2f>{{}, Eigen::Vector2f{0, 0}}});
    CHECK_FALSE(is_anything_moving(panels));
    panels[3].step(Eigen::Vector2f{1, 0}, 1.0 / 60);
    CHECK(is_anything_moving(panels));
    for (int frame = 0; frame < 300; ++frame)
        panels[3].step(Eigen::Vector2f{1, 0}, 1.0 / 60);
    CHECK_FALSE(is_anything_moving(panels));
}

TEST_CASE("movers of every kind fall asleep on their target and wake for another", "[sleeper]") {
    const auto sleeps = [](auto mover, const auto& there, const auto& elsewhere) {
        Sleeper sleeper{std::move(mover)};
        int frames = 0;
        for (; frames < 2000 && (frames < 2 || !sleeper.is_asleep()); ++frames)
            sleeper.step(there, 1.0 / 60);
        REQUIRE(sleeper.is_asleep());
        CHECK(sleeper.still());
        CHECK(sleeper.distance_to_target() == 0);
        // Asleep, it still tells a wrong time step from a right one, and a wrong target.
        const auto value = sleeper.value();
        CHECK(sleeper.step(there, -1) == StepStatus::rejected);
        CHECK(sleeper.is_asleep());
        CHECK(is_same(sleeper.value(), value));
        CHECK(sleeper.rejected_inputs() == 1);
        sleeper.step(elsewhere, 0.01);
        CHECK_FALSE(sleeper.is_asleep());
        sleeper.jump(there);
        CHECK_FALSE(sleeper.is_asleep());
        sleeper.snap();
        CHECK(sleeper.is_asleep());
        sleeper.cut(elsewhere);
        CHECK_FALSE(sleeper.is_asleep());
        CHECK(sleeper.reset(there) == StepStatus::stepped);
        CHECK(sleeper.is_asleep());
        CHECK(sleeper.step(there, 0.1) == StepStatus::stepped);
        CHECK(sleeper.is_asleep());
    };
    std::apply([&](const auto&... movers) { (sleeps(movers, 1.5, -1.0), ...); },
               one_of_each_with_target());
    // As they are given: beyond the seam, of another length than one, outside the range.
    sleeps(AngleFollower<double>{{}, 0.0}, 4.0, 2.0);
    sleeps(AnglePursuit<float>{{.max_speed = 2, .max_acceleration = 5}, 0.f}, 4.f, 2.f);
    const Quaternion longer{2, 0, 2, 0};
    sleeps(RotationFollower{{}, Quaternion{}}, longer, turned_by({1, 0, 0}));
    sleeps(RotationGlide{{}, Quaternion{}}, longer, turned_by({1, 0, 0}));
    sleeps(RotationPursuit{{}, Quaternion{}}, longer, turned_by({1, 0, 0}));
    sleeps(RotationCurve{{}, Quaternion{}}, longer, turned_by({1, 0, 0}));
    sleeps(PoseFollower{{}, Pose{}}, Pose{{1, 2, 3}, longer, {2, 2, 2}}, Pose{});
    sleeps(BoundedFollower<float>{{}, {.low = 0, .high = 1}, 0.5f}, 2.f, 0.f);
    sleeps(Follower<ScaledFromTheLeft>{{}, {}}, ScaledFromTheLeft{{1, 2}}, ScaledFromTheLeft{});
}

TEST_CASE("a sleeper has the verbs of its mover", "[sleeper]") {
    STATIC_REQUIRE(System<Sleeper<Follower<Eigen::Vector3f>>>);
    STATIC_REQUIRE(System<Sleeper<RotationFollower>>);
    Sleeper lamp{Follower<double>{{.frequency_hz = 2, .damping_ratio = 0.3}, 0.0}};
    lamp.step(1, 0.1);
    const double velocity = lamp.velocity();
    lamp.retune({.frequency_hz = 4, .damping_ratio = 1});
    CHECK(lamp.tuning().frequency_hz == 4);
    CHECK(lamp.velocity() == velocity);
    CHECK_FALSE(lamp.try_retune({.frequency_hz = -1}));
    CHECK(lamp.rejected_inputs() == 1);
    CHECK_THROWS_AS(lamp.retune({.damping_ratio = -1}), InvalidValue);
    CHECK(Sleeper<Follower<double>>::dials()[0].set(lamp, 3) == DialStatus::set);
    CHECK(lamp.mover().tuning().frequency_hz == 3);
    lamp.snap();
    lamp.resume({.target = 2, .gap = -1, .velocity = 5});
    CHECK_FALSE(lamp.is_asleep());
    CHECK(lamp.value() == 1);
    CHECK(lamp.motion().velocity == 5);

    Sleeper chain{Cascade<double>{{{.frequency_hz = 2}, {.frequency_hz = 3}}, 0.0}};
    chain.woken_mover().push(1, 2.0);
    chain.step(0, 0.05);
    CHECK(chain.value() > 0);
}

TEST_CASE("falling asleep, an angle keeps count of its turns", "[sleeper]") {
    Sleeper vane{AngleFollower<double>{{.frequency_hz = 2, .damping_ratio = 1}, 0.0}};
    for (int turn = 1; turn <= 30; ++turn)
        vane.step(0.5 * turn, 0.1);
    for (int frame = 0; frame < 300; ++frame)
        vane.step(15.0, 1.0 / 60);
    CHECK(vane.is_asleep());
    CHECK(vane.turned() == Approx(15.0));

    // And is watched so: half a turn off is no mark passed.
    const std::array<double, 1> marks{0.0};
    Watcher watcher{vane, marks};
    for (int frame = 0; frame < 120; ++frame) {
        watcher.step(15.0 + math::pi / 4, 1.0 / 60);
        for (const Event& event : watcher.events())
            CHECK(event.kind != EventKind::passed_mark);
    }
    CHECK(watcher.value() < 0);  // through the seam, from 2.4
}

TEST_CASE("a bank tells rest by limits as followers do", "[sleeper]") {
    Random random{191};
    FollowerBank<float> bank{3};
    const Tuning tuning{.frequency_hz = 1, .damping_ratio = 0.5};
    const std::size_t shared = bank.add_group(tuning);
    const std::size_t varied = bank.add_varied_group();
    std::vector<Follower<Plain>> alone;
    std::vector<FollowerBank<float>::Id> ids;
    for (int i = 0; i < 40; ++i) {
        const std::array<float, 3> start{};
        ids.push_back(i % 2 == 0 ? bank.add(shared, start) : bank.add(varied, start, tuning));
        alone.emplace_back(tuning, Plain{});
        const auto number = [&] {
            return static_cast<float>(random.between(-1, 1));
        };
        const Plain there{number(), number(), number()};
        bank.jump(ids.back(), {{there.x, there.y, there.z}});
        alone.back().jump(there);
    }
    bool has_rested = false;
    for (int step = 0; step < 100; ++step) {
        const double distance = random.over_magnitudes(1e-3, 3);
        const double speed = random.over_magnitudes(1e-2, 10);
        bool moving = false;
        for (std::size_t i = 0; i < ids.size(); ++i) {
            CHECK(bank.at_rest(ids[i], distance, speed) == alone[i].at_rest(distance, speed));
            moving = moving || !alone[i].at_rest(distance, speed);
        }
        CHECK(bank.is_anything_moving(distance, speed) == moving);
        CHECK(bank.is_anything_moving());
        has_rested = has_rested || !moving;
        bank.step(0.05);
        for (Follower<Plain>& each : alone)
            each.step(each.target(), 0.05);
    }
    CHECK(has_rested);
    CHECK_THROWS_AS(bank.at_rest(1000, 1, 1), std::out_of_range);
}
