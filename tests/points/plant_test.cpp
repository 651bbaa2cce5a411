#include <algorithm>
#include <cmath>
#include <limits>
#include <memory>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/base/random.hpp>
#include <hopcoil/base/state.hpp>
#include <hopcoil/points/plant.hpp>

#include "points/plant_reference.hpp"
#include "support/allocations.hpp"
#include "support/vectors.hpp"

using namespace hopcoil;

namespace {

using Shared = std::shared_ptr<const PlantStructure>;

Shared grown(const PlantShape& shape, std::uint64_t stream = 7,
             const PlantModeSettings& settings = {}) {
    return std::make_shared<const PlantStructure>(shape, stream, settings);
}

/// Of 13 branches.
Shared small_tree() {
    return grown({.levels = 3, .children = 3, .pieces = 1});
}

/// A base that is shaken about, from rest.
Vector3 shaken(double t, double by) {
    const double ramp = t > 0 ? t * t * t / (t * t * t + 0.05) : 0;
    return Vector3{std::sin(6.9 * t) + 0.5 * std::sin(14.5 * t), 0.3 * std::sin(9 * t),
                   std::sin(4.4 * t)} *
           (by * ramp);
}

Vector3 rate_of(const std::function<Vector3(double)>& way, double t) {
    return (way(t + 1e-4) - way(t - 1e-4)) * (1 / 2e-4);
}

/// What happens to a plant.
struct Weather {
    const Wind* wind = nullptr;
    std::function<Vector3(double)> base = [](double) {
        return Vector3{};
    };
    std::function<std::vector<PlantPull>(double)> pulls = [](double) {
        return std::vector<PlantPull>{};
    };
};

/// The root mean square of how far tips are from where the reference has them, over the same of
/// how far they have moved.
double tip_error(const Shared& structure, const PlantSettings& settings, const Weather& weather) {
    PlantReference reference{*structure, settings};
    if (weather.wind != nullptr) {
        reference.stream = [&](const Vector3& place, double t) {
            return weather.wind->at(place, t).velocity;
        };
    }
    reference.base = weather.base;
    reference.pulls = weather.pulls;
    Plant plant{structure, settings};
    double error = 0;
    double size = 0;
    for (int frame = 0; frame < 120; ++frame) {
        const double t = frame / 60.0;
        constexpr int finer = 10;
        for (int i = 0; i < finer; ++i)
            reference.step(t + i / (60.0 * finer), 1 / (60.0 * finer));
        const double end_s = t + 1 / 60.0;
        const auto pulls = weather.pulls(t + 1 / 120.0);
        plant.step({.base = weather.base(end_s),
                    .base_velocity = rate_of(weather.base, end_s),
                    .wind = weather.wind,
                    .time_s = end_s,
                    .pulls = pulls},
                   1 / 60.0);
        const std::vector<Vector3>& wanted = reference.ends();
        for (const std::size_t tip : structure->tips()) {
            const Vector3 off = plant.positions()[tip + 1] - plant.positions()[0] - wanted[tip];
            const Vector3 way = wanted[tip] - structure->branches()[tip].end;
            error += dot(off, off);
            size += dot(way, way);
        }
    }
    CHECK(size > 0);
    return std::sqrt(error / size);
}

}  // namespace

TEST_CASE("as many branches grow as were counted before", "[plant]") {
    RandomNumbers numbers{stream_of(1, "plants")};
    for (int i = 0; i < 60; ++i) {
        const PlantShape shape{.levels = 1 + static_cast<std::size_t>(numbers.between(0, 5)),
                               .children = 1 + static_cast<std::size_t>(numbers.between(0, 4)),
                               .pieces = 1 + static_cast<std::size_t>(numbers.between(0, 4)),
                               .variation = numbers.between(0, 0.6),
                               .least_length_m = numbers.between(0.01, 0.3),
                               .is_fan = numbers.unit() < 0.5};
        const std::uint64_t stream = numbers.bits();
        const std::vector<PlantBranch> branches = grown_branches(shape, stream);
        CHECK(branches.size() == count_branches(shape, stream));
        for (const PlantBranch& branch : branches) {
            if (shape.is_fan) CHECK(branch.end.z == 0);
        }
    }
    CHECK(count_branches({.levels = 4, .children = 3, .pieces = 2, .variation = 0}, 1) == 80);
    const PlantShape endless{.levels = 24, .children = 64, .length_ratio = 1};
    CHECK(count_branches(endless, 1, 1000) == 1001);
    CHECK_THROWS_AS(grown_branches(endless, 1), InvalidValue);
    CHECK_THROWS_AS(grown_branches({.variation = 1}, 1), InvalidValue);
}

