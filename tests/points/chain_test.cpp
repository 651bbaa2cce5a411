#include <algorithm>
#include <cmath>
#include <limits>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/state.hpp>
#include <hopcoil/points/chain.hpp>
#include <hopcoil/points/chain_shape.hpp>

#include "support/allocations.hpp"
#include "support/random.hpp"
#include "support/vectors.hpp"

using namespace hopcoil;

namespace {

static_assert(System<Chain>);

double worst_spacing_error(const Chain& chain) {
    double worst = 0;
    for (std::size_t i = 1; i <= chain.size(); ++i) {
        const double length = apart(chain.position(i), chain.position(i - 1));
        worst = std::max(worst, std::abs(length / chain.settings().spacing_m - 1));
    }
    return worst;
}

/// A root that swings about, rises and falls.
Vector3 swinging(double t) {
    return {std::sin(2.1 * t) + 0.3 * std::sin(7 * t), 0.4 * std::sin(3.3 * t),
            0.7 * std::cos(1.7 * t)};
}
Vector3 swinging_velocity(double t) {
    return {2.1 * std::cos(2.1 * t) + 2.1 * std::cos(7 * t), 1.32 * std::cos(3.3 * t),
            -1.19 * std::sin(1.7 * t)};
}

ChainSettings fixed_settings() {
    return {.nodes = 20, .spacing_m = 0.15, .spacing = ChainSpacing::fixed};
}

enum class Velocity { known, guessed };

std::vector<Vector3> at_end(const ChainSettings& settings, int rate_hz, Velocity velocity,
                            const Wind* wind = nullptr) {
    Chain chain{settings, swinging(0)};
    const double dt = 1.0 / rate_hz;
    for (int i = 1; i <= 3 * rate_hz; ++i) {
        ChainInputs inputs{.root = swinging(i * dt), .wind = wind, .time_s = i * dt};
        if (velocity == Velocity::known) inputs.root_velocity = swinging_velocity(i * dt);
        REQUIRE(chain.step(inputs, dt) == StepStatus::stepped);
    }
    return {chain.positions().begin(), chain.positions().end()};
}

double largest_apart(const std::vector<Vector3>& a, const std::vector<Vector3>& b) {
    double largest = 0;
    for (std::size_t i = 0; i < a.size(); ++i)
        largest = std::max(largest, apart(a[i], b[i]));
    return largest;
}

}  // namespace

TEST_CASE("a chain begins at rest in its rest shape, and reset brings it back there",
          "[points][chain]") {
    for (const ChainSpacing spacing : {ChainSpacing::stretchy, ChainSpacing::fixed}) {
        const Quaternion turn = turned_by({0, 0, math::pi / 2});
        Chain chain{{.nodes = 5, .spacing_m = 0.2, .spacing = spacing}, {1, 2, 3}, turn};
        for (std::size_t i = 0; i <= 5; ++i) {
            // Down, turned a quarter about Z, is along +X.
            CHECK(apart(chain.position(i), {1 + 0.2 * static_cast<double>(i), 2, 3}) < 1e-12);
        }
        CHECK(chain.still());
        const std::vector<Vector3> rest{chain.positions().begin(), chain.positions().end()};
        for (int i = 1; i < 30; ++i)
            chain.step({.root = swinging(0.1 * i), .facing = turn}, 0.1);
        CHECK_FALSE(chain.still());
        chain.reset({1, 2, 3}, turn);
        CHECK(largest_apart({chain.positions().begin(), chain.positions().end()}, rest) == 0);
    }
}

TEST_CASE("fixed spacing is kept under any motion of the root, cuts and spins included",
          "[points][chain][long]") {
    Random random{31};
    ChainSettings settings = fixed_settings();
    for (const double limit : {math::pi, 0.5}) {
        settings.bend_limit_rad = limit;
        settings.undulation.amplitude_m = limit < 1 ? 0.05 : 0;
        Chain chain{settings};
        const Wind wind{{.mean_m_per_s = {6, 0, 2}, .spread_m_per_s = 3}, 5};
        double time_s = 0;
        for (int i = 0; i < 2000; ++i) {
            const double dt = random.over_magnitudes(1e-4, 0.5);
            time_s += dt;
            const Vector3 root{random.between(-3, 3), random.between(-3, 3), random.between(-3, 3)};
            if (random.chance(0.05)) {
                chain.cut(root, turned_by({random.between(-3, 3), random.between(-3, 3), 0}));
            } else {
                chain.step({.root = root,
                            .facing = turned_by({0, random.between(-3, 3), 0}),
                            .wind = random.chance(0.5) ? &wind : nullptr,
                            .time_s = time_s},
                           dt);
            }
            REQUIRE(worst_spacing_error(chain) < 1e-9);
        }
    }
}

