// Waves on water, and how things float on them.

#include <algorithm>
#include <cmath>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/field/swell.hpp>

#include "support/allocations.hpp"
#include "support/numbers.hpp"
#include "support/random.hpp"

using namespace hopcoil;

namespace {

/// A regular wave along +X, its crest at the origin at time 0.
Swell regular(double amplitude_m, double length_m) {
    return Swell{std::vector<SwellWave>{
        {.amplitude_m = amplitude_m, .length_m = length_m, .phase_rad = pi / 2}}};
}

Vector3 up_of(const Placement& placement) {
    return rotated(placement.rotation, {0, 1, 0});
}

}  // namespace

TEST_CASE("a swell is as high as asked for, and its rates and slopes are its own", "[swell]") {
    const Swell swell{{.significant_height_m = 0.8, .length_m = 9, .heading_rad = 0.4, .waves = 12},
                      17};
    double square = 0;
    Random random{5};
    constexpr int count = 50'000;
    for (int i = 0; i < count; ++i) {
        const double height =
            swell.height_at(random.between(-1e3, 1e3), random.between(-1e3, 1e3), 0.37 * i);
        square += height * height / count;
    }
    CHECK(4 * std::sqrt(square) == Approx(0.8).epsilon(0.03));
    constexpr double h = 1e-5;
    const double rise = (swell.height_at(1, 2, 3 + h) - swell.height_at(1, 2, 3 - h)) / (2 * h);
    CHECK(swell.rise_at(1, 2, 3) == Approx(rise).margin(1e-7));
    const Vector3 normal = swell.normal_at(1, 2, 3);
    const double slope = (swell.height_at(1 + h, 2, 3) - swell.height_at(1 - h, 2, 3)) / (2 * h);
    CHECK(-normal.x / normal.y == Approx(slope).margin(1e-7));
}

TEST_CASE("a regular wave has its height and length, and the period of deep water", "[swell]") {
    const Swell swell{
        {.significant_height_m = 0.5, .length_m = 6, .heading_rad = pi / 2, .waves = 1}, 3};
    const double period_s = std::sqrt(2 * pi * 6 / 9.80665);
    double highest = 0;
    for (int i = 0; i < 600; ++i) {
        const double z = 0.01 * i;
        highest = std::max(highest, swell.height_at(0, z, 0));
        // A quarter turn is -Z: a third of a period later it is a third of its length there.
        CHECK(swell.height_at(4, z - 2, period_s / 3) ==
              Approx(swell.height_at(0, z, 0)).margin(1e-9));
    }
    CHECK(highest == Approx(0.25).epsilon(1e-3));
}

TEST_CASE("a leaf lies on the surface, whichever way it faces", "[swell]") {
    const Swell swell{{.significant_height_m = 0.6, .length_m = 5}, 9};
    Random random{2};
    for (int i = 0; i < 200; ++i) {
        const Placement still{{random.between(-20, 20), 0.3, random.between(-20, 20)},
                              turned_by({0, random.between(-3, 3), 0})};
        const double time_s = random.between(0, 100);
        const Placement leaf = swell.floating(still, {}, time_s);
        const Vector3& at = still.position;
        CHECK(leaf.position.y == Approx(0.3 + swell.height_at(at.x, at.z, time_s)).margin(1e-12));
        const Vector3 normal = swell.normal_at(at.x, at.z, time_s);
        CHECK(dot(up_of(leaf), normal) == Approx(1).margin(1e-12));
        // It keeps its heading: its bow stays in the plane of up and where it faced.
        const Vector3 bow = rotated(leaf.rotation, {0, 0, 1});
        const Vector3 faced = rotated(still.rotation, {0, 0, 1});
        CHECK(dot(bow, faced) > std::cos(0.5));
    }
}

TEST_CASE("a long hull is moved less than the water, as the mean under it", "[swell]") {
    constexpr double length_m = 8;
    constexpr double k = 2 * pi / length_m;
    const Swell swell = regular(0.2, length_m);
    const Quaternion along_x = turned_by({0, pi / 2, 0});  // its bow to +X
    for (const double hull_m : {0.5, 2.0, 4.0, 8.0}) {
        const auto at = [&](double x) {
            return swell.floating({{x, 0, 0}, along_x}, {.length_m = hull_m, .width_m = 1}, 0);
        };
        // Bow and stern see cos(k l / 2) of the wave, the sides all of it.
        const double share = 0.5 * (1 + std::cos(k * hull_m / 2));
        CHECK(at(0).position.y == Approx(0.2 * share).margin(1e-12));
        const double slope = -0.2 * 2 * std::sin(k * hull_m / 2) / hull_m;
        const Vector3 up = up_of(at(length_m / 4));
        CHECK(-up.x / up.y == Approx(slope).margin(1e-9));
        CHECK(up.z == Approx(0).margin(1e-9));
    }
}

TEST_CASE("a swell refuses what cannot be, and floating does not allocate", "[swell]") {
    CHECK_THROWS_AS(Swell(SwellSettings{.significant_height_m = -1}), InvalidValue);
    CHECK_THROWS_AS(Swell(SwellSettings{.length_m = 0}), InvalidValue);
    CHECK_THROWS_AS(Swell(SwellSettings{.waves = 0}), InvalidValue);
    CHECK_THROWS_AS(Swell(std::vector<SwellWave>{{.length_m = 0}}), InvalidValue);
    const Swell swell{{}, 4};
    const long before = allocations();
    double sum = 0;
    for (int i = 0; i < 100; ++i)
        sum += swell.floating({{0.1 * i, 0, 2}}, {.length_m = 2}, 0.02 * i).position.y;
    CHECK(allocations() == before);
    CHECK(std::isfinite(sum));
    // On end, it has no bow over the water.
    const Placement on_end = swell.floating({{}, turned_by({pi / 2, 0, 0})}, {.length_m = 2}, 0);
    CHECK(std::isfinite(on_end.rotation.w));
}
