#include "least_squares.hpp"

#include <algorithm>
#include <cmath>
#include <unsupported/Eigen/NonLinearOptimization>

#include <Eigen/Eigenvalues>

namespace hopcoil::tune {
namespace {

/// The form in which Eigen asks for it.
struct Functor {
    using Scalar = double;
    using InputType = Eigen::VectorXd;
    using ValueType = Eigen::VectorXd;
    using JacobianType = Eigen::MatrixXd;
    [[maybe_unused]] static constexpr int InputsAtCompileTime = Eigen::Dynamic;
    [[maybe_unused]] static constexpr int ValuesAtCompileTime = Eigen::Dynamic;

    const Residuals& residuals;
    const Eigen::VectorXd& low;
    const Eigen::VectorXd& high;
    double step;
    Eigen::Index length;

    [[nodiscard]] int inputs() const { return static_cast<int>(low.size()); }
    [[nodiscard]] int values() const { return static_cast<int>(length); }

    [[nodiscard]] Eigen::VectorXd within(const Eigen::VectorXd& numbers) const {
        return numbers.cwiseMax(low).cwiseMin(high);
    }

    int operator()(const Eigen::VectorXd& numbers, Eigen::VectorXd& left) const {
        // Far from any record: the search turns back.
        if (!residuals(within(numbers), left)) left.setConstant(length, 1e6);
        return 0;
    }

    int df(const Eigen::VectorXd& numbers, Eigen::MatrixXd& slopes) const {
        Eigen::VectorXd above(length);
        Eigen::VectorXd below(length);
        for (Eigen::Index k = 0; k < numbers.size(); ++k) {
            Eigen::VectorXd moved = within(numbers);
            moved[k] = std::min(moved[k] + step, high[k]);
            const double upper = moved[k];
            (*this)(moved, above);
            moved[k] = std::max(upper - 2 * step, low[k]);
            (*this)(moved, below);
            slopes.col(k) = (above - below) / (upper - moved[k]);
        }
        return 0;
    }
};

/// How much of what is left in one sample is there in the next too.
double correlation_of(const Eigen::VectorXd& left, Eigen::Index components) {
    const Eigen::Index count = left.size() / components;
    double together = 0;
    for (Eigen::Index k = 0; k < components; ++k) {
        const auto part = left.segment(k * count, count);
        together += part.head(count - 1).dot(part.tail(count - 1));
    }
    const double all = left.squaredNorm();
    return all > 0 ? together / all : 0;
}

}  // namespace

LeastSquares least_squares(const Residuals& residuals, const Eigen::VectorXd& start,
                           const Eigen::VectorXd& low, const Eigen::VectorXd& high, double step,
                           int most_steps) {
    LeastSquares fit{.numbers = start.cwiseMax(low).cwiseMin(high)};
    residuals(fit.numbers, fit.left);
    Functor functor{residuals, low, high, step, fit.left.size()};
    Eigen::LevenbergMarquardt<Functor> search{functor};
    search.parameters.maxfev = most_steps;
    search.parameters.xtol = 1e-10;
    search.parameters.ftol = 1e-12;
    search.minimize(fit.numbers);
    fit.numbers = functor.within(fit.numbers);
    functor(fit.numbers, fit.left);
    fit.slopes.resize(fit.left.size(), fit.numbers.size());
    functor.df(fit.numbers, fit.slopes);
    return fit;
}

Eigen::MatrixXd covariance_of(const LeastSquares& fit, Eigen::Index components,
                              Eigen::Index others) {
    const auto free = static_cast<double>(
        std::max<Eigen::Index>(1, fit.left.size() - fit.numbers.size() - others));
    double variance = fit.cost() / free;
    const double correlation = correlation_of(fit.left, components);
    if (correlation > 2 / std::sqrt(static_cast<double>(fit.left.size()))) {
        const double most = std::min(correlation, 0.999);
        variance *= (1 + most) / (1 - most);
    }
    // Directions in which nothing changes stay open, rather than making all numbers infinite.
    const Eigen::SelfAdjointEigenSolver<Eigen::MatrixXd> solver{fit.slopes.transpose() *
                                                                fit.slopes};
    const double least = 1e-14 * std::max(solver.eigenvalues().maxCoeff(), 1e-300);
    const Eigen::VectorXd inverse = solver.eigenvalues().cwiseMax(least).cwiseInverse();
    return variance * solver.eigenvectors() * inverse.asDiagonal() *
           solver.eigenvectors().transpose();
}

double deviations_for_95_percent(double degrees_of_freedom) {
    // Student's distribution, as a series in one over the degrees of freedom.
    const double n = std::max(1.0, degrees_of_freedom);
    return 1.96 + 2.372 / n + 2.823 / (n * n) + 5.6 / (n * n * n);
}

}  // namespace hopcoil::tune
