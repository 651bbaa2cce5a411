#pragma once

#include <cstddef>
#include <cstdint>
#include <span>
#include <vector>

#include <hopcoil/follow/key_curve.hpp>

namespace hopcoil {

/// What runs between two keys.
enum class KeyShape : std::uint8_t { cubic, straight };

struct KeyReductionSettings {
    double tolerance = 1e-3;  ///< in the values' unit, above 0
    KeyShape shape = KeyShape::cubic;
};

struct ReducedKeys {
    KeyCurve curve;
    std::size_t samples = 0;
    double largest_error = 0.0;  ///< at the samples and at three places between each two
};

/// Samples as a curve: through each, with the slope of the parabola through three of them. Where
/// the slopes before and after differ much, each side keeps its own, so that a corner stays one.
/// Errors  InvalidValue for samples without a time each, times that do not rise, or NaN.
[[nodiscard]] KeyCurve curve_through_samples(std::span<const double> times_s,
                                             std::span<const double> values);

/// A recorded motion as few keys: none of them can be removed alone.
///
/// Model   keys stand at samples and keep their values and slopes (as in curve_through_samples);
///         the next key is as far away as the tolerance allows, then keys that are not needed are
///         removed. The error is measured at the samples and, between them, from the cubics with
///         the same slopes (`straight`: from the lines).
/// Shapes  one value for each time, at least one; times rise.
/// Errors  InvalidValue for settings or samples that cannot be.
[[nodiscard]] ReducedKeys reduce_keys(std::span<const double> times_s,
                                      std::span<const double> values,
                                      const KeyReductionSettings& settings = {});

/// What several numbers together mean, which decides how the error of their keys is measured.
enum class RowKind : std::uint8_t {
    vector,    ///< the distance, in the values' unit
    rotation,  ///< w, x, y, z: the angle in radians; between straight keys they turn evenly,
               ///< between cubic ones the parts go along their cubics and are made unit
};

struct ReducedRows {
    std::vector<KeyCurve> curves{};  ///< of each number, all with the same times
    std::size_t samples = 0;
    double largest_error = 0.0;  ///< at the samples and at three places between each two
};

/// The same for numbers that move together: keys at the same times for all.
/// Shapes  for each number a column with a value for each time; four columns for a rotation.
/// Errors  InvalidValue for settings or samples that cannot be.
[[nodiscard]] ReducedRows reduce_rows(std::span<const double> times_s,
                                      std::span<const std::vector<double>> columns, RowKind kind,
                                      const KeyReductionSettings& settings = {});

/// The values bent over the last `over_s` seconds so that they end where, and as fast as, they
/// begin: a loop without a bump.
///
/// `turn` is what may lie between the ends: 2 pi for an angle that may have gone round, 0 for none.
/// Errors  InvalidValue unless over_s is above 0 and no longer than the motion.
[[nodiscard]] std::vector<double> looped(std::span<const double> times_s,
                                         std::span<const double> values, double over_s,
                                         double turn = 0.0);

}  // namespace hopcoil
