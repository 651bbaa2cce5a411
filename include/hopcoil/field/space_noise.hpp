#pragma once

#include <array>
#include <cstdint>
#include <span>

#include <hopcoil/base/instruction_set.hpp>

namespace hopcoil {

/// How a coherent noise over space and time looks.
struct SpaceNoiseSettings {
    int octaves = 2;         ///< parts, each twice as fine as the one before; 1 to 12
    double roughness = 0.5;  ///< size of each part over that of the one before; 0 to 1
    /// Along each axis it repeats after so many cells; 0: never.
    std::array<int, 4> period{};
};
/// Errors  InvalidValue names the field, its value and its range.
void require_valid(const SpaceNoiseSettings& settings);

/// A value and how it changes along each axis.
template <int n>
struct NoiseSample {
    double value = 0.0;
    std::array<double, n> slope{};
};

/// Noise without leaps or corners over 1 to 4 axes: near points have near values.
///
///     const SpaceNoise<3> haze{{}, stream_of(seed, "haze")};
///     haze.at({x, z, 0.3 * time_s}).value;
///
/// Model   slopes drawn at the corners of unit cells, blended by a polynomial of fifth degree, so
///         that value, slope and curvature are continuous; octaves as in Noise. Mean 0, standard
///         deviation 1.
/// Source  Perlin, Improving noise (2002).
/// Errors  InvalidValue for invalid settings. 0 where a coordinate is beyond 2^50 or NaN.
template <int n>
class SpaceNoise {
  public:
    SpaceNoise(const SpaceNoiseSettings& settings, std::uint64_t stream);

    [[nodiscard]] NoiseSample<n> at(const std::array<double, n>& point) const noexcept;
    /// The value alone, in less than half of the time; the same but for rounding.
    [[nodiscard]] double value_at(const std::array<double, n>& point) const noexcept;
    /// At many points, as many as both spans have room for: the same bits, several times quicker.
    void find(std::span<const std::array<double, n>> points, std::span<NoiseSample<n>> samples,
              InstructionSet set = best_instruction_set()) const noexcept;
    void find_values(std::span<const std::array<double, n>> points, std::span<double> values,
                     InstructionSet set = best_instruction_set()) const noexcept;
    [[nodiscard]] const SpaceNoiseSettings& settings() const noexcept { return settings_; }

  private:
    template <class Add>
    void for_each_octave(const std::array<double, n>& point, const Add& add) const noexcept;
    template <class Add>
    void for_each_octave_of_some(std::span<const std::array<double, n>> points,
                                 const Add& add) const noexcept;
    [[nodiscard]] bool repeats() const noexcept;

    SpaceNoiseSettings settings_;
    std::uint64_t stream_;
    double scale_ = 1.0;
};

extern template class SpaceNoise<1>;
extern template class SpaceNoise<2>;
extern template class SpaceNoise<3>;
extern template class SpaceNoise<4>;

}  // namespace hopcoil
