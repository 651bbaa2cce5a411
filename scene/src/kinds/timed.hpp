#pragma once

#include <algorithm>
#include <cmath>
#include <limits>
#include <vector>

namespace hopcoil::scene {

/// When the first of these comes after a time, by their `at_s`; infinity where none does.
template <class Event>
[[nodiscard]] double next_at_s(const std::vector<Event>& events, double time_s) {
    double next = std::numeric_limits<double>::infinity();
    for (const Event& event : events) {
        if (event.at_s > time_s) next = std::min(next, event.at_s);
    }
    return next;
}

/// Whether it comes now, within rounding.
[[nodiscard]] inline bool is_due(double at_s, double time_s) {
    return std::abs(at_s - time_s) < 1e-9;
}

}  // namespace hopcoil::scene
