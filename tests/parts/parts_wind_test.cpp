// What a wind does to rigid parts, against closed forms.

#include <cmath>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/random.hpp>
#include <hopcoil/parts/parts.hpp>

#include "parts/solids.hpp"
#include "support/allocations.hpp"

using namespace hopcoil;

namespace {

constexpr double gravity = 9.80665;

Wind steady(const Vector3& velocity) {
    return Wind{{.mean_m_per_s = velocity, .spread_m_per_s = 0}};
}

PartShape plate(double width, double height, double density) {
    return {.half_size_m = {0.5 * width, 0.5 * height, 0.002}, .density_kg_per_m3 = density};
}

void blow(Parts& parts, const Wind& wind, double seconds, double rate_hz = 60) {
    for (int i = 0; i < std::lround(seconds * rate_hz); ++i)
        parts.step({.wind = &wind, .time_s = i / rate_hz}, 1 / rate_hz);
}

/// A plate of 0.6 x 0.4 m that hangs by its upper edge, facing along z.
PartsStructure sign(double density) {
    PartsStructure made;
    made.parts = {{.placement = {{0, -0.2, 0}}, .shapes = {plate(0.6, 0.4, density)}}};
    made.joints = {{.b = 0}};
    return made;
}

}  // namespace

TEST_CASE("what falls in still air falls at its terminal speed, whatever the step", "[parts]") {
    const Wind still = steady({});
    for (const double rate_hz : {10.0, 30.0, 144.0}) {
        PartsStructure made;
        made.parts.resize(2);
        made.parts[0].shapes = {
            {.type = PartShape::Type::sphere, .radius_m = 0.2, .density_kg_per_m3 = 20}};
        // Flat side down.
        made.parts[1].placement = {{5, 0, 0}, turned_by({0.5 * math::pi, 0, 0})};
        made.parts[1].shapes = {plate(0.6, 0.4, 400)};
        Parts parts{made};
        blow(parts, still, 6, rate_hz);
        const auto terminal = [&](std::uint32_t part, double area_m2) {
            return std::sqrt(2 * parts.mass(part).mass_kg * gravity / (1.2 * 1.2 * area_m2));
        };
        INFO(rate_hz << " steps a second");
        CHECK(-parts.motions()[0].velocity.y ==
              Approx(terminal(0, 0.4 * math::pi * 0.04)).epsilon(0.01));
        CHECK(-parts.motions()[1].velocity.y == Approx(terminal(1, 0.24)).epsilon(0.01));
    }
}

TEST_CASE("a sign hangs in a steady wind where its weight balances it", "[parts]") {
    for (const double speed : {3.0, 6.0, 12.0}) {
        Parts hung{sign(700), {.drag_per_s = 1.5}};
        blow(hung, steady({0, 0, speed}), 30);
        // c d A (u cos a)^2 / 2 = m g sin a
        const double force = 0.5 * 1.2 * 1.2 * 0.24 * speed * speed;
        double angle = 0;
        for (int i = 0; i < 200; ++i)
            angle +=
                0.1 * (force * std::pow(std::cos(angle), 2) / (hung.mass(0).mass_kg * gravity) -
                       std::sin(angle));
        CHECK(std::fabs(hung.joint_position(0)) == Approx(angle).epsilon(0.02));
        CHECK(hung.placements()[0].position.z > 0);
    }
}

TEST_CASE("a vane turns into the wind, and a wheel of slanted blades turns in it",
          "[parts][long]") {
    // A fin behind a pivot about y.
    PartsStructure vane;
    vane.parts = {{.placement = {{0.3, 0, 0}}, .shapes = {plate(0.4, 0.3, 300)}}};
    vane.joints = {{.b = 0, .frame = {{}, facing({0, 1, 0}, {1, 0, 0}, {0, 1, 0})}}};
    vane.joints[0].spring.damping = 0.02;
    for (const double degrees : {30.0, 140.0, -100.0}) {
        const double to = degrees * math::pi / 180;
        Parts turned{vane};
        blow(turned, steady({5 * std::cos(to), 0, -5 * std::sin(to)}), 40);
        CHECK(turned.joint_position(0) == Approx(to).margin(0.03));
    }
    // Four blades about z, each slanted by 20 degrees about its own length.
    PartsStructure wheel;
    Part blades;
    for (int i = 0; i < 4; ++i) {
        const Quaternion about = turned_by({0, 0, i * 0.5 * math::pi});
        PartShape blade = plate(1.0, 0.3, 300);
        blade.placement = {rotated(about, {0.8, 0, 0}), about * turned_by({0.35, 0, 0})};
        blades.shapes.push_back(blade);
    }
    wheel.parts = {blades};
    wheel.joints = {{.b = 0, .frame = {{}, facing({0, 0, 1}, {1, 0, 0}, {0, 1, 0})}}};
    wheel.joints[0].spring.damping = 0.5;
    std::vector<double> rates;
    for (const double speed : {4.0, 8.0, -8.0}) {
        Parts mill{wheel};
        blow(mill, steady({0, 0, speed}), 60);
        rates.push_back(mill.motions()[0].angular_velocity.z);
    }
    CHECK(std::fabs(rates[0]) > 0.3);
    CHECK(std::fabs(rates[1]) > 1.5 * std::fabs(rates[0]));
    CHECK(rates[2] == Approx(-rates[1]).epsilon(0.02));
}

TEST_CASE("air takes energy, wakes what it can move, and never throws what is light about",
          "[parts]") {
    const Wind still = steady({});
    Parts swinging{sign(700)};
    swinging.push(0, {}, {0, 0, 2});
    double before = swinging.energy();
    for (int i = 0; i < 20; ++i) {
        blow(swinging, still, 0.5);
        CHECK(swinging.energy() < before + 1e-3);
        before = swinging.energy();
    }
    // Asleep, until there is a wind.
    Parts asleep{sign(700)};
    for (int i = 0; i < 120; ++i)
        asleep.step({}, 1.0 / 60);
    REQUIRE(asleep.still());
    blow(asleep, steady({0, 0, 6}), 1);
    CHECK(std::fabs(asleep.joint_position(0)) > 0.05);

    RandomNumbers random{3};
    for (int trial = 0; trial < 20; ++trial) {
        PartsStructure light;
        light.parts = {{.shapes = {plate(2, 1, std::pow(10, random.between(-3, 2)))}}};
        Parts sheet{light};
        const Wind gale{{.mean_m_per_s = {30, 0, 10}, .spread_m_per_s = 8}};
        const long before_steps = allocations();
        for (int i = 0; i < 60; ++i) {
            const double dt = random.between(0.001, 0.1);
            sheet.step({.wind = &gale, .time_s = 0.05 * i}, dt);
            REQUIRE(length(sheet.motions()[0].velocity) < 80);
        }
        CHECK(allocations() == before_steps);
    }
}
