#pragma once

#include <cstddef>
#include <cstdint>
#include <span>
#include <utility>
#include <vector>

#include <hopcoil/base/instruction_set.hpp>
#include <hopcoil/base/vector3.hpp>

namespace hopcoil {

/// Solves A x = b for symmetric positive definite A with few entries, for x, y and z at once. What
/// depends on where the entries are alone is found once; new numbers and solving allocate nothing.
///
/// Model   P A P^T = L D L^T, rows of L found one after the other along the elimination tree; P
///         orders by approximate minimum degree.
class SparseSolver {
  public:
    using Entry = std::pair<std::uint32_t, std::uint32_t>;

    /// Entries off the diagonal, each once, in one of the two triangles.
    SparseSolver(std::size_t size, std::span<const Entry> entries);

    /// New numbers: of the diagonal, and of the entries in their order. False when the matrix is
    /// not positive definite.
    bool factor(std::span<const double> diagonal, std::span<const double> entries) noexcept;
    /// In place.
    void solve(InstructionSet set, std::span<Vector3> b) noexcept;

    /// Numbers that are worked off at once: x, y, z and nothing.
    using Four = double __attribute__((vector_size(32), aligned(8)));
    struct Lanes {
        Four of = {0, 0, 0, 0};
    };

  private:
    void find_order(std::size_t size, std::span<const Entry> entries);
    void find_columns(std::span<const Entry> entries);
    void find_tree();

    std::vector<std::uint32_t> order_;  ///< order_[new] = old
    std::vector<std::uint32_t> place_;  ///< place_[old] = new
    /// The upper triangle, column after column, in the new order; and whose number each is.
    std::vector<std::uint32_t> starts_;
    std::vector<std::uint32_t> rows_;
    std::vector<std::uint32_t> sources_;
    std::vector<std::uint32_t> parents_;  ///< of the elimination tree
    // L without its diagonal, column after column.
    std::vector<std::uint32_t> l_starts_;
    std::vector<std::uint32_t> l_counts_;
    std::vector<std::uint32_t> l_rows_;
    std::vector<double> l_;
    std::vector<double> inverse_d_;
    // What factoring and solving work in.
    std::vector<double> y_;
    std::vector<std::uint32_t> pattern_;
    std::vector<std::uint32_t> flags_;
    std::vector<Lanes> work_;
};

}  // namespace hopcoil
