// Jointed parts in scenes.

#include <cmath>
#include <string>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/io/take_model.hpp>
#include <hopcoil/scene/live_scene.hpp>
#include <hopcoil/scene/run.hpp>
#include <hopcoil/scene/scene_dials.hpp>
#include <hopcoil/scene/scene_nodes.hpp>
#include <hopcoil/scene/system_report.hpp>

#include "support/files.hpp"
#include "support/scenes.hpp"

using namespace hopcoil;
using namespace hopcoil::scene;
using Catch::Matchers::Contains;

namespace {

const std::string stack = R"(
duration_s = 3
[target.cart]
start_m = [2, 0, 0]
moves = [{ at_s = 0.5, ramp_to_m = [2.4, 0, 0], over_s = 0.2 }]
[parts.stack]
to = "cart"
flat = true
parts = [
  { name = "base", driven = true, half_size_m = [0.2, 0.1, 0.1] },
  { name = "low", at_m = [0, 0.25, 0], half_size_m = [0.1, 0.1, 0.1] },
  { name = "high", at_m = [0, 0.5, 0], type = "outline", outline = [-0.1, -0.1, 0.1, -0.1, 0, 0.2] },
]
groups = [{ name = "back", stiffness = 400, damping = 4 }]
rows = [{ parts = ["base", "low", "high"], group = "back" }]
[follower.bird]
target = "stack.high"
)";

std::vector<double> column(const Take& take, const std::string& channel, std::size_t component) {
    const auto columns = take.columns_of(take.find_channel(channel).value());
    return take.column(columns.first + component);
}

}  // namespace

TEST_CASE("parts start in the frame of what carries them, and lag behind it when it moves",
          "[scene][parts]") {
    const Take take = take_of(scene_of(stack));
    const std::vector<double> base = column(take, "stack.base.position_m", 0);
    const std::vector<double> high = column(take, "stack.high.position_m", 0);
    CHECK(base.front() == Approx(2));
    CHECK(high.front() == Approx(2));
    CHECK(base.back() == Approx(2.4));
    double behind = 0;
    for (std::size_t i = 0; i < base.size(); ++i)
        behind = std::max(behind, base[i] - high[i]);
    CHECK(behind > 0.05);
    CHECK(high.back() == Approx(2.4).margin(0.02));
    for (const double gap : column(take, "stack.joint_gap_m", 0))
        CHECK(gap < 1e-6);
    CHECK(column(take, "bird.value_m", 1).back() == Approx(0.5).margin(0.02));
}

TEST_CASE("a group's numbers are dials, and a stiffer stack leans less", "[scene][parts]") {
    Scene scene = scene_of(stack);
    const auto lean_of = [](const Scene& of) {
        double most = 0;
        const Take take = take_of(of);
        for (const double angle : column(take, "stack.base-low.turned_rad", 0))
            most = std::max(most, std::abs(angle));
        return most;
    };
    double before = 10;
    for (const double stiffness : {300.0, 1000.0, 4000.0}) {
        REQUIRE(set_matching(scene, "stack.back.stiffness", stiffness) == 1);
        const double lean = lean_of(scene);
        CHECK(lean < before);
        before = lean;
    }
}

TEST_CASE("parts move the same at any frame rate, and are nodes with their solids in a model",
          "[scene][parts]") {
    std::vector<double> ends;
    for (const char* rate : {"rate_hz = 24\n", "rate_hz = 60\n", "rate_hz = 144\n"}) {
        const Take take = take_of(scene_of(rate + stack));
        ends.push_back(column(take, "stack.high.position_m", 0).back());
    }
    CHECK(ends[0] == Approx(ends[1]).margin(1e-6));
    CHECK(ends[2] == Approx(ends[1]).margin(1e-6));

    const Scene scene = scene_of(stack);
    const Take take = take_of(scene);
    const io::ModelChannels channels = model_channels_of(scene, take);
    const io::BakedModel baked = io::model_of(take, channels);
    std::size_t solids = 0;
    for (const io::ModelNode& node : baked.model.nodes) {
        if (node.solid.empty()) continue;
        ++solids;
        CHECK_FALSE(node.has_marker);
        CHECK(node.tracks.size() == 2);
    }
    CHECK(solids == 3);
}