TEST_CASE("a stretchy chain is back to its length after a stop", "[points][chain]") {
    Chain chain{{.nodes = 30}};
    double longest = 1;
    for (int i = 1; i <= 120; ++i) {
        chain.step({.root = {4.0 * i / 60, 0, 0}}, 1.0 / 60);
        longest = std::max(longest, chain.stretch());
    }
    CHECK(longest > 1.02);
    for (int i = 0; i < 600; ++i)
        chain.step({.root = {8, 0, 0}}, 1.0 / 60);
    CHECK(chain.stretch() == Approx(1).epsilon(1e-4));
    CHECK(chain.still());
    const std::vector<Vector3> resting{chain.positions().begin(), chain.positions().end()};
    for (int i = 0; i < 10; ++i)
        chain.step({.root = {8, 0, 0}}, 1.0 / 60);
    CHECK(largest_apart({chain.positions().begin(), chain.positions().end()}, resting) == 0);
}

TEST_CASE("a chain of fixed spacing keeps the shape in which its root stopped", "[points][chain]") {
    ChainSettings settings = fixed_settings();
    Chain chain{settings};
    for (int i = 1; i <= 180; ++i)
        chain.step({.root = swinging(i / 60.0)}, 1.0 / 60);
    const Vector3 root = chain.position(0);
    for (int i = 0; i < 240; ++i)
        chain.step({.root = root}, 1.0 / 60);
    REQUIRE(chain.still());
    const std::vector<Vector3> shape{chain.positions().begin(), chain.positions().end()};
    for (int i = 0; i < 600; ++i)
        chain.step({.root = root}, 1.0 / 60);
    CHECK(largest_apart({chain.positions().begin(), chain.positions().end()}, shape) == 0);
    // It is no straight line, and hangs nowhere.
    CHECK(apart(shape.front(), shape.back()) < 0.98 * 20 * settings.spacing_m);
}

TEST_CASE("a hanging direction straightens a chain of fixed spacing along it", "[points][chain]") {
    ChainSettings settings = fixed_settings();
    settings.hanging_m_per_s = {0, -1, 0};
    settings.rest_direction = {1, 0.2, 0};
    Chain chain{settings};
    for (int i = 0; i < 60 * 20; ++i)
        chain.step({.root = {}}, 1.0 / 60);
    CHECK(apart(chain.position(20), {0, -20 * settings.spacing_m, 0}) < 0.02);
}

TEST_CASE("steady wind lays a stretchy chain between its rest direction and downwind",
          "[points][chain]") {
    const Wind steady{{.mean_m_per_s = {2, 0, 0}, .spread_m_per_s = 0}};
    Chain chain{{.nodes = 8, .stiffness_m_per_s = 2}};
    for (int i = 1; i <= 1200; ++i)
        chain.step({.root = {}, .wind = &steady, .time_s = i / 60.0}, 1.0 / 60);
    // As strong as its stiffness: half way, at 45 degrees.
    const Vector3 tip = chain.position(8);
    CHECK(tip.x == Approx(-tip.y).epsilon(1e-3));
    CHECK(chain.stretch() == Approx(1).epsilon(1e-3));
}

TEST_CASE("a wind that rises or drops at once pulls a chain, but does not kick it",
          "[points][chain]") {
    const Wind gale{{.mean_m_per_s = {9, 0, 3}}, 4};
    for (const double lead : {0.0, 0.5, 1.0}) {
        const Tuning tuning{6, 1, lead};
        Chain chain{{.nodes = 12, .spacing_m = 0.1, .root = tuning, .tip = tuning}, Vector3{}};
        const auto fastest = [&] {
            double most = 0;
            for (const Vector3& v : chain.velocities())
                most = std::max(most, std::sqrt(dot(v, v)));
            return most;
        };
        // In a moment so short that no pull makes it fast.
        constexpr double moment_s = 1e-5;
        chain.step({.root = {}, .wind = &gale, .time_s = moment_s}, moment_s);
        CHECK(fastest() < 0.05);
        double t = moment_s;
        for (int i = 0; i < 300; ++i) {
            t += 0.01;
            chain.step({.root = {}, .wind = &gale, .time_s = t}, 0.01);
        }
        CHECK(chain.position(chain.size()).x > 0.8);  // it has lifted all the same
        const double before = fastest();
        chain.step({.root = {}, .time_s = t + moment_s}, moment_s);
        CHECK(fastest() < before + 0.05);
        for (int i = 0; i < 600; ++i)
            chain.step({.root = {}}, 0.01);
        CHECK(chain.still());
        CHECK(apart(chain.position(12), {0, -1.2, 0}) < 1e-3);
    }
}

