// Ground of every kind: the highest surface below, what it belongs to, and how it moves.

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdint>
#include <vector>

#include <Eigen/Geometry>
#include <catch2/catch.hpp>

#include <hopcoil/base/components.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/field/terrain.hpp>

#include "support/random.hpp"
#include "support/vectors.hpp"

using namespace hopcoil;
using Catch::Matchers::Contains;

namespace {

/// A hilly grid as a height field, and the same surface as triangles.
HeightField hills(std::vector<Vector3>& corners,
                  std::vector<std::array<std::uint32_t, 3>>& triangles) {
    Random random{12};
    const HeightField::Grid grid{
        .columns = 40, .rows = 30, .spacing_m = 0.5, .from_x = -10, .from_z = -7};
    std::vector<double> heights;
    for (std::uint32_t r = 0; r < 30; ++r) {
        for (std::uint32_t c = 0; c < 40; ++c) {
            heights.push_back(random.between(-1, 1));
            corners.push_back({-10 + 0.5 * c, heights.back(), -7 + 0.5 * r});
            if (r == 0 || c == 0) continue;
            const std::uint32_t high = r * 40 + c;
            const std::uint32_t low = high - 41;
            triangles.push_back({low, high, high - 40});  // seen from above, counter-clockwise
            triangles.push_back({low, high - 1, high});
        }
    }
    return {grid, std::move(heights)};
}

}  // namespace

TEST_CASE("a mesh and a height field of the same surface agree, holes and edges included",
          "[ground]") {
    std::vector<Vector3> corners;
    std::vector<std::array<std::uint32_t, 3>> triangles;
    const HeightField field = hills(corners, triangles);
    const GroundMesh mesh{corners, triangles};
    CHECK(mesh.triangles().size() == 2 * 39 * 29);
    Random random{4};
    int found = 0;
    for (int i = 0; i < 5000; ++i) {
        const double x = random.between(-11, 11);
        const double z = random.between(-8, 9);
        const auto expected = field.at(x, z);
        const auto spot = mesh.at(x, z, 10);
        REQUIRE(expected.has_value() == spot.has_value());
        if (!spot) continue;
        ++found;
        CHECK(spot->height == Approx(expected->height).margin(1e-9));
        CHECK(length_of(spot->normal - expected->normal) < 1e-9);
        CHECK(length_of(spot->normal) == Approx(1));
    }
    CHECK(found > 3000);
    // At the corners themselves it is as high as it was said to be.
    CHECK(field.at(-10, -7)->height == field.heights()[0]);
    CHECK(field.at(9.5, 7.5)->height == Approx(field.heights().back()));
}

TEST_CASE("of several surfaces the highest below counts", "[ground]") {
    Terrain quay;
    quay.add(Terrain::Plane{.slope_x = 0.1});
    quay.add(Terrain::Box{.middle = {0, 2, 0}, .size = {2, 0.2, 2}, .yaw_rad = 0.785398163});
    quay.add(Terrain::Plane{.point = {0, -1, 0}, .can_stand = false});
    CHECK(quay.under(0, 0, 5, 0).height == Approx(2.1));
    CHECK(quay.under(0, 0, 1.9, 0).height == 0);            // beneath the roof
    CHECK(quay.under(1.3, 0, 5, 0).height == Approx(2.1));  // its corner, turned
    CHECK(quay.under(1.3, 1.3, 5, 0).height == Approx(0.13));
    CHECK(quay.under(3, 0, 5, 0).normal.x == Approx(-0.1 / std::sqrt(1.01)));
    CHECK_FALSE(quay.under(0, 0, -3, 0).exists);
    CHECK(quay.under(0, 0, -0.5, 0).can_stand == false);
}

