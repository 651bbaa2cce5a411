#pragma once

/// @file
/// Elementary functions that give the same bits on every machine.
///
/// The C library's versions choose their code by the processor they run on. These use additions,
/// multiplications and divisions only, in one written order. Special values are those of C.

#include <hopcoil/base/build.hpp>

namespace hopcoil::math {

inline constexpr double pi = 3.14159265358979323846;
inline constexpr double ln_2 = 0.69314718055994530942;

/// Units   error at most 1 unit in the last place, over the whole range.
[[nodiscard]] double exp(double x) noexcept;
/// exp(x) - 1 without losing digits near 0.
/// Units   error at most 2 units in the last place.
[[nodiscard]] double expm1(double x) noexcept;
/// Units   error at most 1 unit in the last place. -infinity at 0, NaN below.
[[nodiscard]] double log(double x) noexcept;
/// x to the power y, for x >= 0, and for x < 0 when y is a whole number.
/// Units   error at most 2 units in the last place.
[[nodiscard]] double pow(double x, double y) noexcept;

struct SinCos {
    double sin = 0.0;
    double cos = 1.0;
};
/// Units   radians; error at most 1 unit in the last place, at any finite angle.
[[nodiscard]] SinCos sincos(double angle_rad) noexcept;
[[nodiscard]] double sin(double angle_rad) noexcept;
[[nodiscard]] double cos(double angle_rad) noexcept;

/// The angle of the point (x, y), in (-pi, pi].
/// Units   radians; error at most 2 units in the last place.
[[nodiscard]] double atan2(double y, double x) noexcept;

inline namespace HOPCOIL_BITS {

/// Correctly rounded, as IEEE 754 requires.
[[nodiscard]] inline double sqrt(double x) noexcept {
    return __builtin_sqrt(x);
}

}  // namespace HOPCOIL_BITS

}  // namespace hopcoil::math
