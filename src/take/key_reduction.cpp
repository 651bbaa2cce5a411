#include <algorithm>
#include <array>
#include <cmath>
#include <cstddef>
#include <string>
#include <utility>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/base/quaternion.hpp>
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

/// The slope at `a` of the parabola through three points.
double parabola_slope(double ta, double a, double tb, double b, double tc, double c) {
    const double first = (b - a) / (tb - ta);
    const double second = (c - b) / (tc - tb);
    return first - (second - first) / (tc - ta) * (tb - ta);
}

/// Every sample as a key, each side with its own slope, or with the mean of two that are nearly
/// equal.
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

/// So many numbers are handled together without allocation.
constexpr std::size_t most_numbers = 8;
using Row = std::array<double, most_numbers>;

double distance(const Row& a, const Row& b, std::size_t count) {
    double sum = 0;
    for (std::size_t k = 0; k < count; ++k)
        sum += (a[k] - b[k]) * (a[k] - b[k]);
    return std::sqrt(sum);
}

Quaternion turn_of(const Row& row) {
    return normalized({row[0], row[1], row[2], row[3]});
}

double angle_between(const Quaternion& a, const Quaternion& b) {
    const Vector3 way = rotation_vector(a * conjugate(b));
    return std::sqrt(dot(way, way));
}

/// Chooses keys among the samples: of each number a component of them.
class Reduction {
  public:
    Reduction(std::vector<std::vector<CurveKey>> components, RowKind kind,
              const KeyReductionSettings& settings)
        : components_{std::move(components)}, kind_{kind}, settings_{settings} {}

    std::vector<std::size_t> chosen() {
        std::vector<std::size_t> keys{0};
        while (keys.back() + 1 < count())
            keys.push_back(furthest_from(keys.back()));
        take_away_needless(keys);
        return keys;
    }

    /// The largest error from one key to the next; once it exceeds `limit` the search stops.
    [[nodiscard]] double error(std::size_t from, std::size_t to, double limit) const {
        double largest = 0;
        for (std::size_t i = from; i < to && largest <= limit; ++i) {
            const double start_s = components_[0][i].time_s;
            const double length_s = components_[0][i + 1].time_s - start_s;
            for (const double part : {0.25, 0.5, 0.75, 1.0}) {
                if (part == 1 && i + 1 == to) break;
                const double time_s =
                    part == 1 ? components_[0][i + 1].time_s : start_s + part * length_s;
                largest = std::max(largest, error_at(from, to, i, time_s));
            }
        }
        return largest;
    }

  private:
    [[nodiscard]] std::size_t count() const { return components_[0].size(); }

    /// Between keys `from` and `to`, at a time from sample `i` to the next.
    [[nodiscard]] double error_at(std::size_t from, std::size_t to, std::size_t i,
                                  double time_s) const {
        if (components_.size() == 1) {
            const std::vector<CurveKey>& component = components_[0];
            return std::abs(between(component[from], component[to], time_s, settings_.shape) -
                            between(component[i], component[i + 1], time_s, settings_.shape));
        }
        if (kind_ == RowKind::rotation) {
            return angle_between(turn_between(from, to, time_s), turn_between(i, i + 1, time_s));
        }
        return distance(row_between(from, to, time_s), row_between(i, i + 1, time_s),
                        components_.size());
    }

    [[nodiscard]] Row row_between(std::size_t from, std::size_t to, double time_s) const {
        Row row{};
        for (std::size_t k = 0; k < components_.size(); ++k)
            row[k] = between(components_[k][from], components_[k][to], time_s, settings_.shape);
        return row;
    }

    [[nodiscard]] Row row_of(std::size_t sample) const {
        Row row{};
        for (std::size_t k = 0; k < components_.size(); ++k)
            row[k] = components_[k][sample].value;
        return row;
    }

