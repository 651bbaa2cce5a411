// Scenes of more than one number: vectors, rotations, poses, sizes, ranges, throws, layers.

#include <cmath>
#include <string>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/follow/coast.hpp>
#include <hopcoil/follow/layers.hpp>
#include <hopcoil/follow/pose_follower.hpp>
#include <hopcoil/scene/run.hpp>
#include <hopcoil/scene/scene.hpp>
#include <hopcoil/scene/trajectory.hpp>
#include <hopcoil/spring/named_tunings.hpp>
#include <hopcoil/take/take.hpp>

#include "support/files.hpp"
#include "support/numbers.hpp"
#include "support/scenes.hpp"

using namespace hopcoil;
using namespace hopcoil::scene;
using Catch::Matchers::Contains;

namespace {

Scene scene_with_track(const std::string& text) {
    const TestFolder folder;
    folder.write("track.csv",
                 "time_s,x_m,y_m,w,x,y,z\n0,0,1,1,0,0,0\n1,2,1,0,0,1,0\n2,2,-1,-0.7,0,0.7,0\n");
    return read_scene(folder.write("test.toml", text));
}

Take take_with_track(const std::string& text, double rate_hz = 60) {
    Scene scene = scene_with_track(text);
    scene.rate_hz = rate_hz;
    Take take;
    run(scene, take);
    return take;
}

std::string complaint_about_values(const std::string& text) {
    return complaint_of([&] { static_cast<void>(scene_with_track(text)); });
}

/// At the times of the coarse one, of the same scene at a multiple of its rate.
void check_same(const Take& coarse, const Take& fine, double tolerance) {
    const std::size_t every = (fine.row_count() - 1) / (coarse.row_count() - 1);
    REQUIRE((coarse.row_count() - 1) * every == fine.row_count() - 1);
    for (std::size_t k = 0; k < coarse.column_names().size(); ++k) {
        CAPTURE(coarse.column_names()[k]);
        const std::vector<double> a = coarse.column(k);
        const std::vector<double> b = fine.column(k);
        double apart = 0;
        for (std::size_t i = 0; i < a.size(); ++i)
            apart = std::max(apart, std::abs(a[i] - b[i * every]));
        const bool is_velocity = coarse.column_names()[k].find("velocity") != std::string::npos;
        CHECK(apart < (is_velocity ? 10 : 1) * tolerance);
    }
}

const std::string perch = R"(
duration_s = 6
[target.perch]
start_m = [0, 1, 0.5]
moves = [
    { at_s = 0.513, through_m = [[1.5, 2, 2.5, 1], [3.1, 4, 1, 2]] },
    { sine_amplitude_m = [0.3, 0, 0.1], frequency_hz = 1.3, until_s = 3.7 },
    { at_s = 4.2, jump_to_m = [0, 1, 0] },
]
)";

}  // namespace

TEST_CASE("rotations of a take go on with the sign of the row before", "[scene]") {
    const Take take = take_with_track(
        "duration_s = 3\n[target.eyes]\nrotation = true\nmoves = [{ at_s = 0.5, "
        "jump_to_deg = [0, 350, 0] }, { at_s = 1, ramp_to_deg = [0, 800, 0], over_s = 1 }, "
        "{ at_s = 2.5, jump_to_deg = [300, 0, 0] }]\n[follower.head]\ntarget = 'eyes'\n");
    for (const char* channel : {"eyes.value", "head.value"}) {
        CAPTURE(channel);
        const auto first = take.columns_of(*take.find_channel(channel)).first;
        for (std::size_t row = 1; row < take.row_count(); ++row) {
            double along = 0;
            for (std::size_t k = first; k < first + 4; ++k)
                along += take.row(row - 1)[k] * take.row(row)[k];
            CHECK(along >= 0);
        }
    }
}

TEST_CASE("each number of a vector moves as it would alone, to the last bit", "[values]") {
    const std::string movers = R"(
[follower.f]
target = "perch"
tuning = { frequency_hz = 1.4, damping_ratio = 0.3, lead = 0.5 }
initial_velocity_m_per_s = [1, 0, -2]
kicks = [{ at_s = 2.03, velocity_m_per_s = [0, 3, 0] }]
[glide.g]
target = "perch"
[cascade.r]
target = "perch"
links = [{ name = "a" }, { name = "b", tuning = "lively" }]
)";
    const Take whole = take_with_track(perch + movers);
    const std::string alone = R"(
