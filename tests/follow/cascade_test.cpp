// Chains of followers as one exact linear system.

#include <cmath>
#include <vector>

#include <Eigen/Core>
#include <catch2/catch.hpp>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/follow/cascade.hpp>
#include <hopcoil/follow/follower.hpp>

#include "support/allocations.hpp"
#include "support/random.hpp"

using namespace hopcoil;
using Catch::Matchers::Contains;

namespace {

/// The chain by classical Runge-Kutta in small steps, from its equations as they stand.
std::vector<double> refined(const std::vector<Tuning>& tunings, double speed, double time_s) {
    const std::size_t n = tunings.size();
    using State = std::vector<double>;  // y0, v0, y1, v1, ...
    const auto rate = [&](const State& s, double t) {
        State r(2 * n);
        double x = speed * t;
        double dx = speed;
        for (std::size_t i = 0; i < n; ++i) {
            const double w = 2 * 3.14159265358979323846 * tunings[i].frequency_hz;
            const double z = tunings[i].damping_ratio;
            r[2 * i] = s[2 * i + 1];
            r[2 * i + 1] = w * w * (x - s[2 * i]) - 2 * z * w * s[2 * i + 1] +
                           2 * z * w * tunings[i].lead * dx;
            x = s[2 * i];
            dx = s[2 * i + 1];
        }
        return r;
    };
    const auto moved = [](const State& s, const State& r, double h) {
        State m = s;
        for (std::size_t i = 0; i < m.size(); ++i)
            m[i] += h * r[i];
        return m;
    };
    State s(2 * n);
    constexpr int steps = 20000;
    const double h = time_s / steps;
    for (int i = 0; i < steps; ++i) {
        const double t = i * h;
        const State a = rate(s, t);
        const State b = rate(moved(s, a, h / 2), t + h / 2);
        const State c = rate(moved(s, b, h / 2), t + h / 2);
        const State d = rate(moved(s, c, h), t + h);
        for (std::size_t k = 0; k < s.size(); ++k)
            s[k] += h / 6 * (a[k] + 2 * b[k] + 2 * c[k] + d[k]);
    }
    return s;
}

std::vector<Tuning> random_links(Random& random, int count) {
    std::vector<Tuning> links;
    for (int i = 0; i < count; ++i) {
        links.push_back({.frequency_hz = random.over_magnitudes(0.2, 6),
                         .damping_ratio = random.between(0.05, 1.5),
                         .lead = random.between(-0.5, 1.2)});
    }
    return links;
}

}  // namespace

TEST_CASE("a cascade agrees with its equations integrated finely", "[cascade]") {
    Random random{101};
    for (int i = 0; i < 12; ++i) {
        const std::vector<Tuning> links = random_links(random, random.whole(1, 6));
        const double speed = random.between(-3, 3);
        const double time_s = random.between(0.1, 2);
        Cascade<double> boom{links, 0.0};
        boom.step(speed * time_s, time_s);
        const std::vector<double> expected = refined(links, speed, time_s);
        for (std::size_t k = 0; k < links.size(); ++k) {
            CHECK(boom.value(k) == Approx(expected[2 * k]).margin(1e-8));
            CHECK(boom.velocity(k) == Approx(expected[2 * k + 1]).margin(1e-7));
        }
    }
}

TEST_CASE("a cascade of one link is a follower", "[cascade]") {
    Random random{102};
    for (int i = 0; i < 200; ++i) {
        const Tuning tuning{.frequency_hz = random.over_magnitudes(0.01, 100),
                            .damping_ratio = random.between(0, 5),
                            .lead = random.between(-2, 2)};
        Cascade<double> cascade{{tuning}, 1.0};
        Follower<double> follower{tuning, 1.0};
        cascade.jump(2);
        follower.jump(2);
        for (int step = 0; step < 10; ++step) {
            const double target = random.between(-3, 3);
            const double dt = random.over_magnitudes(1e-4, 0.5);
            cascade.step(target, dt);
            follower.step(target, dt);
            CHECK(cascade.value() == Approx(follower.value()).margin(1e-10));
        }
    }
}

TEST_CASE("a cascade is the same at every rate", "[cascade]") {
    Random random{103};
    for (int i = 0; i < 40; ++i) {
        Cascade<Eigen::Vector3d> often{random_links(random, 4), Eigen::Vector3d{0, 2, 0}};
        often.push(2, {1, 0, -1});
        Cascade<Eigen::Vector3d> once = often;
        const Eigen::Vector3d speed{1, -0.5, 2};
        double time_s = 0;
        for (int step = 0; step < 50; ++step) {
            const double dt = random.over_magnitudes(1e-4, 0.1);
            time_s += dt;
            often.step(Eigen::Vector3d{0, 2, 0} + speed * time_s, dt);
        }
        once.step(Eigen::Vector3d{0, 2, 0} + speed * time_s, time_s);
        for (std::size_t k = 0; k < often.size(); ++k) {
            CHECK((often.value(k) - once.value(k)).norm() < 1e-9);
            CHECK((often.velocity(k) - once.velocity(k)).norm() < 1e-8);
        }
    }
}

TEST_CASE("a cascade settles exactly, keeps what it has and takes no memory", "[cascade]") {
    Cascade<float> boom{{{.frequency_hz = 3}, {.frequency_hz = 2}, {.frequency_hz = 4}}, 1000.f};
    boom.jump(1001);
    const long before = allocations();
    for (int step = 0; step < 4000; ++step)
        boom.step(1001, step % 2 == 0 ? 1.0 / 60 : 1.0 / 50);
    CHECK(allocations() == before);
    CHECK(boom.value() == 1001);
    CHECK(boom.still());

    boom.jump(1000);
    boom.step(1000, 0.1);
    const float value = boom.value(1);
    const float velocity = boom.velocity(1);
    boom.retune(1, {.frequency_hz = 9});
    boom.cut(990);
    CHECK(boom.value(1) == Approx(value));
    CHECK(boom.velocity(1) == velocity);
}

TEST_CASE("a cascade refuses what cannot be", "[cascade]") {
    CHECK_THROWS_WITH((Cascade<double>{{}, 0.0}), Contains("at least one link"));
    CHECK_THROWS_WITH((Cascade<double>{{{.damping_ratio = -1}}, 0.0}), Contains("damping_ratio"));
    Cascade<double> boom{{{}, {}}, 0.0};
    Random random{104};
    for (int i = 0; i < 5000; ++i) {
        const auto wild = [&] {
            return random.chance(0.1) ? (random.chance(0.5) ? NAN : 1e308) : random.between(-2, 2);
        };
        boom.step(wild(), wild());
        boom.push(static_cast<std::size_t>(random.whole(0, 3)), wild());
        if (!std::isfinite(boom.value(0)) || !std::isfinite(boom.velocity())) FAIL("lost at " << i);
    }
    CHECK(boom.rejected_inputs() > 0);
    CHECK_FALSE(boom.try_retune(7, {}));
}
