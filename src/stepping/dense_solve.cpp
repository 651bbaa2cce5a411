#include <cmath>

#include <Eigen/Core>

#include <hopcoil/stepping/detail/dense_solve.hpp>

namespace hopcoil {

template <class S>
bool solve_in_place(std::span<S> matrix, std::span<S> numbers) noexcept {
    using Matrix = Eigen::Matrix<S, Eigen::Dynamic, Eigen::Dynamic, Eigen::RowMajor>;
    const auto size = static_cast<Eigen::Index>(numbers.size());
    Eigen::Map<Matrix> a{matrix.data(), size, size};
    Eigen::Map<Eigen::Matrix<S, Eigen::Dynamic, 1>> b{numbers.data(), size};
    // Row by row, so that nothing is allocated for a block of them.
    for (Eigen::Index k = 0; k < size; ++k) {
        Eigen::Index pivot = 0;
        const S largest = a.col(k).tail(size - k).cwiseAbs().maxCoeff(&pivot);
        if (!(largest > 0) || !std::isfinite(largest)) return false;
        pivot += k;
        if (pivot != k) {
            a.row(k).swap(a.row(pivot));
            std::swap(b[k], b[pivot]);
        }
        const Eigen::Index rest = size - k - 1;
        for (Eigen::Index i = k + 1; i < size; ++i) {
            const S share = a(i, k) / a(k, k);
            if (share == 0) continue;
            a.row(i).tail(rest) -= share * a.row(k).tail(rest);
            b[i] -= share * b[k];
        }
    }
    for (Eigen::Index k = size - 1; k >= 0; --k) {
        const Eigen::Index rest = size - k - 1;
        S sum = b[k];
        for (Eigen::Index j = 0; j < rest; ++j)
            sum -= a(k, k + 1 + j) * b[k + 1 + j];
        b[k] = sum / a(k, k);
    }
    return true;
}

template bool solve_in_place(std::span<float>, std::span<float>) noexcept;
template bool solve_in_place(std::span<double>, std::span<double>) noexcept;

}  // namespace hopcoil
