#include "followed_record.hpp"

#include <algorithm>
#include <array>
#include <cmath>

namespace hopcoil::tune {
namespace {

double product(const std::vector<double>& a, const std::vector<double>& b) {
    double sum = 0;
    for (std::size_t i = 0; i < a.size(); ++i)
        sum += a[i] * b[i];
    return sum;
}

void subtract(std::vector<double>& from, const std::vector<double>& what, double times) {
    for (std::size_t i = 0; i < from.size(); ++i)
        from[i] -= times * what[i];
}

/// Takes out of `from` what lies along some directions of length 1, at right angles to each other.
void remove_along(std::vector<double>& from, const std::vector<std::vector<double>>& directions) {
    for (const std::vector<double>& each : directions)
        subtract(from, each, product(from, each));
}

/// At right angles, of length 1; those that vanish are left out.
std::vector<std::vector<double>> orthonormal(std::vector<std::vector<double>> directions) {
    std::vector<std::vector<double>> made;
    for (std::vector<double>& each : directions) {
        const double before = product(each, each);
        remove_along(each, made);
        const double left = product(each, each);
        if (!(left > 1e-20 * before)) continue;
        const double length = std::sqrt(left);
        for (double& x : each)
            x /= length;
        made.push_back(std::move(each));
    }
    return made;
}

/// At each time, of the cubic spline through all values: even where a cycle has few samples it is
/// close to what a smooth motion did between them.
std::vector<double> slopes_of(const std::vector<double>& times_s,
                              const std::vector<double>& values) {
    const std::size_t count = values.size();
    const auto length = [&](std::size_t k) {
        return times_s[k + 1] - times_s[k];
    };
    const auto chord = [&](std::size_t k) {
        return length(k) > 0 ? (values[k + 1] - values[k]) / length(k) : 0.0;
    };
    // Downward each slope is `slopes[k] - factors[k]` times the next one; then back up.
    std::vector<double> slopes(count, 0);
    std::vector<double> factors(count, 0);
    slopes.front() = chord(0);
    for (std::size_t k = 1; k + 1 < count; ++k) {
        const double before = length(k - 1);
        const double after = length(k);
        const double pivot = 2 * (before + after) - after * factors[k - 1];
        if (!(pivot > 0)) continue;
        factors[k] = before / pivot;
        slopes[k] =
            (3 * (after * chord(k - 1) + before * chord(k)) - after * slopes[k - 1]) / pivot;
    }
    slopes.back() = chord(count - 2);
    for (std::size_t k = count - 1; k-- > 0;)
        slopes[k] -= factors[k] * slopes[k + 1];
    return slopes;
}

/// Halfway through step k: of the polynomial through as many samples before it as after it, at most
/// twelve. Where a cycle has six samples it is within 1e-4 of a sine, the spline within 3e-3.
double midway(const std::vector<double>& times_s, const std::vector<double>& values,
              const std::vector<double>& slopes, std::size_t k) {
    constexpr std::size_t most_half = 6;
    constexpr double even = 1.5;
    const double step_s = times_s[k + 1] - times_s[k];
    const double at_s = times_s[k] + step_s / 2;
    std::size_t half = std::min({most_half, k + 1, times_s.size() - 1 - k});
    for (std::size_t i = 0; i < 2 * half - 1; ++i) {
        const std::size_t at = k + 1 - half + i;
        const double other_s = times_s[at + 1] - times_s[at];
        if (other_s > even * step_s || step_s > even * other_s) half = 1;
    }
    if (half < 2)
        return (values[k] + values[k + 1]) / 2 + (slopes[k] - slopes[k + 1]) * (step_s / 8);
    double sum = 0;
    for (std::size_t i = k + 1 - half; i < k + 1 + half; ++i) {
        double weight = 1;
        for (std::size_t j = k + 1 - half; j < k + 1 + half; ++j) {
            if (j != i) weight *= (at_s - times_s[j]) / (times_s[i] - times_s[j]);
        }
        sum += weight * values[i];
    }
    return sum;
}

/// With a place between each two samples.
std::vector<double> refined(const std::vector<double>& times_s, const std::vector<double>& values) {
    const std::vector<double> slopes = slopes_of(times_s, values);
    std::vector<double> all;
    all.reserve(2 * values.size());
    for (std::size_t k = 0; k < values.size(); ++k) {
        all.push_back(values[k]);
        if (k + 1 < values.size()) all.push_back(midway(times_s, values, slopes, k));
    }
    return all;
}

}  // namespace

/// Exact steps of a follower; the numbers of each length of step are made once.
class FollowedRecord::Steps {
  public:
    Steps(const Tuning& tuning, TargetPath path)
        : tuning_{tuning}, is_smooth_{path == TargetPath::smooth}, jump_{jump_rows(tuning)} {}

