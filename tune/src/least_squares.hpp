#pragma once

#include <functional>

#include <Eigen/Core>

namespace hopcoil::tune {

/// What is left of a record with these numbers; false where there is no such run. It has always the
/// same length.
using Residuals = std::function<bool(const Eigen::VectorXd& numbers, Eigen::VectorXd& left)>;

struct LeastSquares {
    Eigen::VectorXd numbers{};
    Eigen::VectorXd left{};
    Eigen::MatrixXd slopes{};  ///< of what is left, with each number
    [[nodiscard]] double cost() const { return left.squaredNorm(); }
};

/// The numbers between `low` and `high` of which the least is left, from `start` on. Slopes are
/// differences over `step` either way.
/// Source  J. J. More: The Levenberg-Marquardt algorithm (1978).
[[nodiscard]] LeastSquares least_squares(const Residuals& residuals, const Eigen::VectorXd& start,
                                         const Eigen::VectorXd& low, const Eigen::VectorXd& high,
                                         double step, int most_steps);

/// The covariance of the numbers, from what is left; `others` more numbers were found beside them.
/// Widened where what is left of one component goes together from one sample to the next.
[[nodiscard]] Eigen::MatrixXd covariance_of(const LeastSquares& fit, Eigen::Index components,
                                            Eigen::Index others);

/// So many standard deviations to either side hold 95 of 100.
[[nodiscard]] double deviations_for_95_percent(double degrees_of_freedom);

}  // namespace hopcoil::tune
