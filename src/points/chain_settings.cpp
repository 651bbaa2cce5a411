#include <algorithm>
#include <array>
#include <cmath>
#include <complex>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/points/chain_settings.hpp>

#include "chain_math.hpp"

namespace hopcoil {
namespace {

constexpr std::size_t most_nodes = 100'000;

void require_finite_vector(const char* field, const Vector3& v) {
    for (const double each : {v.x, v.y, v.z})
        require_finite(field, each);
}

void require_direction(const char* field, const Vector3& v) {
    require_finite_vector(field, v);
    if (!(dot(v, v) > 1e-12)) throw InvalidValue{field, std::sqrt(dot(v, v)), "a direction"};
}

/// A dial of a number inside: `at` answers a reference to it.
template <auto at>
constexpr Dial<ChainSettings> inner_dial(Dial<ChainSettings> dial) {
    dial.get = [](const ChainSettings& settings) -> double {
        return at(const_cast<ChainSettings&>(settings));  // NOLINT: only read
    };
    dial.set = [](ChainSettings& settings, double value) {
        ChainSettings changed = settings;
        at(changed) = value;
        if (!is_valid(changed)) return DialStatus::refused;
        settings = changed;
        return DialStatus::set;
    };
    return dial;
}

constexpr std::array<Dial<ChainSettings>, ChainSettings::dial_count> all_dials{
    inner_dial<[](ChainSettings& s) -> double& {
        return s.root.frequency_hz;
    }>({"root.frequency_hz", "Hz", {0, 1e6}, {0.2, 20}, DialScale::logarithmic, 6}),
    inner_dial<[](ChainSettings& s) -> double& {
        return s.root.damping_ratio;
    }>({"root.damping_ratio", "", {0, 1e6}, {0.2, 3}, DialScale::linear, 1}),
    inner_dial<[](ChainSettings& s) -> double& {
        return s.root.lead;
    }>({"root.lead", "", {-unbounded, unbounded}, {-1, 1}, DialScale::linear, 0.5}),
    inner_dial<[](ChainSettings& s) -> double& {
        return s.tip.frequency_hz;
    }>({"tip.frequency_hz", "Hz", {0, 1e6}, {0.2, 20}, DialScale::logarithmic, 3}),
    inner_dial<[](ChainSettings& s) -> double& {
        return s.tip.damping_ratio;
    }>({"tip.damping_ratio", "", {0, 1e6}, {0.2, 3}, DialScale::linear, 1}),
    inner_dial<[](ChainSettings& s) -> double& {
        return s.tip.lead;
    }>({"tip.lead", "", {-unbounded, unbounded}, {-1, 1}, DialScale::linear, 0.5}),
    inner_dial<[](ChainSettings& s) -> double& {
        return s.spacing_m;
    }>({"spacing_m", "m", {1e-9, 1e9}, {0.01, 1}, DialScale::logarithmic, 0.1}),
    inner_dial<[](ChainSettings& s) -> double& {
        return s.carry;
    }>({"carry", "", {0, 0.999}, {0, 0.8}, DialScale::linear, 0.2}),
    inner_dial<[](ChainSettings& s) -> double& {
        return s.wind_share;
    }>({"wind_share", "", {0, 1e3}, {0, 2}, DialScale::linear, 1}),
    inner_dial<[](ChainSettings& s) -> double& {
        return s.stiffness_m_per_s;
    }>({"stiffness_m_per_s", "m/s", {1e-9, 1e9}, {0.2, 20}, DialScale::logarithmic, 2}),
    inner_dial<[](ChainSettings& s) -> double& {
        return s.bend_limit_rad;
    }>({"bend_limit_rad", "rad", {1e-3, math::pi}, {0.05, math::pi}, DialScale::linear, math::pi}),
    inner_dial<[](ChainSettings& s) -> double& {
        return s.undulation.amplitude_m;
    }>({"undulation.amplitude_m", "m", {0, 1e6}, {0, 0.3}, DialScale::linear, 0}),
    inner_dial<[](ChainSettings& s) -> double& {
        return s.undulation.frequency_hz;
    }>({"undulation.frequency_hz", "Hz", {0, 1e6}, {0, 5}, DialScale::linear, 1}),
    inner_dial<[](ChainSettings& s) -> double& {
        return s.undulation.delay_rad;
    }>({"undulation.delay_rad", "rad", {-unbounded, unbounded}, {0, 2}, DialScale::linear, 0.5}),
};

std::complex<double> response_at(const Tuning& tuning, double sine_w) {
    const double w = angular_frequency_rad_per_s(tuning);
    const std::complex<double> s{0, sine_w};
    const double damping = 2 * tuning.damping_ratio * w;
    const std::complex<double> below = s * s + damping * s + w * w;
    return below == 0.0 ? 1.0 : (tuning.lead * damping * s + w * w) / below;
}

}  // namespace

std::span<const Dial<ChainSettings>> ChainSettings::dials() noexcept {
    return all_dials;
}

void require_valid(const ChainSettings& settings) {
    if (settings.nodes < 1 || settings.nodes > most_nodes)
        throw InvalidValue{"nodes", static_cast<double>(settings.nodes), "1 to 100000"};
    require_above_zero("spacing_m", settings.spacing_m);
    require_valid(settings.root);
    require_valid(settings.tip);
    require_above_zero("root.frequency_hz", settings.root.frequency_hz);
    require_above_zero("tip.frequency_hz", settings.tip.frequency_hz);
    if (!(settings.carry >= 0 && settings.carry < 1))
        throw InvalidValue{"carry", settings.carry, "0 to below 1"};
    require_direction("rest_direction", settings.rest_direction);
    require_finite_vector("hanging_m_per_s", settings.hanging_m_per_s);
    require_at_least_zero("wind_share", settings.wind_share);
    require_above_zero("stiffness_m_per_s", settings.stiffness_m_per_s);
    if (!(settings.bend_limit_rad > 0 && settings.bend_limit_rad <= math::pi))
        throw InvalidValue{"bend_limit_rad", settings.bend_limit_rad, "above 0, at most pi"};
    require_at_least_zero("undulation.amplitude_m", settings.undulation.amplitude_m);
    require_at_least_zero("undulation.frequency_hz", settings.undulation.frequency_hz);
    require_finite("undulation.delay_rad", settings.undulation.delay_rad);
    require_direction("undulation.axis", settings.undulation.axis);
}

bool is_valid(const ChainSettings& settings) noexcept {
    return passes_require_valid(settings);
}

Tuning chain::tuning_of_link(const ChainSettings& settings, std::size_t link) noexcept {
    const Tuning& root = settings.root;
    const Tuning& tip = settings.tip;
    const double part = settings.nodes == 1
                            ? 0
                            : static_cast<double>(link) / static_cast<double>(settings.nodes - 1);
    const auto between = [part](double a, double b) {
        return a + part * (b - a);
    };
    const double factor = math::log(tip.frequency_hz / root.frequency_hz);
    return {.frequency_hz = root.frequency_hz * math::exp(part * factor),
            .damping_ratio = between(root.damping_ratio, tip.damping_ratio),
            .lead = between(root.lead, tip.lead)};
}

std::vector<Tuning> tunings_of(const ChainSettings& settings) {
    std::vector<Tuning> tunings(settings.nodes);
    for (std::size_t i = 0; i < settings.nodes; ++i)
        tunings[i] = chain::tuning_of_link(settings, i);
    return tunings;
}

ChainGain gain_of(std::span<const Tuning> tunings, double carry) {
    ChainGain worst;
    double lowest = unbounded;
    double highest = 0;
    for (const Tuning& tuning : tunings) {
        const double w = angular_frequency_rad_per_s(tuning);
        if (!(w > 0)) continue;
        lowest = std::min(lowest, w);
        highest = std::max(highest, w);
    }
    if (!(highest > 0)) return worst;
    constexpr int samples = 600;
    const double from = 0.01 * lowest;
    const double factor = math::log(20 * highest / from) / samples;
    for (int k = 0; k <= samples; ++k) {
        const double w = from * math::exp(factor * k);
        std::complex<double> before{1, 0};
        std::complex<double> here{1, 0};
        for (std::size_t i = 0; i < tunings.size(); ++i) {
            const std::complex<double> next =
                response_at(tunings[i], w) * (i == 0 ? here : (1 + carry) * here - carry * before);
            before = here;
            here = next;
            const double gain = std::abs(here);
            if (gain > worst.gain * (1 + 1e-9))
                worst = {.gain = gain, .frequency_hz = w / (2 * math::pi), .node = i + 1};
        }
    }
    return worst;
}

ChainGain gain_of(const ChainSettings& settings) {
    require_valid(settings);
    if (settings.spacing == ChainSpacing::fixed) return {};
    return gain_of(tunings_of(settings), settings.carry);
}

}  // namespace hopcoil
