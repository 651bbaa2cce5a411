#pragma once

#include <algorithm>
#include <chrono>
#include <cstddef>
#include <functional>
#include <vector>

namespace hopcoil::bench {

/// Seconds a call of `work`, by as many calls, after half as many for the caches and the clock.
inline double seconds_of(const std::function<void()>& work, std::size_t calls) {
    for (std::size_t i = 0; i < calls / 2; ++i)
        work();
    const auto start = std::chrono::steady_clock::now();
    for (std::size_t i = 0; i < calls; ++i)
        work();
    const std::chrono::duration<double> taken = std::chrono::steady_clock::now() - start;
    return taken.count() / static_cast<double>(calls);
}

inline double median(std::vector<double> values) {
    std::sort(values.begin(), values.end());
    return values[values.size() / 2];
}

}  // namespace hopcoil::bench
