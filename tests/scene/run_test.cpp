#include <algorithm>
#include <cmath>
#include <string>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/follow/follower.hpp>
#include <hopcoil/scene/kinds/movers.hpp>
#include <hopcoil/scene/run.hpp>
#include <hopcoil/take/take.hpp>

#include "support/scenes.hpp"

using namespace hopcoil;
using namespace hopcoil::scene;

namespace {

Scene scene_with(Target target, double rate_hz, const Tuning& tuning = {}) {
    Scene scene;
    scene.rate_hz = rate_hz;
    scene.duration_s = 6;
    scene.targets.push_back({.name = "hook", .unit = "m", .path = std::move(target)});
    add_mover(scene, "lamp", 0, tuning, {});
    return scene;
}

/// Values at whole seconds.
std::vector<double> each_second(const Scene& scene) {
    const Take take = take_of(scene);
    const std::vector<double> column = take.column(*take.find_column("lamp.value_m"));
    std::vector<double> values;
    for (std::size_t i = 0; i < column.size(); ++i) {
        const double time_s = take.times_s()[i];
        if (std::fabs(time_s - std::round(time_s)) < 1e-12) values.push_back(column[i]);
    }
    return values;
}

void check_same_at_every_rate(const Target& target, const Tuning& tuning, double tolerance) {
    const std::vector<double> fine = each_second(scene_with(target, 1000, tuning));
    REQUIRE(fine.size() == 7);
    for (const double rate_hz : {1.0, 7.0, 24.0, 30.0, 60.0, 90.0, 144.0, 240.0}) {
        CAPTURE(rate_hz);
        const std::vector<double> coarse = each_second(scene_with(target, rate_hz, tuning));
        REQUIRE(coarse.size() == fine.size());
        for (std::size_t i = 0; i < fine.size(); ++i) {
            CHECK(coarse[i] == Approx(fine[i]).margin(tolerance));
        }
    }
}

}  // namespace

TEST_CASE("a scene moves the same at every frame rate", "[run]") {
    const Tuning tuning{.frequency_hz = 1.3, .damping_ratio = 0.2, .lead = 1.4};
    SECTION("jumps and ramps between frames") {
        check_same_at_every_rate(
            MovesTarget{0, {Jump{0.1234, 1}, Ramp{1.777, -1, 0.3}, Jump{3.1, 2}}, {}}, tuning,
            1e-10);
    }
    SECTION("a record of 10 Hz with a jump in it") {
        std::vector<double> times;
        std::vector<double> values;
        for (int i = 0; i < 40; ++i) {
            times.push_back(i / 10.0 + 0.003);
            values.push_back(std::sin(i * 0.7) + (i > 20 ? 1 : 0));
            if (i == 20) {
                times.push_back(times.back());
                values.push_back(3);
            }
        }
        check_same_at_every_rate(RecordTarget{times, values, AfterEnd::mirror}, tuning, 1e-10);
    }
    SECTION("a sine that begins and ends between frames") {
        check_same_at_every_rate(MovesTarget{0, {}, {Sine{0.513, 3.217, 1, 2.1}}}, tuning, 1e-8);
    }
}

TEST_CASE("rows show what is so after the events of their time", "[run]") {
    const Tuning tuning{.frequency_hz = 1, .damping_ratio = 0.5, .lead = 1};
    const Take take =
        take_of(scene_with(MovesTarget{0, {Jump{0, 1}, Jump{0.7, 3}}, {}}, 10, tuning));
    CHECK(take.column_names() ==
          std::vector<std::string>{"hook.value_m", "lamp.value_m", "lamp.velocity_m_per_s"});
    CHECK(take.times_s()[7] == 0.7);
    const std::vector<double> hook = take.column(0);
    CHECK(hook[0] == 1);
    CHECK(hook[6] == 1);
    CHECK(hook[7] == 3);
    // The lead has acted: 2 z w L times the jump.
    CHECK(take.column(2)[0] == Approx(2 * 0.5 * 2 * 3.14159265358979));
    CHECK(take.column(1)[0] == 0);
}

