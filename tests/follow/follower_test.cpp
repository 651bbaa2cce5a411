#include <algorithm>
#include <cmath>
#include <limits>
#include <map>
#include <string>
#include <vector>

#include <Eigen/Core>
#include <catch2/catch.hpp>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/follow/follower.hpp>

#include "support/numbers.hpp"
#include "support/random.hpp"
#include "support/vectors.hpp"

using namespace hopcoil;

static_assert(System<Follower<float>> && System<Follower<Eigen::Vector3d>>);
static_assert(System<Follower<Plain>> && HasEnergy<Follower<double>>);

namespace {

Tuning led_tuning(Random& random) {
    return {.frequency_hz = random.over_magnitudes(0.05, 50),
            .damping_ratio = random.chance(0.2) ? 1.0 : random.over_magnitudes(0.02, 20),
            .lead = random.between(-2, 3)};
}

/// A target along straight pieces between random corners a tenth of a second apart.
class Corners {
  public:
    explicit Corners(unsigned seed) {
        Random random{seed};
        for (double& each : values_)
            each = random.between(-1, 1);
    }
    [[nodiscard]] double at(double time_s) const {
        const double place = time_s * 10;
        const auto corner = std::min<std::size_t>(99, static_cast<std::size_t>(place));
        const double along = place - static_cast<double>(corner);
        return values_[corner] + (values_[corner + 1] - values_[corner]) * along;
    }

  private:
    double values_[101] = {};
};

/// Values at every tenth of a second, with steps that end there and are at most `step_s` long.
std::vector<double> values_at_tenths(const Tuning& tuning, const Corners& target,
                                     const std::vector<double>& steps_s) {
    Follower<double> follower{tuning, target.at(0)};
    std::vector<double> values;
    double time_s = 0;
    std::size_t next_step = 0;
    for (int tenth = 1; tenth <= 100; ++tenth) {
        const double corner_s = tenth / 10.0;
        while (time_s < corner_s) {
            const double wanted_s = time_s + steps_s[next_step++ % steps_s.size()];
            const double end_s = wanted_s > corner_s - 1e-9 ? corner_s : wanted_s;
            follower.step(target.at(end_s), end_s - time_s);
            time_s = end_s;
        }
        values.push_back(follower.value());
    }
    return values;
}

}  // namespace

TEST_CASE("the motion is the same at every frame rate", "[follower]") {
    Random random{30};
    for (unsigned i = 0; i < 30; ++i) {
        const Tuning tuning = led_tuning(random);
        const Corners target{i};
        const std::vector<double> at_60 = values_at_tenths(tuning, target, {1.0 / 60});
        double scale = 1;
        for (const double each : at_60)
            scale = std::max(scale, std::fabs(each));
        std::vector<double> uneven;
        for (int k = 0; k < 997; ++k)
            uneven.push_back(random.over_magnitudes(1e-5, 0.2));
        for (const auto& steps_s :
             {std::vector{1.0 / 24}, std::vector{1.0 / 30}, std::vector{1.0 / 90},
              std::vector{1.0 / 144}, std::vector{1.0 / 240}, uneven}) {
            const std::vector<double> others = values_at_tenths(tuning, target, steps_s);
            INFO("f " << tuning.frequency_hz << ", z " << tuning.damping_ratio << ", L "
                      << tuning.lead << ", first step " << steps_s[0]);
            for (std::size_t k = 0; k < at_60.size(); ++k) {
                REQUIRE(std::fabs(others[k] - at_60[k]) <= 1e-10 * scale);
            }
        }
    }
}

TEST_CASE("each swing after a jump is the last one times exp(-pi z / sqrt(1 - z^2))",
          "[follower]") {
    for (const double z : {0.01, 0.1, 0.3, 0.5, 0.7, 0.9}) {
        CAPTURE(z);
        const double f = 1.7;
        const double d = std::sqrt(1 - z * z);
        const double ratio = std::exp(-3.14159265358979323846 * z / d);
        Follower<double> follower{{.frequency_hz = f, .damping_ratio = z}, 0.0};
        follower.jump(1.0);
        for (int swing = 1; swing <= 6; ++swing) {
            follower.step(1.0, 0.5 / (f * d));
            const double expected = (swing % 2 == 1 ? 1 : -1) * std::pow(ratio, swing);
            CHECK(follower.value() - 1 == Approx(expected).margin(1e-13));
            CHECK(std::fabs(follower.velocity()) < 1e-11);
        }
    }
}

