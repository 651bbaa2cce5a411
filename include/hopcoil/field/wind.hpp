#pragma once

#include <array>
#include <cstdint>
#include <span>
#include <vector>

#include <hopcoil/base/dial.hpp>
#include <hopcoil/base/vector3.hpp>
#include <hopcoil/field/space_noise.hpp>

namespace hopcoil {

/// The numbers of a wind, or of a current.
struct WindSettings {
    Vector3 mean_m_per_s{4, 0, 0};  ///< where it blows to
    double spread_m_per_s = 1.0;    ///< standard deviation of its speed along the mean
    double across_share = 0.6;      ///< of that, horizontal and across the mean
    double up_share = 0.3;          ///< of that, up and down
    double correlation_s = 1.5;     ///< a gust lasts about so long at one place
    /// Places nearer than that feel the same gust. Gusts travel with the mean, so at least the mean
    /// times `correlation_s`.
    double gust_length_m = 8.0;
    /// What flows into any volume flows out again: for particles. All shares are then 1.
    bool is_divergence_free = false;
    int octaves = 2;
    double roughness = 0.5;

    static constexpr std::size_t dial_count = 9;
    [[nodiscard]] static std::span<const Dial<WindSettings>> dials() noexcept;
};
/// Errors  InvalidValue names the field, its value and its range.
void require_valid(const WindSettings& settings);
[[nodiscard]] bool is_valid(const WindSettings& settings) noexcept;

/// A round obstacle: in its wake the wind is weaker.
struct Shelter {
    Vector3 centre{};
    double radius_m = 1.0;
    double wake_m = 6.0;    ///< how far behind it the wind has recovered
    double strength = 0.8;  ///< the part of the wind that it takes away right behind it
};
/// Errors  InvalidValue names the field, its value and its range.
void require_valid(const Shelter& shelter);

struct WindSample {
    Vector3 velocity{};  ///< metres per second
};

/// One wind for a whole scene: everything in it leans and flutters together, gust by gust.
///
///     const Wind evening{{.mean_m_per_s = {5, 0, 1}}, stream_of(seed, "evening")};
///     streamer.step({.root = stern, .wind = &evening, .time_s = now}, dt);
///
/// Model   mean + gusts; the gusts are coherent noise over space and time, carried along by the
///         mean. A function of place and time alone: any time may be asked for, in any order.
/// Units   metres, seconds.
/// Errors  InvalidValue for invalid settings or shelters.
/// Cost    some 0.5 us a sample and octave; a quarter of that or less for many at once.
class Wind {
  public:
    explicit Wind(const WindSettings& settings = {}, std::uint64_t stream = 0,
                  std::vector<Shelter> shelters = {});

    [[nodiscard]] WindSample at(const Vector3& place, double time_s) const noexcept;
    /// At many places, as many as both spans have room for: the same bits.
    void find(std::span<const Vector3> places, double time_s,
              std::span<WindSample> samples) const noexcept;
    [[nodiscard]] const WindSettings& settings() const noexcept { return settings_; }
    /// The same gusts with other numbers.
    /// Errors  InvalidValue, with nothing changed.
    void retune(const WindSettings& settings);

  private:
    [[nodiscard]] std::array<double, 4> noise_point(const Vector3& place,
                                                    double time_s) const noexcept;
    [[nodiscard]] Vector3 gust_of(const std::array<double, 3>& values) const noexcept;
    [[nodiscard]] Vector3 curl_of(
        const std::array<std::array<double, 4>, 3>& slopes) const noexcept;
    [[nodiscard]] Vector3 gust(const Vector3& place, double time_s) const noexcept;
    void find_gusts(std::span<const Vector3> places, double time_s,
                    std::span<Vector3> gusts) const noexcept;
    [[nodiscard]] WindSample sample_of(const Vector3& place, double time_s,
                                       const Vector3& gust) const noexcept;
    [[nodiscard]] double sheltered(const Vector3& place) const noexcept;
    void find_scales() noexcept;

    WindSettings settings_;
    std::vector<Shelter> shelters_;
    std::vector<SpaceNoise<4>> noises_;  ///< one for each direction
    std::uint64_t stream_;
    Vector3 along_{1, 0, 0};
    Vector3 level_{0, 0, 1};
    Vector3 up_{0, 1, 0};
    double cells_per_m_ = 1;
    double cells_per_s_ = 1;
};

}  // namespace hopcoil
