#include <cmath>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/base/random.hpp>
#include <hopcoil/field/swell.hpp>

namespace hopcoil {

Swell::Swell(std::vector<SwellWave> waves) : waves_{std::move(waves)} {
    constexpr double gravity = 9.80665;
    for (const SwellWave& wave : waves_) {
        require_finite("amplitude_m", wave.amplitude_m);
        require_above_zero("length_m", wave.length_m);
        require_finite("heading_rad", wave.heading_rad);
        require_finite("phase_rad", wave.phase_rad);
        const double k = 2 * math::pi / wave.length_m;
        moving_.push_back({k * math::cos(wave.heading_rad), -k * math::sin(wave.heading_rad),
                           std::sqrt(gravity * k)});
    }
}

double Swell::height_at(double x, double z, double time_s) const noexcept {
    double sum = 0;
    for (std::size_t i = 0; i < waves_.size(); ++i) {
        const Moving& m = moving_[i];
        sum += waves_[i].amplitude_m *
               math::sin(m.along_x * x + m.along_z * z - m.per_s * time_s + waves_[i].phase_rad);
    }
    return sum;
}

double Swell::rise_at(double x, double z, double time_s) const noexcept {
    double sum = 0;
    for (std::size_t i = 0; i < waves_.size(); ++i) {
        const Moving& m = moving_[i];
        sum -= waves_[i].amplitude_m * m.per_s *
               math::cos(m.along_x * x + m.along_z * z - m.per_s * time_s + waves_[i].phase_rad);
    }
    return sum;
}

Vector3 Swell::normal_at(double x, double z, double time_s) const noexcept {
    double slope_x = 0;
    double slope_z = 0;
    for (std::size_t i = 0; i < waves_.size(); ++i) {
        const Moving& m = moving_[i];
        const double slope =
            waves_[i].amplitude_m *
            math::cos(m.along_x * x + m.along_z * z - m.per_s * time_s + waves_[i].phase_rad);
        slope_x += m.along_x * slope;
        slope_z += m.along_z * slope;
    }
    const double length = std::sqrt(slope_x * slope_x + 1 + slope_z * slope_z);
    return {-slope_x / length, 1 / length, -slope_z / length};
}

Swell swell_of(double significant_height_m, double length_m, double heading_rad,
               std::uint64_t stream, std::size_t count) {
    require_at_least_zero("significant_height_m", significant_height_m);
    require_above_zero("length_m", length_m);
    require_finite("heading_rad", heading_rad);
    if (count < 1) throw InvalidValue{"count", static_cast<double>(count), "at least 1"};
    RandomNumbers numbers{stream};
    std::vector<SwellWave> waves(count);
    double squares = 0;
    for (SwellWave& wave : waves) {
        const double away = numbers.normal();
        wave = {.amplitude_m = math::exp(-0.5 * away * away),
                .length_m = length_m * math::exp(0.3 * away),
                .heading_rad = heading_rad + 0.35 * numbers.normal(),
                .phase_rad = numbers.between(0, 2 * math::pi)};
        squares += 0.5 * wave.amplitude_m * wave.amplitude_m;
    }
    // The significant height is four standard deviations of the surface.
    const double scale = significant_height_m / (4 * std::sqrt(squares));
    for (SwellWave& wave : waves)
        wave.amplitude_m *= scale;
    return Swell{std::move(waves)};
}

}  // namespace hopcoil
