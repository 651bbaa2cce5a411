#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <span>
#include <stdexcept>
#include <utility>

#include <hopcoil/base/angles.hpp>
#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/base/quaternion.hpp>
#include <hopcoil/follow/key_curve.hpp>
#include <hopcoil/take/key_reduction.hpp>
#include <hopcoil/take/take_edit.hpp>

namespace hopcoil {
namespace {

/// Whether a column holds directions shown within half a turn of zero.
bool is_angle(const RecordedChannel& channel, std::span<const double> numbers) {
    return channel.kind == ChannelKind::scalar && channel.unit == "rad" &&
           std::all_of(numbers.begin(), numbers.end(),
                       [](double angle) { return std::abs(angle) <= math::pi; });
}

std::vector<double> unwound(std::vector<double> angles) {
    for (std::size_t i = 1; i < angles.size(); ++i)
        angles[i] = angles[i - 1] + wrapped_rad(angles[i] - angles[i - 1]);
    return angles;
}

/// Two rows at one time are a leap: the rows between two leaps form a smooth piece.
struct Stretch {
    std::size_t first = 0;
    std::size_t last = 0;
};

std::vector<Stretch> stretches_of(const std::vector<double>& times_s) {
    std::vector<Stretch> stretches{{0, 0}};
    for (std::size_t i = 1; i < times_s.size(); ++i) {
        if (times_s[i] > times_s[i - 1]) {
            stretches.back().last = i;
        } else {
            stretches.push_back({i, i});
        }
    }
    return stretches;
}

/// Reads one value of a channel between rows.
class ChannelReader {
  public:
    ChannelReader(const Take& take, std::size_t channel, std::size_t index)
        : times_s_{take.times_s()}, kind_{take.channels()[channel].kind} {
        const std::size_t size = take.channels()[channel].components;
        const std::size_t first = take.columns_of(channel).first + index * size;
        for (std::size_t k = 0; k < size; ++k)
            columns_.push_back(take.column(first + k));
        angle_ = is_angle(take.channels()[channel], columns_.front());
        if (angle_) columns_.front() = unwound(std::move(columns_.front()));
        if (kind_ != ChannelKind::scalar && kind_ != ChannelKind::vector) return;
        for (const auto& column : columns_)
            curves_.push_back(curves_through(column));
    }

    /// Appends the channel's numbers at a time; `before_s` is the time of the row before, for
    /// events.
    void read(double time_s, double before_s, std::vector<double>& numbers) const {
        switch (kind_) {
            case ChannelKind::rotation:
                read_rotation(time_s, numbers);
                break;
            case ChannelKind::flag:
                numbers.push_back(columns_.front()[row_at(time_s)]);
                break;
            case ChannelKind::event:
                numbers.push_back(happened(before_s, time_s));
                break;
            default:
                read_numbers(time_s, numbers);
        }
    }

    [[nodiscard]] bool is_angle_channel() const { return angle_; }

  private:
    [[nodiscard]] std::vector<KeyCurve> curves_through(const std::vector<double>& column) const {
        std::vector<KeyCurve> curves;
        for (const Stretch& stretch : stretches_of(times_s_)) {
            const std::size_t count = stretch.last - stretch.first + 1;
            curves.push_back(
                curve_through_samples(std::span{times_s_}.subspan(stretch.first, count),
                                      std::span{column}.subspan(stretch.first, count)));
        }
        return curves;
    }

    /// The last row that is not after a time.
    [[nodiscard]] std::size_t row_at(double time_s) const {
        const auto next = std::upper_bound(times_s_.begin(), times_s_.end(), time_s);
        return next == times_s_.begin() ? 0 : static_cast<std::size_t>(next - times_s_.begin()) - 1;
    }

    void read_numbers(double time_s, std::vector<double>& numbers) const {
        for (const auto& curves : curves_) {
            std::size_t i = 0;
            while (i + 1 < curves.size() && curves[i + 1].start_s() <= time_s)
                ++i;
            const double number = curves[i].at(time_s);
            numbers.push_back(angle_ ? wrapped_rad(number) : number);
        }
    }

    [[nodiscard]] Quaternion turn_at(std::size_t row) const {
        return {columns_[0][row], columns_[1][row], columns_[2][row], columns_[3][row]};
    }

    void read_rotation(double time_s, std::vector<double>& numbers) const {
        const std::size_t row = row_at(time_s);
        Quaternion turn = turn_at(row);
        if (row + 1 < times_s_.size() && time_s > times_s_[row]) {
            const Quaternion from = normalized(turn);
            const Vector3 way = rotation_vector(normalized(turn_at(row + 1)) * conjugate(from));
            const double part = (time_s - times_s_[row]) / (times_s_[row + 1] - times_s_[row]);
            turn = turned_by(way * part) * from;
        }
        for (const double number : {turn.w, turn.x, turn.y, turn.z})
            numbers.push_back(number);
    }

