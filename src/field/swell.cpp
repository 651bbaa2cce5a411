#include <array>
#include <cmath>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/base/random.hpp>
#include <hopcoil/field/ground.hpp>
#include <hopcoil/field/swell.hpp>

namespace hopcoil {
namespace {

constexpr std::array<Dial<SwellSettings>, SwellSettings::dial_count> swell_dials{
    field_dial<&SwellSettings::significant_height_m>(
        Dial<SwellSettings>{"significant_height_m", "m", {0, 100}, {0, 3}, DialScale::linear, 0.3}),
    field_dial<&SwellSettings::length_m>(
        Dial<SwellSettings>{"length_m", "m", {0.01, 1e4}, {0.5, 50}, DialScale::logarithmic, 6}),
    field_dial<&SwellSettings::heading_rad>(Dial<SwellSettings>{
        "heading_rad", "rad", {-1e3, 1e3}, {-math::pi, math::pi}, DialScale::linear, 0}),
};

/// Waves of random lengths and headings about one; those near it are the highest.
std::vector<SwellWave> waves_of(const SwellSettings& settings, std::uint64_t stream) {
    require_valid(settings);
    RandomNumbers numbers{stream};
    if (settings.waves == 1) {
        return {{.amplitude_m = settings.significant_height_m / 2,
                 .length_m = settings.length_m,
                 .heading_rad = settings.heading_rad,
                 .phase_rad = numbers.between(0, 2 * math::pi)}};
    }
    std::vector<SwellWave> waves(static_cast<std::size_t>(settings.waves));
    double squares = 0;
    for (SwellWave& wave : waves) {
        const double away = numbers.normal();
        const double aside = numbers.normal();
        wave = {.amplitude_m = math::exp(-0.5 * away * away),
                .length_m = settings.length_m * math::exp(0.3 * away),
                .heading_rad = settings.heading_rad + 0.35 * aside,
                .phase_rad = numbers.between(0, 2 * math::pi)};
        squares += 0.5 * wave.amplitude_m * wave.amplitude_m;
    }
    // The significant height is four standard deviations of the surface.
    const double scale = settings.significant_height_m / (4 * std::sqrt(squares));
    for (SwellWave& wave : waves)
        wave.amplitude_m *= scale;
    return waves;
}

}  // namespace

std::span<const Dial<SwellSettings>> SwellSettings::dials() noexcept {
    return swell_dials;
}

void require_valid(const SwellSettings& settings) {
    require_between("significant_height_m", settings.significant_height_m, 0, 100);
    require_between("length_m", settings.length_m, 0.01, 1e4);
    require_between("heading_rad", settings.heading_rad, -1e3, 1e3);
    require_between("waves", settings.waves, 1, 64);
}

bool is_valid(const SwellSettings& settings) noexcept {
    return passes_require_valid(settings);
}

Swell::Swell(const SwellSettings& settings, std::uint64_t stream)
    : Swell{waves_of(settings, stream)} {}

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

Swell::Slopes Swell::slopes_at(double x, double z, double time_s) const noexcept {
    Slopes slopes;
    for (std::size_t i = 0; i < waves_.size(); ++i) {
        const Moving& m = moving_[i];
        const double slope =
            waves_[i].amplitude_m *
            math::cos(m.along_x * x + m.along_z * z - m.per_s * time_s + waves_[i].phase_rad);
        slopes.along_x += m.along_x * slope;
        slopes.along_z += m.along_z * slope;
    }
    return slopes;
}

Vector3 Swell::normal_at(double x, double z, double time_s) const noexcept {
    const Slopes slopes = slopes_at(x, z, time_s);
    return normal_of_slopes(slopes.along_x, slopes.along_z);
}

Placement Swell::floating(const Placement& still, const Hull& hull, double time_s) const noexcept {
    const Vector3& at = still.position;
    const Slopes here = slopes_at(at.x, at.z, time_s);
    double lift = 0;
    Vector3 slope{};  // as a vector over the water
    const auto across = [&](const Vector3& axis, double size) {
        // Its level direction; a hull that stands on end has none.
        const double level = std::sqrt(axis.x * axis.x + axis.z * axis.z);
        const double x = level > 0 ? axis.x / level : 0;
        const double z = level > 0 ? axis.z / level : 0;
        const double half = 0.5 * size;
        const double ahead = height_at(at.x + x * half, at.z + z * half, time_s);
        const double behind = height_at(at.x - x * half, at.z - z * half, time_s);
        lift += 0.25 * (ahead + behind);
        const double rise =
            size > 0 ? (ahead - behind) / size : here.along_x * x + here.along_z * z;
        slope = slope + Vector3{x * rise, 0, z * rise};
    };
    across(rotated(still.rotation, {0, 0, 1}), hull.length_m);
    across(rotated(still.rotation, {1, 0, 0}), hull.width_m);
    const Vector3 normal = normal_of_slopes(slope.x, slope.z);
    // The shortest rotation that takes up to the normal.
    const Quaternion tilt = normalized({1 + normal.y, normal.z, 0, -normal.x});
    return {at + Vector3{0, lift, 0}, tilt * still.rotation};
}

}  // namespace hopcoil