TEST_CASE("a branch by itself has the frequency of a clamped beam", "[plant]") {
    constexpr double youngs_modulus = 6e9;
    constexpr double density = 650;
    for (std::size_t pieces = 1; pieces <= 8; ++pieces) {
        const PlantShape shape{.levels = 1,
                               .pieces = pieces,
                               .trunk_length_m = 1.7,
                               .trunk_radius_m = 0.02,
                               .radius_ratio = 1};
        const Shared branch = grown(shape);
        const double closed = 3.516015 / (2 * math::pi) * (0.02 / 2) / (1.7 * 1.7) *
                              std::sqrt(youngs_modulus / density);
        CHECK(branch->frequency_hz(youngs_modulus, density) == Approx(closed).epsilon(0.001));

        // And that is how quickly it swings.
        Plant plant{branch, {.frequency_hz = closed, .damping_ratio = 0.8, .drag_coefficient = 0}};
        const std::vector<PlantPull> pulls{{pieces - 1, {0.01, 0, 0}}};
        for (int i = 0; i < 500; ++i)
            plant.step({.pulls = pulls}, 0.02);
        plant.retune({.frequency_hz = closed, .damping_ratio = 0.01, .drag_coefficient = 0});
        int crossings = 0;
        double before = 1;
        double last_s = 0;
        for (int i = 1; crossings < 20 && i < 100'000; ++i) {
            plant.step({}, 1e-3);
            const double now = plant.positions().back().x;
            if ((now < 0) != (before < 0)) {
                ++crossings;
                last_s = i * 1e-3;
            }
            before = now;
        }
        // From its furthest: a quarter of a swing to the first crossing.
        CHECK(last_s == Approx(9.75 / closed).epsilon(0.01));
    }
}

TEST_CASE("the modes are those of the whole coupled tree", "[plant]") {
    const Shared tree = grown({.levels = 3, .children = 3, .pieces = 2}, 3);
    const PlantReference reference{*tree, {}};
    // The last three are made to bend fully under an even load.
    for (std::size_t k = 0; k + 6 < tree->mode_count(); ++k)
        CHECK(tree->frequency_ratio(k) ==
              Approx(reference.ratios[static_cast<Eigen::Index>(k)]).epsilon(1e-3));
}

TEST_CASE("tips go where a fine simulation of all rods has them", "[plant][long]") {
    const PlantSettings settings{.frequency_hz = 1.2};
    const Shared tree = small_tree();
    SECTION("in gusts") {
        const Wind wind{{.mean_m_per_s = {4, 0, 1}, .spread_m_per_s = 2}, 3};
        CHECK(tip_error(tree, settings, {.wind = &wind}) < 0.1);
    }
    SECTION("in a gale that bends it by half its height and more") {
        const Wind wind{{.mean_m_per_s = {22, 0, 3}, .spread_m_per_s = 5, .gust_length_m = 33}, 3};
        CHECK(tip_error(tree, settings, {.wind = &wind}) < 0.1);
    }
    SECTION("on a shaken base") {
        const auto base = [](double t) {
            return shaken(t, 0.03);
        };
        CHECK(tip_error(tree, settings, {.base = base}) < 0.01);
    }
    SECTION("on a base that is shaken until tips move by half of the height") {
        const auto base = [](double t) {
            return shaken(t, 0.4);
        };
        CHECK(tip_error(tree, settings, {.base = base}) < 0.07);
        const Shared other = grown({.levels = 3, .children = 3, .pieces = 1}, 5);
        CHECK(tip_error(other, settings, {.base = base}) < 0.07);
    }
    SECTION("on a shaken base, in a gale") {
        const Wind wind{{.mean_m_per_s = {22, 0, 3}, .spread_m_per_s = 5, .gust_length_m = 33}, 3};
        const auto base = [](double t) {
            return shaken(t, 0.1);
        };
        CHECK(tip_error(tree, settings, {.wind = &wind, .base = base}) < 0.05);
    }
    SECTION("when pushed") {
        const auto pulls = [&](double t) {
            const double part = (t - 0.1) / 0.25;
            const double force = part > 0 && part < 1 ? 0.3 * std::sin(math::pi * part) : 0;
            return std::vector<PlantPull>{{tree->tips().front(), {force, 0, force / 2}}};
        };
        CHECK(tip_error(tree, settings, {.pulls = pulls}) < 0.1);
    }
}

