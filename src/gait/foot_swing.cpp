#include <algorithm>

#include <hopcoil/gait/foot_swing.hpp>

namespace hopcoil {

Quintic::Quintic(const End& from, const End& to, double from_s, double to_s) noexcept
    : from_s_{from_s},
      span_s_{std::max(to_s - from_s, 1e-9)},
      before_{from.value},
      after_{to.value} {
    const double t = span_s_;
    const double v0 = from.rate * t;
    const double a0 = from.rate_of_rate * t * t;
    const double v1 = to.rate * t;
    const double a1 = to.rate_of_rate * t * t;
    const double way = to.value - from.value;
    // The same signs in each row: with alternating ones a compiler may use fused operations.
    c_ = {from.value,
          v0,
          0.5 * a0,
          10 * way - 6 * v0 - 4 * v1 - 1.5 * a0 + 0.5 * a1,
          -(15 * way - 8 * v0 - 7 * v1 - 1.5 * a0 + a1),
          6 * way - 3 * v0 - 3 * v1 - 0.5 * a0 + 0.5 * a1};
}

Quintic::End Quintic::at(double time_s) const noexcept {
    const double s = (time_s - from_s_) / span_s_;
    if (s >= 1) return {after_, 0, 0};
    if (s < 0) return {before_, 0, 0};
    const double value = c_[0] + s * (c_[1] + s * (c_[2] + s * (c_[3] + s * (c_[4] + s * c_[5]))));
    const double rate = c_[1] + s * (2 * c_[2] + s * (3 * c_[3] + s * (4 * c_[4] + s * 5 * c_[5])));
    const double rate_of_rate = 2 * c_[2] + s * (6 * c_[3] + s * (12 * c_[4] + s * 20 * c_[5]));
    return {value, rate / span_s_, rate_of_rate / (span_s_ * span_s_)};
}

SwingPoint FootSwing::at(double time_s) const noexcept {
    const Quintic::End ex = x.at(time_s);
    const Quintic::End ez = z.at(time_s);
    const Quintic::End ey = time_s < down_from_s ? up.at(time_s) : down.at(time_s);
    SwingPoint point{{ex.value, ey.value, ez.value},
                     {ex.rate, ey.rate, ez.rate},
                     {ex.rate_of_rate, ey.rate_of_rate, ez.rate_of_rate}};
    if (flies_under != 0) {
        const double t = std::max(time_s - planned_s, 0.0);
        const Vector3 gravity{0, -flies_under, 0};
        point.position = point.position + flies_from + (flies_with + gravity * (0.5 * t)) * t;
        point.velocity = point.velocity + flies_with + gravity * t;
        point.acceleration = point.acceleration + gravity;
    }
    // It is past whatever it goes around before it comes down.
    constexpr double aside_part = 0.88;
    const double span = aside_part * (land_s - planned_s);
    const double s = span > 0 ? std::clamp((time_s - planned_s) / span, 0.0, 1.0) : 1;
    if (aside == Vector3{}) return point;
    // 64 s^3 (1 - s)^3, smooth to the second derivative at both ends.
    const double p = s * (1 - s);
    const double dp = 1 - 2 * s;
    point.position = point.position + aside * (64 * p * p * p);
    point.velocity = point.velocity + aside * (192 * p * p * dp / span);
    point.acceleration = point.acceleration + aside * (384 * p * (dp * dp - p) / (span * span));
    return point;
}

std::array<Quintic, 3> quintics_between(const SwingPoint& from, const SwingPoint& to, double from_s,
                                        double to_s) noexcept {
    const auto along = [&](double Vector3::*k) {
        return Quintic{{from.position.*k, from.velocity.*k, from.acceleration.*k},
                       {to.position.*k, to.velocity.*k, to.acceleration.*k},
                       from_s,
                       to_s};
    };
    return {along(&Vector3::x), along(&Vector3::y), along(&Vector3::z)};
}

FootSwing plan_swing(const SwingWish& wish) noexcept {
    constexpr double arrives_before = 0.06;
    const double left_s = std::max(wish.land_s - wish.now_s, 1e-6);
    const auto end = [](double value, double rate, double rate_of_rate) {
        return Quintic::End{value, rate, rate_of_rate};
    };
    const SwingPoint& from = wish.from;
    FootSwing swing{.land_s = wish.land_s, .spot = wish.spot};
    swing.aside = wish.aside;
    swing.planned_s = wish.now_s;
    // A foot that already moves cannot wait.
    const bool moves = from.velocity.x != 0 || from.velocity.z != 0;
    const double start_s = moves ? wish.now_s : wish.now_s + wish.delay_part * left_s;
    const double there_s = wish.land_s - arrives_before * left_s;
    swing.x = {end(from.position.x, from.velocity.x, from.acceleration.x), end(wish.spot.x, 0, 0),
               start_s, there_s};
    swing.z = {end(from.position.z, from.velocity.z, from.acceleration.z), end(wish.spot.z, 0, 0),
               start_s, there_s};
    constexpr double least_rise_s = 0.05;  // a later change would only add jerk
    if (wish.apex_s < wish.now_s + least_rise_s) {
        swing.down_from_s = wish.now_s;
        swing.down = {end(from.position.y, from.velocity.y, from.acceleration.y),
                      end(wish.spot.y, 0, 0), wish.now_s, wish.land_s};
        return swing;
    }
    const double top = std::max(wish.apex_m, wish.spot.y);
    swing.down_from_s = std::max(wish.apex_s, wish.down_s);
    swing.up = {end(from.position.y, from.velocity.y, from.acceleration.y), end(top, 0, 0),
                wish.now_s, wish.apex_s};
    swing.down = {end(top, 0, 0), end(wish.spot.y, 0, 0), swing.down_from_s, wish.land_s};
    return swing;
}

}  // namespace hopcoil