duration_s = 6
[target.perch]
start_m = 1
moves = [
    { at_s = 0.513, through_m = [[1.5, 2.5], [3.1, 1]] },
    { sine_amplitude_m = 0, frequency_hz = 1.3, until_s = 3.7 },
    { at_s = 4.2, jump_to_m = 1 },
]
[follower.f]
target = "perch"
tuning = { frequency_hz = 1.4, damping_ratio = 0.3, lead = 0.5 }
kicks = [{ at_s = 2.03, velocity_m_per_s = 3 }]
[glide.g]
target = "perch"
[cascade.r]
target = "perch"
links = [{ name = "a" }, { name = "b", tuning = "lively" }]
)";
    const Take one = take_with_track(alone);
    for (const char* name : {"perch.value_m", "f.value_m", "f.velocity_m_per_s", "g.value_m",
                             "r.a.value_m", "r.b.value_m"}) {
        CAPTURE(name);
        CHECK(column_in(whole, std::string{name} + ".y") == column_in(one, name));
    }
}

TEST_CASE("what moves in space moves the same at every frame rate", "[values][long]") {
    const std::string text = perch + R"(
[target.bank]
rotation = true
moves = [{ at_s = 0.5, ramp_to_deg = [20, 90, 30], over_s = 1.1 },
         { at_s = 3.01, jump_to_deg = [10, 200, 0] },
         { sine_amplitude_deg = [5, 0, 10], frequency_hz = 0.7 }]
[target.puff]
start = 1
moves = [{ at_s = 2, jump_to = 1.7 }, { at_s = 3, ramp_to = 0.2, over_s = 1 }]
[follower.f]
target = "perch"
[pursuit.p]
target = "perch"
max_speed_m_per_s = 2.5
max_acceleration_m_per_s2 = 9
[settle.s]
target = "perch"
[follower.turning]
target = "bank"
tuning = { frequency_hz = 1.5, damping_ratio = 0.4 }
[glide.turn]
target = "bank"
[follower.size]
target = "puff"
size = true
[follower.bound]
target = "puff"
low = 0
high = 1.2
[coast.puck]
start_m = [0, 0]
initial_velocity_m_per_s = [3, 1]
low_m = [-1, -1]
high_m = [1, 1]
at_bound = "bounce"
kicks = [{ at_s = 3.33, velocity_m_per_s = [-4, 2] }]
)";
    Scene scene = scene_with_track(text);
    // What plans or throws anew at each step of a moving target depends on the steps.
    scene.record = {"f.*", "turning.*", "turn.*", "size.*", "bound.*", "puck.*", "bank.*"};
    const auto at_rate = [&](double rate_hz) {
        scene.rate_hz = rate_hz;
        Take take;
        run(scene, take);
        return take;
    };
    const Take fine = at_rate(960);
    for (const double rate_hz : {24.0, 60.0, 160.0})
        check_same(at_rate(rate_hz), fine, 2e-4);
    CHECK(fine.channels().size() == 2 * 6 + 1 + 1);  // puck.target and bank are targets
}

TEST_CASE("a rotation's velocity is how it turns, and it stays of unit length", "[values]") {
    const Scene scene = scene_with_track(R"(
[target.bank]
rotation = true
start_deg = [5, 0, 0]
moves = [{ at_s = 0, ramp_to_deg = [50, 120, -70], over_s = 2 }]
[follower.gull]
target = "bank"
)");
    const Trajectory& course = scene.targets[0].path;
    REQUIRE(course.kind() == ValueKind::rotation);
    for (double t = 0.1; t < 1.9; t += 0.17) {
        constexpr double h = 1e-5;
        const auto turn = [&](double time_s) {
            const ValueArray p = course.after(time_s).value;
            return Quaternion{p[0], p[1], p[2], p[3]};
        };
        CHECK(length_of(turn(t)) == Approx(1).margin(1e-14));
        const Vector3 way = rotation_vector(turn(t + h) * conjugate(turn(t - h)));
        const ValueArray velocity = course.after(t).velocity;
        CHECK(way.x / (2 * h) == Approx(velocity[0]).margin(1e-7));
        CHECK(way.y / (2 * h) == Approx(velocity[1]).margin(1e-7));
        CHECK(way.z / (2 * h) == Approx(velocity[2]).margin(1e-7));
    }
    // Roll first, then pitch, then heading: a quarter turn of heading takes +Z to +X.
    const Vector3 ahead = rotated(turned_in_order({0, 3.14159265358979323846 / 2, 0}), {0, 0, 1});
    CHECK(ahead.x == Approx(1));
    const Vector3 up = rotated(turned_in_order({3.14159265358979323846 / 2, 0, 0}), {0, 0, 1});
    CHECK(up.y == Approx(-1));
}

