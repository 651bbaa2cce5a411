#include <cmath>
#include <string>

#include <catch2/catch.hpp>

#include <hopcoil/base/math.hpp>

#include "support/numbers.hpp"
#include "support/random.hpp"

using namespace hopcoil;

namespace {

/// The error in units in the last place of the true value.
double error_in_ulps(double found, long double truth) {
    const double nearest = static_cast<double>(truth);
    if (!std::isfinite(nearest)) return found == nearest ? 0 : infinity;
    int exponent = 0;
    std::frexp(nearest, &exponent);
    const long double ulp = std::ldexp(1.0L, std::max(exponent - 53, -1074));
    return static_cast<double>(std::fabs(static_cast<long double>(found) - truth) / ulp);
}

template <class Function, class Truth, class Argument>
void check_error(const std::string& name, double most_ulps, const Function& function,
                 const Truth& truth, const Argument& argument) {
    double worst = 0;
    double where = 0;
    for (int i = 0; i < 100000; ++i) {
        const double x = argument();
        const double error = error_in_ulps(function(x), truth(static_cast<long double>(x)));
        if (!(error <= worst)) {
            worst = error;
            where = x;
        }
    }
    INFO(name << " is off by " << worst << " ulp at " << where);
    CHECK(worst <= most_ulps);
}

bool same(double a, double b) {
    if (std::isnan(a) || std::isnan(b)) return std::isnan(a) && std::isnan(b);
    return a == b && std::signbit(a) == std::signbit(b);
}

}  // namespace

TEST_CASE("elementary functions keep the error their docstrings promise", "[math]") {
    Random random{1};
    const auto exp_l = [](long double x) {
        return std::exp(x);
    };
    const auto expm1_l = [](long double x) {
        return std::expm1(x);
    };
    const auto log_l = [](long double x) {
        return std::log(x);
    };
    const auto sin_l = [](long double x) {
        return std::sin(x);
    };
    const auto cos_l = [](long double x) {
        return std::cos(x);
    };
    check_error("exp", 1, math::exp, exp_l, [&] { return random.between(-745, 709.7); });
    check_error("exp near 0", 1, math::exp, exp_l, [&] { return random.between(-1, 1); });
    check_error("expm1", 2, math::expm1, expm1_l, [&] { return random.between(-50, 700); });
    check_error("expm1 near 0", 2, math::expm1, expm1_l,
                [&] { return random.between(-1, 1) * random.over_magnitudes(1e-300, 1); });
    check_error("log", 1, math::log, log_l, [&] { return random.over_magnitudes(5e-324, 1e308); });
    check_error("log near 1", 1, math::log, log_l, [&] { return random.between(0.5, 2); });
    check_error("sin", 1, math::sin, sin_l, [&] { return random.between(-1e6, 1e6); });
    check_error("cos", 1, math::cos, cos_l, [&] { return random.between(-1e6, 1e6); });
    // The long double functions reduce angles up to 2^63 exactly.
    check_error("sin of huge angles", 1, math::sin, sin_l,
                [&] { return random.over_magnitudes(1e6, 9e18); });
    check_error("cos of huge angles", 1, math::cos, cos_l,
                [&] { return random.over_magnitudes(1e6, 9e18); });
    check_error(
        "atan2", 2, [](double t) { return math::atan2(std::sin(t), std::cos(t)); },
        [](long double t) {
            const auto x = static_cast<double>(t);
            return std::atan2(static_cast<long double>(std::sin(x)),
                              static_cast<long double>(std::cos(x)));
        },
        [&] { return random.between(-3.2, 3.2); });
}

TEST_CASE("powers are right over the whole range", "[math]") {
    Random random{2};
    double worst = 0;
    for (int i = 0; i < 200000; ++i) {
        const bool near_one = i % 2 == 0;
        double x = near_one ? random.between(0.5, 2) : random.over_magnitudes(1e-300, 1e300);
        double y = near_one ? random.between(-700, 700) : random.between(-3, 3);
        if (i % 7 == 0) {
            x = -x;
            y = std::floor(y);
        }
        const long double truth =
            std::pow(static_cast<long double>(x), static_cast<long double>(y));
        if (std::fabs(truth) < 1e-300L) continue;  // a subnormal result is rounded twice
        worst = std::max(worst, error_in_ulps(math::pow(x, y), truth));
    }
    CHECK(worst <= 2);
}

TEST_CASE("special values are those of C", "[math]") {
    const double values[]{0.0, -0.0, 1.0, -1.0, 0.5, 2.0, -3.0, infinity, -infinity, not_a_number};
    for (const double x : values) {
        CAPTURE(x);
        const bool special = x == 0 || !std::isfinite(x);
        if (special) {
            CHECK(same(math::exp(x), std::exp(x)));
            CHECK(same(math::expm1(x), std::expm1(x)));
            CHECK(same(math::sin(x), std::sin(x)));
            CHECK(same(math::cos(x), std::cos(x)));
            CHECK(same(math::log(x), std::log(x)));
        }
        for (const double y : values) {
            CAPTURE(y);
            const double power = std::pow(x, y);
            const bool exact = same(math::pow(x, y), power);
            CHECK((exact || math::pow(x, y) == Approx(power).margin(0).epsilon(3e-16)));
            if (std::isnan(x) || std::isnan(y)) {
                CHECK(std::isnan(math::atan2(y, x)));
            } else {
                CHECK(math::atan2(y, x) == Approx(std::atan2(y, x)).margin(0).epsilon(4e-16));
                CHECK(std::signbit(math::atan2(y, x)) == std::signbit(std::atan2(y, x)));
            }
        }
    }
    CHECK(math::exp(1000) == infinity);
    CHECK(math::exp(-1000) == 0);
    CHECK(math::expm1(-1000) == -1);
    CHECK(math::pow(-1, 1e308) == 1);
}
