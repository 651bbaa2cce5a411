#include <hopcoil/base/math.hpp>
#include <hopcoil/gait/detail/push_offset.hpp>

namespace hopcoil::detail {

/// x = e^(-w t) (x0 + b t + c t^2).
void PushOffset::step(double rate, double dt) noexcept {
    const Vector3 b = velocity_ + value_ * rate;
    const Vector3 c = (acceleration_ + velocity_ * (2 * rate) + value_ * (rate * rate)) * 0.5;
    const double left = math::exp(-rate * dt);
    const Vector3 curve = value_ + (b + c * dt) * dt;
    const Vector3 slope = b + c * (2 * dt);
    value_ = curve * left;
    velocity_ = (slope - curve * rate) * left;
    acceleration_ = (c * 2 - slope * (2 * rate) + curve * (rate * rate)) * left;
    // Offsets too small to be seen become zero.
    constexpr double nothing = 1e-30;
    const double size = dot(value_, value_) + dot(velocity_, velocity_);
    if (size < nothing * nothing) value_ = velocity_ = acceleration_ = Vector3{};
}

}  // namespace hopcoil::detail
