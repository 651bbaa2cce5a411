// Systems of many parts: exact limits where the matrices are known, safe bounds where only what the
// springs answer is.

#include <algorithm>
#include <array>
#include <cmath>
#include <span>
#include <vector>

#include <Eigen/Core>
#include <catch2/catch.hpp>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/stepping/any_scheme.hpp>
#include <hopcoil/stepping/linear_stability.hpp>
#include <hopcoil/stepping/network_stability.hpp>

#include "support/eigenvalues.hpp"
#include "support/numbers.hpp"
#include "support/random.hpp"

using namespace hopcoil;
using Catch::Matchers::Contains;

namespace {

struct Link {
    std::size_t a;
    std::size_t b;  ///< the same as a: held to the ground
    double stiffness;
    double damping;
};

/// Masses on a line with springs and dampers between any two of them.
struct TestNetwork {
    std::vector<double> masses;
    std::vector<Link> links;

    [[nodiscard]] std::size_t size() const { return masses.size(); }
    [[nodiscard]] double mass_kg(std::size_t i) const { return masses[i]; }
    void apply_stiffness(std::span<const double> x, std::span<double> out) const {
        apply(x, out, &Link::stiffness);
    }
    void apply_damping(std::span<const double> v, std::span<double> out) const {
        apply(v, out, &Link::damping);
    }
    void apply(std::span<const double> x, std::span<double> out, double Link::*number) const {
        std::fill(out.begin(), out.end(), 0.0);
        for (const Link& link : links) {
            const double pull = link.*number * (x[link.a] - (link.a == link.b ? 0 : x[link.b]));
            out[link.a] += pull;
            if (link.a != link.b) out[link.b] -= pull;
        }
    }
    [[nodiscard]] Eigen::MatrixXd matrix(double Link::*number) const {
        const auto n = static_cast<Eigen::Index>(size());
        Eigen::MatrixXd all(n, n);
        std::vector<double> x(size());
        std::vector<double> y(size());
        for (std::size_t j = 0; j < size(); ++j) {
            std::fill(x.begin(), x.end(), 0.0);
            x[j] = 1;
            apply(x, y, number);
            for (std::size_t i = 0; i < size(); ++i)
                all(static_cast<Eigen::Index>(i), static_cast<Eigen::Index>(j)) = y[i] / masses[i];
        }
        return all;
    }
    [[nodiscard]] LinearSystem system() const {
        const auto flat = [](const Eigen::MatrixXd& m) {
            const Eigen::MatrixXd columns = m.transpose();
            return std::vector<double>(columns.data(), columns.data() + columns.size());
        };
        return {size(), flat(matrix(&Link::stiffness)), flat(matrix(&Link::damping))};
    }
};

/// The same, and its entries are known.
struct OpenNetwork : TestNetwork {
    [[nodiscard]] double row_sum(std::size_t i, double Link::*number) const {
        double sum = 0;
        for (const Link& link : links) {
            if (link.a == i || link.b == i) sum += (link.a == link.b ? 1 : 2) * link.*number;
        }
        return sum;
    }
    [[nodiscard]] double stiffness_row_sum(std::size_t i) const {
        return row_sum(i, &Link::stiffness);
    }
    [[nodiscard]] double damping_row_sum(std::size_t i) const { return row_sum(i, &Link::damping); }
};

enum class Damping { none, proportional, any };

TestNetwork random_network(Random& random, Damping damping) {
    TestNetwork network;
    const int size = random.whole(2, 20);
    for (int i = 0; i < size; ++i)
        network.masses.push_back(random.over_magnitudes(0.1, 10));
    const double seconds = random.over_magnitudes(1e-4, 1e-1);
    const auto link = [&](int a, int b) {
        const double stiffness = random.over_magnitudes(10, 1e4);
        const double damper = damping == Damping::none           ? 0
                              : damping == Damping::proportional ? seconds * stiffness
                                                                 : random.over_magnitudes(0.1, 300);
        network.links.push_back(
            {static_cast<std::size_t>(a), static_cast<std::size_t>(b), stiffness, damper});
    };
    for (int i = 1; i < size; ++i)
        link(i, random.whole(0, i - 1));
    for (int extra = random.whole(0, 2 * size); extra > 0; --extra)
        link(random.whole(0, size - 1), random.whole(0, size - 1));
    return network;
}

/// Where every motion is one of single springs, they are known: the true limit is the least of
/// theirs.
double modal_limit_s(const TestNetwork& network, double damping_time_s, Scheme scheme) {
    const auto eigenvalues = eigenvalues_of(network.matrix(&Link::stiffness));
    double least = infinity;
    double stiffest = 0;
    for (const auto& eigenvalue : eigenvalues)
        stiffest = std::max(stiffest, std::abs(eigenvalue));
    for (const auto& eigenvalue : eigenvalues) {
        if (eigenvalue.real() < 1e-9 * stiffest) continue;
        const double w = std::sqrt(eigenvalue.real());
        least =
            std::min(least, unit_step_limits(damping_time_s * w / 2, scheme).largest_stable_s / w);
    }
    return least;
}

}  // namespace

