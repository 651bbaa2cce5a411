#pragma once

#include <limits>

namespace hopcoil {

/// The least number in (from, to) at which `beyond` becomes true, stepping up in small factors and
/// then halving; infinity when it never does. Both ends are above 0, and `factor` above 1.
template <class Condition>
[[nodiscard]] double first_crossing(double from, double to, double factor, int halvings,
                                    const Condition& beyond) {
    double low = from;
    while (low < to && low * factor > low) {
        double high = low * factor;
        if (!beyond(high)) {
            low = high;
            continue;
        }
        for (int i = 0; i < halvings; ++i) {
            const double middle = (low + high) / 2;
            (beyond(middle) ? high : low) = middle;
        }
        return low;
    }
    return std::numeric_limits<double>::infinity();
}

}  // namespace hopcoil
