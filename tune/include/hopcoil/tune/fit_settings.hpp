#pragma once

#include <cstddef>
#include <cstdint>
#include <functional>
#include <string>
#include <string_view>
#include <vector>

namespace hopcoil::tune {

/// A number to be found, and between which values.
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
    /// Ends the fit early with the best so far, once it answers true. Several threads ask at once.
    std::function<bool()> is_cancelled{};
    /// How far it is; now and then, by the thread that has called the fit.
    std::function<void(std::size_t runs, std::size_t at_most)> progress{};
};

}  // namespace hopcoil::tune
