#pragma once

#include <algorithm>
#include <cmath>
#include <string>
#include <vector>

#include <hopcoil/scene/system.hpp>
#include <hopcoil/take/take.hpp>

/// @file
/// Signals read off a take, for reports.

namespace hopcoil::scene {

/// A channel of one number at every row; nothing, where it was not recorded.
[[nodiscard]] inline std::vector<double> signal_in(const Take& take, const std::string& name) {
    const auto channel = take.find_channel(name);
    return channel ? take.column(take.columns_of(*channel).first) : std::vector<double>{};
}

/// The largest magnitude; 0 of no numbers.
[[nodiscard]] inline double largest_of(const std::vector<double>& numbers) {
    double largest = 0;
    for (const double each : numbers)
        largest = std::max(largest, std::abs(each));
    return largest;
}

/// 0 of no numbers.
[[nodiscard]] inline double lowest_of(const std::vector<double>& numbers) {
    return numbers.empty() ? 0 : *std::min_element(numbers.begin(), numbers.end());
}

/// Whether a system has a signal of this name.
[[nodiscard]] inline bool has_signal(const SystemSpec& spec, const std::string& name) {
    const std::vector<RecordedChannel> all = spec.signals();
    return std::any_of(all.begin(), all.end(),
                       [&](const RecordedChannel& signal) { return signal.name == name; });
}

}  // namespace hopcoil::scene
