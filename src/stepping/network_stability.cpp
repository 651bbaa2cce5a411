#include <algorithm>
#include <cmath>
#include <cstdint>

#include <hopcoil/stepping/network_stability.hpp>
#include <hopcoil/stepping/stability.hpp>

namespace hopcoil {
namespace {

/// Factor between the springs that are tried, from none to the stiffest.
constexpr double between_tries = 1.1;
constexpr int tries = 140;

/// The limit of one spring, w^2 = k and 2 z w = c.
double limit_s(double k, double c, Scheme scheme) {
    const double w = std::sqrt(k);
    return unit_step_limits(c / (2 * w), scheme).largest_stable_s / w;
}

/// Damping in proportion to stiffness: c = time k in every motion, up to the stiffest.
double proportional_limit_s(const NetworkBounds& bounds, Scheme scheme) {
    double least = std::numeric_limits<double>::infinity();
    double k = bounds.stiffness_per_s2;
    for (int i = 0; i < tries; ++i) {
        least = std::min(least, limit_s(k, bounds.damping_time_s * k, scheme));
        k /= between_tries;
    }
    constexpr double rounding = 1e-9;
    return (1 - rounding) * least;
}

/// Any stiffness with any damping, up to the bounds: springs of one damping ratio differ only in
/// time scale, so the edges of that square decide.
double general_limit_s(const NetworkBounds& bounds, Scheme scheme) {
    const double k = bounds.stiffness_per_s2;
    const double c = bounds.damping_per_s;
    double least = limit_s(k, 0, scheme);
    double part = 1;
    for (int i = 0; i < tries; ++i) {
        least = std::min({least, limit_s(k, part * c, scheme), limit_s(part * k, c, scheme)});
        part /= between_tries;
    }
    // Between two tries the limit is a little less than at them.
    constexpr double sure = 0.98;
    return sure * least;
}

}  // namespace

double largest_stable_step_s(const NetworkBounds& bounds, Scheme scheme) {
    require_at_least_zero("stiffness_per_s2", bounds.stiffness_per_s2);
    require_at_least_zero("damping_per_s", bounds.damping_per_s);
    const double k = bounds.stiffness_per_s2;
    const double c = bounds.damping_per_s;
    if (scheme == Scheme::implicit_euler || (k == 0 && c == 0)) {
        return std::numeric_limits<double>::infinity();
    }
    if (k == 0) {
        // Friction alone: a spring so weak that its force is negligible.
        return 0.99 * limit_s(1e-8 * c * c, c, scheme);
    }
    if (bounds.damping_time_s >= 0) return proportional_limit_s(bounds, scheme);
    if (scheme == Scheme::semi_implicit_euler || scheme == Scheme::position_verlet) {
        return 4 / (c + std::sqrt(c * c + 4 * k));
    }
    return general_limit_s(bounds, scheme);
}

namespace network {

void fill_start(std::span<double> numbers) noexcept {
    std::uint64_t state = 0x9e3779b97f4a7c15ULL;
    for (double& each : numbers) {
        state = state * 6364136223846793005ULL + 1442695040888963407ULL;
        each = 2 * (static_cast<double>(state >> 11U) * 0x1p-53) - 1;
    }
}

double normalise(std::span<double> numbers, std::span<const double> masses) noexcept {
    double sum = 0;
    for (std::size_t i = 0; i < numbers.size(); ++i)
        sum += masses[i] * numbers[i] * numbers[i];
    const double length = std::sqrt(sum);
    if (length > 0) {
        for (double& each : numbers)
            each /= length;
    }
    return length;
}

double proportion(std::span<const double> stiffness_forces,
                  std::span<const double> damping_forces) noexcept {
    double of_both = 0;
    double of_stiffness = 0;
    for (std::size_t i = 0; i < stiffness_forces.size(); ++i) {
        of_both += stiffness_forces[i] * damping_forces[i];
        of_stiffness += stiffness_forces[i] * stiffness_forces[i];
    }
    const double seconds = of_stiffness > 0 ? of_both / of_stiffness : 0;
    double largest = 0;
    double furthest = 0;
    for (std::size_t i = 0; i < stiffness_forces.size(); ++i) {
        const double force = damping_forces[i];
        largest = std::max(largest, std::abs(force));
        furthest = std::max(furthest, std::abs(force - seconds * stiffness_forces[i]));
    }
    if (furthest <= 1e-9 * largest && seconds >= 0) return seconds;
    return std::numeric_limits<double>::quiet_NaN();
}

}  // namespace network
}  // namespace hopcoil
