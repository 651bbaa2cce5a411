// Events at their exact time, and motions that add up.

#include <algorithm>
#include <array>
#include <cmath>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/follow/glide.hpp>
#include <hopcoil/follow/layers.hpp>
#include <hopcoil/follow/pursuit.hpp>
#include <hopcoil/follow/watcher.hpp>
#include <hopcoil/spring/answers.hpp>
#include <hopcoil/spring/free_motion.hpp>

#include "support/allocations.hpp"
#include "support/random.hpp"

using namespace hopcoil;

namespace {

struct Timed {
    EventKind kind;
    double time_s;
};

template <class M>
std::vector<Timed> watched(M mover, double target, double rate_hz, double seconds,
                           const std::vector<double>& marks = {}) {
    Watcher<M> watcher{mover, marks, {.distance = 0.02, .speed = 1e9}};
    watcher.mover().jump(target);
    std::vector<Timed> events;
    for (int frame = 0; frame < seconds * rate_hz; ++frame) {
        watcher.step(target, 1 / rate_hz);
        for (const Event& event : watcher.events())
            events.push_back({event.kind, frame / rate_hz + event.after_s});
    }
    return events;
}

std::vector<double> times_of(const std::vector<Timed>& events, EventKind kind) {
    std::vector<double> times;
    for (const Timed& each : events) {
        if (each.kind == kind) times.push_back(each.time_s);
    }
    return times;
}

}  // namespace

TEST_CASE("events come at the same exact times at every rate", "[watcher]") {
    const Tuning tuning{.frequency_hz = 2, .damping_ratio = 0.3};
    const JumpAnswer answer = answer_to_jump(tuning);
    for (const double rate_hz : {15.0, 24.0, 60.0, 144.0}) {
        const auto events = watched(Follower<double>{tuning, 0.0}, 1.0, rate_hz, 3, {0.5});
        const auto turns = times_of(events, EventKind::turned);
        REQUIRE(turns.size() >= 4);
        for (std::size_t i = 0; i < 4; ++i)
            CHECK(turns[i] == Approx(answer.swings[i].time_s).margin(1e-9));
        const auto settled = times_of(events, EventKind::settled);
        REQUIRE_FALSE(settled.empty());
        CHECK(settled.back() == Approx(*answer.settling_time_s.value()).margin(1e-9));
        const auto reached = times_of(events, EventKind::reached);
        REQUIRE(reached.size() == 1);
        const FreeMotion motion{tuning, {-1, 0}};
        CHECK(reached[0] == Approx(*motion.first_crossing_s(0)).margin(1e-9));
        const auto passed = times_of(events, EventKind::passed_mark);
        REQUIRE_FALSE(passed.empty());
        CHECK(passed[0] == Approx(*motion.first_crossing_s(-0.5)).margin(1e-9));
        for (std::size_t i = 1; i < events.size(); ++i)
            CHECK(events[i].time_s >= events[i - 1].time_s - 1e-12);
    }
}

TEST_CASE("any mover can be watched", "[watcher]") {
    const auto pursuit = watched(Pursuit<double>{{.max_speed = 2}, 0.0}, 3.0, 60, 3, {1.0});
    const auto passed = times_of(pursuit, EventKind::passed_mark);
    REQUIRE(passed.size() == 1);
    CHECK(passed[0] == Approx(0.5).margin(1e-9));
    CHECK(times_of(pursuit, EventKind::reached).at(0) == Approx(1.5).margin(1e-9));
    const auto glide = watched(Glide<double>{{.half_life_s = 0.5}, 0.0}, 1.0, 60, 8);
    CHECK(times_of(glide, EventKind::settled).at(0) ==
          Approx(0.5 * std::log2(1 / 0.02)).margin(1e-9));
}

TEST_CASE("a start is told once, and watching takes no memory", "[watcher]") {
    Watcher lamp{Follower<float>{{.frequency_hz = 2, .damping_ratio = 1}, 0.f}};
    const long before = allocations();
    int started = 0;
    int settled = 0;
    for (int frame = 0; frame < 600; ++frame) {
        lamp.step(frame < 60 ? 0.f : 1.f, 1.0 / 60);
        for (const Event& event : lamp.events()) {
            started += event.kind == EventKind::started;
            settled += event.kind == EventKind::settled;
            if (event.kind == EventKind::started) CHECK(frame == 60);
        }
    }
    CHECK(allocations() == before);
    CHECK(started == 1);
    CHECK(settled == 1);
}

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
