#include <cmath>
#include <complex>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/spring/frequency_response.hpp>

#include "support/numbers.hpp"
#include "support/random.hpp"

using namespace hopcoil;

TEST_CASE("gain and phase over frequency are those of the transfer function", "[frequency]") {
    Random random{5};
    for (int i = 0; i < 500; ++i) {
        std::vector<Tuning> links;
        std::complex<double> product{1, 0};
        const double hz = random.over_magnitudes(1e-2, 1e2);
        for (int k = random.whole(1, 3); k > 0; --k) {
            const Tuning link{random.over_magnitudes(0.1, 20), random.between(0.05, 3),
                              random.between(-2, 2)};
            const std::complex<double> s{0, hz / link.frequency_hz};
            product *= (1.0 + 2 * link.damping_ratio * link.lead * s) /
                       (1.0 + 2 * link.damping_ratio * s + s * s);
            links.push_back(link);
        }
        const FrequencyPoint point = frequency_response(links, std::vector{hz}).front();
        CHECK(point.gain == Approx(std::abs(product)).epsilon(1e-12));
        const double apart = (point.phase_lag_rad + std::arg(product)) / (2 * pi);
        CHECK(std::abs(apart - std::round(apart)) < 1e-12);
        // Of one follower it is the figure of its sine response.
        if (links.size() == 1)
            CHECK(point.gain == Approx(*sine_response(links[0], hz).gain.value()).epsilon(1e-12));
    }
}

TEST_CASE("the phase is in one piece, and the figures are where they belong", "[frequency]") {
    std::vector<double> hz;
    for (int i = 0; i <= 4000; ++i)
        hz.push_back(0.01 * std::pow(1e4, i / 4000.0));
    for (const double lead : {-2.0, 0.0, 0.5, 1.0}) {
        const std::vector<Tuning> links{{2, 0.1, lead}, {3, 0.3, 0}};
        const std::vector<FrequencyPoint> points = frequency_response(links, hz);
        for (std::size_t i = 1; i < points.size(); ++i)
            REQUIRE(std::abs(points[i].phase_lag_rad - points[i - 1].phase_lag_rad) < 0.2);
    }
    // A follower without a lead: resonance at f sqrt(1 - 2 z^2), 1 / (2 z sqrt(1 - z^2)) high.
    const double z = 0.2;
    const FrequencyFigures figures = frequency_figures(std::vector<Tuning>{{2, z, 0}});
    CHECK(*figures.resonance_hz.value() == Approx(2 * std::sqrt(1 - 2 * z * z)).epsilon(1e-6));
    CHECK(*figures.resonance_gain.value() == Approx(1 / (2 * z * std::sqrt(1 - z * z))));
    const double b = 1 - 2 * z * z;
    CHECK(*figures.bandwidth_hz.value() == Approx(2 * std::sqrt(b + std::sqrt(b * b + 1))));
    CHECK(*figures.lag_s.value() == Approx(2 * z / (4 * pi)));
    CHECK_FALSE(frequency_figures(std::vector<Tuning>{{2, 1, 0}}).resonance_hz.value());
    const FrequencyFigures undamped = frequency_figures(std::vector<Tuning>{{2, 0, 0}});
    CHECK(*undamped.resonance_hz.value() == Approx(2).epsilon(1e-4));
    CHECK_FALSE(undamped.resonance_gain.value());
    CHECK_FALSE(frequency_figures(std::vector<Tuning>{{0, 0, 0}}).bandwidth_hz.value());
    CHECK_THROWS_AS(frequency_response(std::vector<Tuning>{{2, 1, 0}}, std::vector{0.0}),
                    InvalidValue);
    CHECK_THROWS_AS(frequency_figures(std::vector<Tuning>{{-2, 1, 0}}), InvalidValue);
}
