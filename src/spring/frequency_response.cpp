#include <algorithm>
#include <cmath>
#include <limits>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/spring/frequency_response.hpp>

namespace hopcoil {
namespace {

FrequencyPoint one_follower(const Tuning& tuning, double frequency_hz) {
    const double r = tuning.frequency_hz / frequency_hz;
    const double damping = 2 * tuning.damping_ratio * r;
    const double top_re = r * r;
    const double top_im = damping * tuning.lead;
    const double bottom_re = r * r - 1;
    const double top = math::sqrt(top_re * top_re + top_im * top_im);
    const double bottom = math::sqrt(bottom_re * bottom_re + damping * damping);
    const double gain = bottom > 0 ? top / bottom : std::numeric_limits<double>::infinity();
    return {frequency_hz, gain, math::atan2(damping, bottom_re) - math::atan2(top_im, top_re)};
}

FrequencyPoint all_followers(std::span<const Tuning> links, double frequency_hz) {
    FrequencyPoint point{frequency_hz, 1, 0};
    for (const Tuning& link : links) {
        const FrequencyPoint one = one_follower(link, frequency_hz);
        point.gain *= one.gain;
        point.phase_lag_rad += one.phase_lag_rad;
    }
    return point;
}

/// Logarithmically spaced, well beyond the natural frequencies of all links.
std::vector<double> frequencies_about(std::span<const Tuning> links) {
    double low = std::numeric_limits<double>::infinity();
    double high = 0;
    for (const Tuning& link : links) {
        low = std::min(low, link.frequency_hz);
        high = std::max(high, link.frequency_hz * (1 + link.damping_ratio));
    }
    std::vector<double> all;
    constexpr int count = 800;
    for (int i = 0; i <= count && low > 0; ++i)
        all.push_back(1e-3 * low * math::pow(1e6 * high / low, static_cast<double>(i) / count));
    return all;
}

/// The largest gain between two frequencies, by ternary search.
FrequencyPoint peak_between(std::span<const Tuning> links, double low, double high) {
    for (int i = 0; i < 200 && high > low * (1 + 1e-12); ++i) {
        const double first = low + (high - low) / 3;
        const double second = high - (high - low) / 3;
        if (all_followers(links, first).gain < all_followers(links, second).gain) {
            low = first;
        } else {
            high = second;
        }
    }
    return all_followers(links, 0.5 * (low + high));
}

double falls_between(std::span<const Tuning> links, double low, double high, double gain) {
    for (int i = 0; i < 200 && high > low * (1 + 1e-14); ++i) {
        const double middle = 0.5 * (low + high);
        (all_followers(links, middle).gain > gain ? low : high) = middle;
    }
    return 0.5 * (low + high);
}

void require_links(std::span<const Tuning> links) {
    for (const Tuning& link : links)
        require_valid(link);
}

}  // namespace

std::vector<FrequencyPoint> frequency_response(std::span<const Tuning> links,
                                               std::span<const double> frequencies_hz) {
    require_links(links);
    std::vector<FrequencyPoint> points;
    points.reserve(frequencies_hz.size());
    for (const double frequency_hz : frequencies_hz) {
        require_above_zero("frequency_hz", frequency_hz);
        points.push_back(all_followers(links, frequency_hz));
    }
    return points;
}

FrequencyFigures frequency_figures(std::span<const Tuning> links) {
    require_links(links);
    const std::vector<double> about = frequencies_about(links);
    FrequencyFigures figures;
    if (about.empty()) {
        figures.resonance_hz = figures.resonance_gain = figures.bandwidth_hz = figures.lag_s =
            Figure::none("without stiffness it does not follow");
        return figures;
    }
    const std::vector<FrequencyPoint> points = frequency_response(links, about);
    const auto widest =
        std::max_element(points.begin() + 1, points.end() - 1,
                         [](const auto& a, const auto& b) { return a.gain < b.gain; });
    const FrequencyPoint peak =
        peak_between(links, (widest - 1)->frequency_hz, (widest + 1)->frequency_hz);
    constexpr double amplified = 1.001;
    constexpr double endless = 1e6;
    const bool is_undamped = std::any_of(
        links.begin(), links.end(), [](const Tuning& link) { return link.damping_ratio == 0; });
    if (is_undamped || peak.gain > endless) {
        figures.resonance_hz = peak.frequency_hz;
        figures.resonance_gain = Figure::none("undamped, it swings ever wider there");
    } else if (peak.gain > amplified) {
        figures.resonance_hz = peak.frequency_hz;
        figures.resonance_gain = peak.gain;
    } else {
        figures.resonance_hz = figures.resonance_gain = Figure::none("no frequency is amplified");
    }
    constexpr double half_power = 0.70710678118654752;
    const auto fallen = std::find_if(points.begin() + 1, points.end(),
                                     [](const auto& point) { return point.gain < half_power; });
    figures.bandwidth_hz = fallen == points.end()
                               ? Figure::none("it never falls to 0.707")
                               : Figure{falls_between(links, (fallen - 1)->frequency_hz,
                                                      fallen->frequency_hz, half_power)};
    double lag_s = 0;
    for (const Tuning& link : links)
        lag_s += ramp_lag_s(link);
    figures.lag_s = lag_s;
    return figures;
}

}  // namespace hopcoil
