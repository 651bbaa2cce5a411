// Coherent noise over space and time, and the wind made of it.

#include <array>
#include <cmath>
#include <limits>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/base/random.hpp>
#include <hopcoil/field/space_noise.hpp>
#include <hopcoil/field/wind.hpp>

#include "support/allocations.hpp"
#include "support/instruction_sets.hpp"
#include "support/random.hpp"

using namespace hopcoil;

namespace {

template <int n>
std::array<double, n> somewhere(Random& random) {
    std::array<double, n> point{};
    for (double& each : point)
        each = random.between(-300, 300);
    return point;
}

template <int n>
void check_noise(const SpaceNoiseSettings& settings) {
    const SpaceNoise<n> noise{settings, 11};
    Random random{static_cast<unsigned>(n)};
    double sum = 0;
    double squares = 0;
    constexpr int count = 40'000;
    for (int i = 0; i < count; ++i) {
        const auto point = somewhere<n>(random);
        const NoiseSample<n> here = noise.at(point);
        sum += here.value;
        squares += here.value * here.value;
        CHECK(noise.value_at(point) == Approx(here.value).margin(1e-12));
        if (i % 100 != 0) continue;
        for (std::size_t axis = 0; axis < n; ++axis) {
            constexpr double h = 1e-5;
            auto before = point;
            auto after = point;
            before[axis] -= h;
            after[axis] += h;
            const double slope = (noise.at(after).value - noise.at(before).value) / (2 * h);
            CHECK(here.slope[axis] == Approx(slope).margin(2e-4));
        }
    }
    CHECK(sum / count == Approx(0).margin(0.05));
    CHECK(std::sqrt(squares / count) == Approx(1).epsilon(0.05));
}

double correlation(const std::vector<double>& values, std::size_t lag) {
    double mean = 0;
    for (const double each : values)
        mean += each / static_cast<double>(values.size());
    double product = 0;
    double square = 0;
    for (std::size_t i = 0; i + lag < values.size(); ++i)
        product += (values[i] - mean) * (values[i + lag] - mean);
    for (std::size_t i = 0; i + lag < values.size(); ++i)
        square += (values[i] - mean) * (values[i] - mean);
    return product / square;
}

}  // namespace

TEST_CASE("noise has mean 0, deviation 1 and the slopes that it says, in 1 to 4 dimensions",
          "[field][noise]") {
    check_noise<1>({.octaves = 1});
    check_noise<2>({.octaves = 3, .roughness = 0.6});
    check_noise<3>({.octaves = 2});
    check_noise<4>({.octaves = 2});
}

TEST_CASE("noise with a period repeats after it, and only along that axis", "[field][noise]") {
    const SpaceNoise<2> noise{{.octaves = 3, .roughness = 0.5, .period = {5, 0}}, 3};
    Random random{8};
    double apart = 0;
    for (int i = 0; i < 500; ++i) {
        const auto point = somewhere<2>(random);
        const double here = noise.at(point).value;
        CHECK(noise.at({point[0] + 5, point[1]}).value == Approx(here).margin(1e-9));
        apart = std::max(apart, std::abs(noise.at({point[0], point[1] + 5}).value - here));
    }
    CHECK(apart > 1);
    CHECK_THROWS(SpaceNoise<2>({.octaves = 0}, 1));
    CHECK_THROWS(SpaceNoise<2>({.roughness = 1.5}, 1));
    CHECK(noise.at({1e300, 0}).value == 0);
    CHECK(noise.at({std::nan(""), 0}).value == 0);
}

namespace {

/// Near and far, on the lattice and beside it, and where there is no noise.
template <int n>
std::vector<std::array<double, n>> points_of_all_kinds(std::size_t count) {
    Random random{static_cast<unsigned>(10 + n)};
    std::vector<std::array<double, n>> points;
    for (std::size_t i = 0; i < count; ++i)
        points.push_back(somewhere<n>(random));
    constexpr double nan = std::numeric_limits<double>::quiet_NaN();
    constexpr double infinite = std::numeric_limits<double>::infinity();
    std::size_t at = 1;
    for (const double odd : {-7.0, 0.0, -0.0, 1e300, -1e17, 1e15, infinite, nan}) {
        if (at < count) points[at][at % n] = odd;
        at += 3;
    }
    return points;
}

template <int n>
void check_many_at_once(const SpaceNoiseSettings& settings) {
    const SpaceNoise<n> noise{settings, 11};
    for (const InstructionSet set : available_sets()) {
        for (const std::size_t count : {1U, 2U, 3U, 8U, 9U, 40U}) {
            INFO(n << " axes, " << count << " points, set " << static_cast<int>(set));
            const auto points = points_of_all_kinds<n>(count);
            std::vector<double> values(count);
            std::vector<NoiseSample<n>> samples(count);
            noise.find_values(points, values, set);
            noise.find(points, samples, set);
            for (std::size_t i = 0; i < count; ++i) {
                CHECK(values[i] == noise.value_at(points[i]));
                const NoiseSample<n> alone = noise.at(points[i]);
                CHECK(samples[i].value == alone.value);
                CHECK(samples[i].slope == alone.slope);
            }
        }
    }
}

}  // namespace