TEST_CASE("behind a steady target it trails by (2 z / w)(1 - L) of its speed", "[follower]") {
    Random random{31};
    for (int i = 0; i < 200; ++i) {
        const Tuning tuning = led_tuning(random);
        const double speed = random.between(-5, 5);
        Follower<double> follower{tuning, 0.0};
        const double long_s = 60 * (1 + tuning.damping_ratio) / tuning.frequency_hz /
                              std::min(1.0, tuning.damping_ratio);
        for (int k = 1; k <= 40; ++k)
            follower.step(speed * long_s * k / 40, long_s / 40);
        const double trail = follower.target() - follower.value();
        CHECK(trail ==
              Approx(speed * ramp_lag_s(tuning)).margin(1e-12 * std::fabs(speed) * long_s));
        CHECK(follower.velocity() == Approx(speed).epsilon(1e-9));
    }
}

TEST_CASE("value and velocity carry over whatever changes", "[follower]") {
    Random random{32};
    for (int i = 0; i < 200; ++i) {
        Follower<double> follower{led_tuning(random), 0.0};
        for (int k = 0; k < 10; ++k)
            follower.step(random.between(-1, 1), 0.02);
        const double value = follower.value();
        const double velocity = follower.velocity();
        const double near = 4e-16 * (std::fabs(value) + 3);

        follower.retune(led_tuning(random));
        CHECK(follower.value() == value);
        CHECK(follower.velocity() == velocity);

        follower.cut(random.between(-1, 1));
        CHECK(std::fabs(follower.value() - value) <= near);
        CHECK(follower.velocity() == velocity);

        const double target = follower.target();
        const Tuning tuning = follower.tuning();
        const double gain =
            2 * tuning.damping_ratio * tuning.lead * 2 * math::pi * tuning.frequency_hz;
        follower.jump(target + 0.5);
        CHECK(std::fabs(follower.value() - value) <= 2 * near);
        CHECK(follower.velocity() == Approx(velocity + gain * 0.5).margin(1e-12 * std::fabs(gain)));

        const double before_push = follower.velocity();
        follower.push(0.25);
        CHECK(follower.velocity() == before_push + 0.25);

        follower.reset(0.75);
        CHECK((follower.value() == 0.75 && follower.target() == 0.75 && follower.velocity() == 0));
    }
}

TEST_CASE("a step over no time is a jump, and a short glide is nearly one", "[follower]") {
    const Tuning tuning{.frequency_hz = 3, .damping_ratio = 0.6, .lead = 1.5};
    Follower<double> jumped{tuning, 0.0};
    jumped.jump(1.0);
    Follower<double> stepped{tuning, 0.0};
    stepped.step(1.0, 0.0);
    CHECK(same_bits(jumped.velocity(), stepped.velocity()));
    CHECK(same_bits(jumped.value(), stepped.value()));

    // After a glide of dt the value is off by about half of dt times the velocity.
    for (const double dt : {1e-2, 1e-3, 1e-4}) {
        Follower<double> glided{tuning, 0.0};
        glided.step(1.0, dt);
        jumped.reset(0.0);
        jumped.jump(1.0);
        jumped.step(1.0, dt);
        CHECK(std::fabs(glided.value() - jumped.value()) < 0.6 * dt * jumped.velocity());
    }
}

