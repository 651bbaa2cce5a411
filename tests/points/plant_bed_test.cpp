// Many plants side by side: each has to be what it would be by itself.

#include <algorithm>
#include <cmath>
#include <limits>
#include <memory>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/base/state.hpp>
#include <hopcoil/points/plant.hpp>

#include "support/allocations.hpp"
#include "support/instruction_sets.hpp"

using namespace hopcoil;

namespace {

using Shared = std::shared_ptr<const PlantStructure>;

const Shared& bush() {
    static const Shared all =
        std::make_shared<const PlantStructure>(PlantShape{.levels = 3, .children = 3}, 7,
                                               PlantModeSettings{.count = 11, .wind_points = 3});
    return all;
}

std::vector<PlantBase> strewn(std::size_t count) {
    std::vector<PlantBase> bases;
    for (std::size_t i = 0; i < count; ++i) {
        const auto at = static_cast<double>(i);
        bases.push_back({.place = {0.7 * at, 0, 0.1 * at}, .facing = turned_by({0, 0.3 * at, 0})});
    }
    return bases;
}

bool is_alike(const PlantBed& bed, std::size_t plant, const Plant& alone) {
    const auto same = [](const auto& a, const auto& b) {
        return std::equal(a.begin(), a.end(), b.begin(), b.end());
    };
    return same(bed.positions(plant), alone.positions()) &&
           same(bed.velocities(plant), alone.velocities()) &&
           same(bed.rotations(plant), alone.rotations()) && same(bed.spins(plant), alone.spins()) &&
           bed.energy(plant) == alone.energy();
}

/// A frame of what happens to a bed: wind that comes and goes, a base that is shaken and once is
/// nowhere, pulls, long frames.
struct Frame {
    const Wind* wind;
    double time_s;
    double dt;
    std::vector<PlantBase> bases;
    std::vector<PlantPull> pulls{};
};

Frame frame_of(int number, const Wind& wind, std::size_t plants) {
    const double t = number / 60.0;
    const bool is_windy = number < 50 || (number > 100 && number < 120);
    Frame frame{.wind = is_windy ? &wind : nullptr,
                .time_s = t,
                .dt = number % 17 == 0 ? 0.1 : 1.0 / 60,
                .bases = strewn(plants)};
    if (number > 20 && number < 45) frame.bases[0].place.x += 0.05 * std::sin(54 * t);
    if (number == 30) frame.bases[0].place.y = std::numeric_limits<double>::quiet_NaN();
    if (number % 9 < 3) frame.pulls.push_back({2, {0.3, 0.1, 0}, plants - 1});
    return frame;
}

void step_alone(Plant& plant, std::size_t index, const Frame& frame) {
    std::vector<PlantPull> own;
    for (const PlantPull& pull : frame.pulls) {
        if (pull.plant == index) own.push_back({pull.branch, pull.force_n});
    }
    plant.step({.base = frame.bases[index].place,
                .facing = frame.bases[index].facing,
                .wind = frame.wind,
                .time_s = frame.time_s,
                .pulls = own},
               frame.dt);
}

}  // namespace

TEST_CASE("each plant of a bed is bit for bit one by itself", "[plant][bed]") {
    const Wind wind{{.mean_m_per_s = {6, 0, 2}, .spread_m_per_s = 3}, 3};
    for (const InstructionSet set : available_sets()) {
        for (const std::size_t count : {1U, 2U, 3U, 8U, 11U}) {
            INFO("set " << static_cast<int>(set) << ", " << count << " plants");
            std::vector<Plant> alone;
            for (const PlantBase& base : strewn(count))
                alone.emplace_back(bush(), PlantSettings{}, base.place, base.facing);
            PlantBed bed{bush(), {}, strewn(count)};
            bed.use(set);
            for (int number = 1; number <= 130; ++number) {
                const Frame frame = frame_of(number, wind, count);
                bed.step({.bases = frame.bases,
                          .wind = frame.wind,
                          .time_s = frame.time_s,
                          .pulls = frame.pulls},
                         frame.dt);
                for (std::size_t i = 0; i < count; ++i)
                    step_alone(alone[i], i, frame);
                if (number == 40) {
                    bed.push(count - 1, 3, {0.05, 0, 0.02});
                    alone.back().push(3, {0.05, 0, 0.02});
                }
                for (std::size_t i = 0; i < count; ++i)
                    REQUIRE(is_alike(bed, i, alone[i]));
            }
            CHECK(bed.rejected_inputs() == 1);
        }
    }
}

TEST_CASE("plants of a bed rest one by one, and the bed is still when all do", "[plant][bed]") {
    PlantBed bed{bush(), {.damping_ratio = 1}, strewn(9)};
    CHECK(bed.still());
    bed.push(4, 2, {0.01, 0, 0});
    CHECK_FALSE(bed.still());
    const std::vector<Vector3> before(bed.positions(3).begin(), bed.positions(3).end());
    for (int i = 0; i < 2000 && !bed.still(); ++i)
        bed.step({}, 1.0 / 60);
    CHECK(bed.still());
    CHECK(bed.energy() == 0);
    CHECK(std::equal(before.begin(), before.end(), bed.positions(3).begin()));
}

TEST_CASE("a bed's state is a value, and what cannot be is refused", "[plant][bed]") {
    const Wind wind{{}, 5};
    const auto run = [&](PlantBed& bed, int from, int to) {
        for (int i = from; i < to; ++i)
            bed.step({.wind = &wind, .time_s = i / 60.0}, 1.0 / 60);
    };
    PlantBed bed{bush(), {}, strewn(10)};
    run(bed, 1, 30);
    const std::vector<std::byte> kept = save_state(bed);
    run(bed, 30, 50);
    PlantBed loaded{bush(), {}, strewn(10)};
    REQUIRE(load_state(loaded, kept));
    run(loaded, 30, 50);
    CHECK(save_state(loaded) == save_state(bed));
    PlantBed larger{bush(), {}, strewn(11)};
    CHECK_FALSE(load_state(larger, kept));

    CHECK_THROWS_AS((PlantBed{nullptr, {}, strewn(2)}), InvalidValue);
    CHECK_THROWS_AS((PlantBed{bush(), {}, {}}), InvalidValue);
    CHECK_THROWS_AS((PlantBed{bush(), {.frequency_hz = -1}, strewn(2)}), InvalidValue);
    CHECK_THROWS_AS(bed.retune({.damping_ratio = -1}), InvalidValue);
    const std::vector<PlantBase> few = strewn(3);
    CHECK(bed.step({.bases = few}, 0.1) == StepStatus::rejected);
    CHECK(bed.step({}, -1) == StepStatus::rejected);
    CHECK(bed.push(10, 0, {1, 0, 0}) == StepStatus::rejected);
    CHECK(bed.cut(0, {std::nan(""), 0, 0}, {}) == StepStatus::rejected);
    CHECK(bed.rejected_inputs() == 4);
    CHECK(bed.positions(10).empty());

    const std::vector<PlantPull> pulls{{2, {0.1, 0, 0}, 4}, {1000, {1, 0, 0}, 4}, {0, {}, 1000}};
    const std::vector<PlantBase> bases = strewn(10);
    const long before = allocations();
    for (int i = 1; i < 20; ++i)
        bed.step({.bases = bases, .wind = &wind, .time_s = i / 60.0, .pulls = pulls}, 1.0 / 30);
    bed.cut(3, {1, 0, 0}, {});
    CHECK(allocations() == before);
}
