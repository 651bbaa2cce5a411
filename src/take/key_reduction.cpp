#include <algorithm>
#include <cmath>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/take/key_reduction.hpp>

namespace hopcoil {
namespace {

void require_samples(std::span<const double> times_s, std::span<const double> values) {
    if (times_s.empty() || times_s.size() != values.size()) {
        throw InvalidValue{"samples", static_cast<double>(values.size()),
                           "as many values as times, at least one"};
    }
    for (std::size_t i = 0; i < times_s.size(); ++i) {
        require_finite("time_s", times_s[i]);
        require_finite("value", values[i]);
        if (i > 0 && !(times_s[i] > times_s[i - 1])) {
            throw InvalidValue{"time_s", times_s[i],
                               "a time after the one before it, " + shortest(times_s[i - 1])};
        }
    }
}

/// At `a`, of the parabola through three points.
double parabola_slope(double ta, double a, double tb, double b, double tc, double c) {
    const double first = (b - a) / (tb - ta);
    const double second = (c - b) / (tc - tb);
    return first - (second - first) / (tc - ta) * (tb - ta);
}

/// Every sample as a key, each side with its own slope, or with the mean of two that are nearly
/// one.
std::vector<CurveKey> sample_keys(std::span<const double> t, std::span<const double> v) {
    const std::size_t count = t.size();
    std::vector<CurveKey> keys(count);
    const auto slope = [&](std::size_t at, std::size_t next, std::size_t after) {
        return parabola_slope(t[at], v[at], t[next], v[next], t[after], v[after]);
    };
    for (std::size_t i = 0; i < count; ++i) {
        keys[i] = {t[i], v[i], 0, 0};
        if (count == 1) break;
        const double chord_before = i > 0 ? (v[i] - v[i - 1]) / (t[i] - t[i - 1]) : 0;
        const double chord_after = i + 1 < count ? (v[i + 1] - v[i]) / (t[i + 1] - t[i]) : 0;
        keys[i].slope_before = i >= 2 ? slope(i, i - 1, i - 2) : chord_before;
        keys[i].slope_after = i + 2 < count ? slope(i, i + 1, i + 2) : chord_after;
        if (i == 0) keys[i].slope_before = keys[i].slope_after;
        if (i + 1 == count) keys[i].slope_after = keys[i].slope_before;
        const double apart = std::abs(keys[i].slope_after - keys[i].slope_before);
        const double chords_apart = std::abs(chord_after - chord_before);
        constexpr double nearly_one = 0.5;
        if (apart <= nearly_one * chords_apart && i > 0 && i + 1 < count) {
            const double mean = (keys[i].slope_after + keys[i].slope_before) / 2;
            keys[i].slope_before = keys[i].slope_after = mean;
        }
    }
    return keys;
}

double between(const CurveKey& from, const CurveKey& to, double time_s, KeyShape shape) {
    const double length_s = to.time_s - from.time_s;
    const double p = (time_s - from.time_s) / length_s;
    const double way = to.value - from.value;
    if (shape == KeyShape::straight) return from.value + p * way;
    const double first = from.slope_after * length_s;
    const double last = to.slope_before * length_s;
    return from.value +
           p * (first + p * (3 * way - 2 * first - last + p * (first + last - 2 * way)));
}

/// Chooses keys among the samples.
class Reduction {
  public:
    Reduction(std::vector<CurveKey> samples, const KeyReductionSettings& settings)
        : samples_{std::move(samples)}, settings_{settings} {}

    std::vector<std::size_t> chosen() {
        std::vector<std::size_t> keys{0};
        while (keys.back() + 1 < samples_.size())
            keys.push_back(furthest_from(keys.back()));
        take_away_needless(keys);
        return keys;
    }

