#include <cmath>
#include <utility>
#include <vector>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/follow/ease.hpp>

namespace hopcoil {
namespace {

struct Limits {
    double least;
    double most;
    double usual;
};

Limits limits_of(EaseFamily family) {
    switch (family) {
        case EaseFamily::power:
            return {1, 100, 3};
        case EaseFamily::exponential:
            return {1, 50, 8};
        case EaseFamily::past_and_back:
            return {0, 100, 10};
        case EaseFamily::bouncing:
            return {1, 8, 3};
        case EaseFamily::oscillating:
            return {1, 12, 3};
        case EaseFamily::sine:
        case EaseFamily::circular:
            break;
    }
    return {0, 0, 0};
}

/// p with t^2 ((p + 1) t - p) dipping to -part: the dip is 4 p^3 / (27 (p + 1)^2).
double pull_back_for(double part) {
    double low = 0;
    double high = 20;
    for (int i = 0; i < 60; ++i) {
        const double p = 0.5 * (low + high);
        (4 * p * p * p / (27 * (p + 1) * (p + 1)) < part ? low : high) = p;
    }
    return high;
}

/// The height of a ball over time, 1 when let go at t = 0, 0 at rest from t = 1 on; each bounce
/// half as fast as the one before.
double falling_ball(double t, double bounces) {
    const auto count = static_cast<int>(bounces);
    double whole = 1;  // in units of the first fall
    double hop = 1;
    for (int i = 0; i < count; ++i)
        whole += hop, hop *= 0.5;
    double time = t * whole;
    if (time < 1) return 1 - time * time;
    time -= 1;
    hop = 1;
    for (int i = 0; i < count; ++i) {
        if (time < hop) return time * (hop - time);
        time -= hop;
        hop *= 0.5;
    }
    return 0;
}

}  // namespace

double default_parameter(EaseFamily family) noexcept {
    return limits_of(family).usual;
}

Ease::Ease(EaseFamily family, EaseWay way) : Ease{family, way, default_parameter(family)} {}

Ease::Ease(EaseFamily family, EaseWay way, double parameter)
    : family_{family}, way_{way}, parameter_{parameter} {
    const Limits limits = limits_of(family);
    if (limits.most == 0 && parameter != 0)
        throw InvalidValue{"parameter", parameter, "0 (this family has no parameter)"};
    require_between("parameter", parameter, limits.least, limits.most);
    if (family == EaseFamily::past_and_back) pull_back_ = pull_back_for(0.01 * parameter);
}

double Ease::in(double t) const noexcept {
    switch (family_) {
        case EaseFamily::power:
            return math::pow(t, parameter_);
        case EaseFamily::sine:
            return 1 - math::cos(0.5 * math::pi * t);
        case EaseFamily::exponential: {
            return math::expm1(math::ln_2 * parameter_ * t) / math::expm1(math::ln_2 * parameter_);
        }
        case EaseFamily::circular:
            return 1 - math::sqrt((1 - t) * (1 + t));
        case EaseFamily::past_and_back:
            return t * t * ((pull_back_ + 1) * t - pull_back_);
        case EaseFamily::bouncing:
            return falling_ball(1 - t, parameter_);
        case EaseFamily::oscillating:
            return t * math::exp(5 * (t - 1)) * math::cos(2 * math::pi * parameter_ * (t - 1));
    }
    return t;
}

double Ease::at(double t) const noexcept {
    if (!(t > 0)) return 0;
    if (t >= 1) return 1;
    switch (way_) {
        case EaseWay::in:
            return in(t);
        case EaseWay::out:
            return 1 - in(1 - t);
        case EaseWay::in_out:
            break;
    }
    return t < 0.5 ? 0.5 * in(2 * t) : 1 - 0.5 * in(2 - 2 * t);
}

double Ease::slope_at(double t) const noexcept {
    constexpr double h = 1e-6;
    if (!(t >= 0 && t <= 1)) return 0;
    const double before = t - h > 0 ? t - h : 0;
    const double after = t + h < 1 ? t + h : 1;
    return (at(after) - at(before)) / (after - before);
}

KeyCurve Ease::keys(std::size_t count) const {
    if (count == 0) throw InvalidValue{"count", 0, "1 or more"};
    std::vector<CurveKey> keys;
    for (std::size_t i = 0; i <= count; ++i) {
        const double t = static_cast<double>(i) / static_cast<double>(count);
        keys.push_back({t, at(t), slope_at(t), slope_at(t)});
    }
    return KeyCurve{std::move(keys)};
}

}  // namespace hopcoil
