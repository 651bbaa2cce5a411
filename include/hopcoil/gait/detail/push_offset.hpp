#pragma once

#include <hopcoil/base/vector3.hpp>

namespace hopcoil::detail {

/// What pushes have left of a body's place: it decays without a jump of its acceleration.
///
/// Model   (d/dt + w)^3 x = 0, exact; a push adds to x'. A push of v from rest moves it by 0.84 v/w
///         with an acceleration of at most 0.8 w v.
class PushOffset {
  public:
    void step(double rate, double dt) noexcept;
    void push(const Vector3& delta_velocity) noexcept { velocity_ = velocity_ + delta_velocity; }
    /// Changes the value and the velocity at once.
    void move(const Vector3& way, const Vector3& delta_velocity) noexcept {
        value_ = value_ + way;
        push(delta_velocity);
    }

    [[nodiscard]] const Vector3& value() const noexcept { return value_; }
    [[nodiscard]] const Vector3& velocity() const noexcept { return velocity_; }
    [[nodiscard]] const Vector3& acceleration() const noexcept { return acceleration_; }

    template <class Fields>
    void visit_state(Fields& fields) {
        fields(value_, velocity_, acceleration_);
    }

  private:
    Vector3 value_{};
    Vector3 velocity_{};
    Vector3 acceleration_{};
};

}  // namespace hopcoil::detail
