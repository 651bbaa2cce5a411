#pragma once

#include <cstdint>
#include <span>
#include <vector>

#include <hopcoil/base/vector3.hpp>

namespace hopcoil {

/// One wave that travels over deep water.
struct SwellWave {
    double amplitude_m = 0.1;
    double length_m = 6.0;
    double heading_rad = 0.0;  ///< that it travels to: 0 is +X, a quarter turn is -Z
    double phase_rad = 0.0;
};

/// Water that heaves: a sum of travelling waves, for what floats.
///
///     const Swell tide{{{.amplitude_m = 0.2, .length_m = 7}}};
///     skiff.step({x, tide.height_at(x, z, now), z}, dt);
///
/// Model   height = sum of a sin(k (x cos h - z sin h) - w t + phase), w^2 = g k, k = 2 pi/length.
/// Units   metres, seconds, radians; Y is up.
/// Errors  InvalidValue for a length that is not above 0 or a number that is not finite.
class Swell {
  public:
    explicit Swell(std::vector<SwellWave> waves = {});

    [[nodiscard]] double height_at(double x, double z, double time_s) const noexcept;
    /// How fast the surface rises there.
    [[nodiscard]] double rise_at(double x, double z, double time_s) const noexcept;
    /// Straight out of the water there.
    [[nodiscard]] Vector3 normal_at(double x, double z, double time_s) const noexcept;
    [[nodiscard]] std::span<const SwellWave> waves() const noexcept { return waves_; }

  private:
    struct Moving {
        double along_x = 0;  ///< radians a metre
        double along_z = 0;
        double per_s = 0;
    };
    std::vector<SwellWave> waves_;
    std::vector<Moving> moving_;
};

/// Waves about one heading and length, their heights so that a third of them are above
/// `significant_height_m` from trough to crest.
/// Errors  InvalidValue for numbers out of range, or no waves.
[[nodiscard]] Swell swell_of(double significant_height_m, double length_m, double heading_rad,
                             std::uint64_t stream, std::size_t count = 8);

}  // namespace hopcoil
