#include "sparse_solver.hpp"

#include <algorithm>

#include <Eigen/OrderingMethods>
#include <Eigen/SparseCore>

#include "../base/instruction_sets.hpp"

namespace hopcoil {
namespace {
constexpr std::uint32_t none = static_cast<std::uint32_t>(-1);
}

SparseSolver::SparseSolver(std::size_t size, std::span<const Entry> entries)
    : parents_(size, none),
      l_counts_(size),
      inverse_d_(size),
      y_(size),
      pattern_(size),
      flags_(size),
      work_(size) {
    find_order(size, entries);
    find_columns(entries);
    find_tree();
}

void SparseSolver::find_order(std::size_t size, std::span<const Entry> entries) {
    const auto n = static_cast<int>(size);
    std::vector<Eigen::Triplet<double>> triplets;
    triplets.reserve(size + 2 * entries.size());
    for (int i = 0; i < n; ++i)
        triplets.emplace_back(i, i, 1.0);
    for (const auto& [a, b] : entries) {
        triplets.emplace_back(static_cast<int>(a), static_cast<int>(b), 1.0);
        triplets.emplace_back(static_cast<int>(b), static_cast<int>(a), 1.0);
    }
    Eigen::SparseMatrix<double> matrix{n, n};
    matrix.setFromTriplets(triplets.begin(), triplets.end());
    Eigen::PermutationMatrix<Eigen::Dynamic, Eigen::Dynamic, int> permutation;
    Eigen::AMDOrdering<int>{}(matrix, permutation);
    order_.resize(size);
    place_.resize(size);
    for (std::uint32_t i = 0; i < size; ++i) {
        order_[i] = static_cast<std::uint32_t>(permutation.indices()[i]);
        place_[order_[i]] = i;
    }
}

void SparseSolver::find_columns(std::span<const Entry> entries) {
    struct Placed {
        std::uint32_t column;
        std::uint32_t row;
        std::uint32_t source;
    };
    std::vector<Placed> placed;
    for (std::uint32_t i = 0; i < entries.size(); ++i) {
        const std::uint32_t a = place_[entries[i].first];
        const std::uint32_t b = place_[entries[i].second];
        placed.push_back({std::max(a, b), std::min(a, b), i});
    }
    std::sort(placed.begin(), placed.end(), [](const Placed& a, const Placed& b) {
        return a.column != b.column ? a.column < b.column : a.row < b.row;
    });
    starts_.assign(order_.size() + 1, 0);
    for (const Placed& each : placed) {
        ++starts_[each.column + 1];
        rows_.push_back(each.row);
        sources_.push_back(each.source);
    }
    for (std::size_t i = 1; i < starts_.size(); ++i)
        starts_[i] += starts_[i - 1];
}

/// The elimination tree, and how many entries each column of L has.
void SparseSolver::find_tree() {
    const std::size_t size = order_.size();
    std::vector<std::uint32_t> counts(size);
    std::fill(flags_.begin(), flags_.end(), none);
    for (std::uint32_t k = 0; k < size; ++k) {
        flags_[k] = k;
        for (std::uint32_t p = starts_[k]; p < starts_[k + 1]; ++p) {
            for (std::uint32_t i = rows_[p]; flags_[i] != k; i = parents_[i]) {
                if (parents_[i] == none) parents_[i] = k;
                ++counts[i];
                flags_[i] = k;
            }
        }
    }
    l_starts_.assign(size + 1, 0);
    for (std::size_t i = 0; i < size; ++i)
        l_starts_[i + 1] = l_starts_[i] + counts[i];
    l_rows_.resize(l_starts_[size]);
    l_.resize(l_starts_[size]);
}

bool SparseSolver::factor(std::span<const double> diagonal,
                          std::span<const double> entries) noexcept {
    const std::size_t size = order_.size();
    std::fill(flags_.begin(), flags_.end(), none);
    std::fill(l_counts_.begin(), l_counts_.end(), 0U);
    for (std::uint32_t k = 0; k < size; ++k) {
        // The columns that row k of L has entries in, from the leaves of the tree up.
        std::size_t top = size;
        flags_[k] = k;
        double d = diagonal[order_[k]];
        for (std::uint32_t p = starts_[k]; p < starts_[k + 1]; ++p) {
            y_[rows_[p]] = entries[sources_[p]];
            std::size_t length = 0;
            for (std::uint32_t i = rows_[p]; flags_[i] != k; i = parents_[i]) {
                pattern_[length++] = i;
                flags_[i] = k;
            }
            while (length > 0)
                pattern_[--top] = pattern_[--length];
        }
        for (; top < size; ++top) {
            const std::uint32_t i = pattern_[top];
            const double y = y_[i];
            y_[i] = 0;
            const std::uint32_t end = l_starts_[i] + l_counts_[i];
            for (std::uint32_t p = l_starts_[i]; p < end; ++p)
                y_[l_rows_[p]] -= l_[p] * y;
            const double l = y * inverse_d_[i];
            d -= l * y;
            l_rows_[end] = k;
            l_[end] = l;
            ++l_counts_[i];
        }
        if (!(d > 0)) return false;
        inverse_d_[k] = 1 / d;
    }
    return true;
}

namespace {

struct Factor {
    std::size_t size;
    const std::uint32_t* starts;
    const std::uint32_t* rows;
    const double* l;
    const double* inverse_d;
    SparseSolver::Lanes* work;
};

/// L, then D, then L transposed.
HOPCOIL_INTO_EACH void solve_loop(const Factor& factor) {
    for (std::size_t j = 0; j < factor.size; ++j) {
        const auto x = factor.work[j].of;
        for (std::uint32_t p = factor.starts[j]; p < factor.starts[j + 1]; ++p)
            factor.work[factor.rows[p]].of -= x * factor.l[p];
    }
    for (std::size_t j = factor.size; j-- > 0;) {
        auto x = factor.work[j].of * factor.inverse_d[j];
        for (std::uint32_t p = factor.starts[j]; p < factor.starts[j + 1]; ++p)
            x -= factor.work[factor.rows[p]].of * factor.l[p];
        factor.work[j].of = x;
    }
}

void solve_plain(const Factor& factor) {
    solve_loop(factor);
}
#if defined(__x86_64__)
HOPCOIL_FOR_AVX2 void solve_avx2(const Factor& factor) {
    solve_loop(factor);
}
#endif

}  // namespace

void SparseSolver::solve(InstructionSet set, std::span<Vector3> b) noexcept {
    const std::size_t size = order_.size();
    for (std::size_t i = 0; i < size; ++i) {
        const Vector3& from = b[order_[i]];
        work_[i].of[0] = from.x;
        work_[i].of[1] = from.y;
        work_[i].of[2] = from.z;
    }
    const Factor factor{size,      l_starts_.data(),  l_rows_.data(),
                        l_.data(), inverse_d_.data(), work_.data()};
#if defined(__x86_64__)
    set == InstructionSet::plain ? solve_plain(factor) : solve_avx2(factor);
#else
    static_cast<void>(set);
    solve_plain(factor);
#endif
    for (std::size_t i = 0; i < size; ++i)
        b[order_[i]] = {work_[i].of[0], work_[i].of[1], work_[i].of[2]};
}

}  // namespace hopcoil
