#include <algorithm>
#include <cmath>
#include <limits>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/follow/key_curve.hpp>
#include <hopcoil/scene/target.hpp>

namespace hopcoil::scene {
namespace {

std::vector<double> each_of(const std::vector<CurveKey>& keys, double CurveKey::*member) {
    std::vector<double> numbers;
    numbers.reserve(keys.size());
    for (const CurveKey& key : keys)
        numbers.push_back(key.*member);
    return numbers;
}

constexpr double never = std::numeric_limits<double>::infinity();
void require_time_in_order(double at_s, double earliest_s) {
    if (!(std::isfinite(at_s) && at_s >= earliest_s)) {
        throw InvalidValue{"at_s", at_s,
                           "a time no earlier than the move before it, " + shortest(earliest_s)};
    }
}

}  // namespace

MovesTarget::MovesTarget(double start, const std::vector<Move>& moves, std::vector<Wave> waves)
    : waves_{std::move(waves)} {
    require_finite("start", start);
    pieces_.push_back({-never, start, 0});
    double earliest_s = 0;
    for (const Move& move : moves) {
        const double at_s = std::visit([](const auto& m) { return m.at_s; }, move);
        require_time_in_order(at_s, earliest_s);
        earliest_s = at_s;
        std::visit([this](const auto& m) { add(m); }, move);
    }
    for (const Wave& wave : waves_) {
        require_valid(wave);
        is_straight_ = is_straight_ && scene::is_straight(wave);
    }
}

TargetPoint MovesTarget::point_in(const Piece& piece, double time_s) noexcept {
    if (piece.slope == 0 && piece.bend == 0 && piece.twist == 0) return {piece.value, 0};
    const double t = time_s - piece.from_s;
    return {piece.value + t * (piece.slope + t * (piece.bend + t * piece.twist)),
            piece.slope + t * (2 * piece.bend + t * 3 * piece.twist)};
}

void MovesTarget::add(const Jump& jump) {
    require_finite("jump_to", jump.to);
    call_off_after(jump.at_s);
    pieces_.push_back({jump.at_s, jump.to, 0});
}

void MovesTarget::add(const Ramp& ramp) {
    require_finite("ramp_to", ramp.to);
    require_above_zero("over_s", ramp.over_s);
    call_off_after(ramp.at_s);
    const double from = point_in(pieces_.back(), ramp.at_s).value;
    pieces_.push_back({ramp.at_s, from, (ramp.to - from) / ramp.over_s});
    pieces_.push_back({ramp.at_s + ramp.over_s, ramp.to, 0});
}

void MovesTarget::add(const Path& path) {
    if (path.times_s.empty() || path.times_s.size() != path.values.size()) {
        throw InvalidValue{"through", static_cast<double>(path.times_s.size()),
                           "at least one point, each a time and a place"};
    }
    call_off_after(path.at_s);
    const TargetPoint start = point_in(pieces_.back(), path.at_s);
    std::vector<double> times_s{path.at_s};
    std::vector<double> values{start.value};
    times_s.insert(times_s.end(), path.times_s.begin(), path.times_s.end());
    values.insert(values.end(), path.values.begin(), path.values.end());
    for (std::size_t i = 1; i < times_s.size(); ++i) {
        require_finite("through", values[i]);
        if (!std::isfinite(times_s[i]) || !(times_s[i] > times_s[i - 1])) {
            throw InvalidValue{"through", times_s[i],
                               "a time after the one before it, " + shortest(times_s[i - 1])};
        }
    }
    std::vector<CurveKey> keys = KeyCurve::through(times_s, values).keys();
    keys.front().slope_after = start.velocity;
    keys.back().slope_before = 0;
    for (std::size_t i = 0; i + 1 < keys.size(); ++i) {
        const double length_s = keys[i + 1].time_s - keys[i].time_s;
        const double chord = (keys[i + 1].value - keys[i].value) / length_s;
        const double first = keys[i].slope_after;
        const double last = keys[i + 1].slope_before;
        pieces_.push_back({keys[i].time_s, keys[i].value, first,
                           (3 * chord - 2 * first - last) / length_s,
                           (first + last - 2 * chord) / (length_s * length_s)});
    }
    pieces_.push_back({keys.back().time_s, keys.back().value, 0});
    is_straight_ = false;
}

/// What was still to come of the moves before is called off.
void MovesTarget::call_off_after(double at_s) {
    while (pieces_.back().from_s > at_s)
        pieces_.pop_back();
}

TargetPoint MovesTarget::sum_at(const Piece& piece, double time_s, bool after) const noexcept {
    TargetPoint sum = point_in(piece, time_s);
    for (const Wave& wave : waves_) {
        const TargetPoint added = point_of(wave, time_s, after);
        sum.value += added.value;
        sum.velocity += added.velocity;
    }
    return sum;
}

TargetPoint MovesTarget::before(double time_s) const noexcept {
    const auto next = std::lower_bound(pieces_.begin() + 1, pieces_.end(), time_s,
                                       [](const Piece& p, double t) { return p.from_s < t; });
    return sum_at(*(next - 1), time_s, false);
}

TargetPoint MovesTarget::after(double time_s) const noexcept {
    const auto next = std::upper_bound(pieces_.begin() + 1, pieces_.end(), time_s,
                                       [](double t, const Piece& p) { return t < p.from_s; });
    return sum_at(*(next - 1), time_s, true);
}

double MovesTarget::next_breakpoint_s(double time_s) const noexcept {
    const auto next = std::upper_bound(pieces_.begin(), pieces_.end(), time_s,
                                       [](double t, const Piece& p) { return t < p.from_s; });
    double breakpoint_s = next == pieces_.end() ? never : next->from_s;
    for (const Wave& wave : waves_)
        breakpoint_s = std::min(breakpoint_s, scene::next_breakpoint_s(wave, time_s));
    return breakpoint_s;
}

double MovesTarget::last_event_s() const noexcept {
    double last_s = std::max(0.0, pieces_.back().from_s);
    for (const Wave& wave : waves_)
        last_s = std::max(last_s, scene::last_event_s(wave));
    return last_s;
}

RecordTarget::RecordTarget(std::vector<double> times_s, std::vector<double> values,
                           AfterEnd after_end)
    : times_s_{std::move(times_s)}, values_{std::move(values)}, after_end_{after_end} {
    if (times_s_.empty() || values_.size() != times_s_.size()) {
        throw InvalidValue{"samples", static_cast<double>(values_.size()),
                           "as many values as times, at least one"};
    }
    for (std::size_t i = 0; i < times_s_.size(); ++i) {
        require_finite("time_s", times_s_[i]);
        require_finite("value", values_[i]);
        if (i > 0 && times_s_[i] < times_s_[i - 1]) {
            throw InvalidValue{
                "time_s", times_s_[i],
                "a time no earlier than the sample before it, " + shortest(times_s_[i - 1])};
        }
    }
}

RecordTarget::RecordTarget(const std::vector<CurveKey>& keys, AfterEnd after_end)
    : RecordTarget{each_of(keys, &CurveKey::time_s), each_of(keys, &CurveKey::value), after_end} {
    for (const CurveKey& key : keys) {
        require_finite("slope_before", key.slope_before);
        require_finite("slope_after", key.slope_after);
        slopes_.push_back({key.slope_before, key.slope_after});
    }
}

bool RecordTarget::repeats() const noexcept {
    const bool asked = after_end_ == AfterEnd::loop || after_end_ == AfterEnd::mirror;
    return asked && times_s_.back() > times_s_.front();
}

bool RecordTarget::is_backward(double cycle) const noexcept {
    return after_end_ == AfterEnd::mirror && std::fmod(cycle, 2.0) == 1.0;
}

double RecordTarget::breakpoint_time_s(double cycle, std::size_t breakpoint) const noexcept {
    const double first = times_s_.front();
    const double length = times_s_.back() - first;
    const double along = is_backward(cycle)
                             ? times_s_.back() - times_s_[times_s_.size() - 1 - breakpoint]
                             : times_s_[breakpoint] - first;
    // The same expression for the end of a cycle and the start of the next.
    if (along == length) return first + (cycle + 1) * length;
    return cycle == 0 ? times_s_[breakpoint] : first + cycle * length + along;
}

double RecordTarget::breakpoint_value(double cycle, std::size_t breakpoint) const noexcept {
    return values_[is_backward(cycle) ? values_.size() - 1 - breakpoint : breakpoint];
}

RecordTarget::Segment RecordTarget::segment_at(double time_s, bool after) const noexcept {
    const std::size_t count = times_s_.size();
    Segment segment;
    if (repeats()) {
        const double length = times_s_.back() - times_s_.front();
        segment.cycle = std::max(0.0, std::floor((time_s - times_s_.front()) / length));
        while (segment.cycle > 0 &&
               !has_begun(breakpoint_time_s(segment.cycle, 0), time_s, after)) {
            --segment.cycle;
        }
        if (has_begun(breakpoint_time_s(segment.cycle + 1, 0), time_s, after)) ++segment.cycle;
    }
    std::size_t low = 0;  // the last breakpoint that has begun, or the first of all
    std::size_t high = count;
    while (high - low > 1) {
        const std::size_t middle = low + (high - low) / 2;
        (has_begun(breakpoint_time_s(segment.cycle, middle), time_s, after) ? low : high) = middle;
    }
    segment.breakpoint = low;
    return segment;
}

TargetPoint RecordTarget::point_in(const Segment& segment, double time_s) const noexcept {
    if (segment.breakpoint + 1 == times_s_.size()) return past_end(time_s);
    const double from_s = breakpoint_time_s(segment.cycle, segment.breakpoint);
    const double value = breakpoint_value(segment.cycle, segment.breakpoint);
    const double to_s = breakpoint_time_s(segment.cycle, segment.breakpoint + 1);
    const double next = breakpoint_value(segment.cycle, segment.breakpoint + 1);
    const double length_s = to_s - from_s;
    const double slope = (next - value) / length_s;
    const double t = time_s - from_s;
    if (is_straight()) return {time_s == to_s ? next : value + slope * t, slope};
    const Slopes ends = segment_slopes(segment.cycle, segment.breakpoint);
    const double bend = (3 * slope - 2 * ends.first - ends.second) / length_s;
    const double twist = (ends.first + ends.second - 2 * slope) / (length_s * length_s);
    return {time_s == to_s ? next : value + t * (ends.first + t * (bend + t * twist)),
            ends.first + t * (2 * bend + t * 3 * twist)};
}

RecordTarget::Slopes RecordTarget::segment_slopes(double cycle,
                                                  std::size_t breakpoint) const noexcept {
    if (!is_backward(cycle)) return {slopes_[breakpoint].second, slopes_[breakpoint + 1].first};
    const std::size_t last = slopes_.size() - 1;
    return {-slopes_[last - breakpoint].first, -slopes_[last - breakpoint - 1].second};
}

TargetPoint RecordTarget::past_end(double time_s) const noexcept {
    const std::size_t last = times_s_.size() - 1;
    double slope = 0;
    if (after_end_ == AfterEnd::carry_on && last > 0 && times_s_[last] > times_s_[last - 1]) {
        slope = is_straight()
                    ? (values_[last] - values_[last - 1]) / (times_s_[last] - times_s_[last - 1])
                    : slopes_[last].first;
    }
    return {slope == 0 ? values_[last] : values_[last] + slope * (time_s - times_s_[last]), slope};
}

TargetPoint RecordTarget::before(double time_s) const noexcept {
    if (time_s <= times_s_.front()) return {values_.front(), 0};
    return point_in(segment_at(time_s, false), time_s);
}

TargetPoint RecordTarget::after(double time_s) const noexcept {
    if (time_s < times_s_.front()) return {values_.front(), 0};
    return point_in(segment_at(time_s, true), time_s);
}

double RecordTarget::next_breakpoint_s(double time_s) const noexcept {
    if (time_s < times_s_.front()) return times_s_.front();
    const Segment segment = segment_at(time_s, true);
    if (segment.breakpoint + 1 < times_s_.size())
        return breakpoint_time_s(segment.cycle, segment.breakpoint + 1);
    return repeats() ? breakpoint_time_s(segment.cycle + 1, 1) : never;
}

std::vector<double> unwrapped(std::vector<double> angles, double turn) {
    double shift = 0;
    for (std::size_t i = 1; i < angles.size(); ++i) {
        const double leap = angles[i] + shift - angles[i - 1];
        shift -= turn * std::round(leap / turn);
        angles[i] += shift;
    }
    return angles;
}

}  // namespace hopcoil::scene
