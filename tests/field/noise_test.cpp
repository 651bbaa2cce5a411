#include <cmath>
#include <set>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/base/random.hpp>
#include <hopcoil/field/noise.hpp>

using namespace hopcoil;
using Catch::Matchers::Contains;

TEST_CASE("random numbers are evenly spread, normal ones bell shaped, and streams differ",
          "[random]") {
    RandomNumbers numbers{stream_of(7, "spray.wall")};
    constexpr int count = 200'000;
    double sum = 0;
    double squares = 0;
    std::vector<int> bins(20);
    for (int i = 0; i < count; ++i) {
        const double x = numbers.unit();
        REQUIRE(x >= 0);
        REQUIRE(x < 1);
        ++bins[static_cast<std::size_t>(20 * x)];
        sum += x;
    }
    CHECK(sum / count == Approx(0.5).margin(0.003));
    for (const int bin : bins)
        CHECK(bin == Approx(count / 20).epsilon(0.05));
    double fourth = 0;
    sum = 0;
    for (int i = 0; i < count; ++i) {
        const double x = numbers.normal();
        sum += x;
        squares += x * x;
        fourth += x * x * x * x;
    }
    CHECK(sum / count == Approx(0).margin(0.01));
    CHECK(squares / count == Approx(1).margin(0.02));
    CHECK(fourth / count == Approx(3).margin(0.1));

    std::set<std::uint64_t> streams;
    for (const char* path : {"a", "b", "ab", "ba", "", "a.b"}) {
        for (const std::uint64_t seed : {0U, 1U, 2U})
            streams.insert(stream_of(seed, path));
    }
    CHECK(streams.size() == 18);
    RandomNumbers first{5};
    RandomNumbers copy = first;
    CHECK(first.bits() == copy.bits());
    // Two streams have nothing to do with one another.
    RandomNumbers left{stream_of(1, "left")};
    RandomNumbers right{stream_of(1, "right")};
    double both = 0;
    for (int i = 0; i < count; ++i)
        both += left.between(-1, 1) * right.between(-1, 1);
    CHECK(both / count == Approx(0).margin(0.005));
}

TEST_CASE("noise wanders within bounds, without leaps, as fast as asked", "[noise]") {
    for (const NoiseSettings settings :
         {NoiseSettings{.frequency_hz = 0.5, .octaves = 1},
          NoiseSettings{.frequency_hz = 2, .octaves = 4, .roughness = 0.6},
          NoiseSettings{.frequency_hz = 1, .octaves = 12, .roughness = 1}}) {
        const Noise noise{settings, 99};
        double least = 0;
        double most = 0;
        double squares = 0;
        int beyond_1 = 0;
        int count = 0;
        int turns = 0;
        double last_slope = 0;
        for (int i = -20'000; i < 20'000; ++i) {
            const double t = i * 0.01 / settings.frequency_hz;
            const Noise::Point here = noise.at(t);
            least = std::min(least, here.value);
            squares += here.value * here.value;
            beyond_1 += std::abs(here.value) > 1;
            ++count;
            most = std::max(most, here.value);
            // The slope is that of the value, and neither leaps.
            const double h = 1e-6 / noise.highest_hz();
            const double difference = (noise.at(t + h).value - noise.at(t - h).value) / (2 * h);
            CHECK(here.slope == Approx(difference).margin(1e-4 * noise.highest_hz()));
            CHECK(noise.at(t + h).slope == Approx(here.slope).margin(1e-4 * noise.highest_hz()));
            turns += here.slope * last_slope < 0;
            last_slope = here.slope;
        }
        CHECK(least > -1.6);
        CHECK(most < 1.6);
        CHECK(std::sqrt(squares / count) == Approx(0.3).margin(0.06));
        CHECK(beyond_1 < 0.005 * count);
        if (settings.octaves == 1) {
            const double seconds = 400 / settings.frequency_hz;
            CHECK(turns / seconds / settings.frequency_hz == Approx(1.2).margin(0.5));
        }
    }
    CHECK(Noise({}, 1).at(0.3).value != Noise({}, 2).at(0.3).value);
    CHECK(Noise({}, 1).at(1e300).value == 0);
    CHECK_THROWS_WITH(Noise({.octaves = 0}, 1), Contains("octaves"));
    CHECK_THROWS_WITH(Noise({.frequency_hz = 0}, 1), Contains("frequency_hz"));
    CHECK_THROWS_WITH(Noise({.roughness = 2}, 1), Contains("roughness"));
}