TEST_CASE("a run begins where the scene says", "[run]") {
    Scene scene = scene_with(MovesTarget{5, {}, {}}, 60);
    scene.systems.clear();
    add_mover(scene, "lamp", 0, Tuning{}, {.value = 4, .initial_velocity = -2});
    const Take take = take_of(scene);
    CHECK(take.column(1)[0] == 4);
    CHECK(take.column(2)[0] == -2);
    CHECK(take.row_count() == 361);
    CHECK(take.column(1).back() == Approx(5));
}

TEST_CASE("a run that diverges says what did and when", "[run]") {
    Scene scene = scene_with(MovesTarget{0, {Jump{1, 1.7e308}, Jump{2, -1.7e308}}, {}}, 10);
    Take take;
    CHECK_THROWS_AS(run(scene, take), Diverged);
    CHECK_THROWS_WITH(run(scene, take), Catch::Contains("follower.lamp"));
    CHECK(take.row_count() > 10);
}

TEST_CASE("a clock that can not be is refused", "[run]") {
    CHECK_THROWS_AS(require_valid_clock(0, 60), std::invalid_argument);
    CHECK_THROWS_AS(require_valid_clock(1, std::nan("")), std::invalid_argument);
    CHECK_THROWS_AS(require_valid_clock(1e9, 1e9), std::invalid_argument);
}

namespace {

/// Hook, lamp after it, tassel after the lamp, each following what the one before does. The tassel
/// comes first; the lamp is system 1.
Scene chain(double rate_hz, const Target& target, const Source& source) {
    Scene scene = scene_with(target, rate_hz, {.frequency_hz = 1.1, .damping_ratio = 0.3});
    scene.targets.push_back({.name = "tassel.target",
                             .unit = "m",
                             .path = MovesTarget{source.seen({}).value[0], {}, {}},
                             .source = source});
    add_mover(scene, "tassel", 1, Tuning{.frequency_hz = 2.3, .damping_ratio = 0.15, .lead = 0.4});
    std::swap(scene.systems[0], scene.systems[1]);
    return scene;
}

std::vector<double> column_of(const Scene& scene, const std::string& name) {
    const Take take = take_of(scene);
    return take.column(*take.find_column(name));
}

}  // namespace

TEST_CASE("followers of followers move as the cascade does, which is solved as one system",
          "[run][driven]") {
    const MovesTarget target{0, {Jump{0.513, 1}, Ramp{2.2, -0.5, 0.7}}, {}};
    const Scene driven = chain(60, target, {.output = {1, 0}});
    Scene cascade = scene_with(target, 60);
    cascade.systems.clear();
    add_mover(cascade, "string", 0,
              CascadeParameters{{"lamp", "tassel"},
                                {{.frequency_hz = 1.1, .damping_ratio = 0.3},
                                 {.frequency_hz = 2.3, .damping_ratio = 0.15, .lead = 0.4}}});
    const auto stepped = column_of(driven, "tassel.value_m");
    const auto exact = column_of(cascade, "string.tassel.value_m");
    REQUIRE(stepped.size() == exact.size());
    for (std::size_t i = 0; i < exact.size(); ++i)
        CHECK(stepped[i] == Approx(exact[i]).margin(2e-7));
    const Scene alone = scene_with(target, 60, {.frequency_hz = 1.1, .damping_ratio = 0.3});
    CHECK(column_of(driven, "lamp.value_m")[300] ==
          Approx(column_of(alone, "lamp.value_m")[300]).margin(1e-12));
}

