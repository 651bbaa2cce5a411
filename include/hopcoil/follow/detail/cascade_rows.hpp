#pragma once

#include <cstddef>
#include <span>
#include <vector>

#include <hopcoil/spring/tuning.hpp>

namespace hopcoil {

/// One exact step of a chain of followers as one linear system, while the first target moves
/// straight.
///
/// Model   the exponential of the chain's matrix, with the target's travel as one more state. Link
///         i depends on itself and those ahead of it. After a step
///             gap_i, velocity_i <- sum over j <= i of (gap_j, velocity_j) parts
///                                  + travel parts
/// Cost    with n links about 30 (2 n + 1)^3 multiplications, when a step has another length than
///         the one before; no allocation after the constructor.
class CascadeRows {
  public:
    explicit CascadeRows(std::size_t links);

    void compute(std::span<const Tuning> tunings, double dt) noexcept;

    /// The part of 2 i (gap of link i) or 2 i + 1 (its velocity) that comes from 2 j, 2 j + 1, or
    /// the travel (2 n).
    [[nodiscard]] double part(std::size_t of, std::size_t from) const noexcept {
        return result_[of * size_ + from];
    }

  private:
    void multiply(const std::vector<double>& a, const std::vector<double>& b,
                  std::vector<double>& product) const noexcept;

    std::size_t size_;
    std::vector<double> result_;
    std::vector<double> matrix_;
    std::vector<double> term_;
    std::vector<double> scratch_;
    std::vector<double> scale_;
};

}  // namespace hopcoil