TEST_CASE("network bounds are safe, and near the true limit where damping allows knowing it",
          "[stability][long]") {
    Random random{31};
    for (int i = 0; i < 1000; ++i) {
        const bool damped = random.chance(0.5);
        const TestNetwork network =
            random_network(random, damped ? Damping::proportional : Damping::none);
        const Scheme scheme = all_schemes()[static_cast<std::size_t>(random.whole(0, 6))].scheme;
        const double seconds = damped ? network.links[0].damping / network.links[0].stiffness : 0;
        const double limit = modal_limit_s(network, seconds, scheme);
        const double bound = largest_stable_step_s(bounds_of(network), scheme);
        const double open_bound = largest_stable_step_s(bounds_of(OpenNetwork{network}), scheme);
        CAPTURE(facts_of(scheme).name, damped, limit, bound, open_bound);
        if (limit == infinity) {
            CHECK(bound == infinity);
            continue;
        }
        CHECK(bound <= limit);
        CHECK(bound >= 0.9 * limit);
        CHECK(open_bound <= limit * (1 + 1e-9));
        CHECK(open_bound >= 0.9 * limit);
    }
}

TEST_CASE("network bounds are safe with any dampers", "[stability][long]") {
    Random random{32};
    for (int i = 0; i < 250; ++i) {
        TestNetwork network = random_network(random, Damping::any);
        const LinearSystem system = network.system();
        const NetworkBounds bounds = bounds_of(OpenNetwork{network});
        for (const SchemeFacts& scheme : all_schemes()) {
            CAPTURE(scheme.name, network.size());
            const double bound = largest_stable_step_s(bounds, scheme.scheme);
            if (bound == 0 || bound == infinity) continue;
            CHECK(spectral_radius(system, scheme.scheme, bound) < 1 + 1e-6);
            CHECK(spectral_radius(system, scheme.scheme, bound / 2) < 1 + 1e-6);
        }
    }
}

