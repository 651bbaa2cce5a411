#include <cmath>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/base/random.hpp>
#include <hopcoil/field/space_noise.hpp>

namespace hopcoil {
namespace {

/// Slopes along each axis are even between -1 and 1; the sum has this deviation, found by averaging
/// over a million points.
constexpr std::array<double, 5> deviation{1, 0.1400, 0.1762, 0.1911, 0.1952};

std::int64_t wrapped_cell(std::int64_t cell, std::int64_t period) {
    if (period <= 0) return cell;
    const std::int64_t rest = cell % period;
    return rest < 0 ? rest + period : rest;
}

/// The bits of one corner of the lattice.
template <int n>
std::uint64_t corner_bits(const std::array<std::int64_t, n>& cell, int corner,
                          const std::array<std::int64_t, n>& period, std::uint64_t stream) {
    std::uint64_t bits = stream;
    for (std::size_t i = 0; i < n; ++i) {
        const std::int64_t at = wrapped_cell(cell[i] + ((corner >> i) & 1), period[i]);
        bits = mixed_bits(bits + 0x9e3779b97f4a7c15ULL * static_cast<std::uint64_t>(at + 1));
    }
    return bits;
}

/// 16 bits of it as a number between -1 and 1.
double slope_from(std::uint64_t bits, std::size_t axis) {
    return static_cast<double>((bits >> (16 * axis)) & 0xffffU) * (2.0 / 65535) - 1;
}

template <int n>
NoiseSample<n> one_octave(const std::array<double, n>& point,
                          const std::array<std::int64_t, n>& period, std::uint64_t stream) {
    std::array<std::int64_t, n> cell{};
    std::array<double, n> part{};
    std::array<double, n> blend{};
    std::array<double, n> blend_slope{};
    for (std::size_t i = 0; i < n; ++i) {
        const double floor = std::floor(point[i]);
        if (!(std::abs(floor) < 0x1p50)) return {};
        cell[i] = static_cast<std::int64_t>(floor);
        const double p = point[i] - floor;
        part[i] = p;
        blend[i] = p * p * p * (p * (6 * p - 15) + 10);
        blend_slope[i] = 30 * p * p * (p * (p - 2) + 1);
    }
    NoiseSample<n> sum;
    for (int corner = 0; corner < (1 << n); ++corner) {
        const std::uint64_t bits = corner_bits<n>(cell, corner, period, stream);
        double weight = 1;
        double value = 0;
        for (std::size_t i = 0; i < n; ++i) {
            const bool upper = ((corner >> i) & 1) != 0;
            weight *= upper ? blend[i] : 1 - blend[i];
            value += slope_from(bits, i) * (part[i] - (upper ? 1 : 0));
        }
        sum.value += weight * value;
        for (std::size_t i = 0; i < n; ++i) {
            const bool upper = ((corner >> i) & 1) != 0;
            double others = 1;
            for (std::size_t k = 0; k < n; ++k) {
                if (k != i) others *= ((corner >> k) & 1) != 0 ? blend[k] : 1 - blend[k];
            }
            sum.slope[i] += weight * slope_from(bits, i) +
                            (upper ? blend_slope[i] : -blend_slope[i]) * others * value;
        }
    }
    return sum;
}

}  // namespace

void require_valid(const SpaceNoiseSettings& settings) {
    if (settings.octaves < 1 || settings.octaves > 12)
        throw InvalidValue{"octaves", static_cast<double>(settings.octaves), "1 to 12"};
    if (!(settings.roughness >= 0 && settings.roughness <= 1))
        throw InvalidValue{"roughness", settings.roughness, "a number from 0 to 1"};
    for (const int each : settings.period) {
        if (each < 0 || each > (1 << 20))
            throw InvalidValue{"period", static_cast<double>(each), "0 to 1048576 cells"};
    }
}

template <int n>
SpaceNoise<n>::SpaceNoise(const SpaceNoiseSettings& settings, std::uint64_t stream)
    : settings_{settings}, stream_{stream} {
    require_valid(settings);
}

template <int n>
NoiseSample<n> SpaceNoise<n>::at(const std::array<double, n>& point) const noexcept {
    NoiseSample<n> sum;
    double weight = 1;
    double weights = 0;
    std::array<double, n> fine = point;
    std::array<std::int64_t, n> period{};
    for (std::size_t i = 0; i < n; ++i)
        period[i] = settings_.period[i];
    double fineness = 1;
    for (int octave = 0; octave < settings_.octaves; ++octave) {
        const NoiseSample<n> one =
            one_octave<n>(fine, period, mixed_bits(stream_ + static_cast<std::uint64_t>(octave)));
        sum.value += weight * one.value;
        for (std::size_t i = 0; i < n; ++i)
            sum.slope[i] += weight * fineness * one.slope[i];
        weights += weight * weight;
        weight *= settings_.roughness;
        fineness *= 2;
        for (std::size_t i = 0; i < n; ++i) {
            fine[i] = 2 * fine[i] + 0.613;  // else all octaves were 0 at the same corners
            period[i] *= 2;
        }
    }
    const double scale = 1 / (math::sqrt(weights) * deviation[n]);
    sum.value *= scale;
    for (double& each : sum.slope)
        each *= scale;
    return sum;
}

template class SpaceNoise<1>;
template class SpaceNoise<2>;
template class SpaceNoise<3>;
template class SpaceNoise<4>;

}  // namespace hopcoil
