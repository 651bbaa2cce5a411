// The lines that are predicted are where simulated motion begins to grow, or to jitter.

#include <algorithm>
#include <array>
#include <cmath>
#include <span>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/spring/free_motion.hpp>
#include <hopcoil/stepping/any_scheme.hpp>
#include <hopcoil/stepping/stability.hpp>

#include "support/numbers.hpp"
#include "support/random.hpp"

using namespace hopcoil;
using Catch::Matchers::Contains;

namespace {

using In = std::span<const double>;
using Out = std::span<double>;

struct Spring {
    double w;
    double z;
    void operator()(double /*t*/, In y, In v, Out a) const {
        a[0] = -w * w * y[0] - 2 * z * w * v[0];
    }
};

struct Point {
    double y;
    double v;  ///< over w
};

/// Many steps by the scheme itself; after each, where it is.
template <class Visit>
void simulate(const Tuning& tuning, Scheme which, double dt, int steps, Point start,
              const Visit& visit) {
    const double w = 2 * pi * tuning.frequency_hz;
    AnyScheme<double> scheme{which, 1};
    std::array<double, 1> y{start.y};
    std::array<double, 1> v{start.v * w};
    for (int i = 0; i < steps; ++i) {
        if (scheme.step(Spring{w, tuning.damping_ratio}, 0, dt, y, v) != StepStatus::stepped) {
            visit(Point{infinity, infinity});
            return;
        }
        if (!visit(Point{y[0], v[0] / w})) return;
    }
}

/// Whether a motion grows in the long run: its largest swing late against that early.
bool grows(const Tuning& tuning, Scheme which, double dt) {
    constexpr int steps = 40'000;
    double early = 0;
    double late = 0;
    int i = 0;
    simulate(tuning, which, dt, steps, {0.7, -0.4}, [&](Point p) {
        const double size = std::hypot(p.y, p.v);
        if (i < steps / 4) early = std::max(early, size);
        if (i >= 3 * steps / 4) late = std::max(late, size);
        ++i;
        if (size > 1e12) late = infinity;
        return size < 1e12 && size > 1e-200;
    });
    return late > 1.02 * early;
}

Tuning damped_or_not(Random& random) {
    return {.frequency_hz = random.over_magnitudes(1e-2, 1e2),
            .damping_ratio = random.chance(0.1) ? 0.0 : random.over_magnitudes(0.01, 20)};
}

Scheme random_scheme(Random& random) {
    return all_schemes()[static_cast<std::size_t>(random.whole(0, scheme_count - 1))].scheme;
}

/// The one-step matrix, read off the scheme: what becomes of a unit of each.
OneStepMatrix probed(Scheme which, double u, double z) {
    const Tuning tuning{.frequency_hz = 1 / (2 * pi), .damping_ratio = z};
    OneStepMatrix matrix;
    simulate(tuning, which, u, 1, {1, 0}, [&](Point p) {
        matrix.y_of_y = p.y;
        matrix.v_of_y = p.v;
        return true;
    });
    simulate(tuning, which, u, 1, {0, 1}, [&](Point p) {
        matrix.y_of_v = p.y;
        matrix.v_of_v = p.v;
        return true;
    });
    return matrix;
}

}  // namespace

TEST_CASE("one-step matrices are those of the schemes", "[stability]") {
    Random random{21};
    for (int i = 0; i < 500; ++i) {
        const Scheme which = random_scheme(random);
        // It keeps the chord's velocity, which a single step does not show.
        if (which == Scheme::position_verlet) continue;
        const double u = random.over_magnitudes(1e-3, 4);
        const double z = random.chance(0.2) ? 0 : random.over_magnitudes(1e-2, 5);
        const OneStepMatrix said = one_step_matrix(which, u, z);
        const OneStepMatrix seen = probed(which, u, z);
        const double scale = 1 + std::pow(u * (1 + 2 * z), 4);
        CAPTURE(facts_of(which).name, u, z);
        CHECK(std::abs(said.y_of_y - seen.y_of_y) < 1e-12 * scale);
        CHECK(std::abs(said.y_of_v - seen.y_of_v) < 1e-12 * scale);
        CHECK(std::abs(said.v_of_y - seen.v_of_y) < 1e-12 * scale);
        CHECK(std::abs(said.v_of_v - seen.v_of_v) < 1e-12 * scale);
    }
}

