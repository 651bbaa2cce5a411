#include <cmath>
#include <limits>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/measure/tracking.hpp>
#include <hopcoil/take/take.hpp>

using namespace hopcoil;
using Catch::Matchers::Contains;

namespace {

std::vector<RecordedChannel> a_scalar_and_a_vector() {
    return {{.name = "vane.value_rad", .unit = "rad"},
            {.name = "lamp.position", .kind = ChannelKind::vector, .components = 3, .unit = "m"}};
}

}  // namespace

TEST_CASE("a take keeps rows under the names of their components", "[take]") {
    Take take;
    take.begin(a_scalar_and_a_vector());
    CHECK(take.column_names() == std::vector<std::string>{"vane.value_rad", "lamp.position.x",
                                                          "lamp.position.y", "lamp.position.z"});
    take.row(0, std::vector<double>{1, 2, 3, 4});
    take.row(0.5, std::vector<double>{5, 6, 7, 8});
    CHECK(take.row_count() == 2);
    CHECK(take.column(*take.find_column("lamp.position.y")) == std::vector<double>{3, 7});
    CHECK(take.row(1)[0] == 5);
    CHECK_FALSE(take.find_column("lamp.position"));
    CHECK_THROWS_AS(take.row(2), std::out_of_range);
    CHECK_THROWS_AS(take.column(4), std::out_of_range);

    take.begin(a_scalar_and_a_vector());
    CHECK(take.row_count() == 0);
}

TEST_CASE("a take refuses rows that do not fit", "[take]") {
    Take take;
    take.begin(a_scalar_and_a_vector());
    CHECK_THROWS_WITH(take.row(0, std::vector<double>{1, 2}), Contains("2 numbers, expected 4"));
    const std::vector<double> numbers{1, 2, 3, 4};
    take.row(1, numbers);
    CHECK_THROWS_WITH(take.row(0.5, numbers), Contains("time_s = 0.5"));
    CHECK_THROWS_AS(take.row(std::nan(""), numbers), std::invalid_argument);
    take.row(1, numbers);  // two rows at one time are before and after a jump
    CHECK(take.row_count() == 2);
    const std::vector<RecordedChannel> twins{{.name = "a"}, {.name = "a"}};
    CHECK_THROWS_WITH(take.begin(twins), Contains("named a"));
    CHECK(take.row_count() == 2);
}

TEST_CASE("tracking is measured over time, not over samples", "[take]") {
    // Off by 2 for a second in three, sampled unevenly.
    const std::vector<double> times{0, 1, 1, 1.1, 1.7, 2, 2, 3};
    const std::vector<double> values{0, 0, 2, 2, 2, 2, 0, 0};
    const std::vector<double> velocities{0, 0, -7, 0, 0, 0, 3, 0};
    const std::vector<double> targets(8, 0.0);
    const Tracking tracking = measure_tracking(times, values, velocities, targets);
    CHECK(tracking.largest_gap == 2);
    CHECK(tracking.largest_gap_time_s == 1);
    CHECK(tracking.rms_gap == Approx(std::sqrt(4.0 / 3)));
    CHECK(tracking.peak_velocity == 7);
    CHECK(tracking.sample_spacing_s == 1);
    CHECK_THROWS_AS(measure_tracking({}, {}, {}, {}), std::invalid_argument);
    CHECK_THROWS_AS(measure_tracking(times, values, velocities, {}), std::invalid_argument);
}
