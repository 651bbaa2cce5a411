// Which of two things hides the other.

#include "draw/drawing_order.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstddef>
#include <limits>
#include <optional>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/base/quaternion.hpp>

#include "support/random.hpp"

using namespace hopcoil;
using namespace hopcoil::draw;

namespace {

struct Crate {
    Vector3 middle{};
    Vector3 half{};
    Quaternion rotation{};

    [[nodiscard]] Surrounding surrounding() const {
        Surrounding box;
        for (std::size_t i = 0; i < box.corners.size(); ++i) {
            const Vector3 corner{(i & 1U) != 0 ? half.x : -half.x, (i & 2U) != 0 ? half.y : -half.y,
                                 (i & 4U) != 0 ? half.z : -half.z};
            box.corners[i] = middle + rotated(rotation, corner);
        }
        for (Vector3& axis : box.axes)
            axis = rotated(rotation, axis);
        return box;
    }

    /// How near to the viewer a line of sight meets it.
    [[nodiscard]] std::optional<double> met_by(const Vector3& from, const Vector3& toward) const {
        const Vector3 place = rotated(conjugate(rotation), from - middle);
        const Vector3 way = rotated(conjugate(rotation), toward);
        double first = -std::numeric_limits<double>::infinity();
        double last = std::numeric_limits<double>::infinity();
        for (double Vector3::*k : {&Vector3::x, &Vector3::y, &Vector3::z}) {
            const double a = (-(half.*k) - place.*k) / (way.*k);
            const double b = (half.*k - place.*k) / (way.*k);
            first = std::max(first, std::min(a, b));
            last = std::min(last, std::max(a, b));
        }
        return first <= last ? std::optional{last} : std::nullopt;
    }
};

/// A plank, and crates on it in rows, turned this way and that.
std::vector<Crate> crates_on_a_plank(Random& random) {
    std::vector<Crate> all{{{0, -0.1, 0}, {3, 0.1, 5}, {}}};
    for (int row = -4; row <= 4; row += 2) {
        for (int column = -2; column <= 2; column += 2) {
            if (random.chance(0.3)) continue;
            const Vector3 half{random.between(0.1, 0.65), random.between(0.05, 1),
                               random.between(0.1, 0.65)};
            all.push_back({{1.0 * column, half.y, 1.0 * row},
                           half,
                           turned_by({0, random.between(-3, 3), 0})});
        }
    }
    return all;
}

}  // namespace

TEST_CASE("along every line of sight the nearest thing is drawn last", "[draw]") {
    using View = scene::PictureSettings::View;
    Random random{7};
    int hidden = 0;
    for (int round = 0; round < 60; ++round) {
        const Eye eye = eye_of(round % 2 == 0 ? View::slanted : View::side);
        std::vector<Crate> crates = crates_on_a_plank(random);
        std::rotate(crates.begin(), crates.begin() + round % 5, crates.end());
        std::vector<Surrounding> boxes;
        for (const Crate& each : crates)
            boxes.push_back(each.surrounding());
        const std::vector<std::size_t> order = drawing_order(boxes, eye);
        REQUIRE(order.size() == crates.size());
        for (int i = 0; i < 400; ++i) {
            const Vector3 from = eye.right * random.between(-6, 6) + eye.up * random.between(-4, 4);
            std::optional<double> nearest;
            std::optional<double> drawn;
            for (const std::size_t k : order) {
                const auto met = crates[k].met_by(from, eye.toward + Vector3{1e-12, 1e-12, 0});
                if (!met) continue;
                hidden += drawn ? 1 : 0;
                drawn = met;
                nearest = std::max(nearest.value_or(*met), *met);
            }
            CAPTURE(round, i);
            CHECK(drawn == nearest);
        }
    }
    CHECK(hidden > 1500);
}

TEST_CASE("an order that is given counts whatever is nearer", "[draw]") {
    const Eye eye;
    Surrounding near = Crate{{0, 0, 5}, {1, 1, 1}, {}}.surrounding();
    Surrounding far = Crate{{0, 0, -5}, {1, 1, 1}, {}}.surrounding();
    CHECK(drawing_order({near, far}, eye) == std::vector<std::size_t>{1, 0});
    far.order = 1;
    CHECK(drawing_order({near, far}, eye) == std::vector<std::size_t>{0, 1});
}
