// The follower against the exponential of its matrix in long double (support/reference.hpp), to
// the bars of the design: errors of the value over the scale s of everything in play, of the
// velocity over w max(s, |v1| / w), at most `bar` max(1, w dt).

#include <algorithm>
#include <cmath>
#include <string>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/follow/follower.hpp>

#include "support/numbers.hpp"
#include "support/random.hpp"
#include "support/reference.hpp"

using namespace hopcoil;
using reference::Real;

namespace {

/// A start, a target's way, and a step.
struct Case {
    Tuning tuning{};
    double dt = 0;
    double from = 0;  ///< the target before
    double to = 0;    ///< and after
    double value = 0;
    double velocity = 0;
    double first_travel = 0;  ///< the target's velocity times dt, before and after (cubic)
    double last_travel = 0;
};

struct Worst {
    double share_of_bar = 0;
    Case where{};

    void note(double error_over_bar, const Case& example) {
        if (error_over_bar <= share_of_bar) return;  // a NaN is never small
        share_of_bar = error_over_bar;
        where = example;
    }
};

template <class S>
constexpr double bar = std::is_same_v<S, float> ? 1e-6 : 1e-12;

template <class S>
class Accuracy {
  public:
    void check(const Case& example) {
        const Case c = rounded_to_scalar(example);
        const double w = 2 * pi * c.tuning.frequency_hz;
        check_one(c, w, Kind::straight);
        check_one(c, w, Kind::cubic);
        check_one(c, w, Kind::jump);
    }

    void report(const std::string& what) const {
        const Case& c = worst_.where;
        INFO(what << ": f " << c.tuning.frequency_hz << ", z " << c.tuning.damping_ratio << ", L "
                  << c.tuning.lead << ", dt " << c.dt << "; from " << c.from << " to " << c.to
                  << ", value " << c.value << ", velocity " << c.velocity);
        CHECK(worst_.share_of_bar <= 1);
    }

  private:
    enum class Kind { straight, cubic, jump };

    static Case rounded_to_scalar(Case c) {
        for (double* each : {&c.from, &c.to, &c.value, &c.velocity})
            *each = static_cast<S>(*each);
        return c;
    }

    void check_one(const Case& c, double w, Kind kind) {
        Follower<S> follower{c.tuning, static_cast<S>(c.value)};
        follower.cut(static_cast<S>(c.from));
        follower.push(static_cast<S>(c.velocity));
        reference::State truth{static_cast<Real>(c.value), static_cast<Real>(c.velocity)};
        double scale = std::max({std::fabs(c.from), std::fabs(c.to), std::fabs(c.value)});
        double dt = c.dt;
        if (kind == Kind::straight) {
            follower.step(static_cast<S>(c.to), dt);
            truth = reference::step(c.tuning, truth, reference::straight(c.from, c.to), dt);
        } else if (kind == Kind::cubic) {
            const S first = static_cast<S>(c.first_travel / dt);
            const S last = static_cast<S>(c.last_travel / dt);
            follower.step(static_cast<S>(c.from), first, 0.0);
            follower.step(static_cast<S>(c.to), last, dt);
            const Real m0 = static_cast<Real>(first) * dt;
            const Real m1 = static_cast<Real>(last) * dt;
            truth = reference::step(c.tuning, truth, reference::hermite(c.from, c.to, m0, m1), dt);
            scale = std::max(
                {scale, static_cast<double>(std::fabs(m0)), static_cast<double>(std::fabs(m1))});
        } else {
            dt = 0;
            follower.jump(static_cast<S>(c.to));
            truth.velocity += 2 * static_cast<Real>(c.tuning.damping_ratio) * w *
                              static_cast<Real>(c.tuning.lead) *
                              (static_cast<Real>(c.to) - static_cast<Real>(c.from));
        }
        const double per_w = w > 0 ? 1 / w : dt;
        const auto value = static_cast<double>(truth.value);
        const auto velocity = static_cast<double>(truth.velocity);
        scale = std::max({scale, std::fabs(value), std::fabs(c.velocity) * per_w});
        const double allowed = bar<S> * std::max(1.0, w * dt);
        const Real off = static_cast<Real>(follower.value()) - truth.value;
        const Real speed_off = static_cast<Real>(follower.velocity()) - truth.velocity;
        worst_.note(static_cast<double>(std::fabs(off)) / (scale * allowed), c);
        const double speed_scale = std::max(scale, std::fabs(velocity) * per_w);
        worst_.note(static_cast<double>(std::fabs(speed_off)) * per_w / (speed_scale * allowed), c);
        CHECK(follower.rejected_inputs() == 0);
    }

    Worst worst_;
};

Case random_case(Random& random) {
    Case c;
    c.tuning.frequency_hz = random.over_magnitudes(1e-3, 1e3);
    c.tuning.damping_ratio = random.chance(0.3)   ? random.over_magnitudes(1e-3, 50)
                             : random.chance(0.5) ? random.between(0, 2)
                                                  : random.between(0, 50);
    c.tuning.lead = random.between(-3, 3);
    c.dt = random.over_magnitudes(1e-6, 10);
    c.from = random.between(-1, 1);
    c.to = random.between(-1, 1);
    c.value = random.chance(0.1) ? c.from : random.between(-1, 1);
    c.velocity = random.between(-1, 1) * 2 * pi * c.tuning.frequency_hz;
    c.first_travel = random.between(-1, 1);
    c.last_travel = random.between(-1, 1);
    return c;
}

template <class S>
void check_random_cases() {
    Random random{20};
    Accuracy<S> accuracy;
    for (int i = 0; i < 20000; ++i)
        accuracy.check(random_case(random));
    accuracy.report("random cases");
}

template <class S>
void check_edges() {
    std::vector<double> ratios{0, 1e-12, 1, 50};
    for (double off = 1e-12; off < 2e-3; off *= 10) {
        ratios.push_back(1 - off);
        ratios.push_back(1 + off);
    }
    Random random{21};
    Accuracy<S> accuracy;
    for (const double ratio : ratios) {
        for (double phase = 1e-9; phase < 2e5; phase *= 10) {  // w dt
            for (int i = 0; i < 20; ++i) {
                Case c = random_case(random);
                c.tuning.damping_ratio = ratio;
                c.tuning.frequency_hz = random.over_magnitudes(1e-3, 1e3);
                c.dt = phase / (2 * pi * c.tuning.frequency_hz);
                c.velocity = random.between(-1, 1) * 2 * pi * c.tuning.frequency_hz;
                accuracy.check(c);
            }
        }
    }
    accuracy.report("edges");
}

template <class S>
void check_free_flight() {
    Random random{22};
    Accuracy<S> accuracy;
    for (int i = 0; i < 500; ++i) {
        Case c = random_case(random);
        c.tuning.frequency_hz = 0;
        c.velocity = random.between(-1, 1) / c.dt;
        accuracy.check(c);
    }
    accuracy.report("free flight");
}

}  // namespace

TEST_CASE("one step equals the matrix exponential, over the whole range",
          "[follower][accuracy][long]") {
    SECTION("double") {
        check_random_cases<double>();
    }
    SECTION("float") {
        check_random_cases<float>();
    }
}

TEST_CASE("one step equals the matrix exponential at the edges of every regime",
          "[follower][accuracy][long]") {
    SECTION("double") {
        check_edges<double>();
    }
    SECTION("float") {
        check_edges<float>();
    }
}

TEST_CASE("without stiffness a follower flies free", "[follower][accuracy]") {
    SECTION("double") {
        check_free_flight<double>();
    }
    SECTION("float") {
        check_free_flight<float>();
    }
}
