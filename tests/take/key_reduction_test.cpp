// Few keys, within the tolerance everywhere, and none too many.

#include <algorithm>
#include <cmath>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/base/quaternion.hpp>
#include <hopcoil/follow/follower.hpp>
#include <hopcoil/take/key_reduction.hpp>

#include "support/random.hpp"

using namespace hopcoil;
using Catch::Matchers::Contains;

namespace {

struct Samples {
    std::vector<double> times_s;
    std::vector<double> values;
};

/// A follower after random jumps, glides and rests.
Samples random_motion(Random& random, double rate_hz) {
    Follower<double> lamp{
        {.frequency_hz = random.over_magnitudes(0.3, 4), .damping_ratio = random.between(0.1, 1.2)},
        0};
    Samples samples;
    double target = 0;
    double slope = 0;
    for (int i = 0; i < 10 * rate_hz; ++i) {
        samples.times_s.push_back(i / rate_hz);
        samples.values.push_back(lamp.value());
        if (random.chance(0.01)) lamp.jump(target = random.between(-1, 1));
        if (random.chance(0.02)) slope = random.chance(0.5) ? 0 : random.between(-1, 1);
        target += slope / rate_hz;
        lamp.step(target, 1 / rate_hz);
    }
    return samples;
}

double largest_error_at_samples(const KeyCurve& curve, const Samples& samples) {
    double largest = 0;
    for (std::size_t i = 0; i < samples.times_s.size(); ++i)
        largest = std::max(largest, std::abs(curve.at(samples.times_s[i]) - samples.values[i]));
    return largest;
}

}  // namespace

TEST_CASE("reduced keys keep to the tolerance at and between samples", "[bake]") {
    Random random{81};
    for (int i = 0; i < 40; ++i) {
        const Samples samples = random_motion(random, 120);
        const double tolerance = random.over_magnitudes(1e-4, 1e-1);
        for (const KeyShape shape : {KeyShape::cubic, KeyShape::straight}) {
            const ReducedKeys keys = reduce_keys(samples.times_s, samples.values,
                                                 {.tolerance = tolerance, .shape = shape});
            CAPTURE(i, tolerance, keys.curve.keys().size());
            CHECK(keys.largest_error <= tolerance);
            CHECK(largest_error_at_samples(keys.curve, samples) <= tolerance * (1 + 1e-9));
            CHECK(keys.curve.keys().size() < samples.times_s.size());
            CHECK(keys.samples == samples.times_s.size());
            CHECK(keys.curve.start_s() == samples.times_s.front());
            CHECK(keys.curve.end_s() == samples.times_s.back());
            // No excursion: between two samples it stays near both, whatever the motion does there.
            for (std::size_t k = 0; k + 1 < samples.times_s.size(); ++k) {
                const double middle =
                    keys.curve.at((samples.times_s[k] + samples.times_s[k + 1]) / 2);
                const double low = std::min(samples.values[k], samples.values[k + 1]);
                const double high = std::max(samples.values[k], samples.values[k + 1]);
                const double room = tolerance + 0.3 * (high - low) + 2e-3;
                CHECK(middle > low - room);
                CHECK(middle < high + room);
            }
        }
    }
}

TEST_CASE("no key of a reduction can be taken away alone", "[bake]") {
    Random random{82};
    for (int i = 0; i < 15; ++i) {
        const Samples samples = random_motion(random, 60);
        const double tolerance = random.over_magnitudes(3e-4, 3e-2);
        const ReducedKeys keys =
            reduce_keys(samples.times_s, samples.values, {.tolerance = tolerance});
        const std::vector<CurveKey>& all = keys.curve.keys();
        for (std::size_t k = 1; k + 1 < all.size(); ++k) {
            std::vector<CurveKey> fewer = all;
            fewer.erase(fewer.begin() + static_cast<std::ptrdiff_t>(k));
            const KeyCurve without{fewer};
            // A fine look: beyond the tolerance somewhere between the neighbours.
            double worst = 0;
            for (double t = all[k - 1].time_s; t < all[k + 1].time_s; t += 1.0 / 960)
                worst = std::max(worst, std::abs(without.at(t) - keys.curve.at(t)));
            CHECK(worst + keys.largest_error > tolerance);
        }
    }
}

TEST_CASE("a swing takes a tenth of its samples or less, a straight line two keys", "[bake]") {
    Follower<double> lamp{{.frequency_hz = 1, .damping_ratio = 0.15}, 0};
    lamp.jump(1);
    Samples samples;
    for (int i = 0; i < 720; ++i) {
        samples.times_s.push_back(i / 120.0);
        samples.values.push_back(lamp.value());
        lamp.step(1, 1 / 120.0);
    }
    const ReducedKeys swing = reduce_keys(samples.times_s, samples.values, {.tolerance = 1e-3});
    CHECK(swing.curve.keys().size() <= 50);
    for (double& value : samples.values)
        value = 0;
    for (std::size_t i = 0; i < 720; ++i)
        samples.values[i] = 2 - 0.25 * samples.times_s[i];
    CHECK(reduce_keys(samples.times_s, samples.values).curve.keys().size() == 2);
    // A corner stays a corner: at most the samples next to it are kept.
    for (std::size_t i = 300; i < 720; ++i)
        samples.values[i] = samples.values[300];
    CHECK(reduce_keys(samples.times_s, samples.values).curve.keys().size() <= 4);
    const std::vector<double> one{0.5};
    CHECK(reduce_keys(one, one).curve.at(3) == 0.5);
}

