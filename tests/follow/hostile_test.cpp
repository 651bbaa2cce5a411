// Every call ends, whatever its arguments: the largest and smallest numbers, infinities and numbers
// that are none. Run under a time limit; a loop that halves an infinite number until it is small fails it.

#include <cmath>
#include <limits>
#include <optional>
#include <stdexcept>
#include <tuple>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/follow/intent.hpp>
#include <hopcoil/follow/layers.hpp>
#include <hopcoil/follow/pose_follower.hpp>
#include <hopcoil/follow/rotation_mover.hpp>
#include <hopcoil/follow/size_follower.hpp>
#include <hopcoil/follow/sleeper.hpp>
#include <hopcoil/follow/stepped_follower.hpp>
#include <hopcoil/follow/watcher.hpp>
#include <hopcoil/spring/free_motion.hpp>
#include <hopcoil/spring/step_response.hpp>
#include <hopcoil/spring/wish.hpp>

#include "support/movers.hpp"
#include "support/random.hpp"

using namespace hopcoil;

namespace {

const std::vector<double>& hostile() {
    using Limits = std::numeric_limits<double>;
    static const std::vector<double> numbers = [] {
        std::vector<double> all{0.0,
                                Limits::denorm_min(),
                                Limits::min(),
                                1e-300,
                                1e-9,
                                0.5,
                                1.0,
                                2.0,
                                1e9,
                                1e154,
                                1e300,
                                1e308,
                                Limits::max(),
                                Limits::infinity(),
                                Limits::quiet_NaN()};
        for (std::size_t i = all.size(); i-- > 0;)
            all.push_back(-all[i]);
        return all;
    }();
    return numbers;
}

double any(Random& random) {
    return hostile()[static_cast<std::size_t>(
        random.whole(0, static_cast<int>(hostile().size()) - 1))];
}

template <class T>
T any_value(Random& random) {
    if constexpr (std::same_as<T, double>) return any(random);
    if constexpr (std::same_as<T, Vector3>) return {any(random), any(random), any(random)};
    if constexpr (std::same_as<T, Quaternion>)
        return {any(random), any(random), any(random), any(random)};
    if constexpr (std::same_as<T, Pose>) {
        return {any_value<Vector3>(random), any_value<Quaternion>(random),
                any_value<Vector3>(random)};
    }
}

/// Whatever may throw for numbers that can never be.
template <class Call>
void ends(const Call& call) {
    try {
        call();
    } catch (const std::exception&) {
    }
}

/// New numbers, each hostile, as far as the mover takes them.
template <class M>
void turn_dials(M& mover, Random& random) {
    if constexpr (requires { M::dials(); }) {
        for (const Dial<M>& dial : M::dials())
            dial.set(mover, any(random));
    } else if constexpr (requires { mover.try_retune(0U, Tuning{}); }) {
        mover.try_retune(static_cast<std::size_t>(random.whole(0, 2)),
                         {any(random), any(random), any(random)});
    }
}

template <class M>
void call_all(M& mover, Random& random) {
    using Value = std::remove_cvref_t<decltype(mover.value())>;
    const auto value = [&] {
        return any_value<Value>(random);
    };
    if constexpr (requires { mover.time_to_rest_s(); }) {
        mover.step(any(random));
        ends([&] { mover.launch(any(random)); });
    } else {
        mover.step(value(), any(random));
        if constexpr (requires { mover.step(value(), value(), 0.1); })
            mover.step(value(), value(), any(random));
        if constexpr (std::same_as<Value, Quaternion> &&
                      requires { mover.step(value(), Vector3{}, 0.1); })
            mover.step(value(), any_value<Vector3>(random), any(random));
        if constexpr (requires { mover.jump(value()); }) mover.jump(value());
        if constexpr (requires { mover.cut(value()); }) mover.cut(value());
    }
    if constexpr (requires { mover.push(value()); }) mover.push(value());
    if constexpr (requires { mover.time_left_s(); }) static_cast<void>(mover.time_left_s());
    if constexpr (requires { mover.time_to_rest_s(); }) static_cast<void>(mover.time_to_rest_s());
    if constexpr (requires { mover.set_stops({}); }) {
        ends([&] {
            mover.set_stops({.low = any(random),
                             .high = any(random),
                             .least_duration_s = any(random),
                             .may_shorten_travel = true});
        });
    }
    if constexpr (requires { mover.reset(value()); }) mover.reset(value());
}

template <class M>
void storm(M mover, Random& random) {
    const M start = mover;
    for (int i = 0; i < 300; ++i) {
        turn_dials(mover, random);
        call_all(mover, random);
        if (i % 10 == 0) mover = start;
    }
}

}  // namespace