    /// The largest error from one key to the next; what is beyond `limit` is not looked at further.
    [[nodiscard]] double error(std::size_t from, std::size_t to, double limit) const {
        double largest = 0;
        for (std::size_t i = from; i < to && largest <= limit; ++i) {
            const double start_s = samples_[i].time_s;
            const double length_s = samples_[i + 1].time_s - start_s;
            for (const double part : {0.25, 0.5, 0.75, 1.0}) {
                if (part == 1 && i + 1 == to) break;
                const double time_s =
                    part == 1 ? samples_[i + 1].time_s : start_s + part * length_s;
                const double is = between(samples_[from], samples_[to], time_s, settings_.shape);
                const double was = between(samples_[i], samples_[i + 1], time_s, settings_.shape);
                largest = std::max(largest, std::abs(is - was));
            }
        }
        return largest;
    }

  private:
    [[nodiscard]] bool fits(std::size_t from, std::size_t to) const {
        return error(from, to, settings_.tolerance) <= settings_.tolerance;
    }

    /// Twice as far each time until it does not fit, then in between.
    [[nodiscard]] std::size_t furthest_from(std::size_t from) const {
        const std::size_t last = samples_.size() - 1;
        std::size_t good = from + 1;
        std::size_t reach = 2;
        while (good < last && fits(from, std::min(from + reach, last))) {
            good = std::min(from + reach, last);
            reach *= 2;
        }
        std::size_t bad = std::min(from + reach, last + 1);
        while (bad - good > 1) {
            const std::size_t middle = good + (bad - good) / 2;
            (fits(from, middle) ? good : bad) = middle;
        }
        return good;
    }

    void take_away_needless(std::vector<std::size_t>& keys) const {
        for (std::size_t i = 1; i + 1 < keys.size();) {
            if (!fits(keys[i - 1], keys[i + 1])) {
                ++i;
                continue;
            }
            keys.erase(keys.begin() + static_cast<std::ptrdiff_t>(i));
            // Its neighbour before may be needless now.
            i = std::max<std::size_t>(1, i - 1);
        }
    }

    std::vector<CurveKey> samples_;
    KeyReductionSettings settings_;
};

}  // namespace

ReducedKeys reduce_keys(std::span<const double> times_s, std::span<const double> values,
                        const KeyReductionSettings& settings) {
    require_above_zero("tolerance", settings.tolerance);
    require_samples(times_s, values);
    const std::vector<CurveKey> samples = sample_keys(times_s, values);
    Reduction reduction{samples, settings};
    const std::vector<std::size_t> chosen = reduction.chosen();
    std::vector<CurveKey> keys;
    double largest = 0;
    for (std::size_t i = 0; i < chosen.size(); ++i) {
        keys.push_back(samples[chosen[i]]);
        if (i + 1 == chosen.size()) break;
        largest = std::max(largest, reduction.error(chosen[i], chosen[i + 1], settings.tolerance));
    }
    if (settings.shape == KeyShape::straight) {
        for (std::size_t i = 0; i + 1 < keys.size(); ++i) {
            keys[i].slope_after = keys[i + 1].slope_before =
                (keys[i + 1].value - keys[i].value) / (keys[i + 1].time_s - keys[i].time_s);
        }
    }
    return {KeyCurve{std::move(keys)}, times_s.size(), largest};
}

std::vector<double> looped(std::span<const double> times_s, std::span<const double> values,
                           double over_s, double turn) {
    require_samples(times_s, values);
    const double length_s = times_s.back() - times_s.front();
    if (!(over_s > 0 && over_s <= length_s)) {
        throw InvalidValue{"over_s", over_s, "above 0, at most " + shortest(length_s)};
    }
    const std::vector<CurveKey> keys = sample_keys(times_s, values);
    double way = values.front() - values.back();
    if (turn > 0) way -= turn * std::round(way / turn);
    const double speed = (keys.front().slope_after - keys.back().slope_before) * over_s;
    std::vector<double> bent(values.begin(), values.end());
    const double from_s = times_s.back() - over_s;
    for (std::size_t i = 0; i < bent.size(); ++i) {
        const double p = (times_s[i] - from_s) / over_s;
        // From nothing to the whole difference in value and speed, as a cubic.
        if (p > 0) bent[i] += p * p * ((3 * way - speed) + p * (speed - 2 * way));
    }
    return bent;
}

}  // namespace hopcoil
