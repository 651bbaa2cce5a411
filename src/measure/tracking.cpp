#include <algorithm>
#include <cmath>
#include <cstddef>
#include <limits>
#include <stdexcept>
#include <string>
#include <utility>
#include <vector>

#include <hopcoil/base/angles.hpp>
#include <hopcoil/measure/tracking.hpp>

namespace hopcoil {
namespace {

constexpr double settling_band = 0.02;

void require_lengths(const char* who, std::span<const double> times_s, ComponentRows values,
                     ComponentRows targets) {
    const std::size_t count = times_s.size();
    const auto fits = [count](const std::vector<double>& component) {
        return component.size() == count;
    };
    if (count > 0 && !values.empty() && values.size() == targets.size() &&
        std::all_of(values.begin(), values.end(), fits) &&
        std::all_of(targets.begin(), targets.end(), fits)) {
        return;
    }
    throw std::invalid_argument{std::string{who} +
                                ": expected as many values and targets as times, at least one"};
}

/// The height of the parabola through three evenly spaced numbers, the middle one the highest.
double peak_of(double before, double middle, double after) {
    const double bend = before - 2 * middle + after;
    const double lean = after - before;
    return bend < 0 ? middle - lean * lean / (8 * bend) : middle;
}

/// One jump of a target, from a row to the last before the target moves again.
struct Jump {
    std::size_t row = 0;
    std::size_t end = 0;
    std::vector<double> way{};  ///< the jump over its squared length
};

bool is_same(ComponentRows targets, std::size_t row, std::size_t other) {
    return std::all_of(targets.begin(), targets.end(),
                       [&](const auto& component) { return component[row] == component[other]; });
}

double extent_of(ComponentRows targets) {
    double square = 0;
    for (const std::vector<double>& component : targets) {
        const auto [low, high] = std::minmax_element(component.begin(), component.end());
        square += (*high - *low) * (*high - *low);
    }
    return std::sqrt(square);
}

/// Jumps after which the target stands still for some time.
std::vector<Jump> jumps_of(ComponentRows targets) {
    constexpr std::size_t least_rows = 5;
    constexpr double least_part = 0.01;  // of all that the target moves: no settling crawl
    const double least_size = least_part * extent_of(targets);
    const std::size_t count = targets[0].size();
    std::vector<Jump> jumps;
    for (std::size_t i = 1; i < count; ++i) {
        // At a jump, unlike a ramp, the row before stood still.
        const bool was_still = i < 2 || is_same(targets, i - 1, i - 2);
        if (is_same(targets, i, i - 1) || !was_still) continue;
        Jump jump{.row = i, .end = i};
        while (jump.end + 1 < count && is_same(targets, jump.end + 1, i))
            ++jump.end;
        double square = 0;
        for (const std::vector<double>& component : targets) {
            jump.way.push_back(component[i] - component[i - 1]);
            square += jump.way.back() * jump.way.back();
        }
        for (double& part : jump.way)
            part /= square;
        if (jump.end - i >= least_rows && std::sqrt(square) >= least_size)
            jumps.push_back(std::move(jump));
    }
    return jumps;
}

/// How far past the target each row of a jump is, as a part of the jump.
std::vector<double> parts_past(const Jump& jump, ComponentRows values, ComponentRows targets) {
    std::vector<double> parts;
    for (std::size_t row = jump.row; row <= jump.end; ++row) {
        double part = 0;
        for (std::size_t k = 0; k < values.size(); ++k)
            part += (values[k][row] - targets[k][jump.row]) * jump.way[k];
        parts.push_back(part);
    }
    return parts;
}

double overshoot_of(const std::vector<double>& part) {
    double most = 0;
    for (std::size_t i = 0; i < part.size(); ++i) {
        const bool inside = i > 0 && i + 1 < part.size();
        // Where the value stops or starts from rest it has a corner, and no peak between its rows.
        const bool stops = i + 2 < part.size() && part[i] == part[i + 1] && part[i] == part[i + 2];
        const bool starts = i >= 2 && part[i] == part[i - 1] && part[i] == part[i - 2];
        const bool is_peak =
            inside && !stops && !starts && part[i] >= part[i - 1] && part[i] >= part[i + 1];
        most = std::max(most, is_peak ? peak_of(part[i - 1], part[i], part[i + 1]) : part[i]);
    }
    return 100 * most;
}

/// When it enters the band for good; nothing when it ends outside.
std::optional<double> settling_of(std::span<const double> times_s,
                                  const std::vector<double>& part) {
    const auto off = [&](std::size_t k) {
        return std::abs(part[k]) - settling_band;
    };
    if (off(part.size() - 1) > 0) return std::nullopt;
    for (std::size_t i = part.size() - 1; i > 0; --i) {
        if (off(i - 1) <= 0) continue;
        const double share = off(i - 1) / (off(i - 1) - off(i));
        return times_s[i - 1] + share * (times_s[i] - times_s[i - 1]) - times_s[0];
    }
    return 0.0;
}

/// The mean square of the gap between the values and the targets `shift` rows earlier, over every
/// `every`th row.
double gap_at_shift(ComponentRows values, ComponentRows targets, int shift, int every) {
    double sum = 0;
    std::size_t rows = 0;
    const auto count = static_cast<int>(values[0].size());
    for (int i = std::max(0, shift); i < std::min(count, count + shift); i += every) {
        for (std::size_t k = 0; k < values.size(); ++k) {
            const double gap = values[k][static_cast<std::size_t>(i)] -
                               targets[k][static_cast<std::size_t>(i - shift)];
            sum += gap * gap;
        }
        ++rows;
    }
    return rows == 0 ? std::numeric_limits<double>::infinity() : sum / static_cast<double>(rows);
}

/// The shift with the least gap, among those between two ends at even spacing.
int best_shift(ComponentRows values, ComponentRows targets, int from, int to, int every) {
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

JumpsMet measure_jumps(std::span<const double> times_s, ComponentRows values,
                       ComponentRows targets) {
    require_lengths("measure_jumps", times_s, values, targets);
    JumpsMet met;
    for (const Jump& jump : jumps_of(targets)) {
        const std::vector<double> part = parts_past(jump, values, targets);
        const double overshoot = overshoot_of(part);
        ++met.jumps;
        if (overshoot > met.largest_overshoot_percent) {
            met.largest_overshoot_percent = overshoot;
            met.largest_overshoot_jump_s = times_s[jump.row];
        }
        const auto settling_s = settling_of(times_s.subspan(jump.row), part);
        if (settling_s) {
            met.longest_settling_s = std::max(met.longest_settling_s.value_or(0), *settling_s);
        }
        met.unsettled += settling_s ? 0 : 1;
    }
    return met;
}

std::optional<double> measure_lag_s(std::span<const double> times_s, ComponentRows values,
                                    ComponentRows targets) {
    require_lengths("measure_lag_s", times_s, values, targets);
    constexpr double most_s = 2;
    const std::size_t count = times_s.size();
    const double length_s = times_s[count - 1] - times_s[0];
    if (count < 8 || !(length_s > 0) || !(extent_of(targets) > 0)) return std::nullopt;
    const double spacing_s = length_s / static_cast<double>(count - 1);
    const int furthest = static_cast<int>(std::min(most_s, length_s / 4) / spacing_s);
    // First in large steps, then row by row around the best of those.
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
