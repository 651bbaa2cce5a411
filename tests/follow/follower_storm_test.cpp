// Whatever is thrown at it, a follower stays finite, says what it refused, and never allocates.

#include <cmath>
#include <limits>
#include <vector>

#include <Eigen/Core>
#include <catch2/catch.hpp>

#include <hopcoil/follow/follower.hpp>

#include "support/allocations.hpp"
#include "support/random.hpp"
#include "support/vectors.hpp"

using namespace hopcoil;

namespace {

template <class S>
std::vector<S> wild_numbers() {
    using Limits = std::numeric_limits<S>;
    std::vector<S> numbers{0,
                           1,
                           static_cast<S>(1e-3),
                           Limits::min(),
                           Limits::denorm_min(),
                           Limits::max(),
                           Limits::max() / 2,
                           Limits::epsilon(),
                           Limits::infinity(),
                           Limits::quiet_NaN()};
    for (std::size_t i = numbers.size(); i-- > 0;)
        numbers.push_back(-numbers[i]);
    return numbers;
}

const std::vector<double>& wild_steps() {
    static const std::vector<double> steps{0,
                                           1e-320,
                                           1e-300,
                                           1e-9,
                                           1.0 / 60,
                                           3,
                                           1e9,
                                           1e200,
                                           1.7e308,
                                           -1e-9,
                                           -1,
                                           -0.0,
                                           std::numeric_limits<double>::infinity(),
                                           std::numeric_limits<double>::quiet_NaN()};
    return steps;
}

Tuning wild_tuning(Random& random) {
    constexpr double frequencies[]{0, 1e-308, 1e-9, 0.5, 2, 60, 1e3, 1e9, 1e200, 1e307, -1};
    constexpr double ratios[]{0, 1e-300, 1e-9, 0.3, 1 - 1e-16, 1, 1 + 1e-15, 2, 50, 1e9, 1e300};
    constexpr double leads[]{0, 1, -1, 3, 1e9, -1e300, 1e-300};
    return {.frequency_hz = frequencies[random.whole(0, 10)],
            .damping_ratio = ratios[random.whole(0, 10)],
            .lead = leads[random.whole(0, 6)]};
}

/// One random call with random arguments; what it answered.
template <class T, class Make>
StepStatus call_something(Follower<T>& follower, Random& random, const Make& make) {
    const auto& steps = wild_steps();
    const double dt =
        steps[static_cast<std::size_t>(random.whole(0, static_cast<int>(steps.size()) - 1))];
    switch (random.whole(0, 7)) {
        case 0:
            return follower.jump(make());
        case 1:
            return follower.cut(make());
        case 2:
            return follower.push(make());
        case 3:
            return follower.reset(make());
        case 4:
            return follower.try_retune(wild_tuning(random)) ? StepStatus::stepped
                                                            : StepStatus::rejected;
        case 5:
            return follower.step(make(), make(), dt);
        default:
            return follower.step(make(), dt);
    }
}

template <class T, class Make, class IsFinite>
void weather_the_storm(T start, const Make& make, const IsFinite& all_finite) {
    Random random{40};
    Follower<T> follower{{}, start};
    std::uint64_t rejected = 0;
    for (int i = 0; i < 200000; ++i) {
        const T value = follower.value();
        const T velocity = follower.velocity();
        const StepStatus status = call_something(follower, random, [&] { return make(random); });
        if (status == StepStatus::rejected) {
            ++rejected;
            REQUIRE(follower.value() == value);
            REQUIRE(follower.velocity() == velocity);
        }
        REQUIRE(follower.rejected_inputs() == rejected);
        REQUIRE(all_finite(follower.value()));
        REQUIRE(all_finite(follower.velocity()));
        REQUIRE(all_finite(follower.target()));
    }
    CHECK(rejected > 1000);
}

template <class S>
S pick(const std::vector<S>& numbers, Random& random) {
    return numbers[static_cast<std::size_t>(random.whole(0, static_cast<int>(numbers.size()) - 1))];
}

}  // namespace

TEST_CASE("no input makes a follower's state anything but finite", "[follower][storm]") {
    const auto floats = wild_numbers<float>();
    const auto doubles = wild_numbers<double>();
    SECTION("float") {
        weather_the_storm<float>(
            0, [&](Random& random) { return pick(floats, random); },
            [](float v) { return std::isfinite(v); });
    }
    SECTION("double") {
        weather_the_storm<double>(
            0, [&](Random& random) { return pick(doubles, random); },
            [](double v) { return std::isfinite(v); });
    }
    SECTION("Eigen vector") {
        weather_the_storm<Eigen::Vector2d>(
            Eigen::Vector2d::Zero(),
            [&](Random& random) -> Eigen::Vector2d {
                return {pick(doubles, random), random.between(-1, 1)};
            },
            [](const Eigen::Vector2d& v) { return v.allFinite(); });
    }
    SECTION("a vector that hides its numbers but compares") {
        weather_the_storm<Sealed>(
            Sealed{0, 0},
            [&](Random& random) {
                return Sealed{pick(floats, random), 1};
            },
            [](const Sealed& v) { return v - v == v - v; });
    }
}

TEST_CASE("a step of any length toward a held target ends nearer to it", "[follower][storm]") {
    for (const double dt : {1e-9, 1e-3, 0.1, 3.0, 1e3, 1e9}) {
        for (const double z : {0.05, 0.7, 1.0, 40.0}) {
            Follower<double> follower{{.frequency_hz = 2, .damping_ratio = z}, 0.0};
            follower.cut(1.0);
            const double energy = follower.energy();
            follower.step(1.0, dt);
            CHECK(follower.energy() <= energy * (1 + 1e-12));
            CHECK(follower.rejected_inputs() == 0);
        }
    }
}

TEST_CASE("nothing allocates after set-up", "[follower][storm]") {
    Random random{41};
    Follower<Eigen::Vector3f> follower{{}, Eigen::Vector3f::Zero()};
    Follower<double> scalar{{}, 0.0};
    double numbers[9] = {};
    const auto doubles = wild_numbers<double>();
    const long before = allocations();
    for (int i = 0; i < 20000; ++i) {
        call_something(follower, random, [&]() -> Eigen::Vector3f {
            return {static_cast<float>(random.between(-1, 1)), 1, 2};
        });
        call_something(scalar, random, [&] { return pick(doubles, random); });
        follower.read(numbers);
        static_cast<void>(follower.at_rest(1, 1));
        static_cast<void>(follower.energy());
    }
    CHECK(allocations() - before == 0);

    // The count itself works.
    const std::vector<int> something(1000);
    CHECK(allocations() - before > 0);
}
