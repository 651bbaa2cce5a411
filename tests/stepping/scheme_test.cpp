// Each scheme is of the order it says, keeps energy where it says so, and never allocates.

#include <array>
#include <cmath>
#include <limits>
#include <span>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/stepping/any_scheme.hpp>

#include "support/allocations.hpp"
#include "support/numbers.hpp"
#include "support/random.hpp"

using namespace hopcoil;

namespace {

using In = std::span<const double>;
using Out = std::span<double>;

/// y'' = w^2 (x - y) - 2 z w y' + 2 z w L x', x = sin(1.3 t): in any scalar, for the reference too.
struct ChasingSpring {
    double w = 7;
    double z = 0.3;
    double lead = 0.4;

    template <class S>
    S operator()(S t, S y, S v) const {
        const S x = std::sin(S(1.3) * t);
        const S rate = S(1.3) * std::cos(S(1.3) * t);
        return S(w) * S(w) * (x - y) - 2 * S(z) * S(w) * (v - S(lead) * rate);
    }
    void operator()(double t, In y, In v, Out a) const { a[0] = (*this)(t, y[0], v[0]); }
};

struct Pendulum {
    double friction = 0.3;

    template <class S>
    S operator()(S /*t*/, S angle, S rate) const {
        return S(-9.81) * std::sin(angle) - S(friction) * rate;
    }
    void operator()(double t, In y, In v, Out a) const { a[0] = (*this)(t, y[0], v[0]); }
};

constexpr double start_value = 0.7;
constexpr double initial_velocity = -1.1;

/// By fine steps in long double.
template <class System>
long double reference_value(const System& system, long double end_s) {
    constexpr int steps = 40'000;
    const long double h = end_s / steps;
    long double y = start_value;
    long double v = initial_velocity;
    for (int i = 0; i < steps; ++i) {
        const long double t = h * static_cast<long double>(i);
        const long double a1 = system(t, y, v);
        const long double v2 = v + h / 2 * a1;
        const long double a2 = system(t + h / 2, y + h / 2 * v, v2);
        const long double v3 = v + h / 2 * a2;
        const long double a3 = system(t + h / 2, y + h / 2 * v2, v3);
        const long double v4 = v + h * a3;
        const long double a4 = system(t + h, y + h * v3, v4);
        y += h / 6 * (v + 2 * v2 + 2 * v3 + v4);
        v += h / 6 * (a1 + 2 * a2 + 2 * a3 + a4);
    }
    return y;
}

template <class System>
double value_after(const System& system, Scheme which, double end_s, int steps) {
    AnyScheme<double> scheme{which, 1};
    std::array<double, 1> y{start_value};
    std::array<double, 1> v{initial_velocity};
    const double h = end_s / steps;
    for (int i = 0; i < steps; ++i)
        REQUIRE(scheme.step(system, i * h, h, y, v) == StepStatus::stepped);
    return y[0];
}

template <class System>
double measured_order(const System& system, Scheme which) {
    constexpr double end_s = 1.6;
    const int steps = which == Scheme::runge_kutta_4 ? 1000 : 6400;
    const auto exact = static_cast<double>(reference_value(system, end_s));
    const double coarse = value_after(system, which, end_s, steps) - exact;
    const double fine = value_after(system, which, end_s, 2 * steps) - exact;
    return std::log2(std::abs(coarse / fine));
}

}  // namespace

TEST_CASE("every scheme has the order it says, on a damped spring after a moving target",
          "[stepping]") {
    for (const SchemeFacts& each : all_schemes()) {
        CAPTURE(each.name);
        CHECK(measured_order(ChasingSpring{}, each.scheme) == Approx(each.order).margin(0.1));
        CHECK(measured_order(ChasingSpring{.w = 3, .z = 1.4, .lead = -0.5}, each.scheme) ==
              Approx(each.order).margin(0.1));
    }
}

TEST_CASE("every scheme has the order it says, on a pendulum", "[stepping]") {
    for (const SchemeFacts& each : all_schemes()) {
        CAPTURE(each.name);
        CHECK(measured_order(Pendulum{}, each.scheme) == Approx(each.order).margin(0.1));
    }
}

TEST_CASE("position Verlet is of second order where nothing damps", "[stepping]") {
    CHECK(measured_order(Pendulum{.friction = 0}, Scheme::position_verlet) ==
          Approx(2).margin(0.1));
}

TEST_CASE("position Verlet keeps its accuracy when the step changes from frame to frame",
          "[stepping]") {
    const Pendulum pendulum{.friction = 0};
    const auto error = [&](double h) {
        PositionVerlet<double> scheme{1};
        std::array<double, 1> y{start_value};
        std::array<double, 1> v{initial_velocity};
        double t = 0;
        for (int i = 0; t < 1.6 - 1e-12; ++i) {
            const double dt = std::min(h * (1 + 0.5 * std::sin(0.01 * i)), 1.6 - t);
            scheme.step(pendulum, t, dt, y, v);
            t += dt;
        }
        return std::abs(y[0] - static_cast<double>(reference_value(pendulum, 1.6L)));
    };
    CHECK(error(1e-3) < 2e-5);
}

