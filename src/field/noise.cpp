#include <cmath>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/base/random.hpp>
#include <hopcoil/field/noise.hpp>

namespace hopcoil {
namespace {

/// Between two random slopes, each -2 to 2, so that the value stays within -1 to 1.
Noise::Point lattice_noise(double t, std::uint64_t stream) {
    const double cell = std::floor(t);
    // Beyond 2^53 there are no fractions between whole numbers.
    if (!(std::abs(cell) < 0x1p53)) return {};
    const auto index = static_cast<std::int64_t>(cell);
    const double p = t - cell;
    const double left = 4 * unit_number(stream, index) - 2;
    const double right = 4 * unit_number(stream, index + 1) - 2;
    const double blend = p * p * p * (p * (6 * p - 15) + 10);
    const double blend_slope = 30 * p * p * (p * (p - 2) + 1);
    const double from_left = left * p;
    const double from_right = right * (p - 1);
    return {from_left + blend * (from_right - from_left),
            left + blend * (right - left) + blend_slope * (from_right - from_left)};
}

}  // namespace

void require_valid(const NoiseSettings& settings) {
    require_above_zero("frequency_hz", settings.frequency_hz);
    constexpr int most = 12;
    if (settings.octaves < 1 || settings.octaves > most) {
        throw InvalidValue{"octaves", static_cast<double>(settings.octaves), "1 to 12"};
    }
    if (!(settings.roughness >= 0 && settings.roughness <= 1)) {
        throw InvalidValue{"roughness", settings.roughness, "a number from 0 to 1"};
    }
}

Noise::Noise(const NoiseSettings& settings, std::uint64_t stream)
    : settings_{settings}, stream_{stream} {
    require_valid(settings);
}

Noise::Point Noise::at(double time_s) const noexcept {
    Point sum;
    double weight = 1;
    double weights = 0;
    double rate_hz = settings_.frequency_hz;
    for (int octave = 0; octave < settings_.octaves; ++octave) {
        const Point part = lattice_noise(time_s * rate_hz,
                                         mixed_bits(stream_ + static_cast<std::uint64_t>(octave)));
        sum.value += weight * part.value;
        sum.slope += weight * rate_hz * part.slope;
        weights += weight * weight;
        weight *= settings_.roughness;
        rate_hz *= 2;
    }
    const double scale = 1 / math::sqrt(weights);
    return {sum.value * scale, sum.slope * scale};
}

double Noise::highest_hz() const noexcept {
    return std::ldexp(settings_.frequency_hz, settings_.octaves - 1);
}

}  // namespace hopcoil