TEST_CASE("a lasting pull bends a branch as its spring says", "[plant]") {
    const Shared branch = grown({.levels = 1, .pieces = 1});
    const PlantSettings settings{.frequency_hz = 2, .damping_ratio = 1};
    const PlantStructure::Rod& rod = branch->rods()[0];
    const double density = settings.density_kg_per_m3 + settings.fluid_density_kg_per_m3;
    const double w = 2 * math::pi * settings.frequency_hz;
    const double inertia = density * rod.volume_m3 * rod.length_m * rod.length_m / 3;
    const double stiffness = inertia * w * w;
    Plant plant{branch, settings};
    // At the angle where pull and spring are in balance.
    const double angle = 0.8;
    const double force = stiffness * angle / (rod.length_m * std::cos(angle));
    const std::vector<PlantPull> pulls{{0, {force, 0, 0}}};
    for (int i = 0; i < 300; ++i)
        plant.step({.pulls = pulls}, 1.0 / 60);
    CHECK(plant.positions()[1].x == Approx(rod.length_m * std::sin(angle)).epsilon(1e-6));
    CHECK(apart(rotated(plant.rotations()[1], {0, rod.length_m, 0}), plant.positions()[1]) < 1e-12);
    CHECK_FALSE(plant.still());
}

TEST_CASE("a plant moves alike at every frame rate", "[plant]") {
    const Shared tree = grown({.levels = 4, .children = 3, .pieces = 1});
    const Wind wind{{}, 5};
    const auto base = [](double t) {
        return shaken(t, 0.04);
    };
    const auto turn = [](double t) {
        return turned_by({0.1 * t * t, 0.3 * t, 0});
    };
    const auto tips_at = [&](int rate, const Wind* blowing) {
        Plant plant{tree};
        std::vector<Vector3> tips;
        for (int i = 1; i <= 3 * rate; ++i) {
            const double t = static_cast<double>(i) / rate;
            plant.step({.base = base(t),
                        .base_velocity = rate_of(base, t),
                        .facing = turn(t),
                        .wind = blowing,
                        .time_s = t},
                       1.0 / rate);
            if (i % (rate / 12) != 0) continue;
            for (const std::size_t tip : tree->tips())
                tips.push_back(plant.positions()[tip + 1]);
        }
        return tips;
    };
    for (const Wind* blowing : {static_cast<const Wind*>(nullptr), &wind}) {
        const std::vector<Vector3> fine = tips_at(144, blowing);
        for (const int rate : {24, 60}) {
            const std::vector<Vector3> coarse = tips_at(rate, blowing);
            double worst = 0;
            for (std::size_t i = 0; i < fine.size(); ++i)
                worst = std::max(worst, apart(fine[i], coarse[i]));
            CHECK(worst < 0.01 * tree->reach_m());
        }
    }
}

TEST_CASE("what is known of a base's velocity counts more than its places", "[plant]") {
    const Shared tree = grown({.levels = 4, .children = 3, .pieces = 1});
    const auto turned = [](double t) {
        return Vector3{0, 0.5 * std::sin(2 * t), 0};
    };
    // Places are to a twentieth of a millimetre only, at times that are unevenly apart.
    const auto fastest_tip = [&](double grid_m, bool is_even) {
        Plant plant{tree};
        double fastest = 0;
        double t = 0;
        for (int i = 0; i < 2400; ++i) {
            const double dt = is_even ? 1.0 / 800 : i % 2 == 0 ? 1.0 / 440 : 1.0 / 4400;
            t += dt;
            const Vector3 exact = shaken(t, 0.04);
            const auto rounded = [&](double number) {
                return grid_m > 0 ? std::round(number / grid_m) * grid_m : number;
            };
            plant.step({.base = {rounded(exact.x), rounded(exact.y), rounded(exact.z)},
                        .base_velocity = rate_of([](double s) { return shaken(s, 0.04); }, t),
                        .facing = turned_by(turned(t)),
                        .base_spin = rate_of(turned, t)},
                       dt);
            for (const Vector3& each : plant.velocities())
                fastest = std::max(fastest, length_of(each));
        }
        return fastest;
    };
    const double exact = fastest_tip(0, true);
    CHECK(fastest_tip(0, false) == Approx(exact).epsilon(0.01));
    CHECK(fastest_tip(5e-5, false) == Approx(exact).epsilon(0.1));
}