TEST_CASE("a looped motion ends where and as fast as it begins", "[bake]") {
    Random random{83};
    for (int i = 0; i < 20; ++i) {
        const Samples samples = random_motion(random, 120);
        const std::vector<double> bent = looped(samples.times_s, samples.values, 1.0);
        CHECK(bent.back() == Approx(bent.front()).margin(1e-12));
        const double h = 1.0 / 120;
        const std::size_t n = bent.size();
        const double last = (3 * bent[n - 1] - 4 * bent[n - 2] + bent[n - 3]) / (2 * h);
        const double first = (-3 * bent[0] + 4 * bent[1] - bent[2]) / (2 * h);
        CHECK(last == Approx(first).margin(0.05));
        for (std::size_t k = 0; samples.times_s[k] < samples.times_s.back() - 1.0001; ++k)
            CHECK(bent[k] == samples.values[k]);
    }
    // An angle may have gone round.
    const std::vector<double> times_s{0, 1, 2, 3};
    const std::vector<double> round{0, 2, 4, 6.4};
    constexpr double turn = 2 * 3.14159265358979323846;
    CHECK(looped(times_s, round, 1, turn).back() == Approx(turn));
    CHECK(looped(times_s, round, 1).back() == Approx(0).margin(1e-12));
}

TEST_CASE("what cannot be reduced or looped is refused by name", "[bake]") {
    const std::vector<double> times_s{0, 1, 1};
    const std::vector<double> values{0, 1, 2};
    CHECK_THROWS_WITH(reduce_keys(times_s, values), Contains("time_s"));
    CHECK_THROWS_WITH(reduce_keys({}, {}), Contains("samples"));
    const std::vector<double> rising{0, 1, 2};
    CHECK_THROWS_WITH(reduce_keys(rising, values, {.tolerance = 0}), Contains("tolerance"));
    const std::vector<double> broken{0, std::nan(""), 2};
    CHECK_THROWS_WITH(reduce_keys(rising, broken), Contains("value"));
    CHECK_THROWS_WITH(looped(rising, values, 3), Contains("over_s"));
}

namespace {

/// The angle between what curves show at a time and a turn.
double angle_off(const ReducedRows& rows, double time_s, const Quaternion& turn) {
    const Quaternion q = normalized({rows.curves[0].at(time_s), rows.curves[1].at(time_s),
                                     rows.curves[2].at(time_s), rows.curves[3].at(time_s)});
    const Vector3 way = rotation_vector(q * conjugate(turn));
    return std::sqrt(dot(way, way));
}

}  // namespace

TEST_CASE("numbers that move together have keys at the same times, within a distance", "[keys]") {
    std::vector<double> times_s;
    std::vector<std::vector<double>> columns(3);
    for (int i = 0; i <= 600; ++i) {
        const double t = i / 60.0;
        times_s.push_back(t);
        columns[0].push_back(std::sin(t));
        columns[1].push_back(t > 4 ? std::cos(3 * t) : std::cos(12.0));
        columns[2].push_back(0.2 * t);
    }
    for (const KeyShape shape : {KeyShape::cubic, KeyShape::straight}) {
        const ReducedRows rows =
            reduce_rows(times_s, columns, RowKind::vector, {.tolerance = 2e-3, .shape = shape});
        CHECK(rows.largest_error <= 2e-3);
        CHECK(rows.samples == times_s.size());
        for (const KeyCurve& curve : rows.curves)
            REQUIRE(curve.keys().size() == rows.curves[0].keys().size());
        for (std::size_t i = 0; i < times_s.size(); ++i) {
            double sum = 0;
            for (std::size_t k = 0; k < 3; ++k) {
                const double off = rows.curves[k].at(times_s[i]) - columns[k][i];
                sum += off * off;
            }
            CHECK(std::sqrt(sum) <= 2e-3 + 1e-12);
        }
    }
}

TEST_CASE("a rotation's keys are within an angle, whatever the signs it comes with", "[keys]") {
    std::vector<double> times_s;
    std::vector<std::vector<double>> parts(4);
    std::vector<Quaternion> turns;
    for (int i = 0; i <= 600; ++i) {
        const double t = i / 60.0;
        const Quaternion q = turned_by({std::sin(t), 0.7 * t, 0.3 * std::cos(2 * t)});
        const double sign = i % 7 < 3 ? -1 : 1;
        times_s.push_back(t);
        turns.push_back(q);
        parts[0].push_back(sign * q.w);
        parts[1].push_back(sign * q.x);
        parts[2].push_back(sign * q.y);
        parts[3].push_back(sign * q.z);
    }
    constexpr double tolerance = 0.1 * 3.14159265358979 / 180;
    const ReducedRows rows =
        reduce_rows(times_s, parts, RowKind::rotation, {.tolerance = tolerance});
    CHECK(rows.largest_error <= tolerance);
    CHECK(rows.curves[0].keys().size() < 60);
    for (std::size_t i = 0; i < times_s.size(); ++i)
        CHECK(angle_off(rows, times_s[i], turns[i]) <= tolerance + 1e-9);
    CHECK_THROWS_AS(reduce_rows(times_s, std::vector<std::vector<double>>(3, parts[0]),
                                RowKind::rotation, {.tolerance = 1e-3}),
                    std::invalid_argument);
}