TEST_CASE("24 and 144 Hz agree within 1 % of the length under a moving root", "[points][chain]") {
    for (const ChainSpacing spacing : {ChainSpacing::stretchy, ChainSpacing::fixed}) {
        for (const Velocity velocity : {Velocity::known, Velocity::guessed}) {
            ChainSettings settings = fixed_settings();
            settings.spacing = spacing;
            const double length = 20 * settings.spacing_m;
            const auto slow = at_end(settings, 24, velocity);
            const auto quick = at_end(settings, 144, velocity);
            CAPTURE(static_cast<int>(spacing), static_cast<int>(velocity));
            CHECK(largest_apart(slow, quick) < 0.01 * length);
            const Wind wind{{.mean_m_per_s = {3, 0, 0}, .spread_m_per_s = 1}, 9};
            settings.hanging_m_per_s = {0, -1, 0};
            CHECK(largest_apart(at_end(settings, 24, velocity, &wind),
                                at_end(settings, 144, velocity, &wind)) < 0.01 * length);
        }
    }
}

TEST_CASE("the defaults amplify nothing, and a tuning that does is named with its gain",
          "[points][chain]") {
    for (const std::size_t nodes : {2U, 12U, 60U})
        CHECK(gain_of(ChainSettings{.nodes = nodes}).gain <= 1 + 1e-6);
    const Tuning lively{.frequency_hz = 4, .damping_ratio = 0.5, .lead = 0};
    const ChainGain loud = gain_of({.nodes = 12, .root = lively, .tip = lively, .carry = 0});
    CHECK(loud.gain > 5);
    CHECK(loud.node == 12);
    // A root that swings at that frequency swings the tip so much more.
    Chain chain{{.nodes = 12, .root = lively, .tip = lively, .carry = 0}};
    double widest = 0;
    const double w = 2 * math::pi * loud.frequency_hz;
    for (int i = 1; i <= 240 * 12; ++i) {
        const double t = i / 240.0;
        constexpr double small = 1e-4;
        chain.step({.root = {small * std::sin(w * t), 0, 0},
                    .root_velocity = Vector3{small * w * std::cos(w * t), 0, 0}},
                   1.0 / 240);
        if (t > 8) widest = std::max(widest, std::abs(chain.position(12).x) / small);
    }
    CHECK(widest == Approx(loud.gain).epsilon(0.03));
}

TEST_CASE("the tip is late by the sum of the delays in steady motion", "[points][chain]") {
    ChainSettings settings{.nodes = 10, .carry = 0};
    settings.rest_direction = {-1, 0, 0};
    Chain chain{settings};
    for (int i = 1; i <= 1200; ++i)
        chain.step({.root = {3.0 * i / 120, 0, 0}}, 1.0 / 120);
    const double behind = chain.position(0).x - chain.position(10).x - 10 * settings.spacing_m;
    CHECK(behind == Approx(3 * chain.delay_s()).epsilon(1e-6));
}

TEST_CASE("no two links of a chain bend further than the limit", "[points][chain]") {
    Random random{17};
    ChainSettings settings = fixed_settings();
    settings.bend_limit_rad = 0.4;
    Chain chain{settings};
    for (int i = 0; i < 400; ++i) {
        chain.step({.root = {random.between(-1, 1), random.between(-1, 1), 0}}, 1.0 / 30);
        for (std::size_t k = 2; k <= chain.size(); ++k) {
            const Vector3 a = chain.position(k - 1) - chain.position(k - 2);
            const Vector3 b = chain.position(k) - chain.position(k - 1);
            const double cosine = dot(a, b) / std::sqrt(dot(a, a) * dot(b, b));
            REQUIRE(cosine >= std::cos(0.4) - 1e-9);
        }
    }
}

TEST_CASE("a cut carries the whole chain along without a whip", "[points][chain]") {
    for (const ChainSpacing spacing : {ChainSpacing::stretchy, ChainSpacing::fixed}) {
        ChainSettings settings = fixed_settings();
        settings.spacing = spacing;
        Chain here{settings};
        Chain there{settings, {100, 5, -40}};
        const Vector3 away{100, 5, -40};
        for (int i = 1; i < 100; ++i) {
            const double t = i / 60.0;
            if (i == 50) here.cut(here.position(0) + away);
            here.step({.root = swinging(t) + (i >= 50 ? away : Vector3{})}, 1.0 / 60);
            there.step({.root = swinging(t) + away}, 1.0 / 60);
        }
        for (std::size_t i = 0; i <= here.size(); ++i)
            CHECK(apart(here.position(i), there.position(i)) < 1e-7);
    }
}