    void leap(double& gap, double& velocity, double travel) const {
        gap += jump_.gap_of_travel * travel;
        velocity += jump_.velocity_of_travel * travel;
    }

    void step(double& gap, double& velocity, const Piece& piece, double dt) {
        leap(gap, velocity, piece.leap);
        const Entry& entry = entry_of(dt);
        const double forced_gap = is_smooth_
                                      ? forced(entry.cubic.gap_of_travel, entry.cubic.gap_of_first,
                                               entry.cubic.gap_of_last, piece)
                                      : entry.straight.gap_of_travel * piece.travel;
        const double forced_velocity =
            is_smooth_ ? forced(entry.cubic.velocity_of_travel, entry.cubic.velocity_of_first,
                                entry.cubic.velocity_of_last, piece)
                       : entry.straight.velocity_of_travel * piece.travel;
        const StraightRows<double>& r = entry.straight;
        const double next = r.gap_of_gap * gap + r.gap_of_velocity * velocity + forced_gap;
        velocity = r.velocity_of_gap * gap + r.velocity_of_velocity * velocity + forced_velocity;
        gap = next;
    }

  private:
    struct Entry {
        double dt = -1.0;
        StraightRows<double> straight{};
        CubicRows<double> cubic{};
    };

    static double forced(double of_travel, double of_first, double of_last, const Piece& piece) {
        return of_travel * piece.travel + of_first * piece.first_slope + of_last * piece.last_slope;
    }

    const Entry& entry_of(double dt) {
        constexpr double same_s = 1e-9;
        for (std::size_t i = 0; i < entries_.size(); ++i) {
            const std::size_t at = (last_ + i) % entries_.size();
            if (std::abs(entries_[at].dt - dt) > same_s) continue;
            last_ = at;
            return entries_[at];
        }
        last_ = oldest_;
        oldest_ = (oldest_ + 1) % entries_.size();
        entries_[last_] = {dt, straight_rows(tuning_, dt),
                           is_smooth_ ? cubic_rows(tuning_, dt) : CubicRows<double>{}};
        return entries_[last_];
    }

