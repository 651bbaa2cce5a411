// From any mover to any other: the value is never lost, nor the velocity where both have one.

#include <cmath>
#include <tuple>

#include <catch2/catch.hpp>

#include <hopcoil/follow/layers.hpp>
#include <hopcoil/follow/pose_follower.hpp>
#include <hopcoil/follow/rotation_mover.hpp>

#include "support/movers.hpp"
#include "support/random.hpp"
#include "support/vectors.hpp"

using namespace hopcoil;

namespace {

template <class M>
constexpr bool has_velocity = true;
template <>
constexpr bool has_velocity<Glide<double>> = false;
template <>
constexpr bool has_velocity<CurveMove<double>> = false;

/// A while of its life, after a target if it takes one.
template <class M>
void live(M& mover, double target, double seconds) {
    for (int i = 0; i < 10; ++i) {
        if constexpr (requires { mover.launch(1.0); }) {
            mover.step(seconds / 10);
        } else {
            mover.step(target, seconds / 10);
        }
    }
}

}  // namespace

TEST_CASE("any mover takes over from any other at any moment", "[hand_over]") {
    Random random{151};
    for (int i = 0; i < 40; ++i) {
        std::apply(
            [&](auto... givers) {
                const auto give = [&](auto& giver) {
                    giver.resume(Motion<double>{random.between(-1, 1), random.between(-0.5, 0.5),
                                                random.between(-2, 2)});
                    live(giver, random.between(-1, 1), random.between(0.01, 0.3));
                    const double value = giver.motion().value();
                    const double velocity = giver.velocity();
                    std::apply(
                        [&](auto... takers) {
                            const auto take = [&](auto& taker) {
                                using Taker = std::remove_reference_t<decltype(taker)>;
                                CHECK(taker.resume(giver.motion()) == StepStatus::stepped);
                                CHECK(taker.value() == Approx(value).margin(1e-12));
                                if constexpr (has_velocity<Taker>) {
                                    CHECK(taker.velocity() == Approx(velocity).margin(1e-9));
                                }
                                // And goes on from there: a short step is a short way.
                                live(taker, taker.target(), 1e-6);
                                CHECK(taker.value() == Approx(value).margin(1e-3));
                            };
                            (take(takers), ...);
                        },
                        one_of_each());
                };
                (give(givers), ...);
            },
            one_of_each());
    }
}

TEST_CASE("a copy of any mover is a snapshot that continues bit for bit", "[hand_over]") {
    Random random{152};
    std::apply(
        [&](auto... movers) {
            const auto check = [&](auto& mover) {
                mover.resume(Motion<double>{0.5, -0.3, 1});
                live(mover, 0.7, 0.2);
                const auto snapshot = mover;
                live(mover, -0.2, 0.3);
                const double value = mover.value();
                const double velocity = mover.velocity();
                mover = snapshot;
                live(mover, -0.2, 0.3);
                CHECK(mover.value() == value);
                CHECK(mover.velocity() == velocity);
            };
            (check(movers), ...);
        },
        one_of_each());
}

TEST_CASE("every damped mover comes to a still target", "[hand_over]") {
    std::apply(
        [&](auto... movers) {
            const auto check = [&](auto& mover) {
                if constexpr (!requires { mover.launch(1.0); }) {
                    mover.resume(Motion<double>{1, -2, 3});
                    for (int i = 0; i < 4000; ++i)
                        mover.step(1, 1.0 / 60);
                    CHECK(mover.value() == Approx(1).margin(1e-12));
                    CHECK(mover.at_rest(1e-9, 1e-9));
                }
            };
            (check(movers), ...);
        },
        one_of_each());
}

