#include <cmath>
#include <stdexcept>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/base/quaternion.hpp>
#include <hopcoil/take/take.hpp>
#include <hopcoil/take/take_edit.hpp>

#include "support/numbers.hpp"

using namespace hopcoil;

namespace {

/// A sine, an angle that goes round, an even turn, a flag up in the second half, an event each
/// whole second.
Take evening(double rate_hz, double seconds) {
    Take take;
    const std::vector<RecordedChannel> channels{
        {.name = "swell_m", .unit = "m"},
        {.name = "vane_rad", .unit = "rad"},
        {.name = "gull", .kind = ChannelKind::rotation, .components = 4},
        {.name = "lit", .kind = ChannelKind::flag},
        {.name = "bell", .kind = ChannelKind::event}};
    take.begin(channels);
    const auto rows = static_cast<int>(std::round(rate_hz * seconds));
    double bells = 0;
    for (int i = 0; i <= rows; ++i) {
        const double t = i / rate_hz;
        const Quaternion q = turned_by({0, 2.2 * t, 0});
        const double rung = std::floor(t + 1e-9);
        take.row(t, std::vector<double>{std::sin(2 * t), std::remainder(1.5 * t, 2 * pi), q.w, q.x,
                                        q.y, q.z, t >= seconds / 2 ? 1.0 : 0.0, rung - bells});
        bells = rung;
    }
    return take;
}

double number_at(const Take& take, const char* column, std::size_t row) {
    return take.row(row)[*take.find_column(column)];
}

}  // namespace

TEST_CASE("a take at another rate is the same motion", "[take_edit]") {
    const Take take = evening(30, 6);
    for (const double rate_hz : {24.0, 60.0, 144.0}) {
        CAPTURE(rate_hz);
        const Take other = resampled(take, rate_hz);
        CHECK(other.row_count() == static_cast<std::size_t>(6 * rate_hz) + 1);
        double bells = 0;
        for (std::size_t i = 0; i < other.row_count(); ++i) {
            const double t = other.times_s()[i];
            CHECK(number_at(other, "swell_m", i) == Approx(std::sin(2 * t)).margin(2e-3));
            const double off = number_at(other, "vane_rad", i) - 1.5 * t;
            CHECK(std::abs(std::remainder(off, 2 * pi)) < 1e-9);  // across the seam too
            const Quaternion q = turned_by({0, 2.2 * t, 0});
            const double along =
                q.w * number_at(other, "gull.w", i) + q.y * number_at(other, "gull.y", i);
            CHECK(std::abs(along) == Approx(1).margin(1e-12));
            const double lit = number_at(other, "lit", i);
            CHECK((lit == 0 || lit == 1));
            bells += number_at(other, "bell", i);
        }
        CHECK(bells == 6);  // none lost, none twice
    }
    const Take same = resampled(take, 30);
    for (std::size_t i = 0; i < take.row_count(); ++i)
        CHECK(number_at(same, "swell_m", i) == Approx(number_at(take, "swell_m", i)).margin(1e-12));
    CHECK_THROWS_AS(resampled(take, 0), std::invalid_argument);
    CHECK_THROWS_AS(resampled(take, 1e9), std::invalid_argument);
    CHECK_THROWS_AS(resampled(Take{}, 60), std::invalid_argument);
}

TEST_CASE("a stretch of a take begins at zero and keeps its ends", "[take_edit]") {
    const Take take = evening(30, 6);
    const Take middle = trimmed(take, 1.01, 4.5);
    CHECK(middle.times_s().front() == 0);
    CHECK(middle.times_s().back() == Approx(3.49));
    CHECK(number_at(middle, "swell_m", 0) == Approx(std::sin(2.02)).margin(1e-3));
    CHECK(number_at(middle, "swell_m", middle.row_count() - 1) == Approx(std::sin(9)).margin(1e-9));
    CHECK(trimmed(take, 2, 2).row_count() == 1);
    CHECK_THROWS_AS(trimmed(take, -1, 2), std::invalid_argument);
    CHECK_THROWS_AS(trimmed(take, 1, 7), std::invalid_argument);
    CHECK_THROWS_AS(trimmed(take, 3, 2), std::invalid_argument);
}

TEST_CASE("a looped take ends as it begins, in value and speed", "[take_edit]") {
    const Take take = evening(60, 6);
    const Take loop = looped(take, 1.5);
    const std::size_t last = loop.row_count() - 1;
    CHECK(number_at(loop, "swell_m", last) == Approx(number_at(loop, "swell_m", 0)).margin(1e-12));
    const double speed = (number_at(loop, "swell_m", 1) - number_at(loop, "swell_m", 0)) * 60;
    const double end =
        (number_at(loop, "swell_m", last) - number_at(loop, "swell_m", last - 1)) * 60;
    CHECK(end == Approx(speed).margin(0.1));
    double length = 0;
    for (const char* part : {"gull.w", "gull.x", "gull.y", "gull.z"})
        length += number_at(loop, part, last - 20) * number_at(loop, part, last - 20);
    CHECK(length == Approx(1).margin(1e-12));
    for (std::size_t i = 0; i < 270; ++i)  // untouched before the bend
        CHECK(number_at(loop, "swell_m", i) == number_at(take, "swell_m", i));
    CHECK_THROWS_AS(looped(take, 7), std::invalid_argument);
}

TEST_CASE("two takes differ where and by how much they do", "[take_edit]") {
    const Take one = evening(60, 6);
    const Take other = evening(90, 4);
    const TakeDifference none = difference(one, one);
    for (const ColumnDifference& column : none.columns) {
        CAPTURE(column.column);
        CHECK(column.largest == Approx(0).margin(1e-12));
    }
    const TakeDifference some = difference(one, other);
    CHECK(some.from_s == 0);
    CHECK(some.to_s == 4);
    REQUIRE(some.columns.front().column == "swell_m");
    CHECK(some.columns.front().largest < 1e-4);  // the same motion at another rate
    CHECK(some.columns[1].largest < 1e-9);

    Take shifted;
    const std::vector<RecordedChannel> channels{{.name = "swell_m", .unit = "m"}, {.name = "more"}};
    shifted.begin(channels);
    for (int i = 0; i <= 360; ++i)
        shifted.row(i / 60.0, std::vector<double>{std::sin(2 * i / 60.0) + 0.25, 0});
    const TakeDifference apart = difference(one, shifted);
    CHECK(apart.columns.front().largest == Approx(0.25));
    CHECK(apart.columns.front().rms == Approx(0.25));
    CHECK(apart.only_first.size() == one.column_names().size() - 1);
    CHECK(apart.only_second == std::vector<std::string>{"more"});
}

TEST_CASE("a take's figures are those of what it shows", "[take_edit]") {
    const std::vector<ColumnStatistics> all = statistics(evening(240, pi));
    REQUIRE(all.front().column == "swell_m");
    CHECK(all.front().most == Approx(1).margin(1e-3));
    CHECK(all.front().most_time_s == Approx(pi / 4).margin(0.01));
    CHECK(all.front().least_time_s == Approx(3 * pi / 4).margin(0.01));
    CHECK(all.front().mean == Approx(0).margin(1e-2));
    CHECK(all.front().rms == Approx(std::sqrt(0.5)).margin(1e-2));
    CHECK(all.front().first == 0);
    CHECK_THROWS_AS(statistics(Take{}), std::invalid_argument);
}
