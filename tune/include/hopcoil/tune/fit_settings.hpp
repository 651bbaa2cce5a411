#pragma once

#include <cstddef>
#include <cstdint>
#include <functional>
#include <string>
#include <string_view>
#include <vector>

namespace hopcoil::tune {

/// A number to be found, and its range.
struct FitRange {
    std::string path{};  ///< of a dial: "lamp.frequency_hz"; patterns as for set_matching
    double low = 0.0;
    double high = 1.0;
};
/// Of "PATH=LOW:HIGH".
/// Errors  std::invalid_argument says what was expected.
[[nodiscard]] FitRange range_from(std::string_view text);
[[nodiscard]] std::vector<std::string> paths_of(const std::vector<FitRange>& ranges);

/// How a fit is made. The result does not depend on the number of threads.
struct FitSettings {
    std::uint64_t seed = 0;       ///< of where the search begins
    std::size_t most_runs = 600;  ///< of what is tried
    /// Once it returns true, the fit ends with the best so far. Several threads call it at once.
    std::function<bool()> is_cancelled{};
    /// Called now and then with the progress, by the thread that called the fit.
    std::function<void(std::size_t runs, std::size_t at_most)> progress{};
};

}  // namespace hopcoil::tune
