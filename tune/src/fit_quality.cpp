#include "fit_quality.hpp"

#include <algorithm>
#include <cmath>

namespace hopcoil::tune {
namespace {

constexpr double most_unexplained_percent = 5;

/// Sums of squares over all components.
struct Sums {
    double left = 0.0;
    double noise = 0.0;
    double motion = 0.0;
    std::vector<double> left_at{};  ///< each time
};

Sums sums_of(const ReferenceFit& fit, const std::vector<std::vector<double>>& motion,
             const std::vector<double>& scales) {
    Sums sums{.left_at = std::vector<double>(motion.front().size(), 0)};
    for (std::size_t c = 0; c < motion.size(); ++c) {
        const double scale = scales.empty() ? 1 : scales[c];
        double mean = 0;
        for (const double value : motion[c])
            mean += value / static_cast<double>(motion[c].size());
        double before = 0;
        for (std::size_t i = 0; i < motion[c].size(); ++i) {
            const double left = (motion[c][i] - fit.fitted[c][i]) / scale;
            const double deviation = (motion[c][i] - mean) / scale;
            sums.left += left * left;
            sums.left_at[i] += left * left;
            sums.motion += deviation * deviation;
            // Noise alone doubles its square from one sample to the next.
            if (i > 0) sums.noise += 0.5 * (left - before) * (left - before);
            before = left;
        }
    }
    return sums;
}

/// The tenth of the record with the most in it.
WorstStretch worst_of(const Sums& sums, const std::vector<double>& times_s) {
    const std::size_t count = times_s.size();
    const std::size_t width = std::max<std::size_t>(count / 10, 1);
    double here = 0;
    double most = -1;
    WorstStretch worst;
    for (std::size_t i = 0; i < count; ++i) {
        here += sums.left_at[i];
        if (i >= width) here -= sums.left_at[i - width];
        if (i + 1 < width || here <= most) continue;
        most = here;
        worst = {times_s[i + 1 - width], times_s[i], sums.left > 0 ? 100 * here / sums.left : 0};
    }
    return worst;
}

}  // namespace

void judge(ReferenceFit& fit, const std::vector<double>& times_s,
           const std::vector<std::vector<double>>& motion, const std::vector<double>& scales) {
    const Sums sums = sums_of(fit, motion, scales);
    const auto count = static_cast<double>(motion.size() * times_s.size());
    fit.residual_rms = std::sqrt(sums.left / count);
    fit.noise_rms = std::min(fit.residual_rms, std::sqrt(sums.noise / count));
    const double rest = std::max(0.0, sums.left - sums.noise);
    fit.unexplained_percent = sums.motion > 0 ? 100 * std::sqrt(rest / sums.motion) : 0;
    fit.is_explained = fit.unexplained_percent <= most_unexplained_percent;
    fit.worst = worst_of(sums, times_s);
}

}  // namespace hopcoil::tune