TEST_CASE("a place is on a turned box if it is inside of its outline", "[ground]") {
    Random random{29};
    Terrain crates;
    struct Outline {
        std::array<Eigen::Vector2d, 4> corners{};  // of (x, z), one after the other
        double top = 0;
    };
    std::vector<Outline> outlines;
    for (int i = 0; i < 300; ++i) {
        const Terrain::Box box{
            .middle = {random.between(-9, 9), random.between(0, 1), random.between(-9, 9)},
            .size = {random.between(0, 3), random.between(0, 1), random.between(0, 3)},
            .yaw_rad = random.between(-7, 7)};
        crates.add(box);
        Outline& outline = outlines.emplace_back();
        outline.top = box.middle.y + 0.5 * box.size.y;
        // About Y, seen from above: x goes to -z by a quarter turn.
        const Eigen::Rotation2Dd turn{-box.yaw_rad};
        for (std::size_t k = 0; k < 4; ++k) {
            const Eigen::Vector2d corner{(k == 1 || k == 2 ? 0.5 : -0.5) * box.size.x,
                                         (k >= 2 ? 0.5 : -0.5) * box.size.z};
            outline.corners[k] = Eigen::Vector2d{box.middle.x, box.middle.z} + turn * corner;
        }
    }
    int found = 0;
    for (int i = 0; i < 4000; ++i) {
        const Eigen::Vector2d place{random.between(-11, 11), random.between(-11, 11)};
        const double top = random.between(0.5, 2);
        double expected = -1;
        for (const Outline& outline : outlines) {
            bool inside = outline.top <= top;
            for (std::size_t k = 0; k < 4; ++k) {
                const Eigen::Vector2d side = outline.corners[(k + 1) % 4] - outline.corners[k];
                const Eigen::Vector2d way = place - outline.corners[k];
                inside = inside && side.x() * way.y() - side.y() * way.x() >= 0;
            }
            if (inside) expected = std::max(expected, outline.top);
        }
        const GroundPoint point = crates.under(place.x(), place.y(), top, 0);
        REQUIRE(point.exists == (expected >= 0));
        if (!point.exists) continue;
        ++found;
        CHECK(point.height == Approx(expected).margin(1e-12));
    }
    CHECK(found > 2000);
}

TEST_CASE("no surface is above the highest that a terrain names", "[ground]") {
    Random random{19};
    for (int i = 0; i < 40; ++i) {
        Terrain terrain;
        const auto place = [&] {
            return Vector3{random.between(-4, 4), random.between(-2, 2), random.between(-4, 4)};
        };
        terrain.add(Terrain::Box{.middle = place(), .size = {2, 0.5, 3}, .yaw_rad = 0.7});
        if (i % 2 == 0) terrain.add(Terrain::Plane{.point = place()});
        if (i % 3 == 0) {
            std::vector<Vector3> corners;
            std::vector<std::array<std::uint32_t, 3>> triangles;
            terrain.add(hills(corners, triangles));
            terrain.add(GroundMesh{corners, triangles});
        }
        const std::uint32_t part = terrain.add_part({.position = place(),
                                                     .rotation = turned_by({0.2, 1, -0.1}),
                                                     .velocity = {0, random.between(-2, 2), 0}});
        terrain.add(Terrain::Box{.middle = place(), .size = {2, 0.5, 3}}, part);
        for (const double ahead_s : {-0.5, 0.0, 0.7}) {
            const double highest = terrain.highest(ahead_s);
            REQUIRE(highest < 20);
            double found = -100;
            for (int k = 0; k < 400; ++k) {
                const GroundPoint at =
                    terrain.under(random.between(-8, 8), random.between(-8, 8), 50, ahead_s);
                if (at.exists) found = std::max(found, at.height);
            }
            CHECK(found <= highest + 1e-12);
        }
    }
    Terrain slope;
    slope.add(Terrain::Plane{.slope_x = 0.1});
    CHECK(std::isinf(slope.highest(0)));
    CHECK(FlatGround{1.5}.highest(0) == 1.5);
    CHECK(EarlierGround{FlatGround{1.5}, 1}.highest(0) == 1.5);
}