    [[nodiscard]] Quaternion turn_between(std::size_t from, std::size_t to, double time_s) const {
        if (settings_.shape == KeyShape::cubic) return turn_of(row_between(from, to, time_s));
        const Quaternion first = turn_of(row_of(from));
        const Vector3 way = rotation_vector(turn_of(row_of(to)) * conjugate(first));
        const double start_s = components_[0][from].time_s;
        return turned_by(way * ((time_s - start_s) / (components_[0][to].time_s - start_s))) *
               first;
    }

    [[nodiscard]] bool fits(std::size_t from, std::size_t to) const {
        return error(from, to, settings_.tolerance) <= settings_.tolerance;
    }

    /// Twice as far each time until the tolerance is exceeded, then by bisection.
    [[nodiscard]] std::size_t furthest_from(std::size_t from) const {
        const std::size_t last = count() - 1;
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
            // The key before it may now be unnecessary.
            i = std::max<std::size_t>(1, i - 1);
        }
    }

    std::vector<std::vector<CurveKey>> components_;
    RowKind kind_;
    KeyReductionSettings settings_;
};

/// Makes every sample of a rotation have the sign of the one before it: q and -q are one rotation.
std::vector<std::vector<double>> on_one_side(std::span<const std::vector<double>> parts) {
    std::vector<std::vector<double>> result{parts.begin(), parts.end()};
    for (std::size_t i = 1; i < result[0].size(); ++i) {
        double along = 0;
        for (const auto& part : result)
            along += part[i] * part[i - 1];
        if (along >= 0) continue;
        for (auto& part : result)
            part[i] = -part[i];
    }
    return result;
}

/// Slopes of the lines between keys.
void straighten(std::vector<CurveKey>& keys) {
    for (std::size_t i = 0; i + 1 < keys.size(); ++i) {
        keys[i].slope_after = keys[i + 1].slope_before =
            (keys[i + 1].value - keys[i].value) / (keys[i + 1].time_s - keys[i].time_s);
    }
}

}  // namespace

KeyCurve curve_through_samples(std::span<const double> times_s, std::span<const double> values) {
    require_samples(times_s, values);
    return KeyCurve{sample_keys(times_s, values)};
}

ReducedRows reduce_rows(std::span<const double> times_s,
                        std::span<const std::vector<double>> columns, RowKind kind,
                        const KeyReductionSettings& settings) {
    require_above_zero("tolerance", settings.tolerance);
    const bool turns = kind == RowKind::rotation;
    if (columns.empty() || columns.size() > most_numbers || (turns && columns.size() != 4)) {
        throw InvalidValue{"columns", static_cast<double>(columns.size()),
                           turns ? "4 for a rotation" : "1 to " + std::to_string(most_numbers)};
    }
    for (const auto& column : columns)
        require_samples(times_s, column);
    std::vector<std::vector<CurveKey>> components;
    for (const auto& column :
         turns ? on_one_side(columns)
               : std::vector<std::vector<double>>{columns.begin(), columns.end()})
        components.push_back(sample_keys(times_s, column));
    Reduction reduction{components, kind, settings};
    const std::vector<std::size_t> chosen = reduction.chosen();
    ReducedRows result{.samples = times_s.size()};
    for (std::size_t i = 0; i + 1 < chosen.size(); ++i) {
        result.largest_error = std::max(
            result.largest_error, reduction.error(chosen[i], chosen[i + 1], settings.tolerance));
    }
    for (const auto& component : components) {
        std::vector<CurveKey> keys;
        keys.reserve(chosen.size());
        for (const std::size_t i : chosen)
            keys.push_back(component[i]);
        if (settings.shape == KeyShape::straight) straighten(keys);
        result.curves.emplace_back(std::move(keys));
    }
    return result;
}

ReducedKeys reduce_keys(std::span<const double> times_s, std::span<const double> values,
                        const KeyReductionSettings& settings) {
    const std::vector<std::vector<double>> column{{values.begin(), values.end()}};
    ReducedRows rows = reduce_rows(times_s, column, RowKind::vector, settings);
    return {std::move(rows.curves.front()), rows.samples, rows.largest_error};
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
