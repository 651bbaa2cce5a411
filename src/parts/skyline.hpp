#pragma once

#include <cstddef>
#include <cstdint>
#include <span>
#include <vector>

namespace hopcoil {
namespace parts {

/// A symmetric matrix whose rows begin where their first number is, solved directly.
///
/// Model   A = L D L^T; a row that depends on those before it is left out of the solution.
class Skyline {
  public:
    /// Room for rows and numbers; what is asked for beyond that does not fit.
    void reserve(std::size_t rows, std::size_t numbers);
    /// Starts anew. False where there is no room.
    [[nodiscard]] bool begin(std::span<const std::uint32_t> firsts) noexcept;
    /// A number of the lower triangle, at or after the row's first.
    [[nodiscard]] double& at(std::size_t row, std::size_t column) noexcept {
        return numbers_[starts_[row] + column - firsts_[row]];
    }
    void factor() noexcept;
    /// In place.
    void solve(std::span<double> sides) const noexcept;

  private:
    std::vector<std::uint32_t> firsts_;
    std::vector<std::size_t> starts_;
    std::vector<double> numbers_;
    std::vector<double> inverse_pivots_;
    std::size_t rows_ = 0;
};

}  // namespace parts
}  // namespace hopcoil
