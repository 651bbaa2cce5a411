// Moves along given curves: eases and keys.

#include <cmath>
#include <vector>

#include <Eigen/Core>
#include <catch2/catch.hpp>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/follow/curve_move.hpp>
#include <hopcoil/follow/rotation_mover.hpp>

#include "support/random.hpp"

using namespace hopcoil;
using Catch::Matchers::Contains;

namespace {

const std::vector<EaseFamily> families{
    EaseFamily::power,         EaseFamily::sine,     EaseFamily::exponential, EaseFamily::circular,
    EaseFamily::past_and_back, EaseFamily::bouncing, EaseFamily::oscillating};

}  // namespace

TEST_CASE("every ease goes from 0 to 1 without a gap, and its ways mirror one another", "[ease]") {
    for (const EaseFamily family : families) {
        const Ease in{family, EaseWay::in};
        const Ease out{family, EaseWay::out};
        const Ease both{family, EaseWay::in_out};
        for (const Ease& ease : {in, out, both}) {
            CHECK(ease.at(0) == 0);
            CHECK(ease.at(1) == 1);
            CHECK(ease.at(-3) == 0);
            CHECK(ease.at(NAN) == 0);
            double before = 0;
            for (int i = 1; i <= 20000; ++i) {
                const double here = ease.at(i / 20000.0);
                if (std::fabs(here - before) > 0.01) {
                    FAIL("a gap of " << here - before << " at " << i / 20000.0);
                }
                before = here;
            }
        }
        for (double t = 0.01; t < 1; t += 0.0137) {
            CHECK(out.at(t) == Approx(1 - in.at(1 - t)).margin(1e-12));
            CHECK(both.at(t) == Approx(1 - both.at(1 - t)).margin(1e-12));
            CHECK(both.at(t / 2) == Approx(in.at(t) / 2).margin(1e-12));
        }
    }
}

TEST_CASE("an ease's parameter is what it says", "[ease]") {
    for (const double percent : {0.0, 5.0, 10.0, 37.0, 100.0}) {
        const Ease lid{EaseFamily::past_and_back, EaseWay::out, percent};
        double furthest = 0;
        for (int i = 0; i <= 100000; ++i)
            furthest = std::fmax(furthest, lid.at(i / 1e5));
        CHECK(100 * (furthest - 1) == Approx(percent).margin(1e-3));
    }
    for (const int bounces : {1, 3, 5}) {
        const Ease ball{EaseFamily::bouncing, EaseWay::out, static_cast<double>(bounces)};
        int touches = 0;
        for (int i = 1; i < 100000; ++i) {
            touches += ball.at(i / 1e5) > ball.at((i - 1) / 1e5) &&
                       ball.at(i / 1e5) >= ball.at((i + 1) / 1e5);
        }
        CHECK(touches == bounces);
    }
    CHECK(Ease(EaseFamily::power, EaseWay::in, 2).at(0.5) == Approx(0.25));
    CHECK(Ease(EaseFamily::sine, EaseWay::out).at(0.5) == Approx(std::sqrt(0.5)));
    CHECK(Ease(EaseFamily::circular, EaseWay::in).at(0.6) == Approx(0.2));
    CHECK_THROWS_WITH(Ease(EaseFamily::power, EaseWay::in, 0.5), Contains("1 to 100"));
    const auto turns = Ease(EaseFamily::past_and_back, EaseWay::out, 10).keys(64).turning_points();
    REQUIRE(turns.size() == 1);
    CHECK(turns[0].value == Approx(1.1).margin(1e-3));
}

TEST_CASE("a move goes along its curve, the same at every rate", "[curve_move]") {
    Random random{111};
    const Ease ease{EaseFamily::past_and_back, EaseWay::in_out};
    CurveMove<Eigen::Vector3d> lid{{.duration_s = 0.8, .curve = ease}, Eigen::Vector3d{1, 0, 0}};
    const Eigen::Vector3d open{3, 1, -1};
    lid.cut(open);
    double time_s = 0;
    for (int step = 0; step < 40; ++step) {
        const double dt = random.between(0, 0.04);
        time_s += dt;
        lid.step(open, dt);
        const Eigen::Vector3d expected =
            Eigen::Vector3d{1, 0, 0} + (open - Eigen::Vector3d{1, 0, 0}) * ease.at(time_s / 0.8);
        CHECK((lid.value() - expected).norm() < 1e-12);
    }
    lid.step(open, 5);
    CHECK(lid.value() == open);
    CHECK(lid.still());
}

TEST_CASE("a move sent elsewhere goes on from where it is", "[curve_move]") {
    Random random{112};
    const KeyCurve keys{{{0, 0, 0, 0}, {0.3, 1.2, 0, 0}, {1, 1, 0, 0}}};
    CurveMove<float> lid{{.duration_s = 0.5, .curve = keys}, 0.f};
    for (int i = 0; i < 1000; ++i) {
        const float value = lid.value();
        lid.cut(static_cast<float>(random.between(-2, 2)));
        CHECK(lid.value() == Approx(value).margin(1e-6));
        lid.step(lid.target(), random.between(0, 0.3));
    }
    lid.step(NAN, 0.1);
    lid.step(1, -0.1);
    CHECK(lid.rejected_inputs() == 2);
    CHECK_THROWS_WITH((CurveMove<float>{{.duration_s = 0}, 0.f}), Contains("duration_s"));
    STATIC_REQUIRE(System<CurveMove<float>>);
}

TEST_CASE("another curve takes over where the first has brought it", "[curve_move]") {
    Random random{113};
    for (int i = 0; i < 300; ++i) {
        CurveMove<double> lid{{.duration_s = 0.5}, 0.0};
        lid.cut(1);
        lid.step(1, random.between(0, 0.6));
        const double value = lid.value();
        lid.retune({.duration_s = random.between(0.2, 2),
                    .curve = Ease{families[static_cast<std::size_t>(random.whole(0, 6))],
                                  EaseWay::in_out}});
        lid.step(1, 0);
        CHECK(lid.value() == Approx(value).margin(1e-12));
        for (int step = 0; step < 10; ++step)
            lid.step(1, 0.3);
        CHECK(lid.value() == 1);
    }
}

TEST_CASE("a rotation goes along a curve the shorter way", "[curve_move]") {
    RotationCurve sign{{.duration_s = 1, .curve = Ease{EaseFamily::sine, EaseWay::in_out}},
                       Quaternion{}};
    const Quaternion target = turned_by({0, 2, 0});
    sign.cut(target);
    sign.step(target, 0.5);
    CHECK(length_of(rotation_vector(sign.value()) - Vector3{0, 1, 0}) < 1e-12);
    sign.step(target, 0.5);
    CHECK(length_of(rotation_vector(sign.value()) - Vector3{0, 2, 0}) < 1e-12);
}
