// A bed of reeds on the quay's mud flat, stepped as one thing in one wind: each row is a moment,
// each letter a reed, further along the alphabet the further it leans. Gusts go through the bed
// from left to right. At two seconds a heron brushes through the middle of it.

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdio>
#include <memory>
#include <vector>

#include <hopcoil/base/random.hpp>
#include <hopcoil/points/plant_bed.hpp>

using namespace hopcoil;

namespace {

constexpr std::size_t count = 48;
constexpr double height_m = 1.2;
constexpr double frame_s = 1.0 / 60;

/// How far a reed's tip is off the place above its foot.
double lean_of(const PlantBed& reeds, std::size_t reed) {
    const Vector3 way = reeds.positions(reed).back() - reeds.positions(reed).front();
    return std::hypot(way.x, way.z);
}

}  // namespace

int main() {
    // One shape for all of them: they differ in where they stand and how they are turned.
    const auto reed = std::make_shared<const PlantStructure>(
        PlantShape{.levels = 1,
                   .pieces = 4,
                   .trunk_length_m = height_m,
                   .trunk_radius_m = 0.004,
                   .variation = 0},
        stream_of(7, "reed"), PlantModeSettings{.count = 6, .wind_points = 1});
    RandomNumbers numbers{stream_of(7, "reeds")};
    std::vector<PlantBase> places(count);
    for (std::size_t i = 0; i < count; ++i) {
        places[i].place = {0.4 * static_cast<double>(i), 0, numbers.between(-0.2, 0.2)};
        places[i].facing = turned_by({0, numbers.between(-3, 3), 0});
    }
    PlantBed reeds{reed, {.frequency_hz = 1.1, .damping_ratio = 0.08}, places};
    const Wind wind{{.mean_m_per_s = {4, 0, 0}, .spread_m_per_s = 1.5, .gust_length_m = 5},
                    stream_of(7, "flat")};

    // What blows along the bed, at all places at once.
    std::vector<Vector3> heads;
    heads.reserve(count);
    for (const PlantBase& base : places)
        heads.push_back(base.place + Vector3{0, height_m, 0});
    std::vector<WindSample> blows(count);

    std::puts("        wind m/s   how far each reed leans, 3 cm a letter");
    double furthest_m = 0;
    for (int frame = 1; frame <= 240; ++frame) {
        const double now_s = frame * frame_s;
        if (frame == 120) {
            for (std::size_t i = 20; i < 28; ++i)
                reeds.push(i, reed->size() - 1, {0, 0, 0.02});
        }
        reeds.step({.wind = &wind, .time_s = now_s}, frame_s);
        for (std::size_t i = 0; i < count; ++i)
            furthest_m = std::max(furthest_m, lean_of(reeds, i));
        if (frame % 15 != 0) continue;
        wind.find(heads, now_s, blows);
        const auto [calm, gust] = std::minmax_element(
            blows.begin(), blows.end(),
            [](const WindSample& a, const WindSample& b) { return a.velocity.x < b.velocity.x; });
        std::array<char, count + 1> row{};
        for (std::size_t i = 0; i < count; ++i) {
            const int letter = std::min(25, static_cast<int>(lean_of(reeds, i) / 0.03));
            row[i] = static_cast<char>('a' + letter);
        }
        std::printf("%4.2f s  %3.1f to %3.1f  %s\n", now_s, calm->velocity.x, gust->velocity.x,
                    row.data());
    }
    std::printf("the furthest %.2f m of %.1f m\n", furthest_m, height_m);
}