TEST_CASE("a blow, a hand and what is wrong with parts", "[scene][parts]") {
    const std::string loose = R"(
duration_s = 1
[ground.floor]
[parts.crate]
ground = "floor"
parts = [{ name = "box", at_m = [0, 0.1, 0], mass_kg = 2 }]
blows = [{ at_s = 0.25, part = "box", newton_seconds = [0, 6, 0] }]
)";
    const Take take = take_of(scene_of(loose));
    double highest = 0;
    for (const double y : column(take, "crate.box.position_m", 1))
        highest = std::max(highest, y);
    CHECK(highest == Approx(0.1 + 9.0 / (2 * 9.80665)).epsilon(0.02));

    const auto problem_of = [](const std::string& table) {
        return "[parts.p]\nparts = [{ name = 'a' }, { name = 'b', at_m = [0, 1, 0] }]\n" + table;
    };
    CHECK_THROWS_WITH(scene_of(problem_of("joints = [{ a = 'a', b = 'c' }]\n")),
                      Contains("there is no part 'c'; there is a or b"));
    CHECK_THROWS_WITH(scene_of(problem_of("joints = [{ b = 'b', group = 'x' }]\n")),
                      Contains("expected a list 'groups'"));
    CHECK_THROWS_WITH(scene_of(problem_of("rows = [{ parts = ['a'] }]\n")),
                      Contains("two parts or more"));
    CHECK_THROWS_WITH(scene_of("[parts.p]\nparts = [{ name = 'a', to = 'b' }]\n"),
                      Contains("no target"));
    CHECK_THROWS_WITH(
        scene_of("[parts.p]\nparts = [{ name = 'a', type = 'outline', outline = [0, 0, 1, 1] }]\n"),
        Contains("three corners"));
    CHECK_THROWS_WITH(scene_of("[parts.p]\nparts = [{ name = 'a', mass_kg = -1 }]\n"),
                      Contains("mass_kg"));
}

TEST_CASE("a part may be thrown: with a velocity and a spin at the start", "[scene][parts]") {
    const Take take = take_of(scene_of(R"(
duration_s = 0.6
[parts.yard]
parts = [{ name = "ball", type = "sphere", at_m = [0, 1, 0], velocity_m_per_s = [0, 3, 2], spin_deg_per_s = [0, 0, 180] }]
)"));
    const double t = 0.5;
    const auto at = [&](const char* channel, std::size_t component) {
        return column(take, channel, component)[30];
    };
    CHECK(at("yard.ball.position_m", 2) == Approx(2 * t).margin(1e-9));
    CHECK(at("yard.ball.position_m", 1) ==
          Approx(1 + 3 * t - 0.5 * 9.80665 * t * t).margin(4e-3));  // first order
    CHECK(at("yard.ball.facing.velocity_rad_per_s", 2) == Approx(3.14159265).margin(1e-6));
    CHECK_THROWS_WITH(scene_of("[parts.p]\nparts = [{ name = 'a', driven = true, "
                               "velocity_m_per_s = [1, 0, 0] }]\n"),
                      Contains("velocity_m_per_s: expected none for a part that is driven"));
}

TEST_CASE("joints follow targets, at any frame rate, and motors turn", "[scene][parts]") {
    const std::string davit = R"(
duration_s = 3
[target.told]
angle = true
moves = [{ at_s = 0.5, ramp_to_deg = 40, over_s = 0.3 }, { at_s = 1.5, jump_to_deg = -30 }]
[target.reach]
start_m = 0
moves = [{ at_s = 1, ramp_to_m = 0.5, over_s = 1 }]
[target.look]
rotation = true
moves = [{ at_s = 0.2, ramp_to_deg = [0, 60, 0], over_s = 0.5 }]
[parts.davit]
gravity_m_per_s2 = 0
groups = [{ name = "firm", stiffness = 800, damping = 60 }, { name = "motor", damping = 5, wanted_rate = 2 }]
parts = [
  { name = "arm" },
  { name = "hook", at_m = [0.5, 0, 0] },
  { name = "eye", at_m = [0, 1, 0] },
  { name = "drum", at_m = [0, 2, 0], type = "sphere" },
]
joints = [
  { b = "arm", group = "firm", target = "told" },
  { a = "arm", b = "hook", type = "slide", axis = [1, 0, 0], group = "firm", target = "reach" },
  { b = "eye", at_m = [0, 1, 0], type = "ball", axis = [1, 0, 0], group = "firm", target = "look" },
  { b = "drum", at_m = [0, 2, 0], group = "motor" },
]
)";
    std::vector<std::vector<double>> ends;
    for (const char* rate : {"rate_hz = 24\n", "rate_hz = 60\n", "rate_hz = 144\n"}) {
        const Take take = take_of(scene_of(rate + davit));
        const std::vector<double> arm = column(take, "davit.world-arm.turned_rad", 0);
        const std::vector<double> hook = column(take, "davit.arm-hook.moved_m", 0);
        const auto row = [&](double t) {
            return static_cast<std::size_t>(
                std::lround(t * (static_cast<double>(arm.size()) - 1) / 3));
        };
        CHECK(arm[row(1.25)] == Approx(0.698).margin(0.01));
        CHECK(arm.back() == Approx(-0.524).margin(0.005));
        CHECK(hook[row(1.5)] == Approx(0.25).margin(0.01));
        CHECK(hook.back() == Approx(0.5).margin(0.005));
        // About +Y by 60 degrees: half of that in y.
        CHECK(column(take, "davit.eye.facing.value", 2).back() == Approx(0.5).margin(0.005));
        CHECK(column(take, "davit.drum.facing.velocity_rad_per_s", 2).back() ==
              Approx(2).margin(1e-6));
        ends.push_back({arm[row(0.75)], arm[row(1.75)], hook[row(1.25)]});
    }
    for (std::size_t i = 0; i < ends[0].size(); ++i) {
        CHECK(ends[0][i] == Approx(ends[1][i]).margin(1e-4));
        CHECK(ends[2][i] == Approx(ends[1][i]).margin(1e-4));
    }

    Scene scene = scene_of(davit);
    REQUIRE(set_matching(scene, "davit.motor.wanted_rate", -4) == 1);
    CHECK(column(take_of(scene), "davit.drum.facing.velocity_rad_per_s", 2).back() ==
          Approx(-4).margin(1e-6));
    const auto refused = [&](const std::string& from, const std::string& to,
                             const std::string& message) {
        std::string text = davit;
        text.replace(text.find(from), from.size(), to);
        CHECK_THROWS_WITH(scene_of(text), Contains(message));
    };
    refused("\"told\" }", "\"reach\" }", "target: expected an angle, for a hinge");
    refused("\"reach\" }", "\"told\" }", "target: expected a number in metres, for a slide");
    refused("\"look\" }", "\"told\" }", "target: expected a rotation, for a ball");
    refused("group = \"firm\", target = \"told\"", "target = \"told\"",
            "expected a key 'group' as well");
    refused("type = \"slide\"", "type = \"fixed\"", "a fixed joint does not move");
}

