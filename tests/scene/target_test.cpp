#include <cmath>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/scene/target.hpp>

#include "support/numbers.hpp"
#include "support/random.hpp"

using namespace hopcoil::scene;

namespace {

RecordTarget record(AfterEnd after_end) {
    return {{1, 2, 2, 4}, {0, 10, 20, 0}, after_end};
}

}  // namespace

TEST_CASE("jumps and ramps take over from one another", "[target]") {
    const MovesTarget target{1, {Jump{1, 3}, Ramp{2, 5, 2}, Ramp{3, 0, 1}, Jump{3.5, 7}}, {}};
    CHECK(target.before(1).value == 1);
    CHECK(target.after(1).value == 3);
    CHECK(target.after(2.5).value == 3.5);
    CHECK(target.after(2.5).velocity == 1);
    CHECK(target.before(3).value == 4);
    CHECK(target.after(3).velocity == -4);
    CHECK(target.before(3.5).value == 2);
    CHECK(target.after(3.5).value == 7);
    CHECK(target.after(100).value == 7);
    CHECK(target.after(100).velocity == 0);
    CHECK(target.next_breakpoint_s(0) == 1);
    CHECK(target.next_breakpoint_s(1) == 2);
    CHECK(target.next_breakpoint_s(3) == 3.5);
    CHECK(target.next_breakpoint_s(3.5) == infinity);
    CHECK(target.last_event_s() == 3.5);
}

TEST_CASE("sines add up while they last", "[target]") {
    const MovesTarget target{2, {Ramp{0, 4, 2}}, {Sine{1, 3, 0.5, 2}, Sine{0, infinity, 1, 1}}};
    const auto expected = [](double t) {
        return 2 + std::min(t, 2.0) + (t > 1 && t < 3 ? 0.5 * std::sin(4 * pi * (t - 1)) : 0) +
               std::sin(2 * pi * t);
    };
    for (double t = 0.01; t < 5; t += 0.0371) {
        CHECK(target.after(t).value == Approx(expected(t)).margin(1e-12));
        const double slope = (expected(t + 1e-6) - expected(t - 1e-6)) / 2e-6;
        if (std::fabs(t - 2) > 1e-3) {
            CHECK(target.after(t).velocity == Approx(slope).margin(1e-6));
        }
    }
    CHECK_FALSE(target.is_straight());
}

TEST_CASE("breakpoints always lie ahead, and a sine has 256 of them a period", "[target]") {
    const MovesTarget target{0, {}, {Sine{0.3, 2.3, 1, 3.7}}};
    double time_s = 0;
    int count = 0;
    while (target.next_breakpoint_s(time_s) < infinity) {
        const double next = target.next_breakpoint_s(time_s);
        REQUIRE(next > time_s);
        REQUIRE(next - time_s <= (time_s == 0 ? 0.31 : 1.001 / (256 * 3.7)));
        time_s = next;
        ++count;
    }
    CHECK(time_s == 2.3);
    CHECK(count == Approx(2 * 256 * 3.7).margin(3));
}

TEST_CASE("a record is straight between samples and jumps where two share a time", "[target]") {
    const RecordTarget target = record(AfterEnd::hold);
    CHECK(target.after(0).value == 0);
    CHECK(target.after(1.5).value == 5);
    CHECK(target.after(1.5).velocity == 10);
    CHECK(target.before(2).value == 10);
    CHECK(target.after(2).value == 20);
    CHECK(target.after(3).value == 10);
    CHECK(target.after(9).value == 0);
    CHECK(target.next_breakpoint_s(0) == 1);
    CHECK(target.next_breakpoint_s(1) == 2);
    CHECK(target.next_breakpoint_s(2) == 4);
    CHECK(target.next_breakpoint_s(4) == infinity);
}

