#include <algorithm>
#include <cmath>
#include <utility>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/follow/key_curve.hpp>

namespace hopcoil {
namespace {

/// The cubic between two keys over s in 0..1: v0 + s (m0 + s (b + s c)).
struct Piece {
    double length_s;
    double v0;
    double m0;
    double b;
    double c;

    Piece(const CurveKey& from, const CurveKey& to)
        : length_s{to.time_s - from.time_s}, v0{from.value}, m0{length_s * from.slope_after} {
        const double m1 = length_s * to.slope_before;
        const double travel = to.value - from.value;
        b = 3 * travel - 2 * m0 - m1;
        c = m0 + m1 - 2 * travel;
    }
    [[nodiscard]] double at(double s) const { return v0 + s * (m0 + s * (b + s * c)); }
    [[nodiscard]] double slope(double s) const { return (m0 + s * (2 * b + s * 3 * c)) / length_s; }
};

/// The s in 0 < s < 1 where a cubic's slope passes through zero.
std::vector<double> turns_inside(const Piece& piece) {
    const double a = 3 * piece.c;
    const double half = piece.b;
    std::vector<double> turns;
    const auto add = [&](double s) {
        if (s > 0 && s < 1) turns.push_back(s);
    };
    const double inside = half * half - a * piece.m0;
    if (a == 0) {
        if (half != 0) add(-piece.m0 / (2 * half));
    } else if (inside > 0) {
        // The root that does not cancel first, the other from their product.
        const double sum = -half - std::copysign(math::sqrt(inside), half);
        if (sum != 0) add(piece.m0 / sum);
        add(sum / a);
    }
    std::sort(turns.begin(), turns.end());
    return turns;
}

}  // namespace

KeyCurve::KeyCurve(std::vector<CurveKey> keys) : keys_{std::move(keys)} {
    if (keys_.empty()) throw InvalidValue{"keys", 0, "at least one key"};
    for (std::size_t i = 0; i < keys_.size(); ++i) {
        require_finite("time_s", keys_[i].time_s);
        require_finite("value", keys_[i].value);
        require_finite("slope_before", keys_[i].slope_before);
        require_finite("slope_after", keys_[i].slope_after);
        if (i > 0 && !(keys_[i].time_s > keys_[i - 1].time_s)) {
            throw InvalidValue{"time_s", keys_[i].time_s,
                               "a time after the key before it, " + shortest(keys_[i - 1].time_s)};
        }
    }
}

KeyCurve KeyCurve::through(std::span<const double> times_s, std::span<const double> values) {
    if (times_s.size() != values.size() || times_s.empty()) {
        throw InvalidValue{"values", static_cast<double>(values.size()),
                           "as many values as times, at least one"};
    }
    std::vector<CurveKey> keys;
    for (std::size_t i = 0; i < times_s.size(); ++i)
        keys.push_back({times_s[i], values[i], 0, 0});
    for (std::size_t i = 1; i + 1 < keys.size(); ++i) {
        const double before_s = times_s[i] - times_s[i - 1];
        const double after_s = times_s[i + 1] - times_s[i];
        const double rise_before = (values[i] - values[i - 1]) / before_s;
        const double rise_after = (values[i + 1] - values[i]) / after_s;
        if (rise_before * rise_after <= 0) continue;  // a turn: level
        const double parabola =
            (rise_before * after_s + rise_after * before_s) / (before_s + after_s);
        // Up to three times the gentler side a cubic stays between its ends.
        const double most = 3 * std::min(std::abs(rise_before), std::abs(rise_after));
        const double slope = std::clamp(parabola, -most, most);
        keys[i].slope_before = keys[i].slope_after = slope;
    }
    return KeyCurve{std::move(keys)};
}

std::size_t KeyCurve::piece_of(double time_s) const noexcept {
    const auto next = std::upper_bound(keys_.begin(), keys_.end(), time_s,
                                       [](double t, const CurveKey& k) { return t < k.time_s; });
    const auto index = static_cast<std::size_t>(next - keys_.begin());
    return std::clamp<std::size_t>(index, 1, std::max<std::size_t>(1, keys_.size() - 1)) - 1;
}

double KeyCurve::at(double time_s) const noexcept {
    if (!(time_s > keys_.front().time_s)) return keys_.front().value;
    if (time_s >= keys_.back().time_s) return keys_.back().value;
    const std::size_t i = piece_of(time_s);
    const Piece piece{keys_[i], keys_[i + 1]};
    return piece.at((time_s - keys_[i].time_s) / piece.length_s);
}

double KeyCurve::slope_at(double time_s) const noexcept {
    if (!(time_s >= keys_.front().time_s) || time_s >= keys_.back().time_s) return 0;
    const std::size_t i = piece_of(time_s);
    const Piece piece{keys_[i], keys_[i + 1]};
    return piece.slope((time_s - keys_[i].time_s) / piece.length_s);
}

std::vector<KeyCurve::Turn> KeyCurve::turning_points() const {
    std::vector<Turn> turns;
    double way = 0;  // of the stretch before: +1 rising, -1 falling
    Turn last{keys_.front().time_s, keys_.front().value};
    const auto visit = [&](const Turn& next) {
        const double rise = next.value - last.value;
        if (rise != 0) {
            const double now = rise > 0 ? 1 : -1;
            if (way * now < 0) turns.push_back(last);
            way = now;
        }
        if (rise != 0 || turns.empty()) last = next;
    };
    for (std::size_t i = 0; i + 1 < keys_.size(); ++i) {
        const Piece piece{keys_[i], keys_[i + 1]};
        for (const double s : turns_inside(piece))
            visit({keys_[i].time_s + s * piece.length_s, piece.at(s)});
        visit({keys_[i + 1].time_s, keys_[i + 1].value});
    }
    return turns;
}

}  // namespace hopcoil