TEST_CASE("a scene's wind blows against its parts", "[scene][parts]") {
    const std::string sign = R"(
duration_s = 20
[wind.evening]
mean_m_per_s = [0, 0, 6]
spread_m_per_s = 0
[parts.sign]
wind = "evening"
drag_per_s = 1
parts = [{ name = "board", at_m = [0, -0.2, 0], half_size_m = [0.3, 0.2, 0.002], density_kg_per_m3 = 700 }]
joints = [{ b = "board", axis = [1, 0, 0] }]
)";
    Scene scene = scene_of(sign);
    const auto end_of = [](const Scene& of) {
        return std::fabs(column(take_of(of), "sign.world-board.turned_rad", 0).back());
    };
    // c d A (u cos a)^2 / 2 = m g sin a, of 0.672 kg and 0.24 m2.
    const double angle = end_of(scene);
    CHECK(0.5 * 1.2 * 1.2 * 0.24 * 36 * std::pow(std::cos(angle), 2) ==
          Approx(0.672 * 9.80665 * std::sin(angle)).epsilon(0.02));
    REQUIRE(set_matching(scene, "sign.drag_coefficient", 0) == 1);
    CHECK(end_of(scene) < 0.01);
}

TEST_CASE("a baked stack has few keys a part, and what came in beside it, hidden", "[parts]") {
    const Scene scene = scene_of(stack);
    const Take take = take_of(scene);
    const io::ModelChannels channels = model_channels_of(scene, take);
    const io::BakedModel baked = io::model_of(
        take, channels, {.distance = KeyReductionSettings{.tolerance = 0.001}, .angle_rad = 0.002});
    const auto node_named = [&](const std::string& name) {
        for (const io::ModelNode& node : baked.model.nodes) {
            if (node.name == name) return node;
        }
        FAIL(name);
        return io::ModelNode{};
    };
    const io::ModelNode base = node_named("stack.base");
    const io::ModelNode source = node_named("stack.base.source");
    CHECK_FALSE(base.is_hidden);
    CHECK_FALSE(base.solid.empty());
    CHECK(source.is_hidden);
    CHECK_FALSE(source.has_marker);
    CHECK(source.solid.empty());
    REQUIRE(source.tracks.size() == 1);
    // Every sample as it came in; of what was simulated, few.
    const std::vector<double> came_in = column(take, "cart.value_m", 0);
    REQUIRE(source.tracks[0].values.size() >= 180);
    CHECK(source.tracks[0].values.front()[0] == came_in.front());
    CHECK(source.tracks[0].values.back()[0] == came_in.back());
    CHECK(base.tracks.front().times_s.size() < 30);
    const io::ModelNode high = node_named("stack.high");
    CHECK(high.tracks.front().times_s.size() < source.tracks[0].times_s.size() / 2);
}

