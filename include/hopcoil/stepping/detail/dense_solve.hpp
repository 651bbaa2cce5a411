#pragma once

#include <span>

namespace hopcoil {

/// Solves matrix * x = numbers in place, by elimination with pivots; false when the matrix is
/// singular to working precision. Neither throws nor allocates.
///
/// Shapes  numbers: n; matrix: n x n, row after row; both are overwritten.
template <class S>
[[nodiscard]] bool solve_in_place(std::span<S> matrix, std::span<S> numbers) noexcept;

}  // namespace hopcoil
