#include <cmath>
#include <stdexcept>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/scene/kinds/movers.hpp>
#include <hopcoil/tune/measured_frequencies.hpp>

#include "support/numbers.hpp"

using namespace hopcoil;

TEST_CASE("what is measured with sines agrees with the closed form", "[frequency]") {
    const std::vector<double> hz{0.1, 0.3, 1, 2, 2.5, 4, 9, 20};
    const auto agree = [&](const scene::AnySpec& mover, const std::vector<Tuning>& links) {
        const std::vector<FrequencyPoint> closed = frequency_response(links, hz);
        const std::vector<FrequencyPoint> measured = tune::measured_frequencies(*mover, hz, 0.5);
        for (std::size_t i = 0; i < hz.size(); ++i) {
            CAPTURE(hz[i]);
            CHECK(measured[i].gain == Approx(closed[i].gain).epsilon(0.005));
            CHECK(measured[i].phase_lag_rad == Approx(closed[i].phase_lag_rad).margin(0.01));
        }
    };
    for (const Tuning& tuning : {Tuning{2, 0.15, 0}, Tuning{1, 1.4, 0.5}, Tuning{4, 0.5, -1}})
        agree(scene::mover_spec(tuning, {}, {}), {tuning});
    const std::vector<Tuning> links{{2, 0.3, 0}, {3, 0.2, 0.4}};
    agree(
        scene::mover_spec(scene::CascadeParameters{.names = {"a", "b"}, .tunings = links}, {}, {}),
        links);
    // A glide is of first order: a half-life of ln 2 / w.
    const scene::AnySpec glide = scene::mover_spec(GlideTuning{.half_life_s = 0.1}, {}, {});
    for (const FrequencyPoint& point : tune::measured_frequencies(*glide, hz)) {
        const double s = 2 * pi * point.frequency_hz * 0.1 / std::log(2.0);
        CHECK(point.gain == Approx(1 / std::sqrt(1 + s * s)).epsilon(0.005));
    }
    CHECK_THROWS_AS(tune::measured_frequencies(*glide, {2, 1}), std::invalid_argument);
}
