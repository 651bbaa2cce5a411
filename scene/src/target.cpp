#include <algorithm>
#include <cmath>
#include <limits>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/scene/target.hpp>

namespace hopcoil::scene {
namespace {

constexpr double never = std::numeric_limits<double>::infinity();
constexpr double knots_per_period = 256;

void require_time_in_order(double at_s, double earliest_s) {
    if (!(std::isfinite(at_s) && at_s >= earliest_s)) {
        throw InvalidValue{"at_s", at_s,
                           "a time no earlier than the move before it, " + shortest(earliest_s)};
    }
}

void require_valid(const Sine& sine) {
    require_finite("amplitude", sine.amplitude);
    require_above_zero("frequency_hz", sine.frequency_hz);
    require_at_least_zero("from_s", sine.from_s);
    if (!(sine.until_s > sine.from_s)) {
        throw InvalidValue{"until_s", sine.until_s,
                           "a time after from_s, " + shortest(sine.from_s)};
    }
}

/// The last of the knots at or before (after) a time: from there on, or up to there.
bool has_begun(double knot_s, double time_s, bool after) {
    return after ? knot_s <= time_s : knot_s < time_s;
}

double next_sine_knot_s(const Sine& sine, double time_s) {
    if (time_s < sine.from_s) return sine.from_s;
    if (time_s >= sine.until_s) return never;
    const double spacing_s = 1 / (knots_per_period * sine.frequency_hz);
    double count = std::floor((time_s - sine.from_s) / spacing_s) + 1;
    while (!(sine.from_s + count * spacing_s > time_s)) {
        if (sine.from_s + (count + 1) * spacing_s == sine.from_s + count * spacing_s) break;
        ++count;
    }
    return std::min(sine.from_s + count * spacing_s, sine.until_s);
}

}  // namespace

MovesTarget::MovesTarget(double start, const std::vector<std::variant<Jump, Ramp>>& moves,
                         std::vector<Sine> sines)
    : sines_{std::move(sines)} {
    require_finite("start", start);
    pieces_.push_back({-never, start, 0});
    double earliest_s = 0;
    for (const auto& move : moves) {
        const double at_s = std::visit([](const auto& m) { return m.at_s; }, move);
        require_time_in_order(at_s, earliest_s);
        earliest_s = at_s;
        // A ramp may still be under way: what was to come of it is called off.
        while (pieces_.back().from_s > at_s)
            pieces_.pop_back();
        if (const auto* jump = std::get_if<Jump>(&move)) {
            require_finite("jump_to", jump->to);
            pieces_.push_back({at_s, jump->to, 0});
        } else {
            add_ramp(std::get<Ramp>(move));
        }
    }
    for (const Sine& sine : sines_)
        require_valid(sine);
}

void MovesTarget::add_ramp(const Ramp& ramp) {
    require_finite("ramp_to", ramp.to);
    require_above_zero("over_s", ramp.over_s);
    const Piece& last = pieces_.back();
    const double from =
        last.slope == 0 ? last.value : last.value + last.slope * (ramp.at_s - last.from_s);
    pieces_.push_back({ramp.at_s, from, (ramp.to - from) / ramp.over_s});
    pieces_.push_back({ramp.at_s + ramp.over_s, ramp.to, 0});
}

TargetPoint MovesTarget::sum_at(const Piece& piece, double time_s, bool after) const noexcept {
    TargetPoint point{
        piece.slope == 0 ? piece.value : piece.value + piece.slope * (time_s - piece.from_s),
        piece.slope};
    for (const Sine& sine : sines_) {
        if (!has_begun(sine.from_s, time_s, after) || has_begun(sine.until_s, time_s, after)) {
            continue;
        }
        const double w = 2 * math::pi * sine.frequency_hz;
        const auto [s, c] = math::sincos(w * (time_s - sine.from_s));
        point.value += sine.amplitude * s;
        point.velocity += sine.amplitude * w * c;
    }
    return point;
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

double MovesTarget::next_knot_s(double time_s) const noexcept {
    const auto next = std::upper_bound(pieces_.begin(), pieces_.end(), time_s,
                                       [](double t, const Piece& p) { return t < p.from_s; });
    double knot_s = next == pieces_.end() ? never : next->from_s;
    for (const Sine& sine : sines_)
        knot_s = std::min(knot_s, next_sine_knot_s(sine, time_s));
    return knot_s;
}

double MovesTarget::last_event_s() const noexcept {
    double last_s = std::max(0.0, pieces_.back().from_s);
    for (const Sine& sine : sines_) {
        last_s = std::max(
            last_s, sine.until_s < never ? sine.until_s : sine.from_s + 3 / sine.frequency_hz);
    }
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

bool RecordTarget::repeats() const noexcept {
    const bool asked = after_end_ == AfterEnd::loop || after_end_ == AfterEnd::mirror;
    return asked && times_s_.back() > times_s_.front();
}

bool RecordTarget::is_backward(double cycle) const noexcept {
    return after_end_ == AfterEnd::mirror && std::fmod(cycle, 2.0) == 1.0;
}

double RecordTarget::knot_time_s(double cycle, std::size_t knot) const noexcept {
    const double first = times_s_.front();
    const double length = times_s_.back() - first;
    const double along = is_backward(cycle) ? times_s_.back() - times_s_[times_s_.size() - 1 - knot]
                                            : times_s_[knot] - first;
    // The same expression for the end of a cycle and the start of the next.
    if (along == length) return first + (cycle + 1) * length;
    return cycle == 0 ? times_s_[knot] : first + cycle * length + along;
}

double RecordTarget::knot_value(double cycle, std::size_t knot) const noexcept {
    return values_[is_backward(cycle) ? values_.size() - 1 - knot : knot];
}

RecordTarget::Place RecordTarget::place_of(double time_s, bool after) const noexcept {
    const std::size_t count = times_s_.size();
    Place place;
    if (repeats()) {
        const double length = times_s_.back() - times_s_.front();
        place.cycle = std::max(0.0, std::floor((time_s - times_s_.front()) / length));
        while (place.cycle > 0 && !has_begun(knot_time_s(place.cycle, 0), time_s, after)) {
            --place.cycle;
        }
        if (has_begun(knot_time_s(place.cycle + 1, 0), time_s, after)) ++place.cycle;
    }
    std::size_t low = 0;  // the last knot that has begun, or the first of all
    std::size_t high = count;
    while (high - low > 1) {
        const std::size_t middle = low + (high - low) / 2;
        (has_begun(knot_time_s(place.cycle, middle), time_s, after) ? low : high) = middle;
    }
    place.knot = low;
    return place;
}

TargetPoint RecordTarget::point_in(const Place& place, double time_s) const noexcept {
    if (place.knot + 1 == times_s_.size()) return past_end(time_s);
    const double from_s = knot_time_s(place.cycle, place.knot);
    const double value = knot_value(place.cycle, place.knot);
    const double to_s = knot_time_s(place.cycle, place.knot + 1);
    const double next = knot_value(place.cycle, place.knot + 1);
    const double slope = (next - value) / (to_s - from_s);
    return {time_s == to_s ? next : value + slope * (time_s - from_s), slope};
}

TargetPoint RecordTarget::past_end(double time_s) const noexcept {
    const std::size_t last = times_s_.size() - 1;
    double slope = 0;
    if (after_end_ == AfterEnd::carry_on && last > 0 && times_s_[last] > times_s_[last - 1]) {
        slope = (values_[last] - values_[last - 1]) / (times_s_[last] - times_s_[last - 1]);
    }
    return {slope == 0 ? values_[last] : values_[last] + slope * (time_s - times_s_[last]), slope};
}

TargetPoint RecordTarget::before(double time_s) const noexcept {
    if (time_s <= times_s_.front()) return {values_.front(), 0};
    return point_in(place_of(time_s, false), time_s);
}

TargetPoint RecordTarget::after(double time_s) const noexcept {
    if (time_s < times_s_.front()) return {values_.front(), 0};
    return point_in(place_of(time_s, true), time_s);
}

double RecordTarget::next_knot_s(double time_s) const noexcept {
    if (time_s < times_s_.front()) return times_s_.front();
    const Place place = place_of(time_s, true);
    if (place.knot + 1 < times_s_.size()) return knot_time_s(place.cycle, place.knot + 1);
    return repeats() ? knot_time_s(place.cycle + 1, 1) : never;
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
