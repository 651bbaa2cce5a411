#include <algorithm>
#include <cmath>
#include <complex>
#include <string>
#include <vector>

#include <Eigen/Core>
#include <Eigen/Eigenvalues>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/stepping/linear_stability.hpp>

#include "first_crossing.hpp"

namespace hopcoil {
namespace {

using Matrix = Eigen::MatrixXd;
using RowMajor = Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, Eigen::RowMajor>;
using Eigenvalues = Eigen::VectorXcd;

/// Eigenvalues that come in equal pairs are accurate to half the digits only.
constexpr double near_1 = 1e-7;
constexpr double unbounded_s = std::numeric_limits<double>::infinity();

struct Operators {
    Matrix k;
    Matrix c;
};

Operators operators_of(const LinearSystem& system) {
    const auto n = static_cast<Eigen::Index>(system.size);
    return {Eigen::Map<const RowMajor>{system.stiffness.data(), n, n},
            Eigen::Map<const RowMajor>{system.damping.data(), n, n}};
}

// Each expression of matrices is a template of its own, which takes up to a second to compile:
// these two serve for all sums and products.
Matrix weighted(double a, const Matrix& m, double b, const Matrix& n) {
    return a * m + b * n;
}
Matrix product(const Matrix& m, const Matrix& n) {
    return m * n;
}

Matrix joined(const Matrix& xx, const Matrix& xv, const Matrix& vx, const Matrix& vv) {
    const Eigen::Index n = xx.rows();
    Matrix all(2 * n, 2 * n);
    all.block(0, 0, n, n) = xx;
    all.block(0, n, n, n) = xv;
    all.block(n, 0, n, n) = vx;
    all.block(n, n, n, n) = vv;
    return all;
}

/// The matrix of the motion itself, (x, v)' = A (x, v).
Matrix rate_matrix(const Operators& o) {
    const Eigen::Index n = o.k.rows();
    const Matrix none = Matrix::Zero(n, n);
    return joined(none, Matrix::Identity(n, n), weighted(-1, o.k, 0, none),
                  weighted(-1, o.c, 0, none));
}

/// How a scheme steps one mode (y' = mu y) of a motion, where that is a function of h mu alone.
std::complex<double> growth_of(Scheme scheme, std::complex<double> m) {
    switch (scheme) {
        case Scheme::explicit_euler:
            return 1.0 + m;
        case Scheme::midpoint:
            return 1.0 + m * (1.0 + m / 2.0);
        case Scheme::implicit_euler:
            return 1.0 / (1.0 - m);
        default:
            return 1.0 + m * (1.0 + m / 2.0 * (1.0 + m / 3.0 * (1.0 + m / 4.0)));
    }
}

bool is_of_parts(Scheme scheme) {
    return scheme == Scheme::explicit_euler || scheme == Scheme::midpoint ||
           scheme == Scheme::implicit_euler || scheme == Scheme::runge_kutta_4;
}

Matrix one_step_matrix(const Operators& o, Scheme scheme, double h) {
    const Eigen::Index n = o.k.rows();
    const Matrix one = Matrix::Identity(n, n);
    const Matrix damped = weighted(1, one, -h, o.c);
    if (scheme == Scheme::velocity_verlet) {
        const double half = h / 2;
        const Matrix xx = weighted(1, one, -h * half, o.k);
        const Matrix xv = weighted(h, one, -h * half, o.c);
        // The force at the step's end, of the foretold velocity (-h k, damped).
        const Matrix end_x = weighted(1, product(o.k, xx), -h, product(o.c, o.k));
        const Matrix end_v = weighted(1, product(o.k, xv), 1, product(o.c, damped));
        return joined(xx, xv, weighted(-half, o.k, -half, end_x),
                      weighted(1, weighted(1, one, -half, o.c), -half, end_v));
    }
    return joined(weighted(1, one, -h * h, o.k), weighted(h, damped, 0, one),
                  weighted(-h, o.k, 0, one), damped);
}

Eigenvalues eigenvalues_of(const Matrix& matrix) {
    return Eigen::EigenSolver<Matrix>{matrix, false}.eigenvalues();
}

double largest_row(const Matrix& matrix) {
    double largest = 0;
    for (Eigen::Index i = 0; i < matrix.rows(); ++i) {
        double sum = 0;
        for (Eigen::Index j = 0; j < matrix.cols(); ++j)
            sum += std::abs(matrix(i, j));
        largest = std::max(largest, sum);
    }
    return largest;
}

/// The eigenvalues of a scheme's step, for any step.
class Spectrum {
  public:
    Spectrum(const LinearSystem& system, Scheme scheme)
        : operators_{operators_of(system)}, scheme_{scheme} {
        if (!is_of_parts(scheme)) return;
        rates_ = eigenvalues_of(rate_matrix(operators_));
        // A mode that only drifts is a pair of zeros, which rounding separates.
        const double noise = 1e-7 * quickness();
        for (std::complex<double>& rate : rates_) {
            if (std::abs(rate) < noise) rate = 0;
        }
    }

