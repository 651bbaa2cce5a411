#pragma once

#include <cstddef>
#include <cstdint>

#include <hopcoil/follow/key_curve.hpp>

namespace hopcoil {

enum class EaseFamily : std::uint8_t {
    power,          ///< t^p; parameter p, 1 and up (3)
    sine,           ///< a quarter wave
    exponential,    ///< doubles in each part; parameter how many times (8)
    circular,       ///< a quarter circle
    past_and_back,  ///< first the other way; parameter by how many percent, 0 to 100 (10)
    bouncing,       ///< a ball let fall; parameter its bounces, 1 to 8 (3)
    oscillating,    ///< swings that grow; parameter how many, 1 to 12 (3)
};

/// Where the family's shape is: at the start (`in`), reversed at the end (`out`), or one half of
/// each (`in_out`).
enum class EaseWay : std::uint8_t { in, out, in_out };

/// A way from 0 to 1 while t goes from 0 to 1.
///
///     const Ease lid{EaseFamily::past_and_back, EaseWay::out, 12};  // 12 % past, and back
///     lid.at(t);
///
/// Model   out(t) = 1 - in(1 - t); in_out: in(2 t) / 2, then out(2 t - 1) / 2 + 1/2. Exactly 0 at
///         and before 0, exactly 1 at and past 1; 0 for NaN.
class Ease {
  public:
    /// Errors  InvalidValue for a parameter out of the family's range.
    Ease(EaseFamily family, EaseWay way, double parameter);
    /// With the family's own parameter.
    Ease(EaseFamily family, EaseWay way);

    [[nodiscard]] double at(double t) const noexcept;
    /// By how much it rises per unit of t, from a central difference of 2e-6.
    [[nodiscard]] double slope_at(double t) const noexcept;

    [[nodiscard]] EaseFamily family() const noexcept { return family_; }
    [[nodiscard]] EaseWay way() const noexcept { return way_; }
    [[nodiscard]] double parameter() const noexcept { return parameter_; }

    /// As `count` + 1 keys evenly spaced over 0..1, to be edited, or listed for its turning points.
    /// Errors  InvalidValue for a count of 0.
    [[nodiscard]] KeyCurve keys(std::size_t count) const;

  private:
    [[nodiscard]] double in(double t) const noexcept;

    EaseFamily family_;
    EaseWay way_;
    double parameter_;
    double pull_back_ = 0.0;  ///< of past_and_back, from its percent
};

[[nodiscard]] double default_parameter(EaseFamily family) noexcept;

}  // namespace hopcoil