TEST_CASE("past its end a record holds, loops, mirrors or carries on", "[target]") {
    CHECK(record(AfterEnd::carry_on).after(6).value == -20);
    CHECK(record(AfterEnd::carry_on).after(6).velocity == -10);

    const RecordTarget loop = record(AfterEnd::loop);
    const RecordTarget mirror = record(AfterEnd::mirror);
    for (double t = 1.01; t < 3.99; t += 0.0973) {
        for (const double cycle : {1.0, 2.0, 7.0, 1000.0}) {
            const double value = loop.after(t).value;
            CHECK(loop.after(t + 3 * cycle).value == Approx(value).margin(1e-9));
            const bool back = std::fmod(cycle, 2.0) == 1.0;
            const double there = back ? 5 - t + 3 * cycle : t + 3 * cycle;
            CHECK(mirror.after(there).value == Approx(value).margin(1e-9));
        }
    }
    CHECK(loop.next_breakpoint_s(4) == 5);
    CHECK(mirror.next_breakpoint_s(4) == 6);
}

TEST_CASE("breakpoints of a repeating record never stand still, whatever its numbers", "[target]") {
    Random random{60};
    for (int i = 0; i < 200; ++i) {
        std::vector<double> times{random.between(-2, 2)};
        std::vector<double> values{random.between(-1, 1)};
        for (int k = random.whole(1, 8); k > 0; --k) {
            times.push_back(times.back() +
                            (random.chance(0.2) ? 0 : random.over_magnitudes(1e-3, 1)));
            values.push_back(random.between(-1, 1));
        }
        const RecordTarget target{times, values,
                                  random.chance(0.5) ? AfterEnd::loop : AfterEnd::mirror};
        double time_s = 0;
        for (int k = 0; k < 500; ++k) {
            const double next = target.next_breakpoint_s(time_s);
            REQUIRE(next > time_s);
            if (next == infinity) break;
            const double middle = time_s + 0.5 * (next - time_s);
            const TargetPoint from = target.after(time_s);
            const TargetPoint to = target.before(next);
            REQUIRE(target.after(middle).value ==
                    Approx(0.5 * (from.value + to.value)).margin(1e-6));
            time_s = next;
        }
    }
}

TEST_CASE("impossible targets are refused", "[target]") {
    using std::invalid_argument;
    CHECK_THROWS_AS((MovesTarget{not_a_number, {}, {}}), invalid_argument);
    CHECK_THROWS_AS((MovesTarget{0, {Jump{-1, 0}}, {}}), invalid_argument);
    CHECK_THROWS_AS((MovesTarget{0, {Jump{2, 0}, Jump{1, 0}}, {}}), invalid_argument);
    CHECK_THROWS_AS((MovesTarget{0, {Ramp{0, 1, 0}}, {}}), invalid_argument);
    CHECK_THROWS_AS((MovesTarget{0, {}, {Sine{0, 1, 1, 0}}}), invalid_argument);
    CHECK_THROWS_AS((MovesTarget{0, {}, {Sine{2, 1, 1, 1}}}), invalid_argument);
    CHECK_THROWS_AS((RecordTarget{{}, {}, AfterEnd::hold}), invalid_argument);
    CHECK_THROWS_AS((RecordTarget{{0, 1}, {0}, AfterEnd::hold}), invalid_argument);
    CHECK_THROWS_AS((RecordTarget{{1, 0}, {0, 0}, AfterEnd::hold}), invalid_argument);
    CHECK_THROWS_AS((RecordTarget{{0}, {infinity}, AfterEnd::hold}), invalid_argument);
}

TEST_CASE("angles unwrap across the seam, either way", "[target]") {
    CHECK(unwrapped({170, 179, -179, -170, 179}, 360) ==
          std::vector<double>{170, 179, 181, 190, 179});
    CHECK(unwrapped({-170, 170, -170, -10, 10}, 360) ==
          std::vector<double>{-170, -190, -170, -10, 10});
}