TEST_CASE("links, joints, the centre of mass and contacts are seen", "[parts]") {
    const Scene scene = scene_of(
        "duration_s = 0.4\n[ground.g]\n[parts.p]\nground = 'g'\ncontact_points = 6\n"
        "parts = [{ name = 'a', at_m = [0, 0.1, 0] }, { name = 'b', at_m = [0.4, 0.1, 0] }]\n"
        "joints = [{ a = 'a', b = 'b', at_m = [0.2, 0.1, 0] }]\n"
        "links = [{ a = 'a', b = 'b', point_a_m = [0, 0.1, 0], point_b_m = [0, 0.1, 0] }]\n");
    const Take take = take_of(scene);
    // They are for looking at it: the model has the parts alone.
    CHECK(model_channels_of(scene, take).branches.empty());
    CHECK(model_channels_of(scene, take).nodes.size() == 2);
    const LiveScene live{scene};
    CHECK(live.output(1, 4, 0).value == ValueArray{{0.2, 0.1, 0, 0}});
    CHECK(live.output(1, 5, 1).value == ValueArray{{0.4, 0.2, 0, 0}});
    CHECK(std::abs(column(take, "p.joints.position_m", 0).back() - 0.2) < 1e-3);
    CHECK(std::abs(column(take, "p.links.position_m", 1).back() - 0.2) < 2e-3);
    CHECK(std::abs(column(take, "p.links.position_m", 3).back() - 0.4) < 1e-3);
    CHECK(std::abs(column(take, "p.centre_of_mass.position_m", 0).back() - 0.2) < 1e-3);
    CHECK(column(take, "p.contacts.touch", 0).back() == 1);
    CHECK(std::abs(column(take, "p.contacts.position_m", 1).back()) < 2e-3);
}

TEST_CASE("the limits of joints are seen: a fan that the part stays in, a rim, a way", "[parts]") {
    const Take take = take_of(scene_of(R"(
duration_s = 3
[parts.arm]
parts = [
  { name = "post", driven = true, at_m = [0, 1, 0], half_size_m = [0.05, 0.3, 0.05] },
  { name = "boom", at_m = [0.3, 1.3, 0], half_size_m = [0.3, 0.03, 0.03] },
  { name = "tip", at_m = [0.75, 1.3, 0], half_size_m = [0.15, 0.02, 0.02] },
  { name = "cart", at_m = [0, 2, 0], half_size_m = [0.1, 0.05, 0.05] },
]
joints = [
  { name = "elbow", a = "post", b = "boom", at_m = [0, 1.3, 0], axis = [0, 0, 1], lowest_rad = -0.7, highest_rad = 0.5 },
  { name = "wrist", type = "ball", a = "boom", b = "tip", at_m = [0.6, 1.3, 0], axis = [1, 0, 0], most_lean_rad = 0.6 },
  { name = "rail", type = "slide", a = "post", b = "cart", at_m = [0, 2, 0], axis = [1, 0, 0], lowest_m = -0.2, highest_m = 0.3 },
]
)"));
    const auto place = [&](std::size_t row, std::size_t point) {
        const auto columns = take.columns_of(take.find_channel("arm.limits.position_m").value());
        const auto numbers = take.row(row).subspan(columns.first + 3 * point, 3);
        return Vector3{numbers[0], numbers[1], numbers[2]};
    };
    const auto angle = [](const Vector3& way) {
        return std::atan2(way.y, way.x);
    };
    const auto between = [](const Vector3& a, const Vector3& b) {
        return std::acos(dot(a, b) / std::sqrt(dot(a, a) * dot(b, b)));
    };
    constexpr std::size_t needle = 13;
    for (std::size_t row = 0; row < take.row_count(); row += 10) {
        const Vector3 elbow = place(row, 0);
        CHECK(angle(place(row, 1) - elbow) == Approx(-0.7).margin(1e-9));
        CHECK(angle(place(row, 11) - elbow) == Approx(0.5).margin(1e-9));
        const double boom = angle(place(row, needle) - elbow);
        CHECK(boom > -0.7 - 0.01);
        CHECK(boom < 0.5 + 0.01);
        // The boom itself lies along the needle.
        const double centre_x = column(take, "arm.boom.position_m", 0)[row];
        const double centre_y = column(take, "arm.boom.position_m", 1)[row];
        CHECK(std::atan2(centre_y - 1.3, centre_x) == Approx(boom).margin(0.01));
        // The tip leans no further from the boom than the rim.
        const Vector3 wrist = place(row, 14);
        const Vector3 along{std::cos(boom), std::sin(boom), 0};
        CHECK(between(place(row, 14 + 3) - wrist, along) == Approx(0.6).margin(0.02));
        CHECK(between(place(row, 14 + needle) - wrist, along) < 0.6 + 0.02);
    }
    CHECK(place(0, 28).x == Approx(-0.2));
    CHECK(place(0, 40).x == Approx(0.3));
    CHECK(place(0, 28 + needle).x == Approx(0).margin(1e-9));
}