TEST_CASE("what is carried faces up the chain, whichever axis of it does", "[points][chain]") {
    Chain chain{fixed_settings()};
    for (int i = 1; i <= 100; ++i)
        chain.step({.root = swinging(i / 60.0)}, 1.0 / 60);
    for (const Vector3 forward : {Vector3{0, 0, 1}, Vector3{1, 0, 0}, Vector3{0, -1, 0}}) {
        std::vector<Quaternion> turns(chain.size() + 1);
        chain.facings(turns, forward);
        for (std::size_t i = 1; i <= chain.size(); ++i) {
            const Vector3 up = (chain.position(i - 1) - chain.position(i)) * (1 / 0.15);
            CHECK(apart(rotated(turns[i], forward), up) < 1e-9);
            const double part = static_cast<double>(i) / static_cast<double>(chain.size());
            CHECK(apart(rotated(chain.facing_at(part, forward), forward), up) < 1e-9);
            CHECK(apart(chain.point_at(part), chain.position(i)) < 1e-9);
        }
    }
}

TEST_CASE("what is carried on a chain that stands upright does not twist as it sways",
          "[points][chain]") {
    for (const Vector3 forward : {Vector3{0, 0, 1}, Vector3{0, 1, 0}, Vector3{0, -1, 0}}) {
        Chain neck{{.nodes = 3, .spacing_m = 0.15, .rest_direction = {0, 1, 0}}};
        const Quaternion at_rest = neck.facing_at(1, forward);
        for (int i = 1; i <= 240; ++i) {
            const double t = i / 60.0;
            const double turned = 0.5 * t;
            const Vector3 root{0.02 * std::sin(9 * t), 0, 0.02 * std::cos(7 * t)};
            neck.step({.root = root, .facing = turned_by({0, turned, 0})}, 1.0 / 60);
            const Quaternion now = neck.facing_at(1, forward);
            const Quaternion as_root = turned_by({0, turned, 0}) * at_rest;
            CHECK(angle_between(now, as_root) < 0.5);
        }
    }
}

TEST_CASE("an undulating root swims: waves run down the chain", "[points][chain]") {
    ChainSettings settings{.nodes = 16, .undulation = {.amplitude_m = 0.05, .frequency_hz = 1}};
    Chain chain{settings};
    double widest = 0;
    for (int i = 1; i <= 240; ++i) {
        chain.step({.root = {}}, 1.0 / 120);
        widest = std::max(widest, std::abs(chain.position(16).x));
    }
    CHECK(widest > 0.02);
    CHECK_FALSE(chain.still());
}

TEST_CASE(
    "a storm of bad times and inputs leaves nothing that is not finite, and allocates nothing",
    "[points][chain]") {
    using Limits = std::numeric_limits<double>;
    const std::vector<double> wild{0,
                                   1,
                                   -1,
                                   1e-300,
                                   1e9,
                                   1e154,
                                   1e300,
                                   Limits::max(),
                                   -1e9,
                                   1e-9,
                                   1e-4,
                                   0.1,
                                   Limits::infinity(),
                                   Limits::quiet_NaN()};
    Random random{3};
    const auto any = [&] {
        return wild[static_cast<std::size_t>(random.whole(0, static_cast<int>(wild.size()) - 1))];
    };
    const Wind wind{{.spread_m_per_s = 4}, 3};
    for (const ChainSpacing spacing : {ChainSpacing::stretchy, ChainSpacing::fixed}) {
        Chain chain{{.nodes = 12, .spacing = spacing, .bend_limit_rad = 1.2}};
        const long before = allocations();
        for (int i = 0; i < 5000; ++i) {
            ChainInputs inputs{.root = {any(), any(), any()},
                               .facing = {any(), any(), any(), any()},
                               .wind = random.chance(0.3) ? &wind : nullptr,
                               .time_s = any()};
            if (random.chance(0.4)) inputs.root_velocity = Vector3{any(), any(), any()};
            chain.step(inputs, any());
            if (random.chance(0.2))
                chain.push(static_cast<std::size_t>(random.whole(0, 14)), {any(), any(), any()});
            if (random.chance(0.1)) chain.cut({any(), any(), any()});
            for (const Vector3& each : chain.positions())
                REQUIRE((std::isfinite(each.x) && std::isfinite(each.y) && std::isfinite(each.z)));
            if (i % 50 == 0) chain.reset({}, {});
        }
        CHECK(allocations() == before);
        CHECK(chain.rejected_inputs() > 1000);
    }
}

