#include <algorithm>
#include <array>
#include <cmath>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/base/random.hpp>
#include <hopcoil/field/wind.hpp>

#include "../base/vectors.hpp"

namespace hopcoil {
namespace {

// For SpaceNoise<4> with two octaves, found by averaging over a million points: the distance at
// which its correlation has fallen to 1/e, that of its slopes, and their standard deviation.
constexpr double correlation_cells = 0.50;
constexpr double slope_correlation_cells = 0.34;
constexpr double slope_deviation = 3.10;

constexpr std::size_t places_at_a_time = 64;

/// From 0 at one end to 1 at the other, with slope 0 at both.
double smooth_step(double from, double to, double at) {
    const double part = (at - from) / (to - from);
    const double p = part < 0 ? 0 : part > 1 ? 1 : part;
    return p * p * (3 - 2 * p);
}

template <auto at>
constexpr Dial<WindSettings> wind_dial(Dial<WindSettings> dial) {
    dial.get = [](const WindSettings& settings) -> double {
        return at(const_cast<WindSettings&>(settings));  // NOLINT: only read
    };
    dial.set = [](WindSettings& settings, double value) {
        WindSettings changed = settings;
        at(changed) = value;
        if (!is_valid(changed)) return DialStatus::refused;
        settings = changed;
        return DialStatus::set;
    };
    return dial;
}
constexpr std::array<Dial<WindSettings>, WindSettings::dial_count> wind_dials{
    wind_dial<[](WindSettings& s) -> double& {
        return s.mean_m_per_s.x;
    }>({"mean_x_m_per_s", "m/s", {-1e6, 1e6}, {-15, 15}, DialScale::linear, 4}),
    wind_dial<[](WindSettings& s) -> double& {
        return s.mean_m_per_s.y;
    }>({"mean_y_m_per_s", "m/s", {-1e6, 1e6}, {-5, 5}, DialScale::linear, 0}),
    wind_dial<[](WindSettings& s) -> double& {
        return s.mean_m_per_s.z;
    }>({"mean_z_m_per_s", "m/s", {-1e6, 1e6}, {-15, 15}, DialScale::linear, 0}),
    wind_dial<[](WindSettings& s) -> double& {
        return s.spread_m_per_s;
    }>({"spread_m_per_s", "m/s", {0, 1e6}, {0, 6}, DialScale::linear, 1}),
    wind_dial<[](WindSettings& s) -> double& {
        return s.across_share;
    }>({"across_share", "", {0, 1e3}, {0, 1.5}, DialScale::linear, 0.6}),
    wind_dial<[](WindSettings& s) -> double& {
        return s.up_share;
    }>({"up_share", "", {0, 1e3}, {0, 1}, DialScale::linear, 0.3}),
    wind_dial<[](WindSettings& s) -> double& {
        return s.correlation_s;
    }>({"correlation_s", "s", {1e-3, 1e6}, {0.1, 10}, DialScale::logarithmic, 1.5}),
    wind_dial<[](WindSettings& s) -> double& {
        return s.gust_length_m;
    }>({"gust_length_m", "m", {1e-3, 1e6}, {0.5, 50}, DialScale::logarithmic, 8}),
    wind_dial<[](WindSettings& s) -> double& {
        return s.roughness;
    }>({"roughness", "", {0, 1}, {0, 1}, DialScale::linear, 0.5}),
};

}  // namespace

std::span<const Dial<WindSettings>> WindSettings::dials() noexcept {
    return wind_dials;
}

void require_valid(const WindSettings& settings) {
    for (const double each :
         {settings.mean_m_per_s.x, settings.mean_m_per_s.y, settings.mean_m_per_s.z})
        require_finite("mean_m_per_s", each);
    require_at_least_zero("spread_m_per_s", settings.spread_m_per_s);
    require_at_least_zero("across_share", settings.across_share);
    require_at_least_zero("up_share", settings.up_share);
    require_above_zero("correlation_s", settings.correlation_s);
    require_above_zero("gust_length_m", settings.gust_length_m);
    require_valid(SpaceNoiseSettings{settings.octaves, settings.roughness, {}});
}

bool is_valid(const WindSettings& settings) noexcept {
    return passes_require_valid(settings);
}

void require_valid(const Shelter& shelter) {
    for (const double each : {shelter.centre.x, shelter.centre.y, shelter.centre.z})
        require_finite("centre", each);
    require_above_zero("radius_m", shelter.radius_m);
    require_above_zero("wake_m", shelter.wake_m);
    if (!(shelter.strength >= 0 && shelter.strength <= 1))
        throw InvalidValue{"strength", shelter.strength, "a number from 0 to 1"};
}

Wind::Wind(const WindSettings& settings, std::uint64_t stream, std::vector<Shelter> shelters)
    : settings_{settings}, shelters_{std::move(shelters)}, stream_{stream} {
    for (const Shelter& shelter : shelters_)
        require_valid(shelter);
    retune(settings);
}

void Wind::retune(const WindSettings& settings) {
    require_valid(settings);
    settings_ = settings;
    noises_.clear();
    for (std::uint64_t i = 0; i < 3; ++i) {
        noises_.emplace_back(SpaceNoiseSettings{settings.octaves, settings.roughness, {}},
                             mixed_bits(stream_ + i));
    }
    find_scales();
}

/// The rates at which its noise is traversed: across space by the length of gusts, over time by
/// what is left of the correlation after the mean has carried the gusts along.
void Wind::find_scales() noexcept {
    const Vector3& mean = settings_.mean_m_per_s;
    const double speed = norm(mean);
    along_ = speed > 1e-12 ? mean * (1 / speed) : Vector3{1, 0, 0};
    const Vector3 level = cross(along_, Vector3{0, 1, 0});
    const double wide = norm(level);
    level_ = wide > 1e-9 ? level * (1 / wide) : Vector3{0, 0, 1};
    up_ = cross(level_, along_);
    const double cells = settings_.is_divergence_free ? slope_correlation_cells : correlation_cells;
    const double length_m = std::max(settings_.gust_length_m, speed * settings_.correlation_s);
    cells_per_m_ = cells / length_m;
    const double by_mean = speed * cells_per_m_;
    const double in_all = cells / settings_.correlation_s;
    cells_per_s_ = std::sqrt(std::max(0.0, in_all * in_all - by_mean * by_mean));
}

namespace {

/// A rotation of space and time together, so that no straight path follows the lattice of the
/// noise, where its statistics differ: the matrix of the quaternion product.
constexpr std::array<std::array<double, 4>, 4> oblique = [] {
    constexpr double a = 0.41;
    constexpr double b = 0.59;
    constexpr double c = -0.36;
    constexpr double d = 0.5951470406546605;
    return std::array<std::array<double, 4>, 4>{
        {{a, -b, -c, -d}, {b, a, -d, c}, {c, d, a, -b}, {d, -c, b, a}}};
}();

std::array<double, 4> turned(const std::array<double, 4>& point) {
    std::array<double, 4> result{};
    for (std::size_t i = 0; i < 4; ++i) {
        for (std::size_t k = 0; k < 4; ++k)
            result[i] += oblique[i][k] * point[k];
    }
    return result;
}

/// The slopes of a noise in space and time themselves.
std::array<double, 4> turned_back(const std::array<double, 4>& slope) {
    std::array<double, 4> result{};
    for (std::size_t i = 0; i < 4; ++i) {
        for (std::size_t k = 0; k < 4; ++k)
            result[i] += oblique[k][i] * slope[k];
    }
    return result;
}

}  // namespace

std::array<double, 4> Wind::noise_point(const Vector3& place, double time_s) const noexcept {
    const Vector3 carried = (place - settings_.mean_m_per_s * time_s) * cells_per_m_;
    return turned({carried.x, carried.y, carried.z, time_s * cells_per_s_});
}

/// Of three noises.
Vector3 Wind::gust_of(const std::array<double, 3>& values) const noexcept {
    const double spread = settings_.spread_m_per_s;
    return along_ * (spread * values[0]) + level_ * (spread * settings_.across_share * values[1]) +
           up_ * (spread * settings_.up_share * values[2]);
}

/// The curl of three noises, from their slopes.
Vector3 Wind::curl_of(const std::array<std::array<double, 4>, 3>& slopes) const noexcept {
    const auto a = turned_back(slopes[0]);
    const auto b = turned_back(slopes[1]);
    const auto c = turned_back(slopes[2]);
    const double scale = settings_.spread_m_per_s / (std::sqrt(2.0) * slope_deviation);
    return Vector3{c[1] - b[2], a[2] - c[0], b[0] - a[1]} * scale;
}

Vector3 Wind::gust(const Vector3& place, double time_s) const noexcept {
    const std::array<double, 4> at = noise_point(place, time_s);
    if (settings_.is_divergence_free)
        return curl_of({noises_[0].at(at).slope, noises_[1].at(at).slope, noises_[2].at(at).slope});
    return gust_of({noises_[0].value_at(at), noises_[1].value_at(at), noises_[2].value_at(at)});
}

/// At most `places_at_a_time`.
void Wind::find_gusts(std::span<const Vector3> places, double time_s,
                      std::span<Vector3> gusts) const noexcept {
    // NOLINTNEXTLINE(cppcoreguidelines-pro-type-member-init): filled below
    std::array<std::array<double, 4>, places_at_a_time> points;
    for (std::size_t k = 0; k < places.size(); ++k)
        points[k] = noise_point(places[k], time_s);
    const std::span some = std::span{points}.first(places.size());
    if (settings_.is_divergence_free) {
        std::array<std::array<NoiseSample<4>, places_at_a_time>, 3> samples;
        for (std::size_t i = 0; i < 3; ++i)
            noises_[i].find(some, samples[i]);
        for (std::size_t k = 0; k < places.size(); ++k)
            gusts[k] = curl_of({samples[0][k].slope, samples[1][k].slope, samples[2][k].slope});
        return;
    }
    // NOLINTNEXTLINE(cppcoreguidelines-pro-type-member-init): filled below
    std::array<std::array<double, places_at_a_time>, 3> values;
    for (std::size_t i = 0; i < 3; ++i)
        noises_[i].find_values(some, values[i]);
    for (std::size_t k = 0; k < places.size(); ++k)
        gusts[k] = gust_of({values[0][k], values[1][k], values[2][k]});
}

double Wind::sheltered(const Vector3& place) const noexcept {
    double left = 1;
    for (const Shelter& shelter : shelters_) {
        const Vector3 away = place - shelter.centre;
        const double behind = dot(away, along_);
        const double beside = norm(away - along_ * behind);
        // Its edge is soft by half of its radius; the wind recovers along its wake.
        const double in_line =
            1 - smooth_step(0.75 * shelter.radius_m, 1.5 * shelter.radius_m, beside);
        const double after = smooth_step(-shelter.radius_m, 0, behind) *
                             (1 - smooth_step(0, shelter.wake_m, behind));
        left *= 1 - shelter.strength * in_line * after;
    }
    return left;
}

WindSample Wind::sample_of(const Vector3& place, double time_s,
                           const Vector3& gust) const noexcept {
    if (!std::isfinite(dot(place, place)) || !std::isfinite(time_s)) return {};
    return {(settings_.mean_m_per_s + gust) * sheltered(place)};
}

WindSample Wind::at(const Vector3& place, double time_s) const noexcept {
    return sample_of(place, time_s, gust(place, time_s));
}

void Wind::find(std::span<const Vector3> places, double time_s,
                std::span<WindSample> samples) const noexcept {
    const std::size_t size = std::min(places.size(), samples.size());
    std::array<Vector3, places_at_a_time> gusts;
    for (std::size_t first = 0; first < size; first += places_at_a_time) {
        const std::size_t count = std::min(places_at_a_time, size - first);
        find_gusts(places.subspan(first, count), time_s, gusts);
        for (std::size_t k = 0; k < count; ++k)
            samples[first + k] = sample_of(places[first + k], time_s, gusts[k]);
    }
}

}  // namespace hopcoil