TEST_CASE("a part that moves carries its pieces, its normals and what stands on it", "[ground]") {
    Terrain quay;
    const std::uint32_t deck = quay.add_part({});
    quay.add(Terrain::Box{.size = {6, 0.2, 6}}, deck);
    Random random{9};
    for (int i = 0; i < 200; ++i) {
        const GroundFrame frame{
            .position = random_vector(random, 2),
            .rotation = turned_by(
                {random.between(-0.3, 0.3), random.between(-3, 3), random.between(-0.3, 0.3)}),
            .velocity = random_vector(random, 1),
            .angular_velocity = random_vector(random, 0.5)};
        quay.move(deck, frame);
        // A spot of the deck, where it is now and a little later.
        const Vector3 local{random.between(-2, 2), 0.1, random.between(-2, 2)};
        for (const double ahead_s : {0.0, 0.1}) {
            const GroundFrame then = quay.frame(deck, ahead_s);
            const Vector3 spot = then.to_world(local);
            const GroundPoint point = quay.under(spot.x, spot.z, 1e9, ahead_s);
            REQUIRE(point.exists);
            CHECK(point.part == deck);
            CHECK(point.height == Approx(spot.y).margin(1e-4));
            CHECK(length_of(point.normal - rotated(then.rotation, {0, 1, 0})) < 1e-12);
            CHECK(apart(then.to_local(spot), local) < 1e-12);
        }
        const Vector3 spot = frame.to_world(local);
        constexpr double dt = 1e-6;
        const Vector3 moved = (frame.ahead(dt).to_world(local) - spot) * (1 / dt);
        CHECK(apart(moved, frame.velocity_at(spot)) < 1e-5);
    }
}

TEST_CASE("a program's own ground, and a height function", "[ground]") {
    const auto waves = [](double x, double z) {
        return 0.3 * std::sin(x) + 0.2 * z;
    };
    const HeightGround ground{waves};
    CHECK(ground.under(0.5, 2, 9, 0).height == waves(0.5, 2));
    const Vector3 expected = normal_of_slopes(0.3 * std::cos(0.5), 0.2);
    CHECK(length_of(ground.under(0.5, 2, 9, 0).normal - expected) < 1e-6);
    CHECK(FlatGround{2}.under(7, 7, 9, 0).height == 2);
}

TEST_CASE("pieces that cannot be are refused by name", "[ground]") {
    CHECK_THROWS_WITH((HeightField{{.columns = 1}, {}}), Contains("columns"));
    CHECK_THROWS_WITH((HeightField{{}, {1, 2, 3}}), Contains("heights"));
    CHECK_THROWS_WITH((HeightField{{.spacing_m = 0}, {1, 2, 3, 4}}), Contains("spacing_m"));
    CHECK_THROWS_WITH((GroundMesh{{{0, 0, 0}}, {{0, 0, 1}}}), Contains("triangles"));
    Terrain terrain;
    CHECK_THROWS_WITH(terrain.add(Terrain::Box{.size = {-1, 1, 1}}), Contains("size.x"));
    CHECK_THROWS_AS(terrain.add(Terrain::Plane{}, 3), std::out_of_range);
    CHECK_THROWS_AS(terrain.move(0, {}), std::out_of_range);
}

TEST_CASE("a ground as it was is that of so long before", "[field][ground]") {
    Terrain now;
    const std::uint32_t raft = now.add_part({.position = {1, 0.5, 0}, .velocity = {2, 0, 0}});
    now.add(Terrain::Box{.size = {2, 0.2, 2}}, raft);
    const EarlierGround before{now, 0.25};
    CHECK(before.frame(raft, 0).position.x == now.frame(raft, -0.25).position.x);
    CHECK(before.frame(raft, 0.25).position.x == now.frame(raft, 0).position.x);
    // Half a second before now the raft was a metre back: there was no deck at its far edge.
    CHECK(now.under(1.9, 0, 2, 0).exists);
    CHECK_FALSE(EarlierGround(now, 0.5).under(1.9, 0, 2, 0).exists);
    CHECK(EarlierGround(before, 0.25).under(0.9, 0, 2, 0).exists);
}