TEST_CASE("without wind every step takes energy, and the end is rest", "[plant]") {
    const Shared tree = grown({.levels = 4, .children = 2, .pieces = 2});
    for (const double dt : {0.001, 1.0 / 60, 0.2, 2.0}) {
        for (const double damping : {0.0, 0.06, 1.0}) {
            Plant plant{tree, {.damping_ratio = damping}};
            plant.push(tree->size() - 1, {0.02, 0.01, -0.01});
            plant.push(3, {-0.05, 0, 0.1});
            double before = plant.energy();
            for (int i = 0; i < 300; ++i) {
                plant.step({}, dt);
                CHECK(plant.energy() <= before * (1 + 1e-12));
                before = plant.energy();
            }
        }
    }
    Plant plant{tree};
    plant.push(0, {0.1, 0, 0});
    for (int i = 0; i < 6000 && !plant.still(); ++i)
        plant.step({}, 1.0 / 60);
    REQUIRE(plant.still());
    const Plant fresh{tree};
    CHECK(
        std::equal(plant.positions().begin(), plant.positions().end(), fresh.positions().begin()));
    plant.step({.base = {0.01, 0, 0}}, 1.0 / 60);
    CHECK_FALSE(plant.still());
}

TEST_CASE("however a base is thrown about, a plant stays in one piece and calms down",
          "[plant][long]") {
    for (std::uint64_t seed = 1; seed <= 5; ++seed) {
        RandomNumbers random{seed};
        const Shared tree = grown({.levels = 3, .children = 3, .pieces = 2}, seed);
        Plant plant{
            tree,
            {.frequency_hz = random.between(0.2, 5), .damping_ratio = random.between(0, 0.3)}};
        Vector3 base{};
        double furthest = 0;
        for (int i = 0; i < 400; ++i) {
            if (random.unit() < 0.1)
                base = {random.between(-2, 2), random.between(-2, 2), random.between(-2, 2)};
            const Quaternion facing = turned_by({random.between(-1, 1), random.between(-1, 1), 0});
            const double dt = random.unit() < 0.5 ? 1.0 / 60 : random.between(0.001, 0.3);
            REQUIRE(plant.step({.base = base, .facing = facing}, dt) == StepStatus::stepped);
            for (const Vector3& place : plant.positions())
                furthest = std::max(furthest, apart(place, base));
        }
        CHECK(furthest < 1.2 * tree->reach_m());
        const double before = plant.energy();
        for (int i = 0; i < 600; ++i)
            plant.step({.base = base}, 1.0 / 60);
        CHECK(plant.energy() <= before);
    }
}

TEST_CASE("a gale at five steps a second throws nothing about", "[plant]") {
    const Shared tree = grown({.levels = 4, .children = 3, .pieces = 2});
    const Wind gale{{.mean_m_per_s = {32, 0, 0}, .spread_m_per_s = 6, .gust_length_m = 60}, 2};
    Plant plant{tree, {.frequency_hz = 0.6, .damping_ratio = 0.02}};
    double fastest = 0;
    for (int i = 1; i <= 600; ++i) {
        REQUIRE(plant.step({.wind = &gale, .time_s = i / 5.0}, 0.2) == StepStatus::stepped);
        for (const Vector3& velocity : plant.velocities())
            fastest = std::max(fastest, std::sqrt(dot(velocity, velocity)));
    }
    CHECK(fastest < 45);
    // It leans with the wind.
    double lean = 0;
    for (const Vector3& place : plant.positions())
        lean += place.x / static_cast<double>(plant.positions().size());
    CHECK(lean > 0.2 * tree->reach_m());
}

TEST_CASE("a flat plant stays in its plane", "[plant]") {
    const Shared fan = grown({.levels = 4, .is_fan = true}, 2, {.is_flat = true});
    const Wind wind{{.mean_m_per_s = {4, 1, 3}}, 2};
    Plant plant{fan};
    for (int i = 1; i <= 120; ++i) {
        plant.step({.wind = &wind, .time_s = i / 60.0}, 1.0 / 60);
        for (const Vector3& place : plant.positions())
            CHECK(std::abs(place.z) < 1e-12);
    }
}