TEST_CASE("a pose in a scene is the library's pose follower", "[values]") {
    const Take take = take_with_track(R"(
duration_s = 3
[target.place]
moves = [{ at_s = 0.5, jump_to_m = [1, 2, 3] }]
[target.turn]
rotation = true
moves = [{ at_s = 0.5, jump_to_deg = [0, 150, 0] }]
[target.grow]
start = [1, 1, 1]
moves = [{ at_s = 0.5, jump_to = [2, 1, 0.25] }]
[tuning.sign]
position = { frequency_hz = 1.5, damping_ratio = 0.3 }
scale = "lively"
[pose.sign]
position = "place"
rotation = "turn"
scale = "grow"
tuning = "sign"
)");
    PoseTuning tuning;
    tuning.position = {.frequency_hz = 1.5, .damping_ratio = 0.3};
    tuning.scale = *find_tuning("lively");
    PoseFollower sign{tuning, Pose{}};
    const Pose there{.position = {1, 2, 3},
                     .rotation = turned_by({0, 150 * 3.14159265358979323846 / 180, 0}),
                     .scale = {2, 1, 0.25}};
    for (std::size_t i = 1; i < take.row_count(); ++i) {
        if (i <= 30) sign.step(Pose{}, 1 / 60.0);
        if (i > 30) sign.step(there, 1 / 60.0);
        if (i == 30) sign.jump(there);
        const Pose pose = sign.value();
        CHECK(column_in(take, "sign.position.value_m.z")[i] ==
              Approx(pose.position.z).margin(1e-12));
        CHECK(column_in(take, "sign.rotation.value.y")[i] == Approx(pose.rotation.y).margin(1e-9));
        CHECK(column_in(take, "sign.scale.value.x")[i] == Approx(pose.scale.x).margin(1e-9));
        CHECK(column_in(take, "sign.scale.value.z")[i] > 0);
    }
}

TEST_CASE("a coast in a scene goes where the library's goes", "[values]") {
    const std::string text = R"(
duration_s = 4
[coast.puck]
start_m = 0.2
initial_velocity_m_per_s = 3
slowing_half_life_s = 0.5
low_m = -1
high_m = 1
at_bound = "bounce"
restitution = 0.7
kicks = [{ at_s = 2, velocity_m_per_s = -4 }]
[coast.dial]
start_deg = 0
initial_velocity_deg_per_s = 400
snap_points_deg = [-90, 0, 90, 180]
)";
    const Take take = take_with_track(text);
    const CoastTuning tuning{
        .slowing_half_life_s = 0.5, .restitution = 0.7, .at_bound = AtBound::bounce};
    Coast<double> puck{tuning, 0.2};
    puck.set_bounds(-1, 1);
    puck.launch(3);
    for (std::size_t i = 1; i < take.row_count(); ++i) {
        puck.step(1 / 60.0);
        if (i == 120) puck.launch(-4);
        CHECK(column_in(take, "puck.value_m")[i] == Approx(puck.value()).margin(1e-12));
        CHECK(column_in(take, "puck.target.value_m")[i] == Approx(puck.end()).margin(1e-9));
        CHECK(std::abs(column_in(take, "puck.value_m")[i]) <= 1 + 1e-12);
    }
    CHECK(column_in(take, "dial.value_rad").back() == Approx(3.14159265358979 / 1).margin(1e-3));
}

TEST_CASE("sizes stay above zero and ranged values in their range, however they are thrown",
          "[values]") {
    const Take take = take_with_track(R"(
[target.puff]
start = [1, 3]
moves = [{ random_from = [0.05, 0.5], random_to = [4, 6], every_s = 0.31, until_s = 20 }]
[follower.size]
target = "puff"
size = true
tuning = { frequency_hz = 3, damping_ratio = 0.05 }
kicks = [{ at_s = 1, velocity_per_s = [-50, -100] }]
[follower.glow]
target = "puff"
low = [0, 1]
high = 4
tuning = { frequency_hz = 3, damping_ratio = 0.05 }
)");
    for (const char* axis : {".x", ".y"}) {
        const std::string name{axis};
        for (const double size : column_in(take, "size.value" + name))
            CHECK(size > 0);
        const double low = name == ".x" ? 0 : 1;
        for (const double glow : column_in(take, "glow.value" + name))
            CHECK((glow >= low - 1e-12 && glow <= 4 + 1e-12));
    }
}