TEST_CASE("a chain moves the same at every frame rate, whatever bends its hand-over",
          "[run][driven][long]") {
    const MovesTarget target{
        0, {Jump{0.513, 1}, Path{1.31, {1.9, 2.7}, {-1, 2}}}, {Sine{3.1, 5.2, 0.4, 1.7}}};
    const Source bent{.output = {1, 0},
                      .scale = ValueArray{-0.7},
                      .offset = ValueArray{0.2},
                      .low = ValueArray{-0.6},
                      .high = ValueArray{0.7}};
    for (const Source& source : {Source{.output = {1, 0}}, bent}) {
        // Where a bound is met, the course has a corner between two hand-overs.
        const double tolerance = source.scale == ValueArray::all(1) ? 1e-6 : 1e-4;
        const auto fine = column_of(chain(960, target, source), "tassel.value_m");
        for (const int rate : {6, 24, 60, 160}) {
            const auto coarse = column_of(chain(rate, target, source), "tassel.value_m");
            for (std::size_t i = 0; i < coarse.size(); ++i) {
                const std::size_t j = i * static_cast<std::size_t>(960 / rate);
                if (j < fine.size()) CHECK(coarse[i] == Approx(fine[j]).margin(tolerance));
            }
        }
    }
    // What is shown of the target is what the lamp does, bent.
    const auto lamp = column_of(chain(60, target, bent), "lamp.value_m");
    const auto seen = column_of(chain(60, target, bent), "tassel.target.value_m");
    for (std::size_t i = 0; i < lamp.size(); ++i)
        CHECK(seen[i] == Approx(std::min(0.7, std::max(-0.6, -0.7 * lamp[i] + 0.2))));
}

TEST_CASE("systems that follow one another in a loop are refused", "[run][driven]") {
    Scene scene = chain(60, MovesTarget{0, {}, {}}, {.output = {0, 0}});
    Take take;
    CHECK_THROWS_AS(run(scene, take), std::invalid_argument);
}

TEST_CASE("what follows an angle goes on past its seam", "[run][driven]") {
    Scene scene;
    scene.duration_s = 6;
    scene.targets.push_back(
        {.name = "wind",
         .unit = "rad",
         .path = Trajectory{ValueKind::angle, {MovesTarget{3, {Ramp{0.5, 3.6, 1}}, {}}}}});
    scene.targets.push_back({.name = "turned",
                             .unit = "rad",
                             .path = Trajectory{ValueKind::angle, {MovesTarget{3.1, {}, {}}}},
                             .source = Source{.offset = ValueArray{0.1}}});
    add_mover(scene, "vane", 0, Tuning{});
    add_mover(scene, "shadow", 1, GlideTuning{.half_life_s = 0.05});
    add_mover(scene, "ribbon", 1, Tuning{});
    constexpr double turn = 2 * 3.14159265358979323846;
    for (const char* name : {"turned.value_rad", "shadow.value_rad", "ribbon.value_rad"}) {
        CAPTURE(name);
        const auto values = column_of(scene, name);
        double furthest = 0;
        for (std::size_t i = 1; i < values.size(); ++i) {
            CHECK(std::abs(values[i]) <= turn / 2);
            const double way = values[i] - values[i - 1];
            furthest = std::max(furthest, std::abs(way - turn * std::round(way / turn)));
        }
        CHECK(furthest < 0.05);
        CHECK(values.back() == Approx(3.7 - turn).margin(1e-3));
    }
}

namespace {

Scene clocked_scene(double rate_hz, double step_hz) {
    Scene scene = scene_with(MovesTarget{0, {Jump{0.5, 1}, Ramp{2, -1, 1.3}}, {}}, rate_hz);
    scene.clock.step_hz = step_hz;
    scene.systems.clear();
    add_mover(scene, "lamp", 0,
              SteppedParameters{{.frequency_hz = 1.5, .damping_ratio = 0.2},
                                {.scheme = Scheme::semi_implicit_euler}});
    return scene;
}

}  // namespace