TEST_CASE("a known end velocity makes the target's way a cubic", "[follower]") {
    const Tuning tuning{.frequency_hz = 2, .damping_ratio = 0.3, .lead = 0.5};
    // A target on a cubic: two long steps see exactly what a thousand short ones do.
    const auto x = [](double t) {
        return 1 + t * (2 + t * (-3 + 0.5 * t));
    };
    const auto v = [](double t) {
        return 2 + t * (-6 + 1.5 * t);
    };
    Follower<double> coarse{tuning, x(0)};
    Follower<double> fine{tuning, x(0)};
    coarse.step(x(0), v(0), 0.0);
    fine.step(x(0), v(0), 0.0);
    for (int i = 1; i <= 2; ++i)
        coarse.step(x(i), v(i), 1.0);
    for (int i = 1; i <= 2000; ++i)
        fine.step(x(i / 1000.0), v(i / 1000.0), 0.001);
    CHECK(coarse.value() == Approx(fine.value()).epsilon(1e-11));
    CHECK(coarse.velocity() == Approx(fine.velocity()).epsilon(1e-11));

    // Where the start's velocity is not known it is that of the straight line.
    Follower<double> known{tuning, 0.0};
    Follower<double> unknown{tuning, 0.0};
    known.step(0.0, 4.0, 0.0);
    known.step(1.0, 7.0, 0.25);
    unknown.step(1.0, 7.0, 0.25);
    CHECK(known.value() == Approx(unknown.value()).epsilon(1e-14));
    CHECK(known.velocity() == Approx(unknown.velocity()).epsilon(1e-14));
}

TEST_CASE("shared coefficients give the bits of a follower's own", "[follower]") {
    const Tuning tuning{.frequency_hz = 3, .damping_ratio = 0.4, .lead = 0.2};
    const StepCoefficients straight{tuning, 0.01};
    const CubicStepCoefficients cubic{tuning, 0.01};
    Random random{33};
    Follower<float> own{tuning, 0.5F};
    Follower<float> shared{tuning, 0.5F};
    for (int i = 0; i < 200; ++i) {
        const auto target = static_cast<float>(random.between(-1, 1));
        const auto velocity = static_cast<float>(random.between(-9, 9));
        if (random.chance(0.5)) {
            own.step(target, 0.01);
            shared.step(target, straight);
        } else {
            own.step(target, velocity, 0.01);
            shared.step(target, velocity, cubic);
        }
        REQUIRE(same_bits(own.value(), shared.value()));
        REQUIRE(same_bits(own.velocity(), shared.velocity()));
    }
}

TEST_CASE("every component of a vector follower has the bits of a scalar one", "[follower]") {
    const Tuning tuning{.frequency_hz = 5, .damping_ratio = 0.3, .lead = 0.7};
    Random random{34};
    Follower<Eigen::Vector3f> eigen{tuning, Eigen::Vector3f::Zero()};
    Follower<Plain> plain{tuning, Plain{}};
    std::vector<Follower<float>> scalars(3, Follower<float>{tuning, 0.0F});
    Plain target;
    Plain speed;
    for (int i = 0; i < 5000; ++i) {
        // It is left alone for long stretches, to come to rest and be woken.
        const double dt = random.over_magnitudes(1e-3, 0.05);
        if (i % 1500 < 300) {
            target = {static_cast<float>(random.between(-9, 9)),
                      static_cast<float>(random.between(-1e-3, 1e-3)), target.z};
        }
        const bool cubic = i % 700 < 100;
        if (cubic) speed = {static_cast<float>(random.between(-9, 9)), 0, 1e-3F};
        const Eigen::Vector3f place{target.x, target.y, target.z};
        if (cubic) {
            eigen.step(place, Eigen::Vector3f{speed.x, speed.y, speed.z}, dt);
            plain.step(target, speed, dt);
        } else {
            eigen.step(place, dt);
            plain.step(target, dt);
        }
        const float targets[]{target.x, target.y, target.z};
        const float speeds[]{speed.x, speed.y, speed.z};
        for (std::size_t k = 0; k < 3; ++k) {
            cubic ? scalars[k].step(targets[k], speeds[k], dt) : scalars[k].step(targets[k], dt);
            const auto axis = static_cast<Eigen::Index>(k);
            REQUIRE(same_bits(scalars[k].value(), eigen.value()[axis]));
            REQUIRE(same_bits(scalars[k].velocity(), eigen.velocity()[axis]));
        }
        REQUIRE(same_bits(plain.value(),
                          Plain{scalars[0].value(), scalars[1].value(), scalars[2].value()}));
    }
}

TEST_CASE("a float follower far from the origin arrives exactly and is at rest", "[follower]") {
    for (const double z : {0.2, 1.0, 3.0}) {
        Follower<Eigen::Vector3f> follower{{.frequency_hz = 2, .damping_ratio = z},
                                           Eigen::Vector3f{1000, -1000, 1000}};
        const Eigen::Vector3f target{1000.3F, -999.1F, 1001.7F};
        for (int i = 0; i < 60 * 120; ++i)
            follower.step(target, 1.0 / 60);
        CHECK(follower.value() == target);
        CHECK(follower.velocity().isZero(0));
        CHECK(follower.at_rest(0, 0));
        CHECK(follower.still());
        CHECK(follower.energy() == 0);
    }
}

