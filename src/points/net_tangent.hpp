#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <optional>
#include <span>
#include <vector>

#include <hopcoil/base/instruction_set.hpp>
#include <hopcoil/base/vector3.hpp>

#include "net_batches.hpp"
#include "sparse_solver.hpp"

namespace hopcoil::net {

/// The linear system of an implicit step of a net by forces: (I - h (da/dv + h da/dx)) y = b, each
/// row multiplied by the mass of its point.
///
/// Source  van der Vorst, Bi-CGSTAB: a fast and smoothly converging variant of Bi-CG, 1992. The
///         preconditioner is a sparse factorisation of the symmetric part of the matrix, in which
///         compressed links do not push sideways, so that it is positive definite.
class Tangent {
  public:
    Tangent(const LinkTable& links, const BendTable& bends, std::span<const double> inverse_masses);

    /// Replaces b by y, with the derivatives at these positions and velocities; at pinned points
    /// y = b. False when no solution was found.
    bool solve(InstructionSet set, std::span<const Vector3> x, std::span<const Vector3> v, double h,
               std::span<Vector3> b) noexcept;

  private:
    /// How a force varies with a vector: row i is of its number i.
    using Slope = std::array<std::array<double, 3>, 3>;
    /// A link or bend: it acts along d, the sum of its points' positions by their weights, and
    /// pulls each by the force there times minus its weight.
    struct Element {
        std::array<std::uint32_t, 3> points{};
        std::array<double, 3> weights{};
        double shortest_m = 0;
        double longest_m = 0;
        double stiffness = 0;
        double damping = 0;
        Slope slope{};                         ///< of the force times h, by the velocity
        std::array<std::uint32_t, 3> pairs{};  ///< of points 0 and 1, 1 and 2, 0 and 2
    };
    /// The part of an element's slope that the preconditioner has: along u u^T + all I.
    struct Symmetric {
        Vector3 u{};
        double along = 0;
        double all = 0;
    };

    void number_pairs();
    Symmetric find_slope(Element& element, std::span<const Vector3> x, std::span<const Vector3> v,
                         double h) noexcept;
    void add(const Element& element, const Symmetric& symmetric) noexcept;
    bool prepare(std::span<const Vector3> x, std::span<const Vector3> v, double h) noexcept;
    /// out = A y; 0 at what is pinned.
    void multiply(std::span<const Vector3> y, std::span<Vector3> out) const noexcept;
    /// out = the preconditioner's solution for b.
    void precondition(InstructionSet set, std::span<const Vector3> b,
                      std::span<Vector3> out) noexcept;
    [[nodiscard]] std::span<Vector3> vectors(std::size_t which) noexcept;

    std::vector<Element> elements_;
    std::vector<double> masses_;          ///< 0 of what is pinned
    std::vector<std::uint32_t> free_at_;  ///< of each point, its number among those that are free
    std::vector<std::uint32_t> points_;   ///< the free ones
    std::vector<SparseSolver::Entry> entries_;
    std::optional<SparseSolver> solver_;  ///< of three numbers a free point
    std::vector<double> diagonal_;
    std::vector<double> numbers_;
    std::vector<Vector3> right_;
    std::vector<Vector3> memory_;
};

}  // namespace hopcoil::net
