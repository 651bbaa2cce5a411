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

/// Whether a system with ticks of its own is exactly at one of them.
template <class Ticking>
[[nodiscard]] bool is_at_tick(const Ticking& system) {
    return system.time_s() - static_cast<double>(system.ticks()) * Ticking::tick_s <
           1e-6 * Ticking::tick_s;
}

/// Steps a system with ticks of its own from one time to another. `step(end_s, dt, ticks)` takes it
/// up to the next tick or, where no tick is left (`ticks` is false), to the end. False as soon as a
/// step returns false.
template <class Ticking, class Step>
[[nodiscard]] bool step_to_each_tick(const Ticking& system, double from_s, double to_s,
                                     const Step& step) {
    constexpr double rounding_s = 1e-6 * Ticking::tick_s;
    while (to_s - from_s > rounding_s) {
        const double next_s = static_cast<double>(system.ticks() + 1) * Ticking::tick_s;
        const double to_tick_s = next_s - system.time_s();
        const bool ticks = to_tick_s <= to_s - from_s + rounding_s;
        const double dt = ticks ? to_tick_s : to_s - from_s;
        from_s = ticks ? from_s + dt : to_s;
        if (!step(from_s, dt, ticks)) return false;
    }
    return true;
}

}  // namespace hopcoil::scene