TEST_CASE("rest is judged by distance and by speed", "[follower]") {
    Follower<Eigen::Vector2d> follower{{.frequency_hz = 1}, Eigen::Vector2d{0, 0}};
    CHECK(follower.still());
    follower.cut(Eigen::Vector2d{0.3, 0.4});
    CHECK(follower.at_rest(0.5001, 0));
    CHECK_FALSE(follower.at_rest(0.4999, 0));
    follower.reset(Eigen::Vector2d{0, 0});
    follower.push(Eigen::Vector2d{3, 4});
    CHECK(follower.at_rest(0, 5.0001));
    CHECK_FALSE(follower.at_rest(0, 4.9999));
    CHECK_FALSE(follower.still());
    CHECK(follower.energy() == Approx(12.5));
}

TEST_CASE("an undamped follower keeps its energy for a million steps", "[follower]") {
    Follower<double> follower{{.frequency_hz = 2, .damping_ratio = 0}, 0.0};
    follower.push(3.0);
    const double energy = follower.energy();
    for (int i = 0; i < 1000000; ++i)
        follower.step(0.0, 1.0 / 60);
    CHECK(follower.energy() == Approx(energy).epsilon(1e-9));
}

TEST_CASE("a copy is a snapshot that continues bit for bit", "[follower]") {
    Random random{35};
    Follower<double> follower{led_tuning(random), 0.0};
    for (int i = 0; i < 50; ++i)
        follower.step(random.between(-1, 1), random.between(-1, 1), 0.01);
    const Follower<double> snapshot = follower;
    std::vector<double> targets;
    for (int i = 0; i < 50; ++i)
        targets.push_back(random.between(-1, 1));
    for (const double target : targets)
        follower.step(target, 0.5, 0.013);
    const double first_time = follower.value();
    follower = snapshot;
    for (const double target : targets)
        follower.step(target, 0.5, 0.013);
    CHECK(same_bits(follower.value(), first_time));
}

TEST_CASE("an invalid tuning is refused with nothing changed", "[follower]") {
    CHECK_THROWS_AS((Follower<double>{{.frequency_hz = -1}, 0.0}), InvalidValue);
    Follower<double> follower{{.frequency_hz = 2}, 1.0};
    CHECK_THROWS_AS(follower.retune({.damping_ratio = -1}), InvalidValue);
    CHECK(follower.rejected_inputs() == 0);
    CHECK_FALSE(follower.try_retune({.lead = std::nan("")}));
    CHECK(follower.rejected_inputs() == 1);
    CHECK(follower.tuning() == Tuning{.frequency_hz = 2});
    CHECK(follower.try_retune({.frequency_hz = 3}));
    CHECK(follower.tuning().frequency_hz == 3);
}

TEST_CASE("as a system it shows its channels and turns its dials", "[follower]") {
    using F = Follower<Eigen::Vector2f>;
    F follower{{.frequency_hz = 2}, Eigen::Vector2f{1, 2}};
    follower.cut(Eigen::Vector2f{3, 4});
    follower.push(Eigen::Vector2f{5, 6});
    REQUIRE(F::channels().size() == 3);
    CHECK(F::channels()[0].name == "value");
    CHECK(F::channels()[0].kind == ChannelKind::vector);
    double numbers[6] = {};
    follower.read(numbers);
    CHECK(std::vector<double>(numbers, numbers + 6) == std::vector<double>{1, 2, 5, 6, 3, 4});
    CHECK(Follower<float>::channels()[1].kind == ChannelKind::scalar);

    for (const Dial<F>& dial : F::dials()) {
        CHECK(dial.set(follower, dial.slider.least + 0.5) == DialStatus::set);
        CHECK(dial.get(follower) == dial.slider.least + 0.5);
    }
    CHECK(F::dials()[0].set(follower, -1) == DialStatus::refused);
    CHECK(follower.value().x() == Approx(1));
}