TEST_CASE("settings that cannot be are refused by name", "[points][chain]") {
    const auto complaint = [](const ChainSettings& settings) -> std::string {
        try {
            Chain{settings};
            return {};
        } catch (const std::invalid_argument& problem) {
            return problem.what();
        }
    };
    CHECK_THAT(complaint({.nodes = 0}), Catch::Contains("nodes"));
    CHECK_THAT(complaint({.spacing_m = -1}), Catch::Contains("spacing_m"));
    CHECK_THAT(complaint({.carry = 1}), Catch::Contains("carry"));
    CHECK_THAT(complaint({.bend_limit_rad = 4}), Catch::Contains("bend_limit_rad"));
    CHECK_THAT(complaint({.tip = {.frequency_hz = 0}}), Catch::Contains("tip.frequency_hz"));
    CHECK_THAT(complaint({.rest_direction = {0, 0, 0}}), Catch::Contains("rest_direction"));
    for (const Dial<ChainSettings>& dial : ChainSettings::dials()) {
        CAPTURE(dial.path);
        ChainSettings settings;
        CHECK(dial.get(settings) == Approx(dial.default_value));
        CHECK(dial.set(settings, std::nan("")) == DialStatus::refused);
    }
}

TEST_CASE("a chain's state goes on with the same bits", "[points][chain][state]") {
    for (const ChainSpacing spacing : {ChainSpacing::stretchy, ChainSpacing::fixed}) {
        Chain chain{{.nodes = 9, .spacing = spacing}};
        for (int i = 1; i < 40; ++i)
            chain.step({.root = swinging(i / 60.0)}, 1.0 / 60);
        Chain other{{.nodes = 9, .spacing = spacing}};
        REQUIRE(load_state(other, save_state(chain)));
        for (int i = 40; i < 80; ++i) {
            for (Chain* each : {&chain, &other})
                each->step({.root = swinging(i / 60.0)}, 1.0 / 60);
            for (std::size_t k = 0; k <= 9; ++k)
                REQUIRE(chain.position(k) == other.position(k));
        }
        Chain longer{{.nodes = 10, .spacing = spacing}};
        CHECK_FALSE(load_state(longer, save_state(chain)));
    }
}

TEST_CASE("ribbons and tubes are closed, square to the row and textured along it",
          "[points][shape]") {
    std::vector<Vector3> points;
    for (int i = 0; i <= 10; ++i)
        points.push_back({0.1 * i, 0.3 * std::sin(0.5 * i), 0});
    const std::vector<double> widths{0.2};
    const Mesh band = ribbon(points, widths);
    CHECK(band.positions.size() == 22);
    CHECK(band.triangles.size() == 20);
    CHECK(band.texture.back()[0] == 1);
    for (const Vector3& normal : band.normals)
        CHECK(apart(normal, {0, 0, 1}) < 1e-9);
    const std::vector<double> radii{0.1};
    const Mesh pipe = tube(points, radii, 8);
    double volume = 0;
    for (const auto& t : pipe.triangles) {
        const Vector3& a = pipe.positions[t[0]];
        volume += dot(a, cross(pipe.positions[t[1]], pipe.positions[t[2]])) / 6;
    }
    double length = 0;
    for (std::size_t i = 1; i < points.size(); ++i)
        length += apart(points[i], points[i - 1]);
    // Of an octagon: outward faces all round, or the sum would not come out.
    const double area = 4 * 0.1 * 0.1 * std::sin(math::pi / 4);
    CHECK(volume == Approx(area * length).epsilon(0.06));
    CHECK_THROWS(ribbon(points, std::vector<double>{1, 2}));
    CHECK_THROWS(tube(points, radii, 2));
}

TEST_CASE("several chains fan out from one root", "[points][chain]") {
    const auto fan = fanned({.nodes = 4, .spacing_m = 1}, 5, 1.0, {0, 0, 1});
    REQUIRE(fan.size() == 5);
    CHECK(fan[2].position(4).x == Approx(0).margin(1e-12));
    CHECK(fan[0].position(4).x == Approx(-fan[4].position(4).x));
    const Vector3 a = fan[0].position(1);
    const Vector3 b = fan[4].position(1);
    CHECK(math::atan2(std::sqrt(dot(cross(a, b), cross(a, b))), dot(a, b)) == Approx(1.0));
}