    /// An upper bound of the rates in it, per second.
    [[nodiscard]] double quickness() const {
        return std::sqrt(largest_row(operators_.k)) + largest_row(operators_.c);
    }

    [[nodiscard]] Eigenvalues at(double h) const {
        if (!is_of_parts(scheme_)) return eigenvalues_of(one_step_matrix(operators_, scheme_, h));
        Eigenvalues all = rates_;
        for (std::complex<double>& each : all)
            each = growth_of(scheme_, h * each);
        return all;
    }

    [[nodiscard]] double radius(double h) const {
        double largest = 0;
        for (const std::complex<double>& each : at(h)) {
            const double size = std::abs(each);
            largest = std::isnan(size) ? unbounded_s : std::max(largest, size);  // overflowed
        }
        return largest;
    }

    [[nodiscard]] bool has_negative(double h) const {
        const Eigenvalues all = at(h);
        return std::any_of(all.begin(), all.end(), [](const std::complex<double>& each) {
            return each.real() < 0 && std::abs(each.imag()) <= 1e-9 * std::abs(each);
        });
    }

  private:
    Operators operators_;
    Scheme scheme_;
    Eigenvalues rates_;
};

/// The least step in (from, to) for which `beyond` holds; infinity where none does, 0 where all do.
template <class Condition>
double first_step(double from, double to, double factor, const Condition& beyond) {
    return beyond(from) ? 0 : first_crossing(from, to, factor, 40, beyond);
}

}  // namespace

void require_valid(const LinearSystem& system) {
    const std::size_t wanted = system.size * system.size;
    const auto check = [&](const char* name, const std::vector<double>& numbers) {
        if (numbers.size() != wanted) {
            throw InvalidValue{name, static_cast<double>(numbers.size()),
                               "size x size = " + std::to_string(wanted) + " numbers"};
        }
        for (const double each : numbers)
            require_finite(name, each);
    };
    check("stiffness", system.stiffness);
    check("damping", system.damping);
}

double spectral_radius(const LinearSystem& system, Scheme scheme, double dt) {
    require_valid(system);
    require_above_zero("dt", dt);
    if (system.size == 0) return 0;
    return Spectrum{system, scheme}.radius(dt);
}

StepLimits step_limits(const LinearSystem& system, Scheme scheme) {
    require_valid(system);
    if (system.size == 0) return {};
    const Spectrum spectrum{system, scheme};
    const double quickness = spectrum.quickness();
    if (quickness == 0) return {};
    // For some schemes the rates are computed once for all steps; for others each step needs a
    // solve.
    const bool cheap = is_of_parts(scheme);
    const double from = (cheap ? 1e-4 : 0.05) / quickness;
    const double to = 1e3 / quickness;
    const double factor = cheap ? 1.003 : 1.05;
    const auto grows = [&](double h) {
        return spectrum.radius(h) > 1 + near_1;
    };
    const auto rings = [&](double h) {
        return spectrum.has_negative(h);
    };
    StepLimits limits;
    if (scheme != Scheme::implicit_euler)
        limits.largest_stable_s = first_step(from, to, factor, grows);
    const double last = std::min(to, limits.largest_stable_s * factor);
    limits.ringing_from_s = last > from ? first_step(from, last, factor, rings) : unbounded_s;
    return limits;
}

}  // namespace hopcoil
