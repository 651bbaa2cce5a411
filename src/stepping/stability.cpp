#include <algorithm>
#include <cmath>
#include <complex>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/stepping/stability.hpp>

#include "first_crossing.hpp"

namespace hopcoil {
namespace {

constexpr double unbounded_s = std::numeric_limits<double>::infinity();

/// Rounding of entries changes the spectral radius of an undamped step by as much as this.
constexpr double near_1 = 1e-12;

OneStepMatrix product(const OneStepMatrix& a, const OneStepMatrix& b) {
    return {.y_of_y = a.y_of_y * b.y_of_y + a.y_of_v * b.v_of_y,
            .y_of_v = a.y_of_y * b.y_of_v + a.y_of_v * b.v_of_v,
            .v_of_y = a.v_of_y * b.y_of_y + a.v_of_v * b.v_of_y,
            .v_of_v = a.v_of_y * b.y_of_v + a.v_of_v * b.v_of_v};
}

/// 1 + u A (1 + u A / 2 (1 + ...)) for as many terms as the scheme has evaluations: the step of
/// every Runge-Kutta scheme of as high an order for a linear motion.
OneStepMatrix runge_kutta_matrix(int terms, double u, double z) {
    OneStepMatrix sum;
    for (int k = terms; k >= 1; --k) {
        const double part = u / k;
        const OneStepMatrix a{0, part, -part, -2 * z * part};
        const OneStepMatrix next = product(a, sum);
        sum = {1 + next.y_of_y, next.y_of_v, next.v_of_y, 1 + next.v_of_v};
    }
    return sum;
}

OneStepMatrix velocity_verlet_matrix(double u, double z) {
    const double half = u / 2;
    const OneStepMatrix a{0, 0, -1, -2 * z};  // acceleration over w^2, in the second row
    const double y_of_y = 1 + u * half * a.v_of_y;
    const double y_of_v = u + u * half * a.v_of_v;
    const double foretold_of_y = u * a.v_of_y;
    const double foretold_of_v = 1 + u * a.v_of_v;
    return {y_of_y, y_of_v, half * (a.v_of_y + a.v_of_y * y_of_y + a.v_of_v * foretold_of_y),
            1 + half * (a.v_of_v + a.v_of_y * y_of_v + a.v_of_v * foretold_of_v)};
}

/// A magnitude that IEEE 754 makes the same everywhere.
double size_of(const std::complex<double>& z) {
    return std::sqrt(z.real() * z.real() + z.imag() * z.imag());
}

struct Eigenvalues {
    std::complex<double> first;
    std::complex<double> second;
};

Eigenvalues eigenvalues(const OneStepMatrix& m) {
    const double mean = (m.y_of_y + m.v_of_v) / 2;
    const double half_difference = (m.y_of_y - m.v_of_v) / 2;
    const double under_root = half_difference * half_difference + m.y_of_v * m.v_of_y;
    if (under_root < 0) {
        const double imaginary = std::sqrt(-under_root);
        return {{mean, imaginary}, {mean, -imaginary}};
    }
    // The larger one first; the other from the product, which keeps its digits.
    const double larger = mean + std::copysign(std::sqrt(under_root), mean);
    const double determinant = m.y_of_y * m.v_of_v - m.y_of_v * m.v_of_y;
    return {{larger, 0}, {larger == 0 ? 0 : determinant / larger, 0}};
}

/// The least u in (from, to) at which `beyond` becomes true; infinity when it never does.
template <class Condition>
double first_u(double from, double to, const Condition& beyond) {
    return first_crossing(from, to, 1.02, 60, beyond);
}

/// The real root of u^3 / 4 - z u^2 + 2 z^2 u - 2 z, which grows with u throughout.
double midpoint_limit(double z) {
    if (z >= 1) return 2 / (z + std::sqrt((z - 1) * (z + 1)));
    double low = 0;
    double high = 4;
    for (int i = 0; i < 80 && z > 0; ++i) {
        const double u = (low + high) / 2;
        const double height = ((u / 4 - z) * u + 2 * z * z) * u - 2 * z;
        (height > 0 ? high : low) = u;
    }
    return low;
}

double largest_stable_u(Scheme scheme, double z) {
    const double d = z > 1 ? std::sqrt((z - 1) * (z + 1)) : 0;
    // Above critical damping the quick mode decides, and the limits shrink with it.
    const double least = 0.2 / (1 + z);
    const double most = 20 / (1 + z);
    const auto grows = [&](double u) {
        return spectral_radius(one_step_matrix(scheme, u, z)) > 1 + near_1;
    };
    switch (scheme) {
        case Scheme::explicit_euler:
            return z < 1 ? 2 * z : 2 / (z + d);
        case Scheme::semi_implicit_euler:
        case Scheme::position_verlet:
            return 2 / (std::sqrt(z * z + 1) + z);
        case Scheme::implicit_euler:
            return unbounded_s;
        case Scheme::midpoint:
            return midpoint_limit(z);
        case Scheme::velocity_verlet:
        case Scheme::runge_kutta_4:
            break;
    }
    return first_u(least, most, grows);
}

double ringing_from_u(Scheme scheme, double z) {
    switch (scheme) {
        case Scheme::explicit_euler:
            return z < 1 ? unbounded_s : 1 / (z + std::sqrt((z - 1) * (z + 1)));
        case Scheme::semi_implicit_euler:
        case Scheme::position_verlet:
            return z < 0.5 ? 2 - 2 * z : 1 / (2 * z);
        case Scheme::velocity_verlet:
            return first_u(0.05 / (1 + z), 20 / (1 + z), [&](double u) {
                return has_negative_eigenvalue(one_step_matrix(scheme, u, z));
            });
        case Scheme::implicit_euler:
        case Scheme::midpoint:
        case Scheme::runge_kutta_4:
            break;
    }
    return unbounded_s;
}

}  // namespace

OneStepMatrix one_step_matrix(Scheme scheme, double u, double damping_ratio) noexcept {
    const double z = damping_ratio;
    switch (scheme) {
        case Scheme::explicit_euler:
            return runge_kutta_matrix(1, u, z);
        case Scheme::midpoint:
            return runge_kutta_matrix(2, u, z);
        case Scheme::runge_kutta_4:
            return runge_kutta_matrix(4, u, z);
        case Scheme::velocity_verlet:
            return velocity_verlet_matrix(u, z);
        case Scheme::implicit_euler: {
            const double below = 1 + 2 * z * u + u * u;
            return {(1 + 2 * z * u) / below, u / below, -u / below, 1 / below};
        }
        case Scheme::semi_implicit_euler:
        case Scheme::position_verlet:
            break;
    }
    return {1 - u * u, u * (1 - 2 * z * u), -u, 1 - 2 * z * u};
}

double spectral_radius(const OneStepMatrix& matrix) noexcept {
    const Eigenvalues both = eigenvalues(matrix);
    return std::max(size_of(both.first), size_of(both.second));
}

bool has_negative_eigenvalue(const OneStepMatrix& matrix) noexcept {
    const Eigenvalues both = eigenvalues(matrix);
    return both.first.imag() == 0 && (both.first.real() < 0 || both.second.real() < 0);
}

StepLimits unit_step_limits(double damping_ratio, Scheme scheme) {
    require_at_least_zero("damping_ratio", damping_ratio);
    return {largest_stable_u(scheme, damping_ratio), ringing_from_u(scheme, damping_ratio)};
}

StepLimits step_limits(const Tuning& tuning, Scheme scheme) {
    require_valid(tuning);
    if (tuning.frequency_hz == 0) return {};
    const double w = angular_frequency_rad_per_s(tuning);
    const StepLimits unit = unit_step_limits(tuning.damping_ratio, scheme);
    return {unit.largest_stable_s / w, unit.ringing_from_s / w};
}

const char* in_words(StepVerdict verdict) noexcept {
    switch (verdict) {
        case StepVerdict::rings:
            return "rings";
        case StepVerdict::unstable:
            return "unstable";
        case StepVerdict::stable:
            break;
    }
    return "stable";
}

StepReport step_report(const Tuning& tuning, Scheme scheme, double dt) {
    require_valid(tuning);
    require_above_zero("dt", dt);
    if (tuning.frequency_hz == 0) return {};
    const OneStepMatrix matrix =
        one_step_matrix(scheme, angular_frequency_rad_per_s(tuning) * dt, tuning.damping_ratio);
    StepReport report{.spectral_radius = spectral_radius(matrix),
                      .beyond_half_rate = tuning.frequency_hz > 0.5 / dt};
    if (!(report.spectral_radius <= 1 + near_1)) {
        report.verdict = StepVerdict::unstable;
    } else if (has_negative_eigenvalue(matrix)) {
        report.verdict = StepVerdict::rings;
    }
    const std::complex<double> swing = eigenvalues(matrix).first;
    if (swing.imag() != 0) {
        const double decay = -math::log(size_of(swing)) / dt;
        const double turning = math::atan2(swing.imag(), swing.real()) / dt;
        const double natural = math::sqrt(decay * decay + turning * turning);
        report.damping_ratio = decay / natural;
        report.frequency_hz = natural / (2 * math::pi);
    }
    return report;
}

}  // namespace hopcoil