TEST_CASE("schemes that keep energy hold it within a band over a million steps",
          "[stepping][long]") {
    const double w = 2 * 3.14159265358979 * 2;
    const auto oscillator = [w](double /*t*/, In y, In /*v*/, Out a) {
        a[0] = -w * w * y[0];
    };
    const double h = 0.5 / w;
    for (const SchemeFacts& each : all_schemes()) {
        CAPTURE(each.name);
        AnyScheme<double> scheme{each.scheme, 1};
        std::array<double, 1> y{1};
        std::array<double, 1> v{0};
        double least = 1;
        double most = 1;
        for (int i = 0; i < 1'000'000; ++i) {
            if (scheme.step(oscillator, i * h, h, y, v) != StepStatus::stepped) break;
            const double energy = y[0] * y[0] + v[0] * v[0] / (w * w);
            least = std::min(least, energy);
            most = std::max(most, energy);
            if (energy > 1e6 || energy < 1e-6) break;
        }
        // With u = w h the band is at most (1 + u/2) / (1 - u/2) wide: 1.67.
        CHECK(each.keeps_energy == (least > 0.59 && most < 1.7));
    }
}

TEST_CASE("a Jacobian by differences gives the same motion as one that is known", "[stepping]") {
    struct Known : Pendulum {
        void jacobian(double /*t*/, In y, In /*v*/, Out by_y, Out by_v) const {
            by_y[0] = -9.81 * std::cos(y[0]);
            by_v[0] = -friction;
        }
    };
    for (const double h : {1e-3, 0.03, 0.3, 2.0}) {
        ImplicitEuler<double> scheme{1};
        std::array<double, 1> known_y{2.9};
        std::array<double, 1> known_v{1};
        std::array<double, 1> y = known_y;
        std::array<double, 1> v = known_v;
        for (int i = 0; i < 20; ++i) {
            REQUIRE(scheme.step(Known{}, 0, h, known_y, known_v) == StepStatus::stepped);
            REQUIRE(scheme.step(Pendulum{}, 0, h, y, v) == StepStatus::stepped);
        }
        CHECK(y[0] == Approx(known_y[0]).margin(1e-8));
        // It solves what it says: v1 = v + h a(x1, v1).
        const std::array<double, 1> before_v = v;
        scheme.step(Pendulum{}, 0, h, y, v);
        CHECK(v[0] - before_v[0] == Approx(h * Pendulum{}(0.0, y[0], v[0])).margin(1e-10));
    }
}

TEST_CASE("accelerations may solve the system of an implicit step for themselves", "[stepping]") {
    // A damped chain between two walls: three diagonals, solved in one pass up and one down.
    static constexpr double k = 5e4;
    static constexpr double c = 7;
    struct Chain {
        void operator()(double /*t*/, In x, In v, Out a) const {
            for (std::size_t i = 0; i < x.size(); ++i) {
                const double left = i == 0 ? 0 : x[i - 1];
                const double right = i + 1 == x.size() ? 0 : x[i + 1];
                a[i] = k * ((left - x[i]) + (right - x[i])) - c * v[i];
            }
        }
    };
    struct Solving : Chain {
        bool solve(const StepEnd<double>& end, Out b) const {
            const double off = -end.h * end.h * k;
            const double diagonal = 1 + end.h * c - 2 * off;
            std::vector<double> share(b.size());
            double below = diagonal;
            b[0] /= below;
            for (std::size_t i = 1; i < b.size(); ++i) {
                share[i] = off / below;
                below = diagonal - off * share[i];
                b[i] = (b[i] - off * b[i - 1]) / below;
            }
            for (std::size_t i = b.size() - 1; i-- > 0;)
                b[i] -= share[i + 1] * b[i + 1];
            return true;
        }
    };
    constexpr std::size_t size = 80;
    std::vector<double> x(size);
    for (std::size_t i = 0; i < size; ++i)
        x[i] = std::sin(0.3 * static_cast<double>(i));
    std::vector<double> v(size);
    std::vector<double> own_x = x;
    std::vector<double> own_v = v;
    AnyScheme<double> scheme{Scheme::implicit_euler, size};
    AnyScheme<double> own{Scheme::implicit_euler, size, SystemOf::accelerations};
    for (int i = 0; i < 30; ++i) {
        REQUIRE(scheme.step(Chain{}, 0, 0.01, x, v) == StepStatus::stepped);
        REQUIRE(own.step(Solving{}, 0, 0.01, own_x, own_v) == StepStatus::stepped);
    }
    double apart = 0;
    for (std::size_t i = 0; i < size; ++i)
        apart = std::max(apart, std::abs(own_x[i] - x[i]));
    CHECK(apart < 1e-9);
    CHECK(own.step(Chain{}, 0, 0.01, own_x, own_v) == StepStatus::rejected);
}