    [[nodiscard]] double happened(double after_s, double until_s) const {
        const auto first = std::upper_bound(times_s_.begin(), times_s_.end(), after_s);
        double sum = 0;
        for (auto i = static_cast<std::size_t>(first - times_s_.begin());
             i < times_s_.size() && times_s_[i] <= until_s; ++i) {
            sum += columns_.front()[i];
        }
        return sum;
    }

    const std::vector<double>& times_s_;
    ChannelKind kind_;
    bool angle_ = false;
    std::vector<std::vector<double>> columns_;
    std::vector<std::vector<KeyCurve>> curves_;  ///< of each column, one a stretch
};

void require_rows(const Take& take) {
    if (take.row_count() == 0) throw std::invalid_argument{"a take without rows"};
}

std::vector<ChannelReader> readers_of(const Take& take) {
    std::vector<ChannelReader> readers;
    readers.reserve(take.channels().size());
    for (std::size_t i = 0; i < take.channels().size(); ++i) {
        for (std::size_t index = 0; index < take.channels()[i].count; ++index)
            readers.emplace_back(take, i, index);
    }
    return readers;
}

/// The take read at other times, which then count from `origin_s`.
Take read_at(const Take& take, const std::vector<double>& times_s, double origin_s) {
    Take result;
    result.begin(take.channels());
    result.reserve(times_s.size());
    result.set_made_by(take.made_by());
    const std::vector<ChannelReader> readers = readers_of(take);
    std::vector<double> numbers;
    double before_s = -std::numeric_limits<double>::infinity();
    for (const double time_s : times_s) {
        numbers.clear();
        for (const ChannelReader& reader : readers)
            reader.read(time_s, before_s, numbers);
        result.row(time_s - origin_s, numbers);
        before_s = time_s;
    }
    return result;
}

/// The integral over time of what a function gives at each row, by trapezoids.
template <class Value>
double over_time(const std::vector<double>& times_s, const Value& value) {
    double sum = 0;
    for (std::size_t i = 1; i < times_s.size(); ++i)
        sum += 0.5 * (value(i - 1) + value(i)) * (times_s[i] - times_s[i - 1]);
    return sum;
}

template <class Value>
double mean_of(const std::vector<double>& times_s, const Value& value) {
    const double length_s = times_s.back() - times_s.front();
    return length_s > 0 ? over_time(times_s, value) / length_s : value(0);
}

ColumnDifference compared(const std::string& name, const std::vector<double>& times_s,
                          const std::vector<double>& first, const std::vector<double>& second,
                          bool angles) {
    const auto gap = [&](std::size_t i) {
        const double apart = second[i] - first[i];
        return std::abs(angles ? wrapped_rad(apart) : apart);
    };
    ColumnDifference result{.column = name};
    for (std::size_t i = 0; i < times_s.size(); ++i) {
        if (gap(i) <= result.largest) continue;
        result.largest = gap(i);
        result.largest_time_s = times_s[i];
    }
    result.rms = std::sqrt(mean_of(times_s, [&](std::size_t i) { return gap(i) * gap(i); }));
    return result;
}

}  // namespace

Take resampled(const Take& take, double rate_hz) {
    require_rows(take);
    require_above_zero("rate_hz", rate_hz);
    constexpr double most_rows = 1e7;
    constexpr double same_time = 1e-9;
    const double start_s = take.times_s().front();
    const double length_s = take.times_s().back() - start_s;
    if (!(length_s * rate_hz < most_rows)) {
        throw InvalidValue{"rate_hz", rate_hz, "at most 10 million rows"};
    }
    std::vector<double> times_s;
    const auto rows = static_cast<std::size_t>(std::floor(length_s * rate_hz + same_time));
    for (std::size_t i = 0; i <= rows; ++i) {
        times_s.push_back(
            std::min(start_s + static_cast<double>(i) / rate_hz, take.times_s().back()));
    }
    return read_at(take, times_s, 0);
}

Take trimmed(const Take& take, double from_s, double to_s) {
    require_rows(take);
    const std::vector<double>& all = take.times_s();
    if (!(from_s >= all.front() && from_s <= all.back())) {
        throw InvalidValue{"from_s", from_s,
                           "a time from " + shortest(all.front()) + " to " + shortest(all.back())};
    }
    if (!(to_s >= from_s && to_s <= all.back())) {
        throw InvalidValue{"to_s", to_s,
                           "a time from " + shortest(from_s) + " to " + shortest(all.back())};
    }
    std::vector<double> times_s{from_s};
    for (const double time_s : all) {
        if (time_s > from_s && time_s < to_s) times_s.push_back(time_s);
    }
    if (to_s > from_s) times_s.push_back(to_s);
    return read_at(take, times_s, from_s);
}

Take looped(const Take& take, double over_s) {
    require_rows(take);
    std::vector<std::vector<double>> columns;
    for (std::size_t i = 0; i < take.channels().size(); ++i) {
        const RecordedChannel& channel = take.channels()[i];
        const Take::Columns place = take.columns_of(i);
        for (std::size_t k = 0; k < place.count; ++k) {
            std::vector<double> column = take.column(place.first + k);
            const bool stays =
                channel.kind == ChannelKind::flag || channel.kind == ChannelKind::event;
            const bool angle = is_angle(channel, column);
            if (angle) column = unwound(std::move(column));
            if (!stays) column = looped(take.times_s(), column, over_s, angle ? 2 * math::pi : 0);
            if (angle) std::transform(column.begin(), column.end(), column.begin(), wrapped_rad);
            columns.push_back(std::move(column));
        }
    }
    Take result;
    result.begin(take.channels());
    result.reserve(take.row_count());
    result.set_made_by(take.made_by());
    std::vector<double> numbers(columns.size());
    for (std::size_t row = 0; row < take.row_count(); ++row) {
        for (std::size_t k = 0; k < columns.size(); ++k)
            numbers[k] = columns[k][row];
        for (std::size_t i = 0; i < take.channels().size(); ++i) {
            if (take.channels()[i].kind != ChannelKind::rotation) continue;
            const Take::Columns place = take.columns_of(i);
            for (std::size_t at = place.first; at < place.first + place.count; at += 4) {
                const Quaternion unit =
                    normalized({numbers[at], numbers[at + 1], numbers[at + 2], numbers[at + 3]});
                const std::array<double, 4> parts{unit.w, unit.x, unit.y, unit.z};
                std::copy(parts.begin(), parts.end(),
                          numbers.begin() + static_cast<std::ptrdiff_t>(at));
            }
        }
        result.row(take.times_s()[row], numbers);
    }
    return result;
}

TakeDifference difference(const Take& first, const Take& second) {
    require_rows(first);
    require_rows(second);
    TakeDifference result;
    result.from_s = std::max(first.times_s().front(), second.times_s().front());
    result.to_s = std::min(first.times_s().back(), second.times_s().back());
    std::vector<double> times_s;
    for (const double time_s : first.times_s()) {
        const bool is_new = times_s.empty() || time_s > times_s.back();
        if (is_new && time_s >= result.from_s && time_s <= result.to_s) times_s.push_back(time_s);
    }
    if (times_s.empty()) {
        throw std::invalid_argument{"the two takes have no stretch of time in common"};
    }
    const Take one = read_at(first, times_s, 0);
    const Take other = read_at(second, times_s, 0);
    for (std::size_t i = 0; i < one.channels().size(); ++i) {
        const Take::Columns place = one.columns_of(i);
        for (std::size_t k = place.first; k < place.first + place.count; ++k) {
            const std::string& name = one.column_names()[k];
            const auto same = other.find_column(name);
            if (!same) {
                result.only_first.push_back(name);
                continue;
            }
            const std::vector<double> column = one.column(k);
            result.columns.push_back(compared(name, times_s, column, other.column(*same),
                                              is_angle(one.channels()[i], column)));
        }
    }
    for (const std::string& name : other.column_names()) {
        if (!one.find_column(name)) result.only_second.push_back(name);
    }
    return result;
}

std::vector<ColumnStatistics> statistics(const Take& take) {
    require_rows(take);
    std::vector<ColumnStatistics> all;
    const std::vector<double>& times_s = take.times_s();
    for (std::size_t k = 0; k < take.column_names().size(); ++k) {
        const std::vector<double> column = take.column(k);
        const auto [least, most] = std::minmax_element(column.begin(), column.end());
        const auto time_of = [&](auto place) {
            return times_s[static_cast<std::size_t>(place - column.begin())];
        };
        ColumnStatistics figures{.column = take.column_names()[k],
                                 .least = *least,
                                 .least_time_s = time_of(least),
                                 .most = *most,
                                 .most_time_s = time_of(most),
                                 .first = column.front(),
                                 .last = column.back()};
        figures.mean = mean_of(times_s, [&](std::size_t i) { return column[i]; });
        figures.rms =
            std::sqrt(mean_of(times_s, [&](std::size_t i) { return column[i] * column[i]; }));
        all.push_back(std::move(figures));
    }
    return all;
}

}  // namespace hopcoil
