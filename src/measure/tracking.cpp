#include <algorithm>
#include <cmath>
#include <cstddef>
#include <limits>
#include <stdexcept>
#include <string>
#include <vector>

#include <hopcoil/base/angles.hpp>
#include <hopcoil/measure/tracking.hpp>

namespace hopcoil {
namespace {

constexpr double settling_band = 0.02;

void require_lengths(const char* who, std::span<const double> times_s,
                     std::span<const double> values, std::span<const double> targets) {
    const std::size_t count = times_s.size();
    if (count > 0 && values.size() == count && targets.size() == count) return;
    throw std::invalid_argument{std::string{who} +
                                ": expected as many values and targets as times, at least one"};
}

/// The height of the parabola through three evenly spaced numbers, the middle one the highest.
double peak_of(double before, double middle, double after) {
    const double bend = before - 2 * middle + after;
    const double lean = after - before;
    return bend < 0 ? middle - lean * lean / (8 * bend) : middle;
}

/// One leap of a target, from a row to the last before the target moves again.
struct Leap {
    std::size_t row = 0;
    std::size_t end = 0;
    double size = 0.0;
};

/// Leaps after which the target stands still for a while.
std::vector<Leap> leaps_of(std::span<const double> targets) {
    constexpr std::size_t least_rows = 5;
    constexpr double least_part = 0.01;  // of all that the target moves: no settling crawl
    const auto [low, high] = std::minmax_element(targets.begin(), targets.end());
    const double least_size = least_part * (*high - *low);
    std::vector<Leap> leaps;
    for (std::size_t i = 1; i < targets.size(); ++i) {
        // Of a leap, unlike a ramp, the row before was still.
        const bool was_still = i < 2 || targets[i - 1] == targets[i - 2];
        if (targets[i] == targets[i - 1] || !was_still) continue;
        std::size_t end = i;
        while (end + 1 < targets.size() && targets[end + 1] == targets[i])
            ++end;
        const double size = targets[i] - targets[i - 1];
        if (end - i >= least_rows && std::abs(size) >= least_size) leaps.push_back({i, end, size});
    }
    return leaps;
}

double overshoot_of(const Leap& leap, std::span<const double> values, double target) {
    double most = 0;
    for (std::size_t i = leap.row; i <= leap.end; ++i) {
        const auto part = [&](std::size_t k) {
            return (values[k] - target) / leap.size;
        };
        const bool inside = i > leap.row && i < leap.end;
        // What stops there, or starts from rest, has a corner and no peak between its rows.
        const bool stops = i + 2 <= leap.end && part(i) == part(i + 1) && part(i) == part(i + 2);
        const bool starts = i >= leap.row + 2 && part(i) == part(i - 1) && part(i) == part(i - 2);
        const bool is_peak =
            inside && !stops && !starts && part(i) >= part(i - 1) && part(i) >= part(i + 1);
        most = std::max(most, is_peak ? peak_of(part(i - 1), part(i), part(i + 1)) : part(i));
    }
    return 100 * most;
}

/// When it comes into the band for good; nothing when it is outside in the end.
std::optional<double> settling_of(const Leap& leap, std::span<const double> times_s,
                                  std::span<const double> values, double target) {
    const auto off = [&](std::size_t k) {
        return std::abs((values[k] - target) / leap.size) - settling_band;
    };
    if (off(leap.end) > 0) return std::nullopt;
    for (std::size_t i = leap.end; i > leap.row; --i) {
        if (off(i - 1) <= 0) continue;
        const double part = off(i - 1) / (off(i - 1) - off(i));
        return times_s[i - 1] + part * (times_s[i] - times_s[i - 1]) - times_s[leap.row];
    }
    return 0.0;
}

/// The mean square of the gap between the values and the targets so many rows earlier, at every so
/// many rows.
double gap_at_shift(std::span<const double> values, std::span<const double> targets, int shift,
                    int every) {
    double sum = 0;
    std::size_t rows = 0;
    const auto count = static_cast<int>(values.size());
    for (int i = std::max(0, shift); i < std::min(count, count + shift); i += every) {
        const double gap =
            values[static_cast<std::size_t>(i)] - targets[static_cast<std::size_t>(i - shift)];
        sum += gap * gap;
        ++rows;
    }
    return rows == 0 ? std::numeric_limits<double>::infinity() : sum / static_cast<double>(rows);
}

/// Of the shifts from one to another, each so many rows apart, the one with the least gap.
int best_shift(std::span<const double> values, std::span<const double> targets, int from, int to,
               int every) {
    int best = from;
    double least_gap = std::numeric_limits<double>::infinity();
    for (int shift = from; shift <= to; shift += every) {
        const double gap = gap_at_shift(values, targets, shift, every);
        if (gap >= least_gap) continue;
        least_gap = gap;
        best = shift;
    }
    return best;
}

}  // namespace

JumpsMet measure_jumps(std::span<const double> times_s, std::span<const double> values,
                       std::span<const double> targets) {
    require_lengths("measure_jumps", times_s, values, targets);
    JumpsMet met;
    for (const Leap& leap : leaps_of(targets)) {
        const double target = targets[leap.row];
        const double overshoot = overshoot_of(leap, values, target);
        ++met.jumps;
        if (overshoot > met.largest_overshoot_percent) {
            met.largest_overshoot_percent = overshoot;
            met.largest_overshoot_jump_s = times_s[leap.row];
        }
        const auto settling_s = settling_of(leap, times_s, values, target);
        if (settling_s) {
            met.longest_settling_s = std::max(met.longest_settling_s.value_or(0), *settling_s);
        }
        met.unsettled += settling_s ? 0 : 1;
    }
    return met;
}

std::optional<double> measure_lag_s(std::span<const double> times_s, std::span<const double> values,
                                    std::span<const double> targets) {
    require_lengths("measure_lag_s", times_s, values, targets);
    constexpr double most_s = 2;
    const std::size_t count = times_s.size();
    const double length_s = times_s[count - 1] - times_s[0];
    const auto [least, most] = std::minmax_element(targets.begin(), targets.end());
    if (count < 8 || !(length_s > 0) || *least == *most) return std::nullopt;
    const double spacing_s = length_s / static_cast<double>(count - 1);
    const int furthest = static_cast<int>(std::min(most_s, length_s / 4) / spacing_s);
    // First in strides, then row by row around the best of those.
    constexpr int most_looked_at = 1000;
    const int stride = std::max(1, static_cast<int>(count) / most_looked_at);
    const int about = best_shift(values, targets, -furthest, furthest, stride);
    const int best = best_shift(values, targets, std::max(-furthest, about - stride),
                                std::min(furthest, about + stride), 1);
    if (best == furthest || best == -furthest) return std::nullopt;  // it may lie further out
    const double before = gap_at_shift(values, targets, best - 1, 1);
    const double least_gap = gap_at_shift(values, targets, best, 1);
    const double after = gap_at_shift(values, targets, best + 1, 1);
    const double bend = before - 2 * least_gap + after;
    const double lean = bend > 0 ? (before - after) / (2 * bend) : 0;
    return (best + lean) * spacing_s;
}

Tracking measure_tracking(std::span<const double> times_s, std::span<const double> values,
                          std::span<const double> velocities, std::span<const double> targets,
                          bool angles) {
    const std::size_t count = times_s.size();
    if (count == 0 || values.size() != count || velocities.size() != count ||
        targets.size() != count) {
        throw std::invalid_argument{
            "measure_tracking: expected as many values, velocities and targets as times, at least "
            "one"};
    }
    Tracking result;
    double square_time = 0;
    double square_before = 0;
    for (std::size_t i = 0; i < count; ++i) {
        const double apart = values[i] - targets[i];
        const double gap = std::abs(angles ? wrapped_rad(apart) : apart);
        const double speed = std::abs(velocities[i]);
        if (gap > result.largest_gap) {
            result.largest_gap = gap;
            result.largest_gap_time_s = times_s[i];
        }
        if (speed > result.peak_velocity) {
            result.peak_velocity = speed;
            result.peak_velocity_time_s = times_s[i];
        }
        if (i > 0) {
            const double spacing_s = times_s[i] - times_s[i - 1];
            square_time += 0.5 * (square_before + gap * gap) * spacing_s;
            result.sample_spacing_s = std::fmax(result.sample_spacing_s, spacing_s);
        }
        square_before = gap * gap;
    }
    const double length_s = times_s[count - 1] - times_s[0];
    result.rms_gap = std::sqrt(length_s > 0 ? square_time / length_s : square_before);
    return result;
}

}  // namespace hopcoil
