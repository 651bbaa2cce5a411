#include <algorithm>
#include <cmath>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/follow/bounded_follower.hpp>

namespace hopcoil {
namespace {

/// t with 2 t^2 - t^3 = r, for r in 0..1: the bent part, undone. Newton from above, where the slope
/// is never small; near 0 it goes as sqrt(r / 2).
double unbent_part(double r) {
    if (r <= 0) return 0;
    double t = std::sqrt(0.5 * r) + 0.25 * r;
    for (int i = 0; i < 6; ++i) {
        const double slope = t * (4 - 3 * t);
        t -= (t * t * (2 - t) - r) / slope;
    }
    return std::clamp(t, 0.0, 1.0);
}

}  // namespace

RangeBend::Shown RangeBend::at(double y) const noexcept {
    const double above = (high - y) / margin;
    const double below = (y - low) / margin;
    if (above < 1) {
        const double t = std::max(0.0, above);
        return {high - margin * (t * t * (2 - t)), t * (4 - 3 * t)};
    }
    if (below < 1) {
        const double t = std::max(0.0, below);
        return {low + margin * (t * t * (2 - t)), t * (4 - 3 * t)};
    }
    return {y, 1};
}

double RangeBend::inverse(double shown) const noexcept {
    if (std::isnan(shown)) return shown;
    const double inside = std::clamp(shown, low, high);
    if (inside > high - margin) return high - margin * unbent_part((high - inside) / margin);
    if (inside < low + margin) return low + margin * unbent_part((inside - low) / margin);
    return inside;
}

void require_valid(const RangeBend& bend) {
    require_finite("low", bend.low);
    require_finite("high", bend.high);
    if (!(bend.high > bend.low)) {
        throw InvalidValue{"high", bend.high, "a number above low"};
    }
    const double half = 0.5 * (bend.high - bend.low);
    if (!(bend.margin > 0 && bend.margin <= half)) {
        throw InvalidValue{"margin", bend.margin / (2 * half),
                           "a part of the range, above 0 to 0.5"};
    }
}

}  // namespace hopcoil
