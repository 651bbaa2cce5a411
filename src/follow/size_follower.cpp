#include <algorithm>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/follow/size_follower.hpp>

namespace hopcoil {

void require_size(double size) {
    require_above_zero("size", size);
}

double size_from(double target, double log_gap, double most_log) noexcept {
    const double log_target = math::log(target);
    const double least = std::min(0.0, -most_log - log_target);
    const double most = std::max(0.0, most_log - log_target);
    return target * math::exp(std::clamp(log_gap, least, most));
}

}  // namespace hopcoil
