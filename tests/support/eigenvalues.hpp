#pragma once

#include <complex>
#include <cstddef>
#include <lapacke.h>
#include <stdexcept>
#include <utility>
#include <vector>

#include <Eigen/Core>

// Eigenvalues by LAPACK: not by what the library uses itself, and compiled before.

inline void require_solved(int info) {
    if (info != 0) throw std::runtime_error{"the eigenvalues were not found"};
}

/// Of any square matrix.
[[nodiscard]] inline std::vector<std::complex<double>> eigenvalues_of(Eigen::MatrixXd matrix) {
    const auto n = static_cast<int>(matrix.rows());
    std::vector<double> real(static_cast<std::size_t>(n));
    std::vector<double> imaginary(static_cast<std::size_t>(n));
    require_solved(LAPACKE_dgeev(LAPACK_COL_MAJOR, 'N', 'N', n, matrix.data(), n, real.data(),
                                 imaginary.data(), nullptr, 1, nullptr, 1));
    std::vector<std::complex<double>> values;
    for (std::size_t i = 0; i < real.size(); ++i)
        values.emplace_back(real[i], imaginary[i]);
    return values;
}

/// The modes of m x'' + k x = 0, both symmetric: k v = value m v, with v^T m v = 1.
struct Modes {
    Eigen::VectorXd values{};   ///< from the least on
    Eigen::MatrixXd vectors{};  ///< a column each
};
[[nodiscard]] inline Modes modes_of(Eigen::MatrixXd stiffness, Eigen::MatrixXd mass) {
    const auto n = static_cast<int>(mass.rows());
    Modes modes{Eigen::VectorXd(n), {}};
    require_solved(LAPACKE_dsygv(LAPACK_COL_MAJOR, 1, 'V', 'L', n, stiffness.data(), n, mass.data(),
                                 n, modes.values.data()));
    modes.vectors = std::move(stiffness);
    return modes;
}
