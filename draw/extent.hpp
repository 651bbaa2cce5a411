#pragma once

#include <algorithm>
#include <cmath>
#include <limits>

namespace hopcoil::draw {

/// From the least to the largest of what was taken in; nothing at first.
struct Extent {
    double low = std::numeric_limits<double>::infinity();
    double high = -std::numeric_limits<double>::infinity();

    void include(double number) {
        if (!std::isfinite(number)) return;
        low = std::min(low, number);
        high = std::max(high, number);
    }
    [[nodiscard]] double size() const { return high - low; }
};

}  // namespace hopcoil::draw