TEST_CASE("a motion grows beyond the largest stable step and not below it", "[stability][long]") {
    Random random{22};
    int with_line = 0;
    for (int i = 0; i < 1000; ++i) {
        const Tuning tuning = damped_or_not(random);
        const Scheme which = random_scheme(random);
        const double line_s = step_limits(tuning, which).largest_stable_s;
        CAPTURE(facts_of(which).name, tuning.frequency_hz, tuning.damping_ratio, line_s);
        if (line_s == 0) {
            CHECK(grows(tuning, which, 0.3 / (2 * pi * tuning.frequency_hz)));
        } else if (line_s == infinity) {
            for (const double u : {0.1, 3.0, 1000.0})
                CHECK_FALSE(grows(tuning, which, u / (2 * pi * tuning.frequency_hz)));
        } else {
            ++with_line;
            CHECK_FALSE(grows(tuning, which, 0.99 * line_s));
            CHECK(grows(tuning, which, 1.01 * line_s));
        }
    }
    CHECK(with_line > 700);
}

TEST_CASE("limits are the known ones where there is no damping, or a lot", "[stability]") {
    CHECK(unit_step_limits(0, Scheme::explicit_euler).largest_stable_s == 0);
    CHECK(unit_step_limits(0, Scheme::midpoint).largest_stable_s == 0);
    CHECK(unit_step_limits(0, Scheme::semi_implicit_euler).largest_stable_s == Approx(2));
    CHECK(unit_step_limits(0, Scheme::velocity_verlet).largest_stable_s == Approx(2));
    CHECK(unit_step_limits(0, Scheme::position_verlet).largest_stable_s == Approx(2));
    CHECK(unit_step_limits(0, Scheme::runge_kutta_4).largest_stable_s ==
          Approx(2 * std::sqrt(2.0)));
    CHECK(unit_step_limits(0, Scheme::implicit_euler).largest_stable_s == infinity);
    // A single quick decay of rate 2 z w: stable to 2, 2 and 2.785 of its time.
    CHECK(2e6 * unit_step_limits(1e6, Scheme::explicit_euler).largest_stable_s == Approx(2));
    CHECK(2e6 * unit_step_limits(1e6, Scheme::velocity_verlet).largest_stable_s == Approx(2));
    CHECK(2e6 * unit_step_limits(1e6, Scheme::runge_kutta_4).largest_stable_s ==
          Approx(2.7852935634));
    CHECK_THROWS_WITH(unit_step_limits(-1, Scheme::midpoint), Contains("damping_ratio"));
    CHECK(step_limits({.frequency_hz = 0}, Scheme::explicit_euler).largest_stable_s == infinity);
}

TEST_CASE("from the ringing threshold on, and not before, something changes sign every frame",
          "[stability]") {
    Random random{23};
    int ringing = 0;
    for (int i = 0; i < 1000; ++i) {
        const Tuning tuning = damped_or_not(random);
        const Scheme which = random_scheme(random);
        const StepLimits limits = step_limits(tuning, which);
        CAPTURE(facts_of(which).name, tuning.frequency_hz, tuning.damping_ratio);
        if (limits.ringing_from_s == infinity) continue;
        if (limits.ringing_from_s > 0.98 * limits.largest_stable_s) continue;
        ++ringing;
        const auto alternates = [&](double dt) {
            const OneStepMatrix m =
                one_step_matrix(which, 2 * pi * tuning.frequency_hz * dt, tuning.damping_ratio);
            // Of all starts, the one that alternates if any does: along the most negative
            // eigenvalue.
            const double mean = (m.y_of_y + m.v_of_v) / 2;
            const double half = (m.y_of_y - m.v_of_v) / 2;
            const double root = std::sqrt(std::max(0.0, half * half + m.y_of_v * m.v_of_y));
            const Point start{m.y_of_v, (mean - root) - m.y_of_y};
            if (which == Scheme::position_verlet) return has_negative_eigenvalue(m);
            int changes = 0;
            double last = start.y;
            constexpr int frames = 6;
            simulate(tuning, which, dt, frames, start, [&](Point p) {
                changes += p.y * last < 0;
                last = p.y;
                return true;
            });
            return changes == frames;
        };
        CHECK(alternates(1.01 * limits.ringing_from_s));
        CHECK_FALSE(has_negative_eigenvalue(
            one_step_matrix(which, 0.99 * limits.ringing_from_s * 2 * pi * tuning.frequency_hz,
                            tuning.damping_ratio)));
    }
    CHECK(ringing > 200);
}

