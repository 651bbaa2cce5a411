#include <algorithm>
#include <cmath>

#include <hopcoil/follow/detail/cascade_rows.hpp>

namespace hopcoil {

CascadeRows::CascadeRows(std::size_t links)
    : size_{2 * links + 1},
      result_(size_ * size_),
      matrix_(size_ * size_),
      term_(size_ * size_),
      scratch_(size_ * size_),
      scale_(links) {}

void CascadeRows::multiply(const std::vector<double>& a, const std::vector<double>& b,
                           std::vector<double>& product) const noexcept {
    std::fill(product.begin(), product.end(), 0.0);
    for (std::size_t i = 0; i < size_; ++i) {
        for (std::size_t k = 0; k < size_; ++k) {
            const double factor = a[i * size_ + k];
            if (factor == 0) continue;  // most are: a link depends on those ahead of it only
            for (std::size_t j = 0; j < size_; ++j)
                product[i * size_ + j] += factor * b[k * size_ + j];
        }
    }
}

void CascadeRows::compute(std::span<const Tuning> tunings, double dt) noexcept {
    const std::size_t links = tunings.size();
    const std::size_t travel = 2 * links;
    std::fill(matrix_.begin(), matrix_.end(), 0.0);
    const auto entry = [&](std::size_t row, std::size_t column) -> double& {
        return matrix_[row * size_ + column];
    };
    // States over the step: gaps, and velocities in units of each link's own w (of 1/dt without
    // stiffness), so that no entry is the square of a large number.
    for (std::size_t i = 0; i < links; ++i) {
        const double w = angular_frequency_rad_per_s(tunings[i]);
        const double hold = 2 * tunings[i].damping_ratio * w * dt;
        const double scale = w > 0 ? w : 1 / dt;
        scale_[i] = scale;
        entry(2 * i, 2 * i + 1) = dt * scale;
        entry(2 * i + 1, 2 * i) = -w * dt * (w / scale);
        entry(2 * i + 1, 2 * i + 1) = -hold;
        if (i == 0) {
            entry(0, travel) = -1;
            entry(1, travel) = 2 * tunings[i].damping_ratio * tunings[i].lead * (w / scale);
        } else {
            entry(2 * i, 2 * i - 1) = -dt * scale_[i - 1];
            entry(2 * i + 1, 2 * i - 1) = hold * tunings[i].lead * (scale_[i - 1] / scale);
        }
    }
    double norm = 0;
    for (const double each : matrix_)
        norm = std::max(norm, std::abs(each));
    constexpr double least_norm = 1.0 / 32;
    int squarings = 0;
    while (std::ldexp(norm, -squarings) > least_norm && squarings < 1000)
        ++squarings;
    const double halved = std::ldexp(1.0, -squarings);
    for (double& each : matrix_)
        each *= halved;

    // e^M - 1 by 12 terms, then doubled: entries that are small beside 1 keep their digits.
    result_ = matrix_;
    term_ = matrix_;
    for (int n = 2; n <= 12; ++n) {
        multiply(term_, matrix_, scratch_);
        for (std::size_t i = 0; i < scratch_.size(); ++i) {
            term_[i] = scratch_[i] / n;
            result_[i] += term_[i];
        }
    }
    for (; squarings > 0; --squarings) {
        multiply(result_, result_, scratch_);
        for (std::size_t i = 0; i < scratch_.size(); ++i)
            result_[i] = 2 * result_[i] + scratch_[i];
    }
    for (std::size_t i = 0; i < size_; ++i)
        result_[i * size_ + i] += 1;
    for (std::size_t i = 0; i < links; ++i) {
        for (std::size_t j = 0; j < size_; ++j) {
            result_[(2 * i + 1) * size_ + j] *= scale_[i];
            result_[j * size_ + 2 * i + 1] /= scale_[i];
        }
    }
}

}  // namespace hopcoil