TEST_CASE("layers in a scene add up as the library's do", "[values][led]") {
    const std::string text = R"(
duration_s = 4
[target.breathing]
moves = [{ sine_amplitude_m = 0.1, frequency_hz = 0.5 }]
[target.startled]
moves = [{ at_s = 1.01, jump_to_m = 1 }]
[follower.breath]
target = "breathing"
[follower.flinch]
target = "startled"
tuning = "lively"
[target.head]
start_m = 0.25
layers = [
    { follows = "breath" },
    { follows = "flinch", scale = 0.5, fades = [{ at_s = 0.9, to = 1, over_s = 0.2 }, { at_s = 2, to = 0.2, over_s = 0.5 }] },
]
[glide.nose]
target = "head"
half_life_s = 0.02
)";
    const Take take = take_with_track(text);
    Layers<double> head{0.25};
    const auto breath = head.add({}, 0);
    const auto flinch = head.add(*find_tuning("lively"), 0);
    head.fade(breath, 1, 0);
    constexpr int per_row = 200;
    std::vector<double> expected;
    for (int i = 0; i <= 240 * per_row; ++i) {
        const double t = i / (60.0 * per_row);
        if (i % per_row == 0) expected.push_back(head.value());
        if (i == 54 * per_row) head.fade(flinch, 1, 0.2);
        if (i == 120 * per_row) head.fade(flinch, 0.2, 0.5);
        const double next = t + 1 / (60.0 * per_row);
        head.set_target(breath, 0.1 * std::sin(2 * pi * 0.5 * next));
        head.set_target(flinch, next > 1.01 ? 0.5 : 0);
        head.step(1 / (60.0 * per_row));
    }
    const std::vector<double> shown = column_in(take, "head.value_m");
    REQUIRE(shown.size() == expected.size());
    for (std::size_t i = 0; i < shown.size(); ++i)
        CHECK(shown[i] == Approx(expected[i]).margin(2e-3));  // the reference's jump is a glide
    check_same(take_with_track(text, 24), take_with_track(text, 480), 1e-6);
    CHECK(column_in(take, "nose.value_m").back() == Approx(shown.back()).margin(0.02));
}

TEST_CASE("anything may follow one number of what moves in space", "[values][led]") {
    const Take take = take_with_track(perch + R"(
[follower.gull]
target = "perch"
[target.height]
follows = "gull.y"
scale = 2
offset_m = 1
[follower.shadow]
target = "height"
[target.mirrored]
follows = "gull"
scale = [1, -1, 1]
low_m = -0.5
[follower.twin]
target = "mirrored"
)");
    const auto y = column_in(take, "gull.value_m.y");
    const auto height = column_in(take, "height.value_m");
    const auto mirrored = column_in(take, "mirrored.value_m.y");
    for (std::size_t i = 0; i < y.size(); ++i) {
        CHECK(height[i] == Approx(2 * y[i] + 1).margin(1e-12));
        CHECK(mirrored[i] == Approx(std::max(-0.5, -y[i])).margin(1e-12));
    }
    CHECK(column_in(take, "shadow.value_m").size() == y.size());
}

TEST_CASE("a table of samples moves vectors and turns", "[values]") {
    const Take take = take_with_track(R"(
duration_s = 2
[target.track]
csv = "track.csv"
columns = ["x_m", "y_m"]
[target.turn]
csv = "track.csv"
columns = ["w", "x", "y", "z"]
rotation = true
[follower.a]
target = "track"
[follower.b]
target = "turn"
)");
    CHECK(column_in(take, "track.value_m.x")[30] == Approx(1));
    CHECK(column_in(take, "track.value_m.y")[90] == Approx(0).margin(1e-12));
    // Half of a half turn about Y, evenly; then on, whatever sign the file gave the quaternion.
    CHECK(column_in(take, "turn.value.y")[30] == Approx(std::sqrt(0.5)).margin(1e-6));
    CHECK(column_in(take, "turn.value.y")[15] == Approx(std::sin(3.14159265 / 8)).margin(1e-6));
    double furthest = 0;
    const auto w = column_in(take, "turn.value.w");
    for (std::size_t i = 1; i < w.size(); ++i)
        furthest = std::max(furthest, std::abs(w[i] - w[i - 1]));
    CHECK(furthest < 0.04);
}