    Tuning tuning_;
    bool is_smooth_;
    StraightRows<double> jump_;
    std::array<Entry, 8> entries_{};
    std::size_t last_ = 0;
    std::size_t oldest_ = 0;
};

FollowedRecord::FollowedRecord(const Reference& reference, TargetPath path)
    : reference_{reference}, path_{path} {
    const std::vector<double>& given_s = reference.times_s;
    const bool leaps = path == TargetPath::leaps_early || path == TargetPath::leaps_late;
    const bool is_smooth = path == TargetPath::smooth;
    for (std::size_t k = 0; k < given_s.size(); ++k) {
        times_s_.push_back(given_s[k]);
        if (is_smooth && k + 1 < given_s.size())
            times_s_.push_back(given_s[k] + (given_s[k + 1] - given_s[k]) / 2);
    }
    steps_each_ = is_smooth ? 2 : 1;
    is_leap_ = leaps ? leaps_of(reference) : std::vector<bool>(times_s_.size(), false);
    for (const std::vector<double>& target : reference.target) {
        const std::vector<double> values = is_smooth ? refined(given_s, target) : target;
        targets_.push_back({values, slopes_of(times_s_, values)});
    }
}

std::vector<bool> FollowedRecord::leaps_of(const Reference& reference) {
    constexpr double longer = 6;
    constexpr double least_share = 0.05;
    const std::size_t count = reference.times_s.size();
    std::vector<bool> leaps(count, false);
    for (const std::vector<double>& target : reference.target) {
        const auto [low, high] = std::minmax_element(target.begin(), target.end());
        const double span = *high - *low;
        const auto travel = [&](std::size_t k) {
            return k + 1 < count ? std::abs(target[k + 1] - target[k]) : 0.0;
        };
        for (std::size_t k = 0; k + 1 < count; ++k) {
            const double beside = std::max(k > 0 ? travel(k - 1) : 0.0, travel(k + 1));
            if (travel(k) > longer * beside && travel(k) > least_share * span) leaps[k] = true;
        }
    }
    return leaps;
}

/// What the target does in the first `part_s` of step k.
FollowedRecord::Piece FollowedRecord::piece_of(const Row& target, std::size_t k,
                                               double part_s) const {
    const double all_s = times_s_[k + 1] - times_s_[k];
    const double travel = target.values[k + 1] - target.values[k];
    if (is_leap_[k]) return {.leap = path_ == TargetPath::leaps_early ? travel : 0};
    const double part = all_s > 0 ? part_s / all_s : 1;
    const double first = target.slopes[k];
    const double last = target.slopes[k + 1];
    if (part == 1) return {0, travel, first, last};
    if (path_ != TargetPath::smooth) return {.travel = travel * part};
    // The cubic between two values and slopes, and its slope, part of the way.
    const double c = 3 * travel - (2 * first + last) * all_s;
    const double d = (first + last) * all_s - 2 * travel;
    return {0, part * (first * all_s + part * (c + part * d)), first,
            first + (2 * c + 3 * d * part) * part / all_s};
}

FollowedRecord::Track FollowedRecord::track_of(const Row& target, const Tuning& tuning, double gap,
                                               double velocity) const {
    const std::size_t count = times_s_.size();
    Track track;
    track.gaps.reserve(count);
    track.velocities.reserve(count);
    Steps steps{tuning, path_};
    for (std::size_t k = 0; k < count; ++k) {
        track.gaps.push_back(gap);
        track.velocities.push_back(velocity);
        if (k + 1 == count) break;
        const double dt = times_s_[k + 1] - times_s_[k];
        steps.step(gap, velocity, piece_of(target, k, dt), dt);
        if (is_leap_[k] && path_ == TargetPath::leaps_late)
            steps.leap(gap, velocity, target.values[k + 1] - target.values[k]);
    }
    return track;
}

/// From rest at the start.
std::vector<double> FollowedRecord::forced(const Row& target, const Tuning& tuning,
                                           double delay_s) const {
    const std::vector<double>& given_s = reference_.times_s;
    const std::size_t count = given_s.size();
    const Track track = track_of(target, tuning, 0, 0);
    std::vector<double> values(count, target.values[0]);
    Steps parts{tuning, path_};
    std::size_t k = 0;
    for (std::size_t i = 0; i < count; ++i) {
        const double time_s = given_s[i] - delay_s;
        if (time_s <= given_s[0]) continue;
        if (delay_s == 0) {
            values[i] = target.values[i * steps_each_] + track.gaps[i * steps_each_];
            continue;
        }
        while (k + 2 < times_s_.size() && times_s_[k + 1] <= time_s)
            ++k;
        const double part_s = time_s - times_s_[k];
        const Piece piece = piece_of(target, k, part_s);
        double gap = track.gaps[k];
        double velocity = track.velocities[k];
        parts.step(gap, velocity, piece, part_s);
        values[i] = target.values[k] + piece.leap + piece.travel + gap;
    }
    return values;
}

/// From a gap and a velocity on, after a target at rest.
std::vector<double> FollowedRecord::settling(const Tuning& tuning, double gap,
                                             double velocity) const {
    const std::vector<double> none(times_s_.size(), 0);
    const Track track = track_of({none, none}, tuning, gap, velocity);
    std::vector<double> gaps;
    for (std::size_t i = 0; i < track.gaps.size(); i += steps_each_)
        gaps.push_back(track.gaps[i]);
    return gaps;
}

FollowedRecord::Outcome FollowedRecord::after(double frequency_hz, double damping_ratio,
                                              std::optional<double> lead, double delay_s) const {
    const Tuning without{frequency_hz, damping_ratio, 0};
    const Tuning with{frequency_hz, damping_ratio, 1};
    const auto from_start = orthonormal({settling(without, 1, 0), settling(without, 0, 1)});
    std::vector<std::vector<double>> of_lead;
    std::vector<std::vector<double>> left;
    double along = 0;
    double length = 0;
    for (std::size_t c = 0; c < reference_.motion.size(); ++c) {
        const std::vector<double> base = forced(targets_[c], without, delay_s);
        of_lead.push_back(forced(targets_[c], with, delay_s));
        subtract(of_lead.back(), base, 1);
        remove_along(of_lead.back(), from_start);
        left.push_back(reference_.motion[c]);
        subtract(left.back(), base, 1);
        remove_along(left.back(), from_start);
        along += product(of_lead.back(), left.back());
        length += product(of_lead.back(), of_lead.back());
    }
    Outcome outcome{.lead = lead.value_or(length > 0 ? along / length : 0)};
    for (std::size_t c = 0; c < left.size(); ++c) {
        subtract(left[c], of_lead[c], outcome.lead);
        outcome.cost += product(left[c], left[c]);
    }
    outcome.left = std::move(left);
    return outcome;
}

}  // namespace hopcoil::tune
