#pragma once

#include <algorithm>
#include <cstddef>
#include <span>
#include <vector>

#include <hopcoil/base/instruction_set.hpp>
#include <hopcoil/base/vector3.hpp>

#include "net_batches.hpp"

/// @file
/// The loops of nets over all their points, links and bends, compiled for each instruction set.

namespace hopcoil::net {

/// A vector of each point, as one array for each axis.
struct Columns {
    explicit Columns(std::size_t points) : x(points), y(points), z(points) {}
    [[nodiscard]] Vector3 at(std::size_t i) const noexcept { return {x[i], y[i], z[i]}; }
    void put(std::size_t i, const Vector3& v) noexcept {
        x[i] = v.x;
        y[i] = v.y;
        z[i] = v.z;
    }
    void clear() noexcept {
        for (std::vector<double>* axis : {&x, &y, &z})
            std::fill(axis->begin(), axis->end(), 0.0);
    }

    std::vector<double> x;
    std::vector<double> y;
    std::vector<double> z;
};

/// The numbers of vectors, x, y and z of each.
inline std::span<double> numbers_of(std::span<Vector3> all) noexcept {
    static_assert(sizeof(Vector3) == 3 * sizeof(double));
    return {reinterpret_cast<double*>(all.data()), 3 * all.size()};
}
inline std::span<const double> numbers_of(std::span<const Vector3> all) noexcept {
    return {reinterpret_cast<const double*>(all.data()), 3 * all.size()};
}
/// The same numbers as vectors.
inline std::span<Vector3> vectors_of(std::span<double> numbers) noexcept {
    return {reinterpret_cast<Vector3*>(numbers.data()), numbers.size() / 3};
}
inline std::span<const Vector3> vectors_of(std::span<const double> numbers) noexcept {
    return {reinterpret_cast<const Vector3*>(numbers.data()), numbers.size() / 3};
}

/// Adds what links and bends pull their points by, in newtons.
struct ForcePass {
    const LinkTable& links;
    const BendTable& bends;
    const Columns& x;
    const Columns& v;
    bool has_damping;  ///< otherwise v is not looked at
    Columns& force;
};
void add_forces(InstructionSet set, const ForcePass& pass) noexcept;

/// Satisfies links, bends and tethers, each by its share (docs/nets.md (6)).
struct PositionPass {
    /// The coefficients of the elements of a table.
    struct Strength {
        std::span<const double> damping;     ///< over stiffness and substep
        std::span<const double> share;       ///< of its error, corrected at each visit
        std::span<const double> compliance;  ///< 1/(k h^2); used where they are visited twice
    };
    const LinkTable& links;
    const BendTable& bends;
    Strength link_strength;
    Strength bend_strength;
    std::span<const double> inverse_masses;
    const TetherTable& tethers;
    const Columns& base;
    Columns& moved;
    /// Null: elements are visited once. Otherwise forward and then backward, as is needed where
    /// links have a range: the sum of the corrections of each, links (in x) first, then bends;
    /// zero at first.
    Columns* corrections;
};
void satisfy(InstructionSet set, const PositionPass& pass) noexcept;

/// moved = base + (v now - v_before before) h + a h^2, base = x now - x_before before; what was now
/// becomes what was before.
struct PredictPass {
    std::span<const Vector3> x;
    std::span<const Vector3> v;
    std::span<Vector3> x_before;
    std::span<Vector3> v_before;
    std::span<const Vector3> accelerations;
    double now;
    double before;
    double h;
    Columns& base;
    Columns& moved;
};
void predict(InstructionSet set, const PredictPass& pass) noexcept;

/// x = moved, v = (moved - base) per_h. False where these are not finite.
struct FinishPass {
    const Columns& base;
    const Columns& moved;
    double per_h;
    std::span<Vector3> x;
    std::span<Vector3> v;
};
[[nodiscard]] bool finish(InstructionSet set, const FinishPass& pass) noexcept;

/// Semi-implicit Euler: v += (force inverse_masses + others) h, of what has an inverse mass; then
/// x += v h. False where these are not finite.
struct AdvancePass {
    const Columns& force;
    std::span<const double> inverse_masses;
    std::span<const Vector3> others;
    double h;
    std::span<Vector3> x;
    std::span<Vector3> v;
    std::span<Vector3> x_before;
    std::span<Vector3> v_before;
};
[[nodiscard]] bool advance(InstructionSet set, const AdvancePass& pass) noexcept;

/// Numbers that follow one another for each point, and the same as arrays for each axis.
void split(InstructionSet set, std::span<const double> numbers, Columns& columns) noexcept;
/// numbers = force inverse_masses + others, and 0 where the inverse mass is.
struct AccelerationPass {
    const Columns& force;
    std::span<const double> inverse_masses;
    std::span<const Vector3> others;
    std::span<double> numbers;
};
void find_accelerations(InstructionSet set, const AccelerationPass& pass) noexcept;

[[nodiscard]] bool are_finite(InstructionSet set, std::span<const Vector3> all) noexcept;

}  // namespace hopcoil::net