TEST_CASE("limits of linear systems are where their simulated motion begins to grow",
          "[stability][long]") {
    Random random{33};
    int with_line = 0;
    for (int i = 0; i < 60; ++i) {
        TestNetwork network = random_network(random, Damping::any);
        while (network.size() > 5)
            network = random_network(random, Damping::any);
        network.links.push_back({0, 0, 50, 1});
        const LinearSystem system = network.system();
        const std::size_t n = system.size;
        const auto motion = [&](double /*t*/, std::span<const double> x, std::span<const double> v,
                                std::span<double> a) {
            for (std::size_t r = 0; r < n; ++r) {
                a[r] = 0;
                for (std::size_t c = 0; c < n; ++c)
                    a[r] -= system.stiffness[r * n + c] * x[c] + system.damping[r * n + c] * v[c];
            }
        };
        const Scheme which = all_schemes()[static_cast<std::size_t>(i) % 7].scheme;
        const StepLimits limits = step_limits(system, which);
        CAPTURE(facts_of(which).name, limits.largest_stable_s, n);
        if (limits.largest_stable_s == infinity) continue;
        REQUIRE(limits.largest_stable_s > 0);
        constexpr int steps = 20'000;
        // What grows too slowly to be seen is not looked at.
        const double growth = spectral_radius(system, which, 1.01 * limits.largest_stable_s);
        if (steps * std::log(growth) < 10) continue;
        ++with_line;
        const auto grows = [&](double dt) {
            AnyScheme<double> scheme{which, n};
            std::vector<double> x(n, 0.3);
            std::vector<double> v(n, -0.2);
            x[0] = 1;
            double early = 0;
            double late = 0;
            for (int k = 0; k < steps; ++k) {
                if (scheme.step(motion, 0, dt, x, v) != StepStatus::stepped) return true;
                const double size =
                    std::abs(*std::max_element(x.begin(), x.end(), [](double a, double b) {
                        return std::abs(a) < std::abs(b);
                    }));
                if (k < steps / 4) early = std::max(early, size);
                if (k > 3 * steps / 4) late = std::max(late, size);
            }
            return late > early;
        };
        CHECK_FALSE(grows(0.99 * limits.largest_stable_s));
        CHECK(grows(1.01 * limits.largest_stable_s));
    }
    CHECK(with_line > 30);
}

TEST_CASE("a linear system of one spring has the spring's limits", "[stability][long]") {
    Random random{34};
    for (int i = 0; i < 100; ++i) {
        const Tuning tuning{.frequency_hz = random.over_magnitudes(0.1, 10),
                            .damping_ratio = random.over_magnitudes(0.05, 3)};
        const double w = 2 * pi * tuning.frequency_hz;
        const LinearSystem system{1, {w * w}, {2 * tuning.damping_ratio * w}};
        for (const SchemeFacts& scheme : all_schemes()) {
            CAPTURE(scheme.name, tuning.frequency_hz, tuning.damping_ratio);
            const StepLimits one = step_limits(tuning, scheme.scheme);
            const StepLimits many = step_limits(system, scheme.scheme);
            if (one.largest_stable_s == infinity) {
                CHECK(many.largest_stable_s == infinity);
            } else {
                CHECK(many.largest_stable_s == Approx(one.largest_stable_s).epsilon(1e-3));
            }
            if (one.ringing_from_s < one.largest_stable_s) {
                CHECK(many.ringing_from_s == Approx(one.ringing_from_s).epsilon(1e-3));
            }
            const double dt = 0.3 / w;
            CHECK(spectral_radius(system, scheme.scheme, dt) ==
                  Approx(step_report(tuning, scheme.scheme, dt).spectral_radius));
        }
    }
}

TEST_CASE("what no linear system or network can be is refused by name", "[stability]") {
    CHECK_THROWS_WITH(step_limits(LinearSystem{2, {1, 0, 0}, {0, 0, 0, 0}}, Scheme::midpoint),
                      Contains("stiffness"));
    CHECK_THROWS_WITH(step_limits(LinearSystem{1, {1}, {std::nan("")}}, Scheme::midpoint),
                      Contains("damping"));
    CHECK_THROWS_WITH(spectral_radius(LinearSystem{1, {1}, {1}}, Scheme::midpoint, -1),
                      Contains("dt"));
    CHECK_THROWS_WITH(bounds_of(TestNetwork{{1, 0}, {{0, 1, 5, 0}}}), Contains("mass_kg"));
    CHECK_THROWS_WITH(largest_stable_step_s({.stiffness_per_s2 = -1}, Scheme::midpoint),
                      Contains("stiffness_per_s2"));
    CHECK(step_limits(LinearSystem{}, Scheme::midpoint).largest_stable_s == infinity);
    CHECK(largest_stable_step_s(bounds_of(TestNetwork{{1, 1}, {}}), Scheme::explicit_euler) ==
          infinity);
    // Friction alone is a decay like any other.
    const double friction_only =
        largest_stable_step_s(bounds_of(TestNetwork{{1}, {{0, 0, 0, 10}}}), Scheme::explicit_euler);
    CHECK(friction_only < 0.2);
    CHECK(friction_only > 0.18);
}
