// Events at their exact time.

#include <algorithm>
#include <array>
#include <cmath>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/follow/pose_follower.hpp>
#include <hopcoil/follow/watcher.hpp>
#include <hopcoil/spring/free_motion.hpp>
#include <hopcoil/spring/step_response.hpp>

#include "support/allocations.hpp"
#include "support/movers.hpp"
#include "support/random.hpp"
#include "support/vectors.hpp"

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

/// Turns there and back within an instant are seen in small steps only.
std::vector<double> without_pairs(const std::vector<double>& times) {
    std::vector<double> kept;
    for (const double time_s : times) {
        if (!kept.empty() && time_s - kept.back() < 1e-6) {
            kept.pop_back();
        } else {
            kept.push_back(time_s);
        }
    }
    return kept;
}

}  // namespace

TEST_CASE("events come at the same exact times at every rate", "[watcher]") {
    const Tuning tuning{.frequency_hz = 2, .damping_ratio = 0.3};
    const JumpResponse answer = jump_response(tuning);
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

TEST_CASE("an angle is watched across the seam", "[watcher]") {
    const std::vector<double> marks{math::pi, 0, -3};
    Watcher vane{AngleFollower<double>{{.frequency_hz = 1, .damping_ratio = 0.2}, 2.5}, marks};
    vane.mover().jump(-2.5);  // the shorter way, through pi
    std::vector<Event> events;
    for (int frame = 0; frame < 600; ++frame) {
        vane.step(-2.5, 1.0 / 60);
        for (Event event : vane.events()) {
            event.after_s += frame / 60.0;
            events.push_back(event);
        }
    }
    // A number that goes as far, with no seam.
    const FreeMotion straight{{.frequency_hz = 1, .damping_ratio = 0.2}, {5 - 2 * math::pi, 0}};
    const auto first = [&](EventKind kind, std::size_t mark) {
        const auto found = std::find_if(events.begin(), events.end(), [&](const Event& event) {
            return event.kind == kind && event.mark == mark;
        });
        REQUIRE(found != events.end());
        return *found;
    };
    CHECK(first(EventKind::reached, 0).after_s ==
          Approx(*straight.first_crossing_s(0)).margin(1e-9));
    CHECK(first(EventKind::passed_mark, 0).after_s ==
          Approx(*straight.first_crossing_s(2.5 - math::pi)).margin(1e-9));
    CHECK(first(EventKind::passed_mark, 2).after_s ==
          Approx(*straight.first_crossing_s(-0.5)).margin(1e-9));
    CHECK(first(EventKind::passed_mark, 2).value == Approx(-3));
    for (const Event& event : events) {
        CHECK_FALSE((event.kind == EventKind::passed_mark && event.mark == 1));
    }
    CHECK(std::count_if(events.begin(), events.end(),
                        [](const Event& event) { return event.kind == EventKind::reached; }) == 1);
}

TEST_CASE("an angle passes a mark once in every turn", "[watcher]") {
    const std::vector<double> marks{1};
    Watcher wheel{AngleFollower<float>{{.frequency_hz = 4, .damping_ratio = 1}, 0.f}, marks};
    int passed = 0;
    for (int frame = 1; frame <= 400; ++frame) {
        wheel.step(0.1f * static_cast<float>(frame), 1.0 / 60);
        for (const Event& event : wheel.events()) {
            CHECK(event.kind != EventKind::turned);
            if (event.kind != EventKind::passed_mark) continue;
            ++passed;
            CHECK(event.value == Approx(1).margin(1e-5));
        }
    }
    CHECK(wheel.mover().turned() == Approx(39.6).margin(0.4));
    CHECK(passed == 7);  // at 1, 1 + 2 pi, ..., 1 + 12 pi
}

TEST_CASE("with targets that move in every step, events are where small steps have them",
          "[watcher]") {
    Random random{122};
    std::vector<double> targets(60);
    for (std::size_t i = 0; i < targets.size(); ++i)
        targets[i] = random.chance(0.6) && i > 0 ? targets[i - 1] : random.between(-2, 2);
    const std::vector<double> marks{-0.7, 0.3};
    constexpr double dt = 0.1;
    constexpr int parts = 40;
    const auto whole_steps = [&](auto mover) {
        Watcher watcher{mover, marks};
        std::vector<Timed> events;
        for (std::size_t i = 0; i < targets.size(); ++i) {
            watcher.step(targets[i], dt);
            for (const Event& event : watcher.events())
                events.push_back({event.kind, static_cast<double>(i) * dt + event.after_s});
        }
        return events;
    };
    const auto small_steps = [&](auto mover) {
        Watcher watcher{mover, marks};
        std::vector<Timed> events;
        for (std::size_t i = 0; i < targets.size(); ++i) {
            const auto before = watcher.mover();
            for (int part = 1; part <= parts; ++part) {
                watcher.step(before.target_on_way(targets[i], 1.0 * part / parts), dt / parts);
                for (const Event& event : watcher.events()) {
                    events.push_back({event.kind, static_cast<double>(i) * dt +
                                                      (part - 1) * dt / parts + event.after_s});
                }
            }
        }
        return events;
    };
    const auto same = [&](const auto& mover) {
        // A target that moves is another in every small step, so that it is met more often there.
        for (const EventKind kind : {EventKind::passed_mark, EventKind::turned}) {
            const auto whole = times_of(whole_steps(mover), kind);
            const auto small = without_pairs(times_of(small_steps(mover), kind));
            CAPTURE(static_cast<int>(kind));
            REQUIRE(whole.size() >= 3);
            REQUIRE(whole.size() == small.size());
            for (std::size_t i = 0; i < whole.size(); ++i)
                CHECK(whole[i] == Approx(small[i]).margin(1e-8));
        }
    };
    same(Follower<double>{{.frequency_hz = 1.5, .damping_ratio = 0.4}, 0.0});
    same(AngleFollower<double>{{.frequency_hz = 1.5, .damping_ratio = 0.4}, 0.0});
    same(BoundedFollower<double>{
        {.frequency_hz = 1.5, .damping_ratio = 0.4}, {.low = -4, .high = 4}, 0.0});
    same(Pursuit<double>{{.max_speed = 6, .max_acceleration = 30}, 0.0});
    same(SettleCurve{{.duration_s = 0.4, .overshoot_percent = 15}, 0.0});
    same(Cascade<double>{{{.frequency_hz = 2}, {.frequency_hz = 3}}, 0.0});
}

TEST_CASE("what is thrown can be watched: its bounces, its marks, its rest", "[watcher]") {
    const CoastTuning tuning{
        .slowing_half_life_s = 0.5, .restitution = 0.6, .at_bound = AtBound::bounce};
    Coast<double> puck{tuning, 0.0};
    puck.set_bounds(-1, 1);
    const std::vector<double> marks{0.5};
    Watcher watcher{puck, marks, {.distance = 1e-3, .speed = 1e-3}};
    watcher.mover().launch(3);
    puck.launch(3);
    // v / k (1 - exp(-k t)) = place.
    const double k = math::ln_2 / 0.5;
    const auto time_at = [&](double place) {
        return -std::log(1 - place * k / 3) / k;
    };
    std::vector<Timed> events;
    for (int frame = 0; frame < 900; ++frame) {
        watcher.step({}, 1.0 / 60);
        for (const Event& event : watcher.events())
            events.push_back({event.kind, frame / 60.0 + event.after_s});
    }
    CHECK(times_of(events, EventKind::passed_mark).at(0) == Approx(time_at(0.5)).margin(1e-9));
    CHECK(times_of(events, EventKind::turned).at(0) == Approx(time_at(1)).margin(1e-9));
    CHECK(times_of(events, EventKind::started).size() == 1);
    REQUIRE(times_of(events, EventKind::settled).size() == 1);
    // The way left is v / k, so the distance is what it waits for.
    puck.step(times_of(events, EventKind::settled)[0]);
    CHECK(std::fabs(puck.value() - puck.end()) == Approx(1e-3 / (k > 1 ? k : 1)).epsilon(1e-6));
    CHECK(times_of(events, EventKind::reached).size() <= 1);
}

TEST_CASE("vectors, rotations and poses start, arrive and settle", "[watcher]") {
    const auto told = [](auto mover, const auto& target) {
        Watcher watcher{mover, {}, {.distance = 0.02, .speed = 0.1}};
        std::vector<Timed> events;
        for (int frame = 0; frame < 300; ++frame) {
            watcher.step(target, 1.0 / 60);
            for (const Event& event : watcher.events())
                events.push_back({event.kind, frame / 60.0 + event.after_s});
        }
        REQUIRE(events.size() == 3);
        CHECK(events[0].kind == EventKind::started);
        CHECK(events[1].kind == EventKind::reached);
        CHECK(events[2].kind == EventKind::settled);
        CHECK(events[1].time_s > 0.1);
        // The instants themselves, from the mover alone.
        const auto after = [&](double time_s) {
            auto alone = mover;
            alone.step(target, 1.0 / 60);
            alone.step(target, time_s - 1.0 / 60);
            return alone;
        };
        CHECK(after(events[1].time_s).distance_to_target() == Approx(0.02).epsilon(1e-6));
        CHECK(after(events[2].time_s + 1e-6).at_rest(0.02, 0.1));
        CHECK_FALSE(after(events[2].time_s - 1e-6).at_rest(0.02, 0.1));
    };
    const Tuning calm{.frequency_hz = 1, .damping_ratio = 1};
    told(Follower<Vector3>{calm, Vector3{}}, Vector3{1, 2, -1});
    told(Glide<Plain>{{.half_life_s = 0.1}, Plain{}}, Plain{1, 2, 3});
    told(RotationFollower{calm, Quaternion{}}, turned_by({0.5, 1, 0}));
    told(PoseFollower{PoseTuning::shared(calm), Pose{}}, Pose{{1, 0, 0}, Quaternion{}, {2, 1, 1}});
}
