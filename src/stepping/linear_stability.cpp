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

Matrix joined(const Matrix& xx, const Matrix& xv, const Matrix& vx, const Matrix& vv) {
    const Eigen::Index n = xx.rows();
    Matrix all(2 * n, 2 * n);
    all << xx, xv, vx, vv;
    return all;
}

/// The matrix of the motion itself, (x, v)' = A (x, v).
Matrix rate_matrix(const Operators& o) {
    const Eigen::Index n = o.k.rows();
    return joined(Matrix::Zero(n, n), Matrix::Identity(n, n), -o.k, -o.c);
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
    if (scheme == Scheme::velocity_verlet) {
        const Matrix xx = one - h * h / 2 * o.k;
        const Matrix xv = h * one - h * h / 2 * o.c;
        const Matrix foretold_x = -h * o.k;
        const Matrix foretold_v = one - h * o.c;
        return joined(xx, xv, -h / 2 * (o.k + o.k * xx + o.c * foretold_x),
                      one - h / 2 * (o.c + o.k * xv + o.c * foretold_v));
    }
    const Matrix vv = one - h * o.c;
    return joined(one - h * h * o.k, h * vv, -h * o.k, vv);
}

/// The eigenvalues of a scheme's step, for any step.
class Spectrum {
  public:
    Spectrum(const LinearSystem& system, Scheme scheme)
        : operators_{operators_of(system)}, scheme_{scheme} {
        if (!is_of_parts(scheme)) return;
        rates_ = Eigen::EigenSolver<Matrix>{rate_matrix(operators_), false}.eigenvalues();
        // A mode that only drifts is a pair of zeros, which rounding separates.
        const double noise = 1e-7 * quickness();
        for (std::complex<double>& rate : rates_) {
            if (std::abs(rate) < noise) rate = 0;
        }
    }

    /// An upper bound of the rates in it, per second.
    [[nodiscard]] double quickness() const {
        return std::sqrt(operators_.k.cwiseAbs().rowwise().sum().maxCoeff()) +
               operators_.c.cwiseAbs().rowwise().sum().maxCoeff();
    }

    [[nodiscard]] Eigenvalues at(double h) const {
        if (is_of_parts(scheme_)) {
            return rates_.unaryExpr(
                [&](const std::complex<double>& rate) { return growth_of(scheme_, h * rate); });
        }
        return Eigen::EigenSolver<Matrix>{one_step_matrix(operators_, scheme_, h), false}
            .eigenvalues();
    }

    [[nodiscard]] double radius(double h) const {
        const Eigenvalues all = at(h);
        return all.cwiseAbs().maxCoeff();
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
