// Motions that add up on one value.

#include <cmath>

#include <catch2/catch.hpp>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/follow/layers.hpp>

#include "support/random.hpp"

using namespace hopcoil;

TEST_CASE("layers add up, and fades leave value and velocity continuous", "[layers]") {
    Random random{121};
    Layers<double> head{1.0};
    const std::size_t breath = head.add({.frequency_hz = 1, .damping_ratio = 0.5}, 0.0);
    const std::size_t flinch = head.add({.frequency_hz = 5, .damping_ratio = 0.3}, 0.0);
    head.fade(breath, 1, 0);
    double velocity = 0;
    double value = 1;
    for (int frame = 0; frame < 20000; ++frame) {
        if (random.chance(0.002)) {
            head.fade(flinch, random.between(0, 1), random.between(0.05, 0.5));
            CHECK(head.value() == Approx(value).margin(1e-12));
            CHECK(head.velocity() == Approx(velocity).margin(1e-9));
        }
        if (random.chance(0.01)) head.set_target(flinch, random.between(-1, 1));
        head.set_target(breath, 0.2 * std::sin(frame * 1e-3));
        constexpr double dt = 1e-3;
        head.step(dt);
        CHECK(head.value() == Approx(1 + head.weight(0) * head.mover(0).value() +
                                     head.weight(1) * head.mover(1).value()));
        CHECK((head.value() - value) / dt ==
              Approx(0.5 * (velocity + head.velocity())).margin(0.2));
        value = head.value();
        velocity = head.velocity();
    }
    CHECK_THROWS_AS(head.fade(9, 1, 1), std::out_of_range);
    CHECK_THROWS_AS(head.fade(breath, NAN, 1), InvalidValue);
    CHECK(head.step(-1) == StepStatus::rejected);
}

TEST_CASE("a faded-out layer no longer keeps the rest awake", "[layers]") {
    Layers<double> head{0.0};
    const std::size_t sway = head.add({.frequency_hz = 0.1, .damping_ratio = 0}, 0.0);
    head.fade(sway, 1, 0.1);
    head.push(sway, 1);
    head.step(0.2);
    CHECK_FALSE(head.still());
    head.fade(sway, 0, 0.1);
    head.step(0.2);
    CHECK(head.still());
    CHECK(head.value() == 0);
}

TEST_CASE("a layer has the verbs of a follower", "[layers]") {
    const Tuning tuning{.frequency_hz = 2, .damping_ratio = 0.4, .lead = 0.5};
    Layers<double> head{3.0};
    const std::size_t nod = head.add(tuning, 0.0);
    head.fade(nod, 1, 0);
    Follower<double> alone{tuning, 0.0};
    const auto same = [&] {
        CHECK(head.value() == 3 + alone.value());
        CHECK(head.velocity() == alone.velocity());
        CHECK(head.target() == 3 + alone.target());
    };
    head.jump(nod, 1);
    alone.jump(1);
    same();
    head.step(0.1);
    alone.step(1, 0.1);
    same();
    head.cut(nod, -0.5);
    alone.cut(-0.5);
    same();
    head.push(nod, 2);
    alone.push(2);
    head.step(0.1);
    alone.step(-0.5, 0.1);
    same();
    head.reset(nod, 0.25);
    alone.reset(0.25);
    head.step(0.1);
    same();
    CHECK(head.still());

    CHECK(head.jump(nod, NAN) == StepStatus::rejected);
    CHECK(head.push(nod, INFINITY) == StepStatus::rejected);
    CHECK(head.rejected_inputs() == 2);
    CHECK(head.step(0.1) == StepStatus::stepped);
    same();
    CHECK_THROWS_AS(head.jump(9, 1), std::out_of_range);
}
