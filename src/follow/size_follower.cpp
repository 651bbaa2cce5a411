#include <algorithm>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/follow/size_follower.hpp>

namespace hopcoil {

void require_size(double size) {
    require_above_zero("size", size);
}

double size_from(double target, double log_gap, double most) noexcept {
    return std::clamp(target * math::exp(log_gap), std::min(target, 1 / most),
                      std::max(target, most));
}

}  // namespace hopcoil