TEST_CASE("fixed steps move the same under frames of any rate", "[run][clock]") {
    const std::vector<double> steady = column_of(clocked_scene(120, 120), "lamp.value_m");
    for (const int rate : {30, 60}) {
        const std::vector<double> shown = column_of(clocked_scene(rate, 120), "lamp.value_m");
        for (std::size_t i = 0; i < shown.size(); ++i) {
            CHECK(shown[i] ==
                  Approx(steady[i * static_cast<std::size_t>(120 / rate)]).margin(1e-12));
        }
    }
    // Between two steps a frame shows what lies between, up to a step late.
    const std::vector<double> often = column_of(clocked_scene(480, 120), "lamp.value_m");
    for (std::size_t i = 8; i + 8 < often.size(); i += 4) {
        const double before = steady[i / 4];  // a step late as well
        const double now = steady[i / 4 + 1];
        CHECK(often[i + 2] == Approx((before + now) / 2).margin(1e-9));
    }
}

TEST_CASE("a lag spike drops time beyond the cap, and says so", "[run][clock]") {
    Scene scene = clocked_scene(60, 120);
    scene.clock.most_steps = 10;
    scene.clock.long_frames = {{1.0, 0.4}, {3.0, 0.05}};
    Take take;
    const RunLog log = run(scene, take);
    REQUIRE(log.warnings.size() == 1);
    CHECK_THAT(log.warnings[0], Catch::Contains("dropped 0.3167 s"));  // 48 steps less 10
    double longest = 0;
    for (std::size_t i = 1; i < take.row_count(); ++i)
        longest = std::max(longest, take.times_s()[i] - take.times_s()[i - 1]);
    CHECK(longest == Approx(0.4));
    CHECK(take.times_s().back() == Approx(6).margin(1.0 / 60));
    // Without a clock the same frames are one step each, and the exact follower does not mind.
    Scene exact = scene_with(MovesTarget{0, {Jump{0.5, 1}}, {}}, 60);
    Scene spiked = exact;
    spiked.clock.long_frames = {{1.0, 0.5}};
    const Take smooth = take_of(exact);
    const Take lagged = take_of(spiked);
    CHECK(lagged.row_count() < smooth.row_count());
    CHECK(lagged.column(1).back() == Approx(smooth.column(1).back()).margin(1e-12));
}

TEST_CASE("what is watched says when it rests and what happens to it", "[run][watch]") {
    Scene scene = scene_with(MovesTarget{0, {Jump{1, 1}}, {}}, 240);
    scene.duration_s = 6;
    scene.systems.clear();
    add_mover(scene, "lamp", 0, Tuning{.frequency_hz = 2, .damping_ratio = 0.3}, {.watch = true});
    Take take;
    run(scene, take);
    const auto times_of = [&](const char* name) {
        const auto column = take.column(*take.find_column(name));
        std::vector<double> times_s;
        for (std::size_t i = 0; i < column.size(); ++i) {
            if (column[i] > 0) times_s.push_back(take.times_s()[i]);
        }
        return times_s;
    };
    // Its turns are half a swing apart, from the first peak on.
    const double half_s = 0.5 / (2 * std::sqrt(1 - 0.3 * 0.3));
    const std::vector<double> turns = times_of("lamp.turned");
    REQUIRE(turns.size() >= 3);
    for (std::size_t k = 0; k < 3; ++k)
        CHECK(turns[k] == Approx(1 + half_s * static_cast<double>(k + 1)).margin(1 / 240.0 + 1e-9));
    CHECK(times_of("lamp.reached").front() < turns[0]);
    const std::vector<double> settled = times_of("lamp.settled");
    REQUIRE(settled.size() == 1);
    const std::vector<double> rests = times_of("lamp.at_rest");
    CHECK(rests.front() == 0);
    CHECK(std::find(rests.begin(), rests.end(), settled[0]) != rests.end());
    CHECK(rests.back() == 6);
    CHECK(std::none_of(rests.begin(), rests.end(),
                       [&](double t) { return t >= 1 && t < settled[0]; }));
    // Only what is asked for is kept.
    scene.record = {"*settled", "hook*"};
    run(scene, take);
    CHECK(take.column_names() == std::vector<std::string>{"hook.value_m", "lamp.settled"});
    CHECK(take.channels()[1].kind == ChannelKind::event);
}
