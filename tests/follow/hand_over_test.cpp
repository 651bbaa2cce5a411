// From any mover to any other: the value is never lost, nor the velocity where both have one.

#include <cmath>
#include <tuple>

#include <catch2/catch.hpp>

#include <hopcoil/follow/angle_follower.hpp>
#include <hopcoil/follow/bounded_follower.hpp>
#include <hopcoil/follow/coast.hpp>
#include <hopcoil/follow/curve_move.hpp>
#include <hopcoil/follow/follower.hpp>
#include <hopcoil/follow/glide.hpp>
#include <hopcoil/follow/pursuit.hpp>
#include <hopcoil/follow/relay.hpp>
#include <hopcoil/follow/settle_curve.hpp>

#include "support/random.hpp"

using namespace hopcoil;

namespace {

template <class M>
constexpr bool has_velocity = true;
template <>
constexpr bool has_velocity<Glide<double>> = false;
template <>
constexpr bool has_velocity<CurveMove<double>> = false;

auto one_of_each() {
    return std::tuple{Follower<double>{{.frequency_hz = 2, .damping_ratio = 0.4}, 0.0},
                      AngleFollower<double>{{.frequency_hz = 1, .damping_ratio = 0.4}, 0.0},
                      BoundedFollower<double>{
                          {.frequency_hz = 2, .damping_ratio = 1}, {.low = -8, .high = 8}, 0.0},
                      Glide<double>{{.half_life_s = 0.2}, 0.0},
                      Pursuit<double>{{.max_speed = 3, .max_acceleration = 9}, 0.0},
                      Coast<double>{{.slowing_half_life_s = 0.5}, 0.0},
                      SettleCurve{{.duration_s = 0.6, .overshoot_percent = 15}, 0.0},
                      CurveMove<double>{{.duration_s = 0.4}, 0.0},
                      Relay<double>{{{.frequency_hz = 2}, {.frequency_hz = 3}}, 0.0}};
}

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
