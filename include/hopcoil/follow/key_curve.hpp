#pragma once

#include <cstddef>
#include <span>
#include <vector>

namespace hopcoil {

/// A value at a time, with the slopes of the curve on either side.
struct CurveKey {
    double time_s = 0.0;
    double value = 0.0;
    double slope_before = 0.0;  ///< per second
    double slope_after = 0.0;
};

/// Keys and the cubics between them.
///
///     const KeyCurve lift{{{0, 0, 0, 0}, {0.4, 1.2, 0, 0}, {1, 1, 0, 0}}};
///     lift.at(0.3);
///
/// Model   between two keys the cubic through both values with both slopes (Hermite); before the
///         first and past the last key, that key's value. The value is continuous; the slope where
///         a key says the same on both sides.
/// Errors  InvalidValue for no keys, a number that is not finite, times that do not rise.
class KeyCurve {
  public:
    explicit KeyCurve(std::vector<CurveKey> keys);

    /// Through points, with the slopes of the parabola through each three neighbours, and level at
    /// a point that is higher or lower than both of its own: no excursion beyond the points.
    [[nodiscard]] static KeyCurve through(std::span<const double> times_s,
                                          std::span<const double> values);

    [[nodiscard]] double at(double time_s) const noexcept;
    [[nodiscard]] double slope_at(double time_s) const noexcept;

    struct Turn {
        double time_s = 0.0;
        double value = 0.0;
    };
    /// Where it turns from rising to falling or back, in order of time.
    [[nodiscard]] std::vector<Turn> turning_points() const;

    [[nodiscard]] const std::vector<CurveKey>& keys() const noexcept { return keys_; }
    [[nodiscard]] double start_s() const noexcept { return keys_.front().time_s; }
    [[nodiscard]] double end_s() const noexcept { return keys_.back().time_s; }

  private:
    [[nodiscard]] std::size_t piece_of(double time_s) const noexcept;

    std::vector<CurveKey> keys_;
};

}  // namespace hopcoil
