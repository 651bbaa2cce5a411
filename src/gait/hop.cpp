#include <algorithm>
#include <cmath>

#include <hopcoil/base/components.hpp>
#include <hopcoil/base/math.hpp>
#include <hopcoil/follow/intent.hpp>
#include <hopcoil/gait/detail/launch.hpp>
#include <hopcoil/gait/hop.hpp>
#include <hopcoil/gait/walker.hpp>

#include "walker_tick.hpp"

namespace hopcoil {
namespace {

using detail::g;
using detail::part_of_launch;

double hop_ticks(double time_s) noexcept {
    return detail::in_ticks(time_s, Walker::tick_s);
}

/// Heights of the hips over the ground.
struct HopHeights {
    double crouch_m = 0.0;
    double stretched_m = 0.0;  ///< legs nearly straight
    double across_m = 0.0;     ///< how far they may be from over their feet then
};

HopHeights heights_of(const WalkerSettings& settings) noexcept {
    const double l = settings.leg_length_m;
    double outward = 0;
    for (std::size_t i = 0; i < settings.leg_count; ++i) {
        const Vector3 off = settings.legs[i].neutral - settings.legs[i].hip;
        outward = std::max(outward, flat_length(off));
    }
    const double across = 0.28 * (l - outward);
    const double stretched =
        math::sqrt(std::max(0.16 * l * l, 0.88 * l * l - (outward + across) * (outward + across)));
    const double crouched = std::min(0.8 * settings.lowest_height * l, 0.8 * stretched);
    return {std::max(0.3 * l, crouched), stretched, across};
}

}  // namespace

HopPlan plan_hop(const WalkerSettings& settings, const HopStart& start,
                 const HopWish& wish) noexcept {
    const double l = settings.leg_length_m;
    const HopHeights heights = heights_of(settings);
    const double low = start.feet.y + heights.stretched_m;
    const double high = start.landing.y + heights.stretched_m;
    Vector3 way = start.landing - start.feet;
    way.y = 0;
    const double distance = wish.keeps_on ? 0 : flat_length(way);
    // A flatter one would take too long to push off.
    const double flattest = 0.03 * l;
    const double apex =
        wish.apex_m > 0 ? std::max(wish.apex_m, flattest) : std::max(0.1 * l, 0.14 * distance);
    const double top = std::max(low, high) + apex;
    HopPlan plan;
    plan.flight_s = hop_ticks(math::sqrt(2 * (top - low) / g) + math::sqrt(2 * (top - high) / g));
    const double rate = (high - low) / plan.flight_s + 0.5 * g * plan.flight_s;
    if (wish.keeps_on) {
        constexpr double dips = 0.3;  // of its last velocity: it sinks first
        const double rise = std::max(low - start.hips.y, 0.05 * l);
        const double least_s = 0.45 * math::sqrt(l / g);
        plan.push_s = hop_ticks(std::max(rise / (dips * rate), least_s));
        plan.launch = start.velocity;
        plan.take_off = start.hips + start.velocity * plan.push_s;
    } else {
        plan.crouch_s = hop_ticks(1.3 * math::sqrt(l / g));
        const double crouch = start.feet.y + heights.crouch_m;
        plan.push_s = hop_ticks((low - crouch) / (part_of_launch * rate));
        const double pushed_s = 0.5 * part_of_launch * plan.push_s;  // before and after its feet
        const double most = heights.across_m;                        // for the push, and to brake
        const double usual_s = 0.35;
        // Push and braking are limited: the flight covers the rest, at a speed that suits both.
        double speed = distance / (pushed_s + plan.flight_s + 0.5 * usual_s);
        for (int round = 0; round < 8; ++round) {
            plan.landing_s = hop_ticks(std::min(usual_s, 2 * most / std::max(speed, 1e-9)));
            const double way_m = distance - std::min(speed * pushed_s, most);
            speed = way_m / (plan.flight_s + 0.5 * plan.landing_s);
        }
        const double pushed_m = std::min(speed * pushed_s, most);
        const double flown_s = plan.flight_s + 0.5 * plan.landing_s;
        const Vector3 along = distance > 0 ? way * (1 / distance) : Vector3{};
        plan.launch = along * ((distance - pushed_m) / flown_s);
        plan.take_off = start.feet + along * pushed_m;
        plan.crouch = start.feet - along * pushed_m;
        plan.crouch.y = crouch;
    }
    plan.take_off.y = low;
    plan.launch.y = rate;
    plan.touch_down = Flight{plan.take_off, plan.launch}.at(plan.flight_s);
    plan.touch_down_rate = rate - g * plan.flight_s;
    return plan;
}

namespace {

/// For a flying body: places are relative to the body's.
FootSwing flight_of(const FlyingLeg& leg) noexcept {
    FootSwing swing{.land_s = leg.land_s};
    swing.planned_s = swing.down_from_s = leg.now_s;
    swing.flies_from = leg.hips;
    swing.flies_with = leg.velocity;
    swing.flies_under = leg.falls_with;
    return swing;
}

void move(FootSwing& swing, const SwingPoint& from, const SwingPoint& to, double from_s,
          double to_s) noexcept {
    const auto [x, y, z] = quintics_between(from, to, from_s, to_s);
    swing.x = x;
    swing.down = y;
    swing.z = z;
}

SwingPoint seen_from_hips(const FlyingLeg& leg) noexcept {
    return {leg.foot.position - leg.hips, leg.foot.velocity - leg.velocity,
            leg.foot.acceleration + Vector3{0, leg.falls_with, 0}};
}

}  // namespace

double stretch_time_s(double leg_length_m, double flight_s) noexcept {
    return std::min(0.45 * flight_s, math::sqrt(leg_length_m / g));
}

FootSwing fold_leg(const FlyingLeg& leg, const Vector3& beneath) noexcept {
    const double l = leg.leg_length_m;
    const double most_s = 0.75 * l / std::max(length_of(leg.velocity - leg.carried), 1e-9);
    const double fold_s =
        std::min({0.4 * (leg.land_s - leg.now_s), 0.75 * math::sqrt(l / g), most_s});
    FootSwing swing = flight_of(leg);
    swing.spot = beneath;
    move(swing, seen_from_hips(leg), {beneath, {}, {}}, leg.now_s, leg.now_s + fold_s);
    return swing;
}

FootSwing stretch_leg(const FlyingLeg& leg, const Vector3& spot,
                      const Vector3& ground_velocity) noexcept {
    const double left_s = std::max(leg.land_s - leg.now_s, 1e-6);
    const Vector3 gravity{0, -leg.falls_with, 0};
    const Vector3 hips_then = leg.hips + (leg.velocity + gravity * (0.5 * left_s)) * left_s;
    FootSwing swing = flight_of(leg);
    swing.spot = spot;
    const SwingPoint there{spot - hips_then, ground_velocity - (leg.velocity + gravity * left_s),
                           gravity * -1.0};
    move(swing, seen_from_hips(leg), there, leg.now_s, leg.land_s);
    return swing;
}

}  // namespace hopcoil
