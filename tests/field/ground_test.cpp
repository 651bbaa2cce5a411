// Ground of every kind: the highest surface below, what it belongs to, and how it moves.

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdint>
#include <optional>
#include <vector>

#include <Eigen/Geometry>
#include <catch2/catch.hpp>

#include <hopcoil/base/components.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/field/terrain.hpp>

#include "support/blocks.hpp"
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

TEST_CASE("a place is on a turned box if it is inside of its outline", "[ground][long]") {
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

TEST_CASE("of boxes all sides that no other box covers count, outside and inside", "[ground]") {
    Random random{31};
    const auto somewhere = [&](double far) {
        return Vector3{random.between(-far, far), random.between(-far, far),
                       random.between(-far, far)};
    };
    for (int round = 0; round < 30; ++round) {
        // Blocks through one another, above a floor, some of them carried by something that leans.
        Terrain quay;
        quay.add(Terrain::Plane{.point = {0, -2, 0}});
        const GroundFrame raft{.position = somewhere(1), .rotation = turned_by(somewhere(0.5))};
        const std::uint32_t part = quay.add_part(raft);
        struct Block {
            Eigen::Matrix3d turned{};
            Eigen::Vector3d middle{};
            Eigen::Vector3d half{};
            [[nodiscard]] bool holds(const Vector3& place) const {
                const Eigen::Vector3d local =
                    turned.transpose() * (Eigen::Vector3d{place.x, place.y, place.z} - middle);
                return (local.cwiseAbs().array() < half.array()).all();
            }
        };
        std::vector<Block> blocks;
        for (int i = 0; i < 6; ++i) {
            const Terrain::Box box{
                .middle = somewhere(1.5),
                .size = {random.between(0.2, 2), random.between(0.2, 2), random.between(0.2, 2)},
                .yaw_rad = random.between(-3, 3)};
            const bool is_carried = random.chance(0.3);
            quay.add(box, is_carried ? part : 0);
            Eigen::Affine3d to_world = Eigen::Affine3d::Identity();
            if (is_carried) {
                const Quaternion& q = raft.rotation;
                to_world.translate(
                    Eigen::Vector3d{raft.position.x, raft.position.y, raft.position.z});
                to_world.rotate(Eigen::Quaterniond{q.w, q.x, q.y, q.z});
            }
            to_world.translate(Eigen::Vector3d{box.middle.x, box.middle.y, box.middle.z});
            to_world.rotate(Eigen::AngleAxisd{box.yaw_rad, Eigen::Vector3d::UnitY()});
            blocks.push_back({to_world.linear(), to_world.translation(),
                              0.5 * Eigen::Vector3d{box.size.x, box.size.y, box.size.z}});
        }
        const auto is_inside = [&](const Vector3& place) {
            return place.y < -2 || std::any_of(blocks.begin(), blocks.end(),
                                               [&](const Block& one) { return one.holds(place); });
        };
        for (int i = 0; i < 300; ++i) {
            const Vector3 place = somewhere(2.5);
            const GroundDistance away = quay.distance_to(place, 0.5, 0);
            CAPTURE(round, i, place.x, place.y, place.z, away.metres);
            if (place.y < -2.5) continue;  // further below the floor than is looked above
            REQUIRE(is_inside(place) == (away.metres < 0));
            if (place.y < -2) continue;  // up to the floor, whatever stands on it
            CHECK(length_of(away.normal) == Approx(1));
            // The way that it names ends at the surface: outside just before, inside just after.
            const Vector3 surface = place - away.normal * away.metres;
            CHECK_FALSE(is_inside(surface + away.normal * 1e-6));
            CHECK(is_inside(surface - away.normal * 1e-6));
            // And from outside nothing is nearer.
            if (away.metres < 0) continue;
            Vector3 way = somewhere(1);
            way = way * ((away.metres - 1e-9) / length_of(way));
            CHECK_FALSE(is_inside(place + way));
        }
    }
}

TEST_CASE("boxes near a place are all that are, as they stand and move", "[ground]") {
    Terrain quay;
    const std::uint32_t raft = quay.add_part(
        {.position = {5, 0, 0}, .velocity = {1, 0, 0}, .angular_velocity = {0, 0.5, 0}});
    quay.add(Terrain::Plane{});
    for (int i = 0; i < 10; ++i)
        quay.add(Terrain::Box{.middle = {2.0 * i - 10, 0.5, 0}, .size = {1, 1, 4}});
    quay.add(Terrain::Box{.middle = {0, 1, 2}, .size = {1, 1, 1}}, raft);
    std::array<GroundBox, 4> found{};
    CHECK(quay.boxes_near({0, 0.5, 0}, 1.4, 0, found) == 1);
    CHECK(found[0].index == 5);
    CHECK(found[0].shape.position == Vector3{0, 0.5, 0});
    CHECK(quay.boxes_near({0, 0.5, 0}, 1.6, 0, found) == 3);
    CHECK(quay.boxes_near({0, 0.5, 0}, 30, 0, found) == 11);  // four of them fit
    REQUIRE(quay.boxes_near({5, 2.5, 2}, 1.1, 0, found) == 1);
    CHECK(found[0].part == raft);
    CHECK(found[0].shape.velocity.x == Approx(1 + 0.5 * 2));
    CHECK(found[0].shape.velocity.z == Approx(0).margin(1e-12));
    REQUIRE(quay.boxes_near({8.7, 2.5, 1.1}, 1.1, 2, found) == 1);  // in two seconds
    const Vector3 then = found[0].shape.position;
    CHECK(then.x == Approx(7 + 2 * std::sin(1.0)));
    CHECK(then.z == Approx(2 * std::cos(1.0)));
    const EarlierGround earlier{quay, 2};
    CHECK(earlier.boxes_near({3, 2.5, 2}, 1.2, 2, found) == 0);
    CHECK(earlier.distance_to({5, 2.5, 2}, 0.5, 2).metres == Approx(1));
    CHECK(FlatGround{1}.boxes_near({0, 1, 0}, 5, 0, found) == 0);
    CHECK(FlatGround{1}.distance_to({0, 1.5, 0}, 0.5, 0).metres == 0.5);
}

TEST_CASE("a block of triangles is as far away as the block, from all sides", "[ground]") {
    Random random{41};
    const auto somewhere = [&](double far) {
        return Vector3{random.between(-far, far), random.between(-far, far),
                       random.between(-far, far)};
    };
    int near = 0;
    int inside = 0;
    for (int round = 0; round < 20; ++round) {
        const Terrain::Box box{
            .middle = somewhere(0.5),
            .size = {random.between(0.5, 2), round % 3 == 0 ? 0.04 : random.between(0.5, 2), 1},
            .yaw_rad = random.between(-3, 3)};
        const GroundFrame raft{.position = somewhere(1),
                               .rotation = turned_by({0, random.between(-3, 3), 0})};
        const bool is_carried = round % 2 == 1;
        Terrain solid;
        Terrain triangles;
        const std::uint32_t part = is_carried ? solid.add_part(raft) : 0;
        if (is_carried) REQUIRE(triangles.add_part(raft) == part);
        solid.add(box, part);
        triangles.add(mesh_of(box, 1 + static_cast<std::uint32_t>(round) % 5), part);
        for (int i = 0; i < 300; ++i) {
            const Vector3 place = raft.position * (is_carried ? 1 : 0) + somewhere(2);
            const GroundDistance expected = solid.distance_to(place, 3, 0);
            const GroundDistance found = triangles.distance_to(place, 3, 0);
            CAPTURE(round, i, place.x, place.y, place.z, expected.metres, found.metres);
            // Walls hold as deep as 0.1 m, and what is deeper comes out at the top.
            if (expected.metres > 3) continue;  // further than it is looked for
            if (expected.metres < -0.1) {
                CHECK(found.metres < 0);
                continue;
            }
            REQUIRE(found.metres == Approx(expected.metres).margin(1e-9));
            CHECK(length_of(found.normal - expected.normal) < 1e-6);
            CHECK(found.part == part);
            near += expected.metres > 0 ? 1 : 0;
            inside += expected.metres < 0 ? 1 : 0;
        }
    }
    CHECK(near > 1000);
    CHECK(inside > 20);
}

TEST_CASE("faces that are near are all that are, of meshes and of height fields", "[ground]") {
    struct Found final : FaceVisitor {
        std::vector<GroundFace> faces{};
        void visit(const GroundFace& face) noexcept override { faces.push_back(face); }
    };
    std::vector<Vector3> corners;
    std::vector<std::array<std::uint32_t, 3>> triangles;
    const HeightField field = hills(corners, triangles);
    const GroundMesh mesh{corners, triangles};
    Random random{8};
    std::size_t most = 0;
    for (int i = 0; i < 300; ++i) {
        const Vector3 place{random.between(-11, 11), random.between(-2, 2), random.between(-8, 9)};
        const double radius = random.between(0, 2);
        for (const FaceChoice choice : {FaceChoice::all, FaceChoice::edged, FaceChoice::steep}) {
            Found of_mesh;
            Found of_field;
            mesh.visit_faces(place, radius, choice, of_mesh);
            field.visit_faces(place, radius, choice, of_field);
            CAPTURE(i, static_cast<int>(choice), place.x, place.z, radius);
            REQUIRE(of_mesh.faces.size() == of_field.faces.size());
            most = std::max(most, of_mesh.faces.size());
            const auto middle_x = [](const GroundFace& face) {
                return face.corners[0].x + face.corners[1].x + face.corners[2].x;
            };
            for (Found* each : {&of_mesh, &of_field}) {
                std::sort(each->faces.begin(), each->faces.end(),
                          [&](const GroundFace& a, const GroundFace& b) {
                              return std::pair{a.normal.x, middle_x(a)} <
                                     std::pair{b.normal.x, middle_x(b)};
                          });
            }
            for (std::size_t k = 0; k < of_mesh.faces.size(); ++k) {
                const GroundFace& one = of_mesh.faces[k];
                const GroundFace& other = of_field.faces[k];
                CHECK(length_of(one.normal - other.normal) < 1e-9);
                CHECK(nearest_on(one, place).metres <= radius);
                double bends = 0;  // in whatever order the corners are
                for (std::size_t edge = 0; edge < 3; ++edge)
                    bends +=
                        dot(one.beyond[edge], one.normal) - dot(other.beyond[edge], other.normal);
                CHECK(std::fabs(bends) < 1e-9);
            }
        }
    }
    CHECK(most > 50);
    // Of a part that leans, they lean as a whole.
    Terrain raft;
    const GroundFrame frame{.position = {1, 2, 3}, .rotation = turned_by({0.5, 1, -0.3})};
    raft.add(mesh, raft.add_part(frame));
    for (int i = 0; i < 30; ++i) {
        const Vector3 local{random.between(-9, 9), random.between(-1, 1), random.between(-6, 6)};
        Found standing;
        Found leaning;
        mesh.visit_faces(local, 1, FaceChoice::all, standing);
        raft.visit_faces(frame.to_world(local), 1, 0, FaceChoice::all, leaning);
        REQUIRE(standing.faces.size() == leaning.faces.size());
        for (std::size_t k = 0; k < standing.faces.size(); ++k) {
            CHECK(leaning.faces[k].part == 1);
            for (std::size_t edge = 0; edge < 3; ++edge) {
                const GroundFace& one = standing.faces[k];
                const GroundFace& other = leaning.faces[k];
                CHECK(length_of(frame.to_world(one.corners[edge]) - other.corners[edge]) < 1e-9);
                CHECK(length_of(rotated(frame.rotation, one.beyond[edge]) - other.beyond[edge]) <
                      1e-9);
            }
        }
    }
    Terrain terrain;
    terrain.add(mesh);
    const EarlierGround earlier{terrain, 1};
    Found later;
    earlier.visit_faces({0, 0, 0}, 1, 0, FaceChoice::all, later);
    CHECK_FALSE(later.faces.empty());
    Found none;
    FlatGround{}.visit_faces({0, 0, 0}, 1, 0, FaceChoice::all, none);
    CHECK(none.faces.empty());
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

TEST_CASE("what moves is found to its edges, at any time, and nowhere else", "[ground]") {
    Random random{71};
    const auto somewhere = [&](double most) {
        return Vector3{random.between(-most, most), random.between(-most, most),
                       random.between(-most, most)};
    };
    for (int round = 0; round < 200; ++round) {
        const GroundFrame raft{.position = somewhere(20),
                               .rotation = turned_by(somewhere(0.15)),
                               .velocity = somewhere(3),
                               .angular_velocity = somewhere(0.1),
                               .acceleration = somewhere(2)};
        Terrain quay;
        const std::uint32_t part = quay.add_part(raft);
        const Vector3 half{random.between(0.1, 3), random.between(0.1, 1), random.between(0.1, 3)};
        const Vector3 middle = somewhere(2);
        const Terrain::Box box{.middle = middle, .size = half * 2};
        if (round % 2 == 0) {
            quay.add(box, part);
        } else {
            quay.add(mesh_of(box, 3), part);
        }
        const double ahead_s = random.between(-1, 1);
        const GroundFrame then = raft.ahead(ahead_s);
        const auto height_over = [&](double part_of_half) {
            const Vector3 top = middle + Vector3{part_of_half * half.x, half.y,
                                                 random.between(-1, 1) * part_of_half * half.z};
            const Vector3 place = then.to_world(top);
            const GroundPoint found = quay.under(place.x, place.z, place.y + 0.01, ahead_s);
            return found.exists ? std::optional{found.height - place.y} : std::nullopt;
        };
        CAPTURE(round, ahead_s);
        const auto on_it = height_over(0.999);
        REQUIRE(on_it.has_value());
        CHECK(*on_it == Approx(0).margin(1e-5));
        CHECK_FALSE(height_over(1.05).has_value());
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
