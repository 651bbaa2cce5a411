#include <algorithm>
#include <array>
#include <cmath>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/follow/detail/coast_axis.hpp>
#include <hopcoil/spring/free_motion.hpp>
#include <hopcoil/spring/step_coefficients.hpp>

namespace hopcoil {
namespace {

constexpr double infinity = std::numeric_limits<double>::infinity();
constexpr double rest_gap = 0x1p-963;
constexpr double most_half_life_s = 1e6;
constexpr double most_spring_hz = 1e6;

/// After so many bounces in one step it stays where it is: a limit on work that no real motion
/// reaches.
constexpr int most_bounces = 1000;

constexpr std::array<Dial<CoastTuning>, CoastTuning::dial_count> coast_dials{
    field_dial<&CoastTuning::slowing_half_life_s, CoastTuning>({.path = "slowing_half_life_s",
                                                                .unit = "s",
                                                                .hard = {0, most_half_life_s},
                                                                .slider = {0.02, 5},
                                                                .scale = DialScale::logarithmic}),
    field_dial<&CoastTuning::resting_speed, CoastTuning>(
        {.path = "resting_speed", .unit = "per s", .hard = {0, unbounded}, .slider = {0, 1}}),
    field_dial<&CoastTuning::restitution, CoastTuning>(
        {.path = "restitution", .unit = "", .hard = {0, 1}, .slider = {0, 1}})};

double friction_per_s(const CoastTuning& tuning) {
    return math::ln_2 / tuning.slowing_half_life_s;
}

}  // namespace

std::span<const Dial<CoastTuning>> CoastTuning::dials() noexcept {
    return coast_dials;
}

bool is_valid(const CoastTuning& tuning) noexcept {
    return tuning.slowing_half_life_s > 0 && tuning.slowing_half_life_s <= most_half_life_s &&
           std::isfinite(tuning.resting_speed) && tuning.resting_speed >= 0 &&
           tuning.restitution >= 0 && tuning.restitution <= 1 && is_valid(tuning.spring) &&
           tuning.spring.frequency_hz > 0 && tuning.spring.frequency_hz <= most_spring_hz &&
           tuning.spring.damping_ratio > 0;
}

void require_valid(const CoastTuning& tuning) {
    if (!(tuning.slowing_half_life_s > 0 && tuning.slowing_half_life_s <= most_half_life_s)) {
        throw InvalidValue{"slowing_half_life_s", tuning.slowing_half_life_s,
                           "a number above 0, at most " + shortest(most_half_life_s)};
    }
    require_at_least_zero("resting_speed", tuning.resting_speed);
    if (!(tuning.restitution >= 0 && tuning.restitution <= 1)) {
        throw InvalidValue{"restitution", tuning.restitution, "0 to 1"};
    }
    require_valid(tuning.spring);
    if (!(tuning.spring.frequency_hz > 0 && tuning.spring.frequency_hz <= most_spring_hz)) {
        throw InvalidValue{"spring.frequency_hz", tuning.spring.frequency_hz,
                           "a number above 0, at most " + shortest(most_spring_hz)};
    }
    require_above_zero("spring.damping_ratio", tuning.spring.damping_ratio);
}

void require_bounds(double low, double high) {
    if (std::isnan(low)) throw InvalidValue{"low", low, "a number, or -infinity for no bound"};
    if (!(high >= low)) throw InvalidValue{"high", high, "no less than low"};
}

void CoastAxis::halt(double place) noexcept {
    anchor_ = place;
    gap_ = velocity_ = 0;
    mode_ = Mode::still;
}

void CoastAxis::spring_to(double anchor) noexcept {
    gap_ = place() - anchor;
    anchor_ = anchor;
    mode_ = Mode::sprung;
}

void CoastAxis::throw_from(double place, double velocity, double friction) noexcept {
    friction_per_s_ = friction;
    gap_ = -velocity / friction;
    anchor_ = place - gap_;
    velocity_ = velocity;
    mode_ = velocity == 0 ? Mode::still : Mode::thrown;
}

void CoastAxis::launch(double velocity, const CoastTuning& tuning, const Range& range) noexcept {
    snapped_ = false;
    throw_from(place(), velocity, friction_per_s(tuning));
    adapt(tuning, range);
}

/// With a friction k and the way d to the first bound, D between the bounds and x from the last one
/// to the end, n bounces of restitution e end there when
///
///     k (x + e D + ... + e^(n-1) D + e^n d) = e^n v.
///
/// Of those for every n the one nearest to the friction that is wanted; infinite for none.
double CoastAxis::snapping_friction(double end, double friction, double restitution,
                                    const Range& range) const noexcept {
    constexpr double slowest_bounces = 0.25;  // else the spring is there sooner
    double best = infinity;
    const auto consider = [&](double candidate) {
        if (!(candidate > 0) || !std::isfinite(candidate)) return;
        const auto off = [&](double k) {
            return std::abs(math::log(k / friction));
        };
        if (best == infinity || off(candidate) < off(best)) best = candidate;
    };
    const double way = end - place();
    if (way * velocity_ > 0) consider(velocity_ / way);
    const double bound = velocity_ > 0 ? range.high : range.low;
    double power = 1;                           // e^n
    double before = std::abs(bound - place());  // the sum without x
    for (int n = 1; n <= most_bounces; ++n) {
        power *= restitution;
        if (!(power > 0) || !std::isfinite(before)) break;
        before *= restitution;  // what came before counts less with each bounce
        const bool at_high = (n % 2 == 1) == (velocity_ > 0);
        const double candidate = power * std::abs(velocity_) /
                                 (std::abs(end - (at_high ? range.high : range.low)) + before);
        if (candidate < slowest_bounces * friction) break;  // further bounces need less still
        consider(candidate);
        before += range.high - range.low;
    }
    return best;
}

void CoastAxis::launch_to(double end, double velocity, const CoastTuning& tuning,
                          const Range& range) noexcept {
    const double way = end - place();
    const double wanted = friction_per_s(tuning);
    snapped_ = true;
    snap_end_ = end;
    velocity_ = velocity;
    if (way == 0 && velocity == 0) {
        halt(end);
        return;
    }
    const double free_end = place() + velocity / wanted;
    const bool passes = velocity > 0 ? free_end > range.high : free_end < range.low;
    if (passes && tuning.at_bound == AtBound::spring) {
        throw_from(place(), velocity, wanted);
        return;
    }
    const double restitution = tuning.at_bound == AtBound::bounce ? tuning.restitution : 0;
    const double friction = snapping_friction(end, wanted, restitution, range);
    if (friction == infinity) {
        spring_to(end);
        return;
    }
    throw_from(place(), velocity, friction);
    if (way * velocity > 0 && friction == velocity / way) {  // straight on: exactly there
        gap_ = -way;
        anchor_ = end;
    }
}

double CoastAxis::slowing_half_life_s() const noexcept {
    return mode_ == Mode::thrown ? math::ln_2 / friction_per_s_ : 0;
}

void CoastAxis::adapt(const CoastTuning& tuning, const Range& range) noexcept {
    const double here = place();
    if (here < range.low || here > range.high) {
        // A value that the spring brings back to a snap point may be out of bounds on its way.
        if (snapped_ && mode_ == Mode::sprung && anchor_ >= range.low && anchor_ <= range.high)
            return;
        spring_to(here < range.low ? range.low : range.high);
    } else if (!snapped_ && mode_ == Mode::sprung && anchor_ > range.low && anchor_ < range.high) {
        throw_from(here, velocity_, friction_per_s(tuning));
    }
}

double CoastAxis::time_to_bound_s(const Range& range) const noexcept {
    if (mode_ != Mode::thrown) return infinity;
    const double way = (velocity_ > 0 ? range.high : range.low) - place();
    const double part = way / -gap_;  // of the way it would go
    if (!(part < 1)) return infinity;
    return part <= 0 ? 0 : -math::log(1 - part) / friction_per_s_;
}

void CoastAxis::meet_bound(const CoastTuning& tuning, const Range& range) noexcept {
    const double bound = velocity_ > 0 ? range.high : range.low;
    const double speed_there = velocity_ - friction_per_s_ * (bound - place());
    if (tuning.at_bound == AtBound::stop || range.high <= range.low) {
        halt(bound);
    } else if (tuning.at_bound == AtBound::bounce) {
        throw_from(bound, -tuning.restitution * speed_there,
                   snapped_ ? friction_per_s_ : friction_per_s(tuning));
        // The last bounce: from here straight to the end, without rounding.
        if (snapped_ && std::abs(anchor_ - snap_end_) <= 1e-9 * std::abs(range.high - range.low)) {
            if (snap_end_ == bound || velocity_ == 0) {
                halt(snap_end_);
                return;
            }
            friction_per_s_ = velocity_ / (snap_end_ - bound);
            gap_ = bound - snap_end_;
            anchor_ = snap_end_;
        }
    } else {
        velocity_ = speed_there;
        anchor_ = snapped_ ? snap_end_ : bound;
        gap_ = bound - anchor_;
        mode_ = Mode::sprung;
    }
}

void CoastAxis::glide_on(double dt) noexcept {
    const double left = math::exp(-friction_per_s_ * dt);
    gap_ *= left;
    velocity_ *= left;
    if (std::abs(gap_) < rest_gap) halt(anchor_);
}

void CoastAxis::step(double dt, const CoastTuning& tuning, const Range& range) noexcept {
    for (int bounces = 0; mode_ == Mode::thrown; ++bounces) {
        const double to_bound_s = time_to_bound_s(range);
        if (to_bound_s > dt) {
            glide_on(dt);
            return;
        }
        dt -= to_bound_s;
        meet_bound(tuning, range);
        if (bounces == most_bounces) halt(place());
    }
    if (mode_ != Mode::sprung) return;
    const StraightRows<double> rows = straight_rows(tuning.spring, dt);
    const double gap = rows.gap_of_gap * gap_ + rows.gap_of_velocity * velocity_;
    velocity_ = rows.velocity_of_gap * gap_ + rows.velocity_of_velocity * velocity_;
    gap_ = gap;
    if (std::abs(gap_) < rest_gap && std::abs(velocity_) < rest_gap) halt(anchor_);
}

double CoastAxis::end(const CoastTuning& tuning, const Range& range) const noexcept {
    CoastAxis ahead = *this;
    for (int bounces = 0; bounces < most_bounces; ++bounces) {
        if (ahead.time_to_bound_s(range) == infinity) break;
        ahead.meet_bound(tuning, range);
    }
    return ahead.anchor_;
}

double CoastAxis::time_below_s(double speed, const CoastTuning& tuning,
                               const Range& range) const noexcept {
    CoastAxis ahead = *this;
    double time_s = 0;
    for (int bounces = 0; bounces < most_bounces; ++bounces) {
        const double to_bound_s = ahead.time_to_bound_s(range);
        if (to_bound_s == infinity) break;
        time_s += to_bound_s;
        ahead.meet_bound(tuning, range);
    }
    if (ahead.mode_ == Mode::still) return time_s;
    if (ahead.mode_ == Mode::thrown) {
        const double over = std::abs(ahead.velocity_) / speed;
        return time_s + (over > 1 ? math::log(over) / ahead.friction_per_s_ : 0);
    }
    if (!(speed > 0)) return infinity;
    const FreeMotion sprung{tuning.spring, {ahead.gap_, ahead.velocity_}};
    return time_s + sprung.of_velocity().settling_time_s(speed).value_or(infinity);
}

}  // namespace hopcoil
