#include "least_squares.hpp"

#include <algorithm>
#include <cmath>
#include <cminpack.h>
#include <cstddef>
#include <exception>
#include <vector>

#include <Eigen/Eigenvalues>

namespace hopcoil::tune {
namespace {

/// What is left, and its slopes, at numbers that may lie outside of their bounds.
class Minimiser {
  public:
    Minimiser(const Residuals& residuals, const Eigen::VectorXd& low, const Eigen::VectorXd& high,
              double step, Eigen::Index length)
        : residuals_{residuals}, low_{low}, high_{high}, step_{step}, length_{length} {}

    [[nodiscard]] Eigen::VectorXd within(const Eigen::VectorXd& numbers) const {
        return numbers.cwiseMax(low_).cwiseMin(high_);
    }

    [[nodiscard]] Eigen::VectorXd left_at(const Eigen::VectorXd& numbers) const {
        Eigen::VectorXd left(length_);
        // Far from any record: the search turns back.
        if (!residuals_(within(numbers), left)) left.setConstant(length_, 1e6);
        return left;
    }

    [[nodiscard]] Eigen::MatrixXd slopes_at(const Eigen::VectorXd& numbers) const {
        Eigen::MatrixXd slopes(length_, numbers.size());
        for (Eigen::Index k = 0; k < numbers.size(); ++k) {
            Eigen::VectorXd moved = within(numbers);
            moved[k] = std::min(moved[k] + step_, high_[k]);
            const double upper = moved[k];
            const Eigen::VectorXd above = left_at(moved);
            moved[k] = std::max(upper - 2 * step_, low_[k]);
            slopes.col(k) = (above - left_at(moved)) / (upper - moved[k]);
        }
        return slopes;
    }

    /// From these numbers to the best ones.
    void minimise(Eigen::VectorXd& numbers, int most_evaluations) {
        const auto n = static_cast<int>(numbers.size());
        const auto m = static_cast<int>(length_);
        Eigen::VectorXd left(m);
        Eigen::MatrixXd slopes(m, n);
        // Scratch of the search: the scale of each number, and five vectors.
        std::vector<double> scratch(static_cast<std::size_t>(5 * n + m));
        const auto part = [&](std::ptrdiff_t k) {
            return scratch.data() + k * n;
        };
        std::vector<int> order(static_cast<std::size_t>(n));
        constexpr double cost_tolerance = 1e-12;
        constexpr double number_tolerance = 1e-10;
        constexpr double first_bound = 100;
        int evaluations = 0;
        int slopes_taken = 0;
        lmder(evaluate, this, m, n, numbers.data(), left.data(), slopes.data(), m, cost_tolerance,
              number_tolerance, 0.0, most_evaluations, part(0), 1, first_bound, 0, &evaluations,
              &slopes_taken, order.data(), part(1), part(2), part(3), part(4), part(5));
        if (failure_) std::rethrow_exception(failure_);
    }

  private:
    /// As the search calls it: what is left where `wanted` is 1, the slopes where it is 2.
    static int evaluate(void* search, int m, int n, const double* numbers, double* left,
                        double* slopes, int /*rows*/, int wanted) {
        auto& self = *static_cast<Minimiser*>(search);
        try {
            const Eigen::Map<const Eigen::VectorXd> at{numbers, n};
            if (wanted == 1) Eigen::Map<Eigen::VectorXd>{left, m} = self.left_at(at);
            if (wanted == 2) Eigen::Map<Eigen::MatrixXd>{slopes, m, n} = self.slopes_at(at);
            return 0;
        } catch (...) {  // what calls this is C
            self.failure_ = std::current_exception();
            return -1;
        }
    }

    const Residuals& residuals_;
    const Eigen::VectorXd& low_;
    const Eigen::VectorXd& high_;
    double step_;
    Eigen::Index length_;
    std::exception_ptr failure_{};
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
    Minimiser search{residuals, low, high, step, fit.left.size()};
    search.minimise(fit.numbers, most_steps);
    fit.numbers = search.within(fit.numbers);
    fit.left = search.left_at(fit.numbers);
    fit.slopes = search.slopes_at(fit.numbers);
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