TEST_CASE("a path goes through its points, smoothly, and comes to rest", "[scene][target]") {
    const MovesTarget target{1, {Ramp{0, 2, 2}, Path{1, {1.5, 2.5, 3}, {3, 0, 1}}, Jump{5, 9}}, {}};
    CHECK(target.before(1).value == Approx(1.5));
    CHECK(target.after(1).velocity == Approx(0.5));  // as fast as the ramp it takes over from
    CHECK(target.before(1.5).value == Approx(3));
    CHECK(target.before(2.5).value == Approx(0));
    CHECK(target.before(3).value == Approx(1));
    CHECK(target.before(3).velocity == Approx(0).margin(1e-12));
    CHECK(target.after(4).value == 1);
    CHECK(target.after(5).value == 9);
    CHECK_FALSE(target.is_straight());
    for (double t = 1.01; t < 3; t += 0.01) {
        CHECK(target.after(t).velocity == Approx(target.before(t).velocity).margin(1e-9));
        const double slope = (target.before(t + 1e-6).value - target.before(t - 1e-6).value) / 2e-6;
        CHECK(target.before(t).velocity == Approx(slope).margin(1e-3));
    }
    CHECK_THROWS_AS((MovesTarget{0, {Path{1, {1}, {3}}}, {}}), std::invalid_argument);
    CHECK_THROWS_AS((MovesTarget{0, {Path{1, {}, {}}}, {}}), std::invalid_argument);
}

TEST_CASE("pulses come and go at their times", "[scene][target]") {
    const MovesTarget once{0, {}, {Pulses{1, infinity, 2, 0.5, 0}}};
    CHECK(once.before(1).value == 0);
    CHECK(once.after(1).value == 2);
    CHECK(once.before(1.5).value == 2);
    CHECK(once.after(1.5).value == 0);
    CHECK(once.next_breakpoint_s(0) == 1);
    CHECK(once.next_breakpoint_s(1) == 1.5);
    CHECK(once.next_breakpoint_s(1.5) == infinity);
    const MovesTarget train{1, {}, {Pulses{0.3, 10, -1, 0.1, 0.7}}};
    CHECK(train.is_straight());
    int changes = 0;
    double t = 0;
    while (t < 20) {
        const double next = train.next_breakpoint_s(t);
        if (next == infinity) break;
        REQUIRE(next > t);
        t = next;
        changes += train.before(t).value != train.after(t).value;
    }
    CHECK(t == 10);
    CHECK(changes == 28);
}

TEST_CASE("random targets are the same for the same stream, and others for another",
          "[scene][target]") {
    const MovesTarget steps{0, {}, {RandomSteps{1, 9, -2, 3, 0.25, 5}}};
    const MovesTarget others{0, {}, {RandomSteps{1, 9, -2, 3, 0.25, 6}}};
    int same = 0;
    for (int k = 0; k < 32; ++k) {
        const double t = 1 + 0.25 * k;
        CHECK(steps.after(t).value == steps.before(t + 0.25).value);
        CHECK(steps.after(t).value >= -2);
        CHECK(steps.after(t).value <= 3);
        same += steps.after(t).value == others.after(t).value;
        CHECK(steps.next_breakpoint_s(t) == t + 0.25);
    }
    CHECK(same == 0);
    CHECK(steps.after(9).value == 0);

    // Cubics between the breakpoints of noise are the noise.
    const NoiseWave wave{0, infinity, 2, {.frequency_hz = 3, .octaves = 2}, 77};
    const MovesTarget noise{0, {}, {wave}};
    double worst = 0;
    for (double t = 0; t < 3;) {
        const double next = noise.next_breakpoint_s(t);
        const TargetPoint a = noise.after(t);
        const TargetPoint b = noise.before(next);
        const double h = next - t;
        const double middle = (a.value + b.value) / 2 + h * (a.velocity - b.velocity) / 8;
        worst = std::max(worst, std::abs(middle - noise.after(t + h / 2).value));
        t = next;
    }
    CHECK(worst < 1e-6 * 2);
}