TEST_CASE("noise and wind at many points at once are bit for bit those at each",
          "[field][noise][wind]") {
    for (const SpaceNoiseSettings& settings :
         {SpaceNoiseSettings{}, SpaceNoiseSettings{.octaves = 5, .roughness = 0.7},
          SpaceNoiseSettings{.octaves = 2, .period = {8, 0, 0, 3}}}) {
        check_many_at_once<1>(settings);
        check_many_at_once<2>(settings);
        check_many_at_once<3>(settings);
        check_many_at_once<4>(settings);
    }
    for (const bool is_divergence_free : {false, true}) {
        const Wind wind{{.is_divergence_free = is_divergence_free}, 5, {Shelter{{1, 0, 0}, 20}}};
        std::vector<Vector3> places;
        for (const auto& point : points_of_all_kinds<3>(150))
            places.push_back({point[0], point[1], point[2]});
        std::vector<WindSample> samples(140);
        wind.find(places, 2.5, samples);
        for (std::size_t i = 0; i < samples.size(); ++i)
            CHECK(samples[i].velocity == wind.at(places[i], 2.5).velocity);
    }
}

TEST_CASE("gusts have the mean, spread and correlation time asked for", "[field][wind]") {
    for (const double speed : {0.0, 3.0, 12.0}) {
        for (const double correlation_s : {0.5, 2.0}) {
            CAPTURE(speed, correlation_s);
            const Wind wind{{.mean_m_per_s = {speed, 0, 0},
                             .spread_m_per_s = 1.5,
                             .correlation_s = correlation_s},
                            42};
            constexpr double dt = 0.05;
            std::vector<double> along;
            for (int i = 0; i < 60'000; ++i)
                along.push_back(wind.at({3, 2, 1}, i * dt).velocity.x);
            double mean = 0;
            double square = 0;
            for (const double each : along) {
                mean += each / static_cast<double>(along.size());
                square += (each - speed) * (each - speed) / static_cast<double>(along.size());
            }
            CHECK(mean == Approx(speed).margin(0.15));
            CHECK(std::sqrt(square) == Approx(1.5).epsilon(0.1));
            // At its correlation time it has fallen to 1/e.
            CHECK(correlation(along, static_cast<std::size_t>(correlation_s / dt)) ==
                  Approx(0.37).margin(0.09));
        }
    }
}

TEST_CASE("near places feel the same gust, far ones another", "[field][wind]") {
    const Wind wind{{.gust_length_m = 10}, 7};
    double near = 0;
    double far = 0;
    double square = 0;
    for (int i = 0; i < 4000; ++i) {
        const double time_s = 3.7 * i;
        const auto gust = [&](double z) {
            return wind.at({0, 0, z}, time_s).velocity.x - 4;
        };
        near += gust(0) * gust(1);
        far += gust(0) * gust(60);
        square += gust(0) * gust(0);
    }
    CHECK(near / square > 0.9);
    CHECK(std::abs(far / square) < 0.1);
}

TEST_CASE("a wind without divergence has none", "[field][wind]") {
    const Wind wind{{.mean_m_per_s = {2, 0, 1}, .spread_m_per_s = 2, .is_divergence_free = true},
                    5};
    Random random{9};
    constexpr double h = 1e-4;
    double square = 0;
    for (int i = 0; i < 2000; ++i) {
        const Vector3 p{random.between(-50, 50), random.between(-50, 50), random.between(-50, 50)};
        const auto at = [&](const Vector3& step) {
            return wind.at(p + step, 3.3).velocity;
        };
        const double divergence = (at({h, 0, 0}).x - at({-h, 0, 0}).x + at({0, h, 0}).y -
                                   at({0, -h, 0}).y + at({0, 0, h}).z - at({0, 0, -h}).z) /
                                  (2 * h);
        CHECK(std::abs(divergence) < 1e-4);
        const Vector3 gust = at({}) - Vector3{2, 0, 1};
        square += dot(gust, gust) / (3 * 2000.0);
    }
    CHECK(std::sqrt(square) == Approx(2).epsilon(0.12));
}

TEST_CASE("behind a shelter the wind is weaker, before it and far away it is not",
          "[field][wind]") {
    const WindSettings steady{.mean_m_per_s = {5, 0, 0}, .spread_m_per_s = 0};
    const Wind wind{
        steady, 1, {{.centre = {10, 0, 0}, .radius_m = 1, .wake_m = 8, .strength = 0.7}}};
    const auto speed = [&](double x, double z) {
        return wind.at({x, 0, z}, 0).velocity.x;
    };
    CHECK(speed(10.2, 0) == Approx(1.5).epsilon(0.02));
    CHECK(speed(14, 0) > speed(11, 0));
    CHECK(speed(5, 0) == 5);
    CHECK(speed(30, 0) == 5);
    CHECK(speed(11, 5) == 5);
    CHECK_THROWS(Wind(steady, 1, {{.radius_m = -1}}));
    CHECK_THROWS(Wind({.correlation_s = 0}));
}

TEST_CASE("a wind is coherent where plain random numbers are not: its change a frame is small",
          "[field][wind]") {
    const Wind wind{{.spread_m_per_s = 1.5, .correlation_s = 1.5}, 3};
    Random random{4};
    double largest = 0;
    double largest_random = 0;
    double before_random = 0;
    for (int i = 1; i < 6000; ++i) {
        const auto at = [&](int frame) {
            return wind.at({}, frame / 60.0).velocity.x;
        };
        largest = std::max(largest, std::abs(at(i) - at(i - 1)));
        const double here = 1.5 * std::sqrt(3.0) * random.between(-1, 1);
        largest_random = std::max(largest_random, std::abs(here - before_random));
        before_random = here;
    }
    CHECK(largest < 0.25);
    CHECK(largest_random > 4);
}

TEST_CASE("sampling a wind does not allocate", "[field][wind]") {
    const Wind wind{{}, 2, {{.centre = {4, 0, 0}}}};
    const long before = allocations();
    double sum = 0;
    for (int i = 0; i < 100; ++i)
        sum += wind.at({1.0 * i, 0, 0}, 0.1 * i).velocity.x;
    CHECK(allocations() == before);
    CHECK(std::isfinite(sum));
}
