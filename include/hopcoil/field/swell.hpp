#pragma once

#include <cstddef>
#include <cstdint>
#include <span>
#include <vector>

#include <hopcoil/base/dial.hpp>
#include <hopcoil/base/placement.hpp>
#include <hopcoil/base/vector3.hpp>

namespace hopcoil {

/// One wave that travels over deep water.
struct SwellWave {
    double amplitude_m = 0.1;
    double length_m = 6.0;
    double heading_rad = 0.0;  ///< direction of travel: 0 is +X, a quarter turn is -Z
    double phase_rad = 0.0;
};

/// The numbers of a swell: waves about one length and heading.
struct SwellSettings {
    /// The mean height of the highest third of the waves, from trough to crest.
    double significant_height_m = 0.3;
    double length_m = 6.0;     ///< from crest to crest
    double heading_rad = 0.0;  ///< direction of travel: 0 is +X, a quarter turn is -Z
    int waves = 8;             ///< how many are added up, 1 to 64; 1 is a regular wave

    static constexpr std::size_t dial_count = 3;
    [[nodiscard]] static std::span<const Dial<SwellSettings>> dials() noexcept;
};
/// Errors  InvalidValue names the field, its value and its range.
void require_valid(const SwellSettings& settings);
[[nodiscard]] bool is_valid(const SwellSettings& settings) noexcept;

/// A water surface: a sum of travelling waves, for floating things.
///
///     const Swell tide{{.significant_height_m = 0.4, .length_m = 7}, stream_of(seed, "tide")};
///     const Placement skiff = tide.floating({{2, 0, 1}}, {.length_m = 3, .width_m = 1}, now);
///
/// Model   height = sum of a sin(k (x cos h - z sin h) - w t + phase), w^2 = g k, k = 2 pi/length;
///         still water is at height 0. A function of place and time alone.
/// Units   metres, seconds, radians; Y is up.
/// Errors  InvalidValue for invalid settings, a length that is not above 0 or a number that is not
///         finite.
class Swell {
  public:
    /// How large a floating thing is on the water: along its +Z and its +X axis.
    struct Hull {
        double length_m = 0.0;
        double width_m = 0.0;
    };

    explicit Swell(const SwellSettings& settings = {}, std::uint64_t stream = 0);
    explicit Swell(std::vector<SwellWave> waves);

    [[nodiscard]] double height_at(double x, double z, double time_s) const noexcept;
    /// How fast the surface rises there.
    [[nodiscard]] double rise_at(double x, double z, double time_s) const noexcept;
    /// The unit normal of the surface there.
    [[nodiscard]] Vector3 normal_at(double x, double z, double time_s) const noexcept;
    /// Where a thing floats that would be at `still` on still water: lifted by the mean height
    /// under its bow, stern and sides, and tilted as these are. Waves shorter than a hull hardly
    /// move it; without a size it lies on the surface as a leaf does.
    [[nodiscard]] Placement floating(const Placement& still, const Hull& hull,
                                     double time_s) const noexcept;
    [[nodiscard]] std::span<const SwellWave> waves() const noexcept { return waves_; }

  private:
    struct Moving {
        double along_x = 0;  ///< radians a metre
        double along_z = 0;
        double per_s = 0;
    };
    /// The slopes of the surface along x and z.
    struct Slopes {
        double along_x = 0;
        double along_z = 0;
    };
    [[nodiscard]] Slopes slopes_at(double x, double z, double time_s) const noexcept;

    std::vector<SwellWave> waves_;
    std::vector<Moving> moving_;
};

}  // namespace hopcoil