TEST_CASE("a plant's state is a value", "[plant]") {
    const Shared tree = small_tree();
    const Wind wind{{}, 5};
    const auto run = [&](Plant& plant, int from, int to) {
        for (int i = from; i < to; ++i) {
            const double t = i / 60.0;
            plant.step({.base = shaken(t, 0.05), .wind = &wind, .time_s = t}, 1.0 / 60);
        }
    };
    Plant plant{tree};
    run(plant, 1, 50);
    const std::vector<std::byte> kept = save_state(plant);
    Plant copy = plant;
    run(plant, 50, 90);
    run(copy, 50, 90);
    CHECK(save_state(plant) == save_state(copy));
    Plant loaded{tree};
    REQUIRE(load_state(loaded, kept));
    run(loaded, 50, 90);
    CHECK(save_state(loaded) == save_state(plant));
    CHECK(std::equal(loaded.positions().begin(), loaded.positions().end(),
                     plant.positions().begin()));

    Plant moved = plant;
    const Quaternion quarter = turned_by({0, math::pi / 2, 0});
    moved.cut({5, 0, 0}, quarter);
    for (std::size_t i = 0; i < plant.positions().size(); ++i) {
        const Vector3 arm = plant.positions()[i] - plant.positions()[0];
        CHECK(apart(moved.positions()[i], Vector3{5, 0, 0} + rotated(quarter, arm)) < 1e-12);
    }
}

TEST_CASE("what cannot be is refused, and steps do not allocate", "[plant]") {
    const Shared tree = small_tree();
    Plant plant{tree};
    const double nan = std::numeric_limits<double>::quiet_NaN();
    CHECK(plant.step({}, -1) == StepStatus::rejected);
    CHECK(plant.step({}, nan) == StepStatus::rejected);
    CHECK(plant.step({.base = {nan, 0, 0}}, 0.1) == StepStatus::rejected);
    CHECK(plant.step({.base = {1e300, 0, 0}}, 1e-3) == StepStatus::rejected);
    CHECK(plant.push(1000, {1, 0, 0}) == StepStatus::rejected);
    CHECK(plant.push(0, {nan, 0, 0}) == StepStatus::rejected);
    CHECK(plant.rejected_inputs() == 6);
    CHECK(plant.still());

    // What was refused has left nothing behind.
    Plant swaying{tree};
    swaying.push(2, {0.1, 0, 0});
    swaying.step({}, 1.0 / 60);
    Plant twin = swaying;
    CHECK(swaying.step({.base = {1e300, 0, 0}}, 1e-3) == StepStatus::rejected);
    for (Plant* each : {&swaying, &twin}) {
        each->push(3, {0, 0.1, 0.1});
        each->step({}, 1.0 / 60);
    }
    CHECK(std::equal(swaying.positions().begin(), swaying.positions().end(),
                     twin.positions().begin()));

    CHECK_THROWS_AS((Plant{nullptr}), InvalidValue);
    CHECK_THROWS_AS((Plant{tree, {.frequency_hz = 0}}), InvalidValue);
    CHECK_THROWS_AS(plant.retune({.damping_ratio = -1}), InvalidValue);
    CHECK_THROWS_AS(PlantStructure(std::vector<PlantBranch>{}), InvalidValue);
    CHECK_THROWS_AS(PlantStructure(std::vector<PlantBranch>{{.parent = 0}}), InvalidValue);
    CHECK_THROWS_AS(PlantStructure(std::vector<PlantBranch>{{.end = {0, 0, 0}}}), InvalidValue);
    CHECK_THROWS_AS(PlantStructure(std::vector<PlantBranch>{{.radius_m = -1}}), InvalidValue);
    CHECK_THROWS_AS(PlantStructure(std::vector<PlantBranch>(1), {.count = 99}), InvalidValue);

    const Wind wind{{}, 5};
    const std::vector<PlantPull> pulls{{2, {0.1, 0, 0}}};
    const long before = allocations();
    for (int i = 1; i < 60; ++i) {
        plant.step(
            {.base = shaken(i / 60.0, 0.05), .wind = &wind, .time_s = i / 60.0, .pulls = pulls},
            i % 7 == 0 ? 0.1 : 1.0 / 60);
    }
    plant.push(3, {0.1, 0, 0});
    CHECK(allocations() == before);
}