TEST_CASE("rotation movers hand over the turn, its velocity and the way round", "[hand_over]") {
    Random random{153};
    const auto give_and_take = [&](auto giver, auto taker) {
        giver.resume(turned_by(random_vector(random, 2)), random_vector(random, 3), Quaternion{});
        for (int i = 0; i < 5; ++i)
            giver.step(turned_by(random_vector(random, 2)), 0.05);
        CHECK(taker.resume(giver.motion()) == StepStatus::stepped);
        CHECK(angle_between(taker.value(), giver.value()) < 1e-12);
        CHECK(angle_between(taker.target(), giver.target()) < 1e-15);
        CHECK(length_of(taker.gap_rad() - giver.gap_rad()) < 1e-12);
        return length_of(taker.velocity() - giver.velocity());
    };
    for (int i = 0; i < 50; ++i) {
        const RotationFollower follower{{.frequency_hz = 1, .damping_ratio = 0.3}, Quaternion{}};
        const RotationPursuit pursuit{{.max_speed = 2, .max_acceleration = 5}, Quaternion{}};
        const RotationGlide glide{{.half_life_s = 0.3}, Quaternion{}};
        CHECK(give_and_take(follower, pursuit) < 1e-9);
        CHECK(give_and_take(pursuit, follower) < 1e-9);
        CHECK(give_and_take(glide, follower) < 1e-9);
        give_and_take(follower, glide);
    }
    // The long way round stays the long way.
    RotationFollower slow{{.frequency_hz = 0.1, .damping_ratio = 1}, Quaternion{}};
    for (const double angle : {1.0, 2.0, 3.0, 4.0})
        slow.step(turned_by({0, angle, 0}), 0.01);
    REQUIRE(slow.gap_rad().y < -math::pi);
    RotationFollower next{{}, Quaternion{}};
    next.resume(slow.motion());
    CHECK(next.gap_rad().y == Approx(slow.gap_rad().y));
    CHECK(next.resume(RotationMotion{{0, 0, 0, 0}, {}, {}}) == StepStatus::rejected);
    CHECK(next.resume(RotationMotion{{}, {NAN, 0, 0}, {}}) == StepStatus::rejected);
    CHECK(next.gap_rad().y == Approx(slow.gap_rad().y));
}

TEST_CASE("a pose follower takes over from another, in the middle of everything", "[hand_over]") {
    PoseFollower giver{PoseTuning::shared({.frequency_hz = 1, .damping_ratio = 0.3}), Pose{}};
    const Pose target{{1, 2, 3}, turned_by({0.4, 1, 0}), {2, 0.5, 1}};
    giver.jump(target);
    giver.step(target, 0.2);
    PoseFollower taker{PoseTuning::shared({.frequency_hz = 3, .damping_ratio = 1}), Pose{}};
    REQUIRE(taker.resume(giver.motion()) == StepStatus::stepped);
    CHECK(taker.value().position == giver.value().position);
    CHECK(angle_between(taker.value().rotation, giver.value().rotation) < 1e-12);
    CHECK(length_of(taker.value().scale - giver.value().scale) < 1e-14);
    CHECK(length_of(taker.velocity().position - giver.velocity().position) == 0);
    CHECK(length_of(taker.velocity().rotation - giver.velocity().rotation) < 1e-12);
    CHECK(length_of(taker.velocity().scale - giver.velocity().scale) < 1e-13);
    CHECK(length_of(giver.velocity().scale) > 0.1);
    PoseMotion wrong = giver.motion();
    wrong.scale.gap.x = NAN;
    const Pose before = taker.value();
    CHECK(taker.resume(wrong) == StepStatus::rejected);
    CHECK(taker.value() == before);
}

TEST_CASE("a follower takes over from layers", "[hand_over]") {
    Layers<double> head{1.0};
    const std::size_t nod = head.add({.frequency_hz = 2, .damping_ratio = 0.3}, 0.0);
    head.fade(nod, 0.7, 0.5);
    head.jump(nod, 1);
    head.step(0.15);
    Follower<double> alone{{.frequency_hz = 1, .damping_ratio = 1}, 0.0};
    REQUIRE(alone.resume(head.motion()) == StepStatus::stepped);
    CHECK(alone.value() == Approx(head.value()).epsilon(1e-14));
    CHECK(alone.velocity() == head.velocity());
    CHECK(alone.target() == Approx(1 + head.weight(nod)));
}
