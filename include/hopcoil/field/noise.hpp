#pragma once

#include <cstdint>

namespace hopcoil {

/// How a coherent noise looks.
struct NoiseSettings {
    double frequency_hz = 0.5;  ///< bumps a second of its slowest part, about; above 0
    int octaves = 3;            ///< parts, each twice as fast as the one before; 1 to 12
    double roughness = 0.5;     ///< size of each part over that of the one before; 0 to 1
};

/// Errors  InvalidValue names the field, its value and its range.
void require_valid(const NoiseSettings& settings);

/// Noise without leaps or corners: a value that wanders, the same for the same stream and time.
///
/// Model   sum over octaves of r^k n(2^k frequency t), over sqrt(sum of r^2k); n runs between
///         random slopes at whole numbers by a polynomial of fifth degree, so that value, slope and
///         curvature are continuous. Mean 0, standard deviation about 0.3, almost always within 1.
/// Source  Perlin, Improving noise (2002), in one dimension.
class Noise {
  public:
    /// Errors  InvalidValue for invalid settings.
    Noise(const NoiseSettings& settings, std::uint64_t stream);

    struct Point {
        double value = 0.0;
        double slope = 0.0;  ///< per second
    };
    [[nodiscard]] Point at(double time_s) const noexcept;

    [[nodiscard]] const NoiseSettings& settings() const noexcept { return settings_; }
    /// The frequency of its fastest part.
    [[nodiscard]] double highest_hz() const noexcept;

  private:
    NoiseSettings settings_;
    std::uint64_t stream_;
};

}  // namespace hopcoil
