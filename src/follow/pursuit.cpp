#include <algorithm>
#include <array>
#include <cmath>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/follow/pursuit.hpp>

namespace hopcoil {
namespace {

constexpr std::array<Dial<PursuitTuning>, PursuitTuning::dial_count> pursuit_dials{
    field_dial<&PursuitTuning::max_speed, PursuitTuning>({.path = "max_speed",
                                                          .unit = "per s",
                                                          .hard = {0, unbounded},
                                                          .slider = {0.1, 20},
                                                          .scale = DialScale::logarithmic}),
    field_dial<&PursuitTuning::max_acceleration, PursuitTuning>(
        {.path = "max_acceleration",
         .unit = "per s2",
         .hard = {0, std::numeric_limits<double>::infinity()},
         .slider = {0.1, 100},
         .scale = DialScale::logarithmic})};

}  // namespace

std::span<const Dial<PursuitTuning>> PursuitTuning::dials() noexcept {
    return pursuit_dials;
}

bool is_valid(const PursuitTuning& tuning) noexcept {
    return std::isfinite(tuning.max_speed) && tuning.max_speed > 0 && tuning.max_acceleration > 0;
}

void require_valid(const PursuitTuning& tuning) {
    require_above_zero("max_speed", tuning.max_speed);
    if (!(tuning.max_acceleration > 0)) {
        throw InvalidValue{"max_acceleration", tuning.max_acceleration,
                           "a number above 0, or infinity for no cap"};
    }
}

namespace {

/// How the motion along may speed up while the one across slows down from `across` to `back`, so
/// that both together keep the cap on speed. On the plane of the two speeds the cap is a circle:
/// straight on until it is met, then along the chord to where the cap along is reached.
StopCaps caps_along(double towards, double across, double back, double share,
                    const PursuitTuning& tuning) {
    const double rest = math::sqrt((1 - share) * (1 + share));
    const double speed = tuning.max_speed;
    StopCaps caps{.max_speed = math::sqrt((speed - back) * (speed + back)),
                  .max_acceleration = tuning.max_acceleration * rest};
    const double to_chord = share * across - rest * towards;
    const double inside = (speed - towards) * (speed + towards) - across * across;
    const double until =
        std::max(0.0, to_chord + math::sqrt(std::max(0.0, to_chord * to_chord + inside)));
    const double still_across = across - share * until;
    if (still_across > back) {
        caps.gentle_from = towards + rest * until;
        caps.gentle_acceleration = tuning.max_acceleration * share *
                                   (caps.max_speed - caps.gentle_from) / (still_across - back);
    }
    return caps;
}

}  // namespace

PursuitPlan plan_pursuit(double way, double speed_along, double speed_across,
                         const PursuitTuning& tuning) noexcept {
    const double speed = tuning.max_speed;
    const double acceleration = tuning.max_acceleration;
    if (speed_across == 0 || std::isinf(acceleration)) {
        return {{way, speed_along, {speed, acceleration}}, {}};
    }
    // The share of the acceleration that goes across, so that both stop at the same time.
    const auto with_share = [&](double share) -> PursuitPlan {
        const double rest = math::sqrt((1 - share) * (1 + share));
        const double towards =
            StopProfile::first_way(way, speed_along, acceleration * rest) * speed_along;
        // Across the line it brakes and comes back, never faster than this.
        const double back = std::min(speed_across / math::sqrt(2), speed * share);
        return {{way, speed_along, caps_along(towards, speed_across, back, share, tuning)},
                {0, speed_across, {back, acceleration * share}}};
    };
    double low = 0;
    double high = 1;
    for (int i = 0; i < 24; ++i) {
        const double share = 0.5 * (low + high);
        const PursuitPlan plan = with_share(share);
        (plan.across.duration_s() > plan.along.duration_s() ? low : high) = share;
    }
    // With a larger share the motion across ends sooner and leaves the speed cap to the motion
    // along: golden sections find the best share.
    low = high;
    high = 1;
    constexpr double golden = 0.6180339887498949;
    double first = high - golden * (high - low);
    double second = low + golden * (high - low);
    double first_s = with_share(first).along.duration_s();
    double second_s = with_share(second).along.duration_s();
    for (int i = 0; i < 14; ++i) {
        if (first_s <= second_s) {
            high = second;
            second = first;
            second_s = first_s;
            first = high - golden * (high - low);
            first_s = with_share(first).along.duration_s();
        } else {
            low = first;
            first = second;
            first_s = second_s;
            second = low + golden * (high - low);
            second_s = with_share(second).along.duration_s();
        }
    }
    return with_share(low);
}

}  // namespace hopcoil