TEST_CASE("position Verlet rings from its ringing threshold on", "[stability]") {
    for (const double z : {0.1, 0.2, 0.3, 0.4}) {
        const Tuning tuning{.frequency_hz = 2, .damping_ratio = z};
        const double line_s = step_limits(tuning, Scheme::position_verlet).ringing_from_s;
        const auto changes_of_sign = [&](double dt) {
            int changes = 0;
            double last = 0;
            simulate(tuning, Scheme::position_verlet, dt, 60, {1, 0}, [&](Point p) {
                changes += p.y * last < 0;
                last = p.y;
                return true;
            });
            return changes;
        };
        CAPTURE(z);
        CHECK(changes_of_sign(1.01 * line_s) >= 59);
        CHECK(changes_of_sign(0.8 * line_s) < 50);
    }
}

TEST_CASE("a report says what the stepped motion has in place of its tuning", "[stability]") {
    Random random{24};
    int swinging = 0;
    for (int i = 0; i < 300; ++i) {
        const Tuning tuning{.frequency_hz = random.over_magnitudes(0.1, 10),
                            .damping_ratio = random.between(0.02, 0.6)};
        const Scheme which = random_scheme(random);
        const double dt = random.over_magnitudes(0.02, 0.8) / (2 * pi * tuning.frequency_hz);
        const StepReport report = step_report(tuning, which, dt);
        if (!(report.damping_ratio < 0.9) || report.verdict == StepVerdict::unstable) continue;
        ++swinging;
        // A stepped motion is the exact motion of another spring, seen at the steps: it obeys
        // p(n+1) = 2 e^(-zw dt) cos(d dt) p(n) - e^(-2 zw dt) p(n-1).
        const double w = 2 * pi * report.frequency_hz;
        const double decay = std::exp(-report.damping_ratio * w * dt);
        const double turning =
            w * std::sqrt((1 - report.damping_ratio) * (1 + report.damping_ratio)) * dt;
        std::vector<double> ys;
        simulate(tuning, which, dt, 12, {1, 0.2}, [&](Point p) {
            ys.push_back(p.y);
            return true;
        });
        CAPTURE(facts_of(which).name, tuning.frequency_hz, tuning.damping_ratio, dt);
        for (std::size_t n = 1; n + 1 < ys.size(); ++n) {
            const double foretold =
                2 * decay * std::cos(turning) * ys[n] - decay * decay * ys[n - 1];
            CHECK(ys[n + 1] == Approx(foretold).margin(1e-9));
        }
    }
    CHECK(swinging > 200);
}

TEST_CASE("a report's verdict is on the side of the lines where the step is", "[stability]") {
    const Tuning tuning{.frequency_hz = 4, .damping_ratio = 0.3};
    const StepLimits limits = step_limits(tuning, Scheme::semi_implicit_euler);
    const auto verdict = [&](double dt) {
        return step_report(tuning, Scheme::semi_implicit_euler, dt).verdict;
    };
    CHECK(verdict(0.99 * limits.ringing_from_s) == StepVerdict::stable);
    CHECK(verdict(1.01 * limits.ringing_from_s) == StepVerdict::rings);
    CHECK(verdict(0.99 * limits.largest_stable_s) == StepVerdict::rings);
    CHECK(verdict(1.01 * limits.largest_stable_s) == StepVerdict::unstable);
    // As the step goes to nothing, so do the errors.
    const StepReport fine = step_report(tuning, Scheme::semi_implicit_euler, 1e-6);
    CHECK(fine.frequency_hz == Approx(4).epsilon(1e-4));
    CHECK(fine.damping_ratio == Approx(0.3).epsilon(1e-4));
    CHECK_FALSE(fine.beyond_half_rate);
    CHECK(step_report({.frequency_hz = 31}, Scheme::implicit_euler, 1.0 / 60).beyond_half_rate);
    CHECK_FALSE(
        step_report({.frequency_hz = 29}, Scheme::implicit_euler, 1.0 / 60).beyond_half_rate);
    CHECK_THROWS_WITH(step_report(tuning, Scheme::midpoint, 0), Contains("dt"));
}
