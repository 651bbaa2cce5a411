#include <cmath>
#include <set>
#include <string>

#include <catch2/catch.hpp>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/follow/follower.hpp>
#include <hopcoil/spring/named_tunings.hpp>

#include "support/random.hpp"

using namespace hopcoil;
using Catch::Matchers::Contains;

TEST_CASE("every named tuning can be used and found, in order of names", "[tuning]") {
    std::string before;
    std::set<std::string_view> descriptions;
    for (const NamedTuning& each : named_tunings()) {
        CHECK(is_valid(each.tuning));
        CHECK(each.name > before);
        before = each.name;
        CHECK(descriptions.insert(each.description).second);
        CHECK(find_tuning(each.name) == each.tuning);
    }
    CHECK(named_tunings().size() >= 12);
    CHECK_FALSE(find_tuning("nowhere"));
}

TEST_CASE("a blend meets both ends and is even in octaves between", "[tuning]") {
    const Tuning calm{.frequency_hz = 0.5, .damping_ratio = 1, .lead = 0};
    const Tuning alarmed{.frequency_hz = 8, .damping_ratio = 0.2, .lead = -1};
    CHECK(blend(calm, alarmed, 0) == calm);
    CHECK(blend(calm, alarmed, 1) == alarmed);
    const Tuning half = blend(calm, alarmed, 0.5);
    CHECK(half.frequency_hz == Approx(2).epsilon(1e-14));
    CHECK(half.damping_ratio == Approx(0.6));
    CHECK(half.lead == Approx(-0.5));
    CHECK_THROWS_WITH(blend({.frequency_hz = 0}, alarmed, 0.5), Contains("calm.frequency_hz"));
    CHECK_THROWS_WITH(blend(calm, alarmed, 1.5), Contains("amount"));
    CHECK_THROWS_WITH(blend(calm, alarmed, std::nan("")), Contains("amount"));
}

TEST_CASE("moods that change every frame leave value and velocity continuous", "[tuning]") {
    Random random{21};
    Follower<double> crab{*find_tuning("drowsy"), 0.0};
    for (int frame = 0; frame < 2000; ++frame) {
        const double value = crab.value();
        const double velocity = crab.velocity();
        crab.retune(blend(*find_tuning("drowsy"), *find_tuning("nervous"), random.between(0, 1)));
        CHECK(crab.value() == value);
        CHECK(crab.velocity() == velocity);
        crab.step(std::sin(frame / 40.0), 1.0 / 60);
        CHECK(std::fabs(crab.value()) < 5);
    }
}

TEST_CASE("half-lives and damped springs go to a tuning and back", "[tuning]") {
    Random random{22};
    for (int i = 0; i < 500; ++i) {
        const Tuning tuning{.frequency_hz = random.over_magnitudes(1e-2, 1e2),
                            .damping_ratio = random.over_magnitudes(1e-2, 30),
                            .lead = random.between(-2, 2)};
        const Tuning by_half_life = tuning_from(decay_half_life_from(tuning));
        CHECK(by_half_life.frequency_hz == Approx(tuning.frequency_hz).epsilon(1e-13));
        CHECK(by_half_life.damping_ratio == tuning.damping_ratio);

        SpringByRatio spring = damped_spring_from(tuning, random.over_magnitudes(0.01, 100));
        CHECK(tuning_from(spring).frequency_hz == Approx(tuning.frequency_hz).epsilon(1e-13));
        spring.mass_kg *= 4;  // the mass alone: half as quick, the damping's feel the same
        CHECK(tuning_from(spring).frequency_hz == Approx(tuning.frequency_hz / 2).epsilon(1e-13));
        CHECK(tuning_from(spring).damping_ratio == tuning.damping_ratio);
    }
    CHECK(half_life_from_time_constant_s(1) == Approx(std::log(2)));
    CHECK_THROWS_AS(tuning_from(DecayHalfLife{.half_life_s = 0}), InvalidValue);
    CHECK_THROWS_AS(tuning_from(DecayHalfLife{.damping_ratio = 0}), InvalidValue);
}

TEST_CASE("the remaining distance halves in a half-life", "[tuning]") {
    for (const double ratio : {0.05, 0.3, 2.0, 8.0}) {
        const Tuning tuning =
            tuning_from(DecayHalfLife{.half_life_s = 0.25, .damping_ratio = ratio});
        Follower<double> follower{tuning, 0.0};
        follower.jump(1);
        // The envelope: sqrt(gap^2 + (gap' over the swing's frequency)^2), or the creeping gap.
        const auto left = [&] {
            const double d = std::sqrt(std::fmax(0, 1 - ratio * ratio));
            const double w = 2 * 3.14159265358979 * tuning.frequency_hz;
            const double gap = follower.value() - 1;
            const double across = d > 0 ? (follower.velocity() / w + ratio * gap) / d : 0;
            return std::hypot(gap, across);
        };
        follower.step(1, 1);
        const double before = left();
        follower.step(1, 0.25);
        CHECK(left() == Approx(before / 2).epsilon(1e-3));
    }
}