TEST_CASE("a step of the largest damping over the longest time ends", "[hostile]") {
    Follower<double> lamp{{.frequency_hz = 2, .damping_ratio = 1e308}, 0.0};
    lamp.step(1, 1, 1e308);
    lamp.step(1, 1e308);
    CHECK(std::isfinite(lamp.value()));
    CHECK(std::isfinite(lamp.velocity()));
}

TEST_CASE("every call of every mover ends, whatever its arguments", "[hostile]") {
    Random random{911};
    const auto of_all = [&](const auto&... movers) {
        (storm(movers, random), ...);
    };
    for (int round = 0; round < 20; ++round) {
        std::apply(of_all, one_of_each());
        of_all(SizeFollower<double>{{.frequency_hz = 2, .damping_ratio = 1}, 1.0},
               SteppedFollower<double>{{.frequency_hz = 2, .damping_ratio = 0.4}, {}, 0.0},
               Follower<Vector3>{{}, Vector3{}}, Pursuit<Vector3>{{.max_speed = 1}, Vector3{}},
               RotationFollower{{}, Quaternion{}}, RotationGlide{{}, Quaternion{}},
               RotationPursuit{{.max_speed = 3, .max_acceleration = 9}, Quaternion{}},
               RotationCurve{{}, Quaternion{}}, PoseFollower{{}, Pose{}},
               Sleeper<Follower<double>>{Follower<double>{{}, 0.0}, {}});
    }
}

TEST_CASE("what happens inside a step is found in bounded time", "[hostile]") {
    Random random{912};
    const auto watch = [&](auto mover) {
        Watcher watcher{std::move(mover)};
        for (int i = 0; i < 200; ++i) {
            turn_dials(watcher.mover(), random);
            if constexpr (requires { watcher.step(0.0, 0.1); })
                watcher.step(any(random), any(random));
            if constexpr (requires { watcher.step(0.0, 0.0, 0.1); })
                watcher.step(any(random), any(random), any(random));
        }
    };
    std::apply([&](const auto&... movers) { (watch(movers), ...); }, one_of_each_with_target());
}

TEST_CASE("figures of a spring are found in bounded time", "[hostile]") {
    for (const double f : hostile()) {
        for (const double z : hostile()) {
            for (const double x : {0.0, 1.0, -3.0, 1e308}) {
                const Tuning tuning{f, z, x};
                ends([&] { static_cast<void>(jump_response(tuning, x)); });
                ends([&] { static_cast<void>(kick_response(tuning, x)); });
                ends([&] { static_cast<void>(ramp_response(tuning, x)); });
                ends([&] { static_cast<void>(sine_response(tuning, f)); });
                ends([&] { static_cast<void>(FreeMotion{tuning, {x, z}}.settling_time_s(1e-3)); });
                ends([&] { static_cast<void>(FreeMotion{tuning, {x, z}}.first_crossing_s(z)); });
                ends([&] {
                    static_cast<void>(
                        tuning_from(Wish{.overshoot_percent = f, .settling_time_s = z, .lead = x}));
                });
            }
            const Flight flight{{0, f, 0}, {z, f, 0}};
            ends([&] {
                static_cast<void>(landing_on(
                    flight, [](double, double) { return 0.0; }, f, z));
            });
        }
    }
}
