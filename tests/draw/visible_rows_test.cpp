// Curves of more rows than a picture has room for are drawn as if all rows had been.

#include "draw/visible_rows.hpp"

#include <algorithm>
#include <cmath>
#include <limits>

#include <catch2/catch.hpp>

#include "support/random.hpp"

using hopcoil::draw::Curve;
using hopcoil::draw::most_rows_drawn;
using hopcoil::draw::visible_rows;

namespace {

constexpr double everywhere = std::numeric_limits<double>::infinity();

Curve noisy(std::size_t rows, unsigned seed) {
    Random random{seed};
    Curve curve;
    for (std::size_t i = 0; i < rows; ++i) {
        curve.xs.push_back(static_cast<double>(i) / 1000);
        curve.ys.push_back(std::sin(curve.xs.back()) + random.between(-0.1, 0.1));
    }
    return curve;
}

}  // namespace

TEST_CASE("a curve that has room is drawn whole", "[draw]") {
    for (const std::size_t rows : {std::size_t{1}, std::size_t{2}, most_rows_drawn}) {
        const auto drawn = visible_rows(noisy(rows, 1), -everywhere, everywhere);
        REQUIRE(drawn.size() == rows);
        CHECK(drawn.back() == rows - 1);
    }
    CHECK(visible_rows({}, 0, 1).empty());
}

TEST_CASE("of a long curve every peak of every pixel is kept, and the ends", "[draw]") {
    for (const std::size_t rows :
         {std::size_t{6001}, std::size_t{56'000}, std::size_t{1'000'000}}) {
        const Curve curve = noisy(rows, 2);
        const auto drawn = visible_rows(curve, -everywhere, everywhere);
        CHECK(drawn.size() <= most_rows_drawn + 4);
        CHECK(std::is_sorted(drawn.begin(), drawn.end()));
        CHECK(std::adjacent_find(drawn.begin(), drawn.end()) == drawn.end());
        CHECK(drawn.front() == 0);
        CHECK(drawn.back() == rows - 1);
        // A thousand columns of pixels: each has the same lowest and highest ink.
        const std::size_t column = rows / 1000;
        for (std::size_t from = 0; from + 3 * column < rows; from += column) {
            double highest = -everywhere;
            double lowest = everywhere;
            for (std::size_t i = from; i < from + column; ++i) {
                highest = std::max(highest, curve.ys[i]);
                lowest = std::min(lowest, curve.ys[i]);
            }
            double kept_high = -everywhere;
            double kept_low = everywhere;
            for (const std::size_t i : drawn) {
                if (i + column < from || i >= from + 2 * column) continue;
                kept_high = std::max(kept_high, curve.ys[i]);
                kept_low = std::min(kept_low, curve.ys[i]);
            }
            REQUIRE(kept_high >= highest);
            REQUIRE(kept_low <= lowest);
        }
    }
}

TEST_CASE("a stretch of a long curve is drawn in full detail", "[draw]") {
    const Curve curve = noisy(1'000'000, 3);
    const auto drawn = visible_rows(curve, 100, 103);
    CHECK(curve.xs[drawn.front()] <= 100);
    CHECK(curve.xs[drawn.back()] >= 103);
    CHECK(drawn.size() == drawn.back() - drawn.front() + 1);
}

TEST_CASE("gaps stay gaps", "[draw]") {
    Curve curve = noisy(50'000, 4);
    curve.ys[30'000] = std::numeric_limits<double>::quiet_NaN();
    const auto drawn = visible_rows(curve, -everywhere, everywhere);
    CHECK(std::find(drawn.begin(), drawn.end(), 30'000U) != drawn.end());
}
