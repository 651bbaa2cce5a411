#include <algorithm>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/follow/pose_follower.hpp>

namespace hopcoil {

void require_valid(const Pose& pose) {
    for (const double each : {pose.position.x, pose.position.y, pose.position.z})
        require_finite("position", each);
    (void)require_rotation("rotation", pose.rotation);
    for (const double each : {pose.scale.x, pose.scale.y, pose.scale.z})
        require_above_zero("scale", each);
}

Vector3 log_scale(const Vector3& scale) noexcept {
    return {math::log(scale.x), math::log(scale.y), math::log(scale.z)};
}

Vector3 scale_from_log(const Vector3& log_scale) noexcept {
    // So far out that it only keeps a wild swing from underflowing to 0 or overflowing.
    const auto scale = [](double log) {
        return math::exp(std::clamp(log, -700.0, 700.0));
    };
    return {scale(log_scale.x), scale(log_scale.y), scale(log_scale.z)};
}

}  // namespace hopcoil
