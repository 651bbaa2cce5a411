#include <cmath>
#include <limits>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/spring/free_motion.hpp>
#include <hopcoil/spring/step_response.hpp>

namespace hopcoil {
namespace {

constexpr double infinity = std::numeric_limits<double>::infinity();

constexpr std::string_view no_stiffness = "a frequency of 0 Hz never moves it toward the target";
constexpr std::string_view no_damping = "without damping it swings for ever";
constexpr std::string_view never_past = "it never passes the target";

void require_not_zero(std::string_view field, double value) {
    require_finite(field, value);
    if (value == 0) throw InvalidValue{field, value, "a finite number other than 0"};
}

/// The turning points of a motion in percent of `whole`.
std::vector<Swing> swings_of(const FreeMotion& motion, double whole) {
    std::vector<Swing> swings;
    const std::size_t count = motion.turns_for_ever() ? most_swings : (motion.turns() ? 1 : 0);
    for (std::size_t i = 0; i < count; ++i) {
        const double time_s = motion.turning_time_s(i);
        const double percent = 100 * motion.at(time_s).gap / whole;
        if (std::abs(percent) < least_swing_percent) break;
        swings.push_back({time_s, percent});
    }
    return swings;
}

Figure reversals_of(const FreeMotion& motion, double whole, const Tuning& tuning) {
    if (!motion.turns()) return 0.0;
    const double first = 100 * std::abs(motion.at(motion.turning_time_s(0)).gap / whole);
    if (!(first > settling_band_percent)) return 0.0;
    if (!motion.turns_for_ever()) return 1.0;
    if (tuning.damping_ratio == 0) return Figure::none(no_damping);
    const double decay = math::pi * tuning.damping_ratio /
                         math::sqrt((1 - tuning.damping_ratio) * (1 + tuning.damping_ratio));
    return std::ceil(math::log(first / settling_band_percent) / decay);
}

struct Extreme {
    double time_s = 0.0;
    double value = 0.0;
};

/// The largest magnitude of a motion from its start on: swings only shrink, so it is at the start
/// or at the first turn.
Extreme largest_of(const FreeMotion& motion) {
    const Extreme start{0.0, motion.at(0).gap};
    if (!motion.turns()) return start;
    const double time_s = motion.turning_time_s(0);
    const Extreme turn{time_s, motion.at(time_s).gap};
    return std::abs(turn.value) > std::abs(start.value) ? turn : start;
}

/// The largest magnitude of offset + motion, and of the offset alone (the end state). Swings only
/// shrink, so it is at the start or at one of the first two turns, one on either side.
Extreme largest_beside(const FreeMotion& motion, double offset) {
    Extreme largest{infinity, offset};
    for (const double time_s : {0.0, motion.turning_time_s(0), motion.turning_time_s(1)}) {
        if (time_s == infinity) continue;
        const double value = offset + motion.at(time_s).gap;
        if (std::abs(value) >= std::abs(largest.value)) largest = {time_s, value};
    }
    return largest;
}

/// The first turn on one side of the target, in percent of `whole`: the furthest point on that
/// side.
std::optional<Swing> furthest_past(const FreeMotion& motion, double whole) {
    for (std::size_t i = 0; i < 2; ++i) {
        const double time_s = motion.turning_time_s(i);
        if (std::isinf(time_s)) break;
        const double percent = 100 * motion.at(time_s).gap / whole;
        if (percent > 0) return Swing{time_s, percent};
    }
    return std::nullopt;
}

Figure settling_of(const FreeMotion& motion, double whole) {
    return {motion.settling_time_s(0.01 * settling_band_percent * std::abs(whole)), no_damping};
}

}  // namespace

JumpResponse jump_response(const Tuning& tuning, double size, double initial_velocity) {
    require_valid(tuning);
    require_not_zero("size", size);
    require_finite("initial_velocity", initial_velocity);
    JumpResponse answer;
    if (tuning.frequency_hz == 0) {
        answer.overshoot_percent = answer.anticipation_percent = answer.rise_time_s =
            answer.peak_time_s = answer.settling_time_s = answer.reversals =
                Figure::none(no_stiffness);
        answer.peak_velocity = std::abs(initial_velocity);
        return answer;
    }
    const double w = angular_frequency_rad_per_s(tuning);
    const double lead_velocity = 2 * tuning.damping_ratio * w * tuning.lead * size;
    const FreeMotion motion{tuning, {-size, initial_velocity + lead_velocity}};

    const std::optional<Swing> peak = furthest_past(motion, size);
    answer.overshoot_percent = peak ? peak->percent : 0.0;
    answer.peak_time_s = peak ? Figure{peak->time_s} : Figure::none(never_past);
    const double first_turn =
        motion.turns() ? 100 * motion.at(motion.turning_time_s(0)).gap / size : -100.0;
    answer.anticipation_percent = first_turn < -100 ? -first_turn - 100 : 0.0;
    answer.swings = swings_of(motion, size);
    answer.reversals = reversals_of(motion, size, tuning);
    answer.settling_time_s = settling_of(motion, size);
    answer.peak_velocity = std::abs(largest_of(motion.of_velocity()).value);

    const std::optional<double> at_10 = motion.first_crossing_s(-0.9 * size);
    const std::optional<double> at_90 = motion.first_crossing_s(-0.1 * size);
    answer.rise_time_s = at_10 && at_90 ? Figure{*at_90 - *at_10}
                                        : Figure::none("it does not reach 90 % of the way");
    return answer;
}

KickResponse kick_response(const Tuning& tuning, double velocity) {
    require_valid(tuning);
    require_not_zero("velocity", velocity);
    KickResponse answer;
    answer.peak_velocity = std::abs(velocity);
    if (tuning.frequency_hz == 0) {
        answer.furthest = answer.furthest_time_s = answer.return_time_s = answer.settling_time_s =
            answer.reversals = Figure::none("a frequency of 0 Hz never brings it back");
        return answer;
    }
    const FreeMotion motion{tuning, {0, velocity}};
    const double furthest_time_s = motion.turning_time_s(0);
    const double furthest = motion.at(furthest_time_s).gap;
    answer.furthest = furthest;
    answer.furthest_time_s = furthest_time_s;
    answer.return_time_s =
        motion.turns_for_ever()
            ? Figure{motion.half_period_s()}
            : Figure::none("with a damping ratio of 1 or more it creeps back without arriving");
    answer.swings = swings_of(motion, furthest);
    answer.reversals = reversals_of(motion, furthest, tuning);
    answer.settling_time_s = settling_of(motion, furthest);
    return answer;
}

RampResponse ramp_response(const Tuning& tuning, double speed, double initial_velocity) {
    require_valid(tuning);
    require_not_zero("speed", speed);
    require_finite("initial_velocity", initial_velocity);
    RampResponse answer;
    if (tuning.frequency_hz == 0) {
        answer.steady_gap = answer.largest_gap = answer.largest_gap_time_s =
            Figure::none(no_stiffness);
        answer.peak_velocity = std::abs(initial_velocity);
        return answer;
    }
    // In the frame of the steady state it is a free motion.
    const double steady = -ramp_lag_s(tuning) * speed;
    const FreeMotion motion{tuning, {-steady, initial_velocity - speed}};
    answer.steady_gap = tuning.damping_ratio == 0 ? Figure::none(no_damping) : Figure{steady};
    const Extreme gap = largest_beside(motion, steady);
    answer.largest_gap = gap.value;
    answer.largest_gap_time_s =
        gap.time_s < infinity ? Figure{gap.time_s}
                              : Figure::none("it grows to its steady size without reaching it");
    answer.peak_velocity = std::abs(largest_beside(motion.of_velocity(), speed).value);
    return answer;
}

SineResponse sine_response(const Tuning& tuning, double sine_hz) {
    require_valid(tuning);
    require_above_zero("sine_hz", sine_hz);
    SineResponse answer;
    const double r = tuning.frequency_hz / sine_hz;
    const double damping = 2 * tuning.damping_ratio * r;
    const double top_re = r * r;
    const double top_im = damping * tuning.lead;
    const double bottom_re = r * r - 1;
    const double bottom_im = damping;
    if (bottom_re == 0 && bottom_im == 0) {
        constexpr std::string_view resonance =
            "undamped and driven at its own frequency, it swings ever wider";
        answer.gain = answer.phase_lag_rad = answer.delay_s = Figure::none(resonance);
        return answer;
    }
    const double re = top_re * bottom_re + top_im * bottom_im;
    const double im = top_im * bottom_re - top_re * bottom_im;
    const double size = bottom_re * bottom_re + bottom_im * bottom_im;
    answer.gain = std::sqrt(re * re + im * im) / size;
    if (re == 0 && im == 0) {
        answer.phase_lag_rad = answer.delay_s = Figure::none(no_stiffness);
        return answer;
    }
    const double lag = -math::atan2(im, re);
    answer.phase_lag_rad = lag == 0 ? 0.0 : lag;
    answer.delay_s = *answer.phase_lag_rad.value() / (2 * math::pi * sine_hz);
    return answer;
}

}  // namespace hopcoil