TEST_CASE("implicit Euler solves many numbers that depend on one another, without allocating",
          "[stepping]") {
    constexpr std::size_t size = 60;
    // A stiff chain, both ends held.
    const auto chain = [](double /*t*/, In x, In v, Out a) {
        for (std::size_t i = 0; i < x.size(); ++i) {
            const double left = i == 0 ? 0 : x[i - 1];
            const double right = i + 1 == x.size() ? 0 : x[i + 1];
            a[i] = 4e5 * ((left - x[i]) + (right - x[i])) - 3 * v[i] * std::abs(v[i]);
        }
    };
    ImplicitEuler<double> scheme{size};
    std::vector<double> x(size);
    std::vector<double> v(size);
    Random random{5};
    for (double& each : x)
        each = random.between(-1, 1);
    const long before = allocations();
    for (int i = 0; i < 200; ++i)
        REQUIRE(scheme.step(chain, 0, 1.0 / 30, x, v) == StepStatus::stepped);
    CHECK(allocations() == before);
    for (const double each : x)
        CHECK(std::abs(each) < 0.05);
}

TEMPLATE_TEST_CASE("no scheme allocates, and what it cannot step it leaves as it was", "[stepping]",
                   float, double) {
    using S = TestType;
    const auto spring = [](double /*t*/, std::span<const S> x, std::span<const S> v,
                           std::span<S> a) {
        for (std::size_t i = 0; i < x.size(); ++i)
            a[i] = -40 * x[i] - v[i];
    };
    const auto poison = [](double /*t*/, std::span<const S>, std::span<const S>, std::span<S> a) {
        for (S& each : a)
            each = std::numeric_limits<S>::quiet_NaN();
    };
    for (const SchemeFacts& each : all_schemes()) {
        CAPTURE(each.name);
        AnyScheme<S> scheme{each.scheme, 3};
        std::array<S, 3> x{1, 2, 3};
        std::array<S, 3> v{0, -1, 0};
        const long before = allocations();
        for (int i = 0; i < 100; ++i)
            scheme.step(spring, i * 0.01, 0.01, x, v);
        CHECK(allocations() == before);
        CHECK(std::abs(x[0]) < 1);

        const auto kept_x = x;
        const auto kept_v = v;
        for (const double dt : {-0.1, not_a_number, infinity})
            CHECK(scheme.step(spring, 0, dt, x, v) == StepStatus::rejected);
        CHECK(scheme.step(spring, not_a_number, 0.1, x, v) == StepStatus::rejected);
        CHECK(scheme.step(poison, 0, 0.1, x, v) == StepStatus::rejected);
        std::array<S, 2> short_one{};
        CHECK(scheme.step(spring, 0, 0.1, short_one, v) == StepStatus::rejected);
        CHECK(scheme.step(spring, 0, 0.0, x, v) == StepStatus::stepped);
        CHECK(x == kept_x);
        CHECK(v == kept_v);
    }
}

TEST_CASE("schemes are found by the names they have", "[stepping]") {
    for (const SchemeFacts& each : all_schemes()) {
        CHECK(find_scheme(each.name) == each.scheme);
        CHECK(facts_of(each.scheme).name == each.name);
        CHECK(AnyScheme<double>{each.scheme, 1}.scheme() == each.scheme);
    }
    CHECK_FALSE(find_scheme("euler"));
}

TEST_CASE("a scheme looks at the accelerations as often as it says", "[stepping]") {
    for (const SchemeFacts& each : all_schemes()) {
        CAPTURE(each.name);
        struct Counting {
            int* count;
            void operator()(double /*t*/, In x, In v, Out a) const {
                ++*count;
                a[0] = -40 * x[0] - v[0];
            }
            void jacobian(double /*t*/, In /*x*/, In /*v*/, Out by_x, Out by_v) const {
                by_x[0] = -40;
                by_v[0] = -1;
            }
        };
        int count = 0;
        AnyScheme<double> scheme{each.scheme, 1};
        std::array<double, 1> x{1};
        std::array<double, 1> v{0};
        scheme.step(Counting{&count}, 0, 0.01, x, v);
        count = 0;
        for (int i = 1; i <= 100; ++i)
            scheme.step(Counting{&count}, i * 0.01, 0.01, x, v);
        CHECK(count == Approx(100 * each.evaluations_per_step).epsilon(0.02));
    }
}
