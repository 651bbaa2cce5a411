#include <algorithm>
#include <cmath>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/follow/mover.hpp>
#include <hopcoil/follow/settle_curve.hpp>
#include <hopcoil/spring/step_response.hpp>
#include <hopcoil/spring/wish.hpp>

namespace hopcoil {
namespace {

constexpr double least_duration_s = 0.02;
constexpr double most_duration_s = 20;
constexpr double most_overshoot_percent = 99;
constexpr double largest = 1e150;  // beyond which something that comes of it could overflow

constexpr std::array<Dial<SettleTuning>, SettleTuning::dial_count> settle_dials{
    field_dial<&SettleTuning::duration_s, SettleTuning>(
        {.path = "duration_s",
         .unit = "s",
         .hard = {least_duration_s, most_duration_s},
         .slider = {0.05, 3},
         .scale = DialScale::logarithmic}),
    field_dial<&SettleTuning::overshoot_percent, SettleTuning>({.path = "overshoot_percent",
                                                                .unit = "%",
                                                                .hard = {0, most_overshoot_percent},
                                                                .slider = {0, 60}})};

/// As many octaves of shortening as are ever needed.
constexpr double limit_octaves = 40;

double power_of_two(double octaves) {
    return math::exp(math::ln_2 * octaves);
}

bool is_usable(double x) {
    return std::abs(x) < largest;
}

/// The spring with this damping ratio that settles from rest in this time.
Tuning spring_for(double damping_ratio, double duration_s) {
    constexpr Tuning unit{.frequency_hz = 1, .damping_ratio = 0.5};
    Tuning tuning = unit;
    tuning.damping_ratio = damping_ratio;
    const FreeMotion motion{tuning, {-1, 0}};
    const double settled_s = motion.settling_time_s(0.01 * settling_band_percent).value_or(1e3);
    tuning.frequency_hz = settled_s / duration_s;
    return tuning;
}

/// The least x between two ends that meets a condition, which fails at `low` and holds at `high`.
template <class Holds>
double least_that_holds(double low, double high, const Holds& holds) {
    // Finer than can be seen; the returned x meets the condition in any case.
    for (int i = 0; i < 32; ++i) {
        const double middle = 0.5 * (low + high);
        (holds(middle) ? high : low) = middle;
    }
    return high;
}

}  // namespace

std::span<const Dial<SettleTuning>> SettleTuning::dials() noexcept {
    return settle_dials;
}

bool is_valid(const SettleTuning& tuning) noexcept {
    const auto is_height = [](double percent) {
        return percent >= 0 && percent <= 100;
    };
    return tuning.duration_s >= least_duration_s && tuning.duration_s <= most_duration_s &&
           tuning.overshoot_percent >= 0 && tuning.overshoot_percent <= most_overshoot_percent &&
           std::all_of(tuning.swing_percent.begin(), tuning.swing_percent.end(), is_height);
}

void require_valid(const SettleTuning& tuning) {
    if (!(tuning.duration_s >= least_duration_s && tuning.duration_s <= most_duration_s)) {
        throw InvalidValue{"duration_s", tuning.duration_s,
                           shortest(least_duration_s) + " to " + shortest(most_duration_s)};
    }
    if (!(tuning.overshoot_percent >= 0 && tuning.overshoot_percent <= most_overshoot_percent)) {
        throw InvalidValue{"overshoot_percent", tuning.overshoot_percent,
                           "0 to " + shortest(most_overshoot_percent)};
    }
    for (const double percent : tuning.swing_percent) {
        if (!(percent >= 0 && percent <= 100)) {
            throw InvalidValue{"swing_percent", percent, "0 to 100"};
        }
    }
}

void require_valid(const Stops& stops) {
    if (std::isnan(stops.low)) throw InvalidValue{"low", stops.low, "a number or -infinity"};
    if (!(stops.high > stops.low)) {
        throw InvalidValue{"high", stops.high, "a number above low"};
    }
    require_at_least_zero("least_duration_s", stops.least_duration_s);
}

GapState SettleCurve::Turns::at(double time_s) const noexcept {
    const double along = time_s / piece_s;
    if (!(along < static_cast<double>(count))) return {};
    const auto i = static_cast<std::size_t>(along);
    const double s = along - static_cast<double>(i);
    const double travel = gap[i + 1] - gap[i];
    const double m0 = i == 0 ? first_velocity * piece_s : 0;
    const double b = 3 * travel - 2 * m0;
    const double c = m0 - 2 * travel;
    return {gap[i] + s * (m0 + s * (b + s * c)), (m0 + s * (2 * b + s * 3 * c)) / piece_s};
}

std::array<double, 2> SettleCurve::Turns::extent() const noexcept {
    std::array<double, 2> ends{gap[0], gap[0]};
    const auto include = [&](double g) {
        ends = {std::min(ends[0], g), std::max(ends[1], g)};
    };
    for (std::size_t i = 0; i <= count; ++i)
        include(gap[i]);
    // The first piece has a turn of its own when it starts the other way, or too fast.
    const double m0 = first_velocity * piece_s;
    const double s = m0 / (3 * (m0 - 2 * (gap[1] - gap[0])));
    if (s > 0 && s < 1) include(at(s * piece_s).gap);
    return ends;
}

SettleCurve::SettleCurve(const SettleTuning& tuning, double start)
    : asked_{start}, target_{start}, spring_{} {
    retune(tuning);
    require_finite("start", start);
    spring_ = wished_;
    report_ = {
        .target = start, .duration_s = tuning.duration_s, .damping_ratio = wished_.damping_ratio};
}

void SettleCurve::retune(const SettleTuning& tuning) {
    require_valid(tuning);
    wished_ = tuning_from(
        Wish{.overshoot_percent = tuning.overshoot_percent, .settling_time_s = tuning.duration_s});
    tuning_ = tuning;
}

bool SettleCurve::try_retune(const SettleTuning& tuning) noexcept {
    if (!is_valid(tuning)) {
        reject();
        return false;
    }
    retune(tuning);
    return true;
}

void SettleCurve::set_stops(const Stops& stops) {
    require_valid(stops);
    stops_ = stops;
    if (!still()) throw_to(asked_);
}

StepStatus SettleCurve::reject() noexcept {
    ++rejected_inputs_;
    return StepStatus::rejected;
}

bool SettleCurve::keeps_stops(const Tuning& tuning, double target) const noexcept {
    const FreeMotion motion{tuning, {value() - target, velocity()}};
    for (const std::size_t turn : {0U, 1U}) {
        const double time_s = motion.turning_time_s(turn);
        if (!std::isfinite(time_s)) break;
        const double place = target + motion.at(time_s).gap;
        if (place > kept_high_ || place < kept_low_) return false;
    }
    return true;
}

bool SettleCurve::keeps_stops(const Turns& turns, double target) const noexcept {
    const auto [low, high] = turns.extent();
    return target + low >= kept_low_ && target + high <= kept_high_;
}

const ThrowReport& SettleCurve::throw_to(double target) noexcept {
    if (!is_usable(target)) {
        reject();
        return report_;
    }
    asked_ = target;
    report_ = {.target = std::clamp(target, stops_.low, stops_.high),
               .duration_s = tuning_.duration_s,
               .damping_ratio = wished_.damping_ratio};
    const double here = value();
    // A stop that it is already beyond, or moving out of, cannot be kept; the other one can.
    const bool above = here > stops_.high || (here == stops_.high && velocity() > 0);
    const bool below = here < stops_.low || (here == stops_.low && velocity() < 0);
    report_.started_outside = above || below;
    kept_low_ = below ? -std::numeric_limits<double>::infinity() : stops_.low;
    kept_high_ = above ? std::numeric_limits<double>::infinity() : stops_.high;
    if (has_swings()) {
        plan_turns();
    } else {
        plan_spring();
    }
    add_to_log();
    const double speed = velocity();
    target_ = report_.target;
    start_again(here, speed);
    return report_;
}

void SettleCurve::add_to_log() noexcept {
    if (velocity() == 0 && value() == report_.target) return;  // there already
    ++log_.throws;
    log_.damping_raised += report_.damping_raised ? 1 : 0;
    log_.duration_gave += report_.duration_gave ? 1 : 0;
    log_.travel_gave += report_.travel_gave ? 1 : 0;
    log_.target_beyond_stop += asked_ < stops_.low || asked_ > stops_.high ? 1 : 0;
}

void SettleCurve::start_again(double value, double velocity) noexcept {
    start_ = now_ = {value - target_, velocity};
    elapsed_s_ = 0;
}

void SettleCurve::plan_spring() noexcept {
    turns_ = {};
    spring_ = wished_;
    if (keeps_stops(spring_, report_.target)) return;

    const double duration_s = tuning_.duration_s;
    const auto damped_enough = [&](double damping_ratio) {
        return keeps_stops(spring_for(damping_ratio, duration_s), report_.target);
    };
    report_.damping_raised = wished_.damping_ratio < 1;
    if (damped_enough(1)) {
        const double ratio = least_that_holds(wished_.damping_ratio, 1, damped_enough);
        spring_ = spring_for(ratio, duration_s);
        report_.damping_ratio = ratio;
        return;
    }
    report_.damping_ratio = 1;
    report_.duration_gave = true;
    // Searched in octaves of the frequency, which goes with the haste.
    const Tuning critical = spring_for(1, duration_s);
    const auto hurried = [&](double octaves) {
        Tuning tuning = critical;
        tuning.frequency_hz *= power_of_two(octaves);
        return tuning;
    };
    const auto quick_enough = [&](double octaves) {
        return keeps_stops(hurried(octaves), report_.target);
    };
    const auto hurry = [&](double octaves) {
        spring_ = hurried(octaves);
        report_.duration_s = duration_s / power_of_two(octaves);
    };
    const double most_octaves =
        stops_.least_duration_s > 0
            ? std::clamp(math::log(duration_s / stops_.least_duration_s) / math::ln_2, 0.0,
                         limit_octaves)
            : limit_octaves;
    if (quick_enough(most_octaves)) {
        hurry(least_that_holds(0, most_octaves, quick_enough));
        return;
    }
    hurry(most_octaves);
    if (stops_.may_shorten_travel) {
        // The further the target is from the stop that it would strike, the sooner it reverses.
        const double asked = report_.target;
        const double w = angular_frequency_rad_per_s(spring_);
        const double reach = 100 * (std::abs(velocity()) / w + std::abs(asked - value()));
        const double far =
            std::clamp(velocity() > 0 ? asked - reach : asked + reach, stops_.low, stops_.high);
        const auto near_enough = [&](double part) {
            return keeps_stops(spring_, asked + part * (far - asked));
        };
        if (near_enough(1)) {
            report_.travel_gave = true;
            report_.target = asked + least_that_holds(0, 1, near_enough) * (far - asked);
            return;
        }
    }
    report_.least_duration_gave = true;
    hurry(least_that_holds(most_octaves, limit_octaves, quick_enough));
}

SettleCurve::Turns SettleCurve::turns_to(double target, double height_share,
                                         double duration_s) const noexcept {
    Turns turns;
    turns.gap[0] = value() - target;
    const double travel = -turns.gap[0];
    double side = 1;
    for (const double percent : tuning_.swing_percent) {
        if (!(percent > 0)) break;
        turns.gap[++turns.count] = side * height_share * 0.01 * percent * travel;
        side = -side;
    }
    turns.gap[++turns.count] = 0;
    turns.piece_s = duration_s / static_cast<double>(turns.count);
    turns.first_velocity = velocity();
    return turns;
}

void SettleCurve::plan_turns() noexcept {
    const double target = report_.target;
    const double duration_s = tuning_.duration_s;
    turns_ = turns_to(target, 1, duration_s);
    report_.damping_ratio = 0;
    if (keeps_stops(turns_, target)) return;
    report_.damping_raised = true;
    const auto low_enough = [&](double cut_down) {
        return keeps_stops(turns_to(target, 1 - cut_down, duration_s), target);
    };
    if (low_enough(1)) {
        turns_ = turns_to(target, 1 - least_that_holds(0, 1, low_enough), duration_s);
        return;
    }
    report_.duration_gave = true;
    const auto quick_enough = [&](double octaves) {
        return keeps_stops(turns_to(target, 0, duration_s / power_of_two(octaves)), target);
    };
    report_.duration_s =
        duration_s / power_of_two(least_that_holds(0, limit_octaves, quick_enough));
    report_.least_duration_gave = report_.duration_s < stops_.least_duration_s;
    turns_ = turns_to(target, 0, report_.duration_s);
}

GapState SettleCurve::at(double time_s) const noexcept {
    if (turns_.count > 0) return turns_.at(time_s);

    const StraightRows<double> rows = straight_rows(spring_, time_s);
    const GapState state{
        rows.gap_of_gap * start_.gap + rows.gap_of_velocity * start_.velocity,
        rows.velocity_of_gap * start_.gap + rows.velocity_of_velocity * start_.velocity};
    const bool gone =
        std::abs(state.gap) < least_gap<double> && std::abs(state.velocity) < least_gap<double>;
    return gone ? GapState{} : state;
}

StepStatus SettleCurve::step(double dt) noexcept {
    if (!is_time_step(dt)) return reject();
    if (still()) return StepStatus::stepped;
    const GapState next = at(elapsed_s_ + dt);
    if (!is_finite(next.gap) || !is_finite(next.velocity)) return reject();
    elapsed_s_ += dt;
    now_ = next;
    return StepStatus::stepped;
}

StepStatus SettleCurve::step(double target, double dt) noexcept {
    if (!is_time_step(dt) || !is_usable(target)) return reject();
    if (target != asked_) throw_to(target);
    return step(dt);
}

StepStatus SettleCurve::cut(double target) noexcept {
    if (!is_usable(target)) return reject();
    throw_to(target);
    return StepStatus::stepped;
}

StepStatus SettleCurve::push(double delta_velocity) noexcept {
    const double velocity = now_.velocity + delta_velocity;
    if (!is_usable(velocity)) return reject();
    now_.velocity = velocity;
    throw_to(asked_);
    return StepStatus::stepped;
}

StepStatus SettleCurve::reset(double value) noexcept {
    if (!is_usable(value)) return reject();
    asked_ = target_ = value;
    start_again(value, 0);
    turns_ = {};
    return StepStatus::stepped;
}

StepStatus SettleCurve::take_over(double value, double velocity, double target) noexcept {
    if (!is_usable(value) || !is_usable(velocity) || !is_usable(target)) return reject();
    target_ = value;  // where it is, until it is thrown
    start_again(value, velocity);
    throw_to(target);
    return StepStatus::stepped;
}

bool SettleCurve::at_rest(double distance, double speed) const noexcept {
    return std::abs(now_.gap) <= distance && std::abs(now_.velocity) <= speed;
}

KeyCurve SettleCurve::keys(double rate_hz) const {
    require_above_zero("rate_hz", rate_hz);
    const bool by_turns = turns_.count > 0;
    const double size = std::max(std::abs(start_.gap), 1e-300);
    const double end_s = by_turns
                             ? turns_.piece_s * static_cast<double>(turns_.count)
                             : FreeMotion{spring_, start_}.settling_time_s(1e-4 * size).value_or(0);
    if (!(end_s * rate_hz < 1e6)) {
        throw InvalidValue{"rate_hz", rate_hz, "a rate that makes at most a million keys"};
    }
    std::vector<CurveKey> table;
    for (std::size_t i = 0; static_cast<double>(i) < end_s * rate_hz; ++i) {
        const double time_s = static_cast<double>(i) / rate_hz;
        const GapState state = at(time_s);
        table.push_back({time_s, target_ + state.gap, state.velocity, state.velocity});
    }
    table.push_back({static_cast<double>(table.size()) / rate_hz, target_, 0, 0});
    return KeyCurve{std::move(table)};
}

std::span<const Channel> SettleCurve::channels() noexcept {
    return mover_channels<double>;
}

void SettleCurve::read(std::span<double> numbers) const noexcept {
    read_components<double>({value(), velocity(), target()}, numbers);
}

std::span<const Dial<SettleCurve>> SettleCurve::dials() noexcept {
    return dials_through_tuning<SettleCurve>();
}

}  // namespace hopcoil