TEST_CASE("what cannot be said of vectors, turns and poses is refused with its place", "[values]") {
    const auto complaint = [](const std::string& text) {
        return complaint_about_values(
            "[target.v]\nmoves = [{ at_s = 1, jump_to_m = [1, 2] }]\n"
            "[target.r]\nrotation = true\nstart_deg = [0, 90, 0]\nmoves = []\n" +
            text);
    };
    CHECK_THAT(complaint("[target.w]\nmoves = [{ at_s = 1, jump_to_m = [1, 2, 3, 4, 5] }]\n"),
               Contains("jump_to_m: expected 1 to 4 numbers, found 5"));
    CHECK_THAT(complaint("[target.w]\nstart_m = [0, 0]\nmoves = [{ at_s = 1, jump_to_m = 1 }]\n"),
               Contains("expected a list of 2 numbers, found one number"));
    CHECK_THAT(complaint("[target.w]\nrotation = true\nstart_deg = [0, 1]\nmoves = []\n"),
               Contains("expected three turns, about x, y and z"));
    CHECK_THAT(complaint("[target.w]\nrotation = true\nangle = true\nmoves = []\n"),
               Contains("found both"));
    CHECK_THAT(complaint("[follower.f]\ntarget = 'v'\nstart_m = 3\n"),
               Contains("start_m: expected a list of 2 numbers, found one number"));
    CHECK_THAT(complaint("[cascade.s]\ntarget = 'r'\nlinks = [{ name = 'a' }]\n"),
               Contains("it cannot turn"));
    CHECK_THAT(complaint("[follower.f]\ntarget = 'r'\nlow_deg = [0, 0, 0]\nhigh_deg = [1, 1, 1]\n"),
               Contains("it cannot turn"));
    CHECK_THAT(complaint("[follower.f]\ntarget = 'v'\nsize = true\n"),
               Contains("a size starts above 0"));
    CHECK_THAT(complaint("[follower.f]\ntarget = 'v'\nlow_m = 0\n"), Contains("both ends"));
    CHECK_THAT(complaint("[follower.f]\ntarget = 'v'\nlow_m = [0, 3]\nhigh_m = 1\n"),
               Contains("high_m") || Contains("a number above low"));
    CHECK_THAT(complaint("[pose.p]\nposition = 'r'\n"), Contains("found a rotation"));
    CHECK_THAT(complaint("[pose.p]\nrotation = 'v'\n"), Contains("expected a rotation"));
    CHECK_THAT(complaint("[pose.p]\n"), Contains("expected a target for one of position"));
    CHECK_THAT(complaint("[follower.f]\ntarget = 'v'\n[body.b]\nrotation = 'f'\n"),
               Contains("expected a rotation or an angle"));
    CHECK_THAT(complaint("[follower.f]\ntarget = 'v'\n[body.b]\nposition = 'g'\n"),
               Contains("nothing that moves is named 'g'"));
    CHECK_THAT(complaint("[follower.f]\ntarget = 'v'\n[target.t]\nlayers = []\n"),
               Contains("expected at least one layer"));
    CHECK_THAT(complaint("[follower.f]\ntarget = 'r'\n[target.t]\nlayers = [{ follows = 'f' }]\n"),
               Contains("layers add up"));
    CHECK_THAT(complaint("[follower.f]\ntarget = 't'\n[target.t]\nlayers = [{ follows = 'f' }]\n"),
               Contains("a loop: t after f after t"));
    CHECK_THAT(complaint("[coast.c]\nstart_m = 0\nlow_m = 2\nhigh_m = 1\n"), Contains("low"));
    CHECK_THAT(complaint("[coast.c]\nkicks = [{ at_s = -1, velocity_per_s = 1 }]\n"),
               Contains("kicks[0].at_s: expected 0 or more"));
    CHECK_THAT(complaint("[follower.f]\ntarget = 'v'\nscheme = 'midpoint'\nsize = true\n"),
               Contains("expected one of size, low and high, or scheme"));
}
