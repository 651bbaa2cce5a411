#include <cmath>
#include <limits>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/spring/free_motion.hpp>
#include <hopcoil/spring/step_coefficients.hpp>

namespace hopcoil {
namespace {

constexpr double never = std::numeric_limits<double>::infinity();

/// The first turn of a swinging spring (z < 1), from equation (13).
double first_swing_s(const Tuning& tuning, GapState start, double w, double d) {
    const double v = start.velocity / w;
    double phase = math::atan2(d * v, start.gap + tuning.damping_ratio * v);
    // The tangent repeats every half turn; the start itself is not a turn.
    if (phase < 0) phase += math::pi;
    if (phase == 0) phase = math::pi;
    return phase / (w * d);
}

/// The only turn of a creeping spring (z >= 1), if there is one, from equation (14).
std::optional<double> only_turn_s(const Tuning& tuning, GapState start, double w) {
    const double z = tuning.damping_ratio;
    const double d = math::sqrt(z - 1) * math::sqrt(z + 1);
    const double v = start.velocity / w;
    const double ratio = v / (start.gap + z * v);
    if (d == 0) return ratio > 0 ? std::optional{ratio / w} : std::nullopt;
    if (!(ratio > 0 && d * ratio < 1)) return std::nullopt;
    return 0.5 * math::log((1 + d * ratio) / (1 - d * ratio)) / (d * w);
}

bool is_between(double x, double a, double b) {
    return (a <= x && x <= b) || (b <= x && x <= a);
}

}  // namespace

FreeMotion::FreeMotion(const Tuning& tuning, GapState start)
    : tuning_{tuning}, start_{start}, half_period_s_{never} {
    require_valid(tuning);
    require_finite("gap", start.gap);
    require_finite("velocity", start.velocity);
    const double w = angular_frequency_rad_per_s(tuning);
    if (w == 0 || (start.gap == 0 && start.velocity == 0)) return;
    const double z = tuning.damping_ratio;
    if (z >= 1) {
        first_turn_s_ = only_turn_s(tuning, start, w);
        return;
    }
    const double d = math::sqrt((1 - z) * (1 + z));
    first_turn_s_ = first_swing_s(tuning, start, w, d);
    half_period_s_ = math::pi / (w * d);
    swing_ratio_ = math::exp(-math::pi * z / d);
}

GapState FreeMotion::at(double time_s) const noexcept {
    const StraightRows<double> rows = straight_rows(tuning_, time_s);
    return {rows.gap_of_gap * start_.gap + rows.gap_of_velocity * start_.velocity,
            rows.velocity_of_gap * start_.gap + rows.velocity_of_velocity * start_.velocity};
}

FreeMotion FreeMotion::of_velocity() const {
    const double w = angular_frequency_rad_per_s(tuning_);
    return {
        tuning_,
        {start_.velocity, -w * w * start_.gap - 2 * tuning_.damping_ratio * w * start_.velocity}};
}

bool FreeMotion::turns_for_ever() const noexcept {
    return turns() && half_period_s_ < never;
}

double FreeMotion::turning_time_s(std::size_t index) const noexcept {
    if (!turns() || (index > 0 && half_period_s_ == never)) return never;
    return index == 0 ? *first_turn_s_
                      : *first_turn_s_ + static_cast<double>(index) * half_period_s_;
}

std::optional<double> FreeMotion::crossing_s(double gap, double after_s,
                                             double before_s) const noexcept {
    const double first = at(after_s).gap;
    double low = after_s;
    double high = before_s;
    if (before_s == never) {
        // A creeping gap only shrinks from here: go on until it has passed the level.
        high = after_s + 1 / angular_frequency_rad_per_s(tuning_);
        for (int i = 0; i < 2000 && !is_between(gap, first, at(high).gap); ++i) {
            high += high - after_s;
            if (at(high).gap == 0) break;
        }
    }
    if (!is_between(gap, first, at(high).gap)) return std::nullopt;
    const bool rising = at(high).gap > first;
    while (true) {
        const double middle = low + 0.5 * (high - low);
        if (!(middle > low && middle < high)) return high;
        ((at(middle).gap < gap) == rising ? low : high) = middle;
    }
}

std::optional<double> FreeMotion::first_crossing_s(double gap) const noexcept {
    if (angular_frequency_rad_per_s(tuning_) == 0) return std::nullopt;
    double from = 0;
    // Swings only shrink, so after the first two nothing new is reached.
    for (std::size_t turn = 0; turn < 3; ++turn) {
        const double to = turning_time_s(turn);
        if (const auto found = crossing_s(gap, from, to)) return found;
        if (to == never) return std::nullopt;
        from = to;
    }
    return std::nullopt;
}

std::optional<double> FreeMotion::settling_time_s(double band) const noexcept {
    const auto outside = [&](double time_s) {
        return std::abs(at(time_s).gap) > band;
    };
    const double w = angular_frequency_rad_per_s(tuning_);
    if (w == 0 || (tuning_.damping_ratio == 0 && outside(turning_time_s(0)))) return std::nullopt;
    // The last swing outside the band, then the way from there into it.
    double from = 0;
    double to = turning_time_s(0);
    if (to < never && outside(to)) {
        double index = 0;
        if (turns_for_ever()) {
            const double excess = math::log(std::abs(at(to).gap) / band);
            index = std::floor(
                excess * std::sqrt((1 - tuning_.damping_ratio) * (1 + tuning_.damping_ratio)) /
                (math::pi * tuning_.damping_ratio));
        }
        const double first = to;
        const double half = turns_for_ever() ? half_period_s_ : 0;
        // The closed form is right to within rounding: a swing or two either way.
        constexpr int most_swings_off = 64;
        for (int i = 0; i < most_swings_off && index > 0 && !outside(first + index * half); ++i)
            --index;
        for (int i = 0;
             i < most_swings_off && turns_for_ever() && outside(first + (index + 1) * half); ++i)
            ++index;
        from = first + index * half;
        to = turns_for_ever() ? first + (index + 1) * half : never;
    } else if (!outside(0)) {
        return 0;
    }
    return crossing_s(at(from).gap > 0 ? band : -band, from, to);
}

}  // namespace hopcoil
