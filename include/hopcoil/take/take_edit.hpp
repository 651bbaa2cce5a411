#pragma once

#include <cstddef>
#include <string>
#include <vector>

#include <hopcoil/take/take.hpp>

/// @file
/// Editing takes: resampling, trimming, looping, comparing two.
///
/// Between two rows numbers go along the cubics through them (curve_through_samples), angles (a
/// scalar in "rad" that stays within half a turn) the shorter way, rotations turn evenly, flags
/// wait for the next row, and events stand at the row after they happened.

namespace hopcoil {

/// The same motion in rows `1 / rate_hz` apart, from its first time to its last.
/// Errors  InvalidValue for a rate that is not above 0, or one that makes more than 10 million
///         rows; std::invalid_argument for a take without rows.
[[nodiscard]] Take resampled(const Take& take, double rate_hz);

/// The rows from a time to a time, both included, with a row at each of the two; times count from 0
/// again.
/// Errors  InvalidValue unless from_s <= to_s, both within the take.
[[nodiscard]] Take trimmed(const Take& take, double from_s, double to_s);

/// The last `over_s` seconds bent so that the take ends where, and as fast as, it begins. An angle
/// may have gone round.
/// Errors  InvalidValue unless over_s is above 0 and no longer than the take.
[[nodiscard]] Take looped(const Take& take, double over_s);

/// How two takes differ in one column.
struct ColumnDifference {
    std::string column{};
    double largest = 0.0;  ///< in size; of angles, the shorter way
    double largest_time_s = 0.0;
    double rms = 0.0;  ///< root of the mean square, over time
};

struct TakeDifference {
    std::vector<ColumnDifference> columns{};  ///< that both have, in the first one's order
    std::vector<std::string> only_first{};
    std::vector<std::string> only_second{};
    double from_s = 0.0;  ///< the stretch of time that both cover
    double to_s = 0.0;
};

/// At the times of the first one's rows.
/// Errors  std::invalid_argument when the two have no stretch of time in common.
[[nodiscard]] TakeDifference difference(const Take& first, const Take& second);

/// A column in a few figures, over time.
struct ColumnStatistics {
    std::string column{};
    double least = 0.0;
    double least_time_s = 0.0;
    double most = 0.0;
    double most_time_s = 0.0;
    double mean = 0.0;
    double rms = 0.0;
    double first = 0.0;
    double last = 0.0;
};

/// Errors  std::invalid_argument for a take without rows.
[[nodiscard]] std::vector<ColumnStatistics> statistics(const Take& take);

}  // namespace hopcoil
