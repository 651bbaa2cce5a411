#pragma once

#include <concepts>
#include <cstddef>
#include <cstdint>
#include <limits>
#include <span>
#include <vector>

#include <hopcoil/base/build.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/stepping/scheme.hpp>

namespace hopcoil {
inline namespace HOPCOIL_BITS {

/// Masses held together by springs and dampers, or anything that can compute the forces of its
/// springs and dampers: `apply_stiffness` fills in the forces K x that hold displacements x back,
/// `apply_damping` the forces C v that hold velocities v back; both operators are symmetric.
template <class N>
concept PointOperators = requires(const N& network, std::span<const double> in,
                                  std::span<double> out, std::size_t i) {
    { network.size() } -> std::convertible_to<std::size_t>;
    { network.mass_kg(i) } -> std::convertible_to<double>;
    network.apply_stiffness(in, out);
    network.apply_damping(in, out);
};

/// One whose entries are known: the sum of a row's sizes.
template <class N>
concept KnowsRowSums = requires(const N& network, std::size_t i) {
    { network.stiffness_row_sum(i) } -> std::convertible_to<double>;
    { network.damping_row_sum(i) } -> std::convertible_to<double>;
};

}  // namespace HOPCOIL_BITS

/// Upper bounds of how stiff and how damped any motion of a network is.
struct NetworkBounds {
    double stiffness_per_s2 = 0.0;  ///< of w^2
    double damping_per_s = 0.0;     ///< of 2 z w
    /// Damping is this many seconds times the stiffness in every motion; NaN when it is not.
    double damping_time_s = std::numeric_limits<double>::quiet_NaN();
};

/// A step below which a network is stable: never above the true limit, and within 10 % of it where
/// there is no damping or damping in proportion to stiffness.
///
/// Model   the least limit of all single springs as stiff and damped as the bounds allow.
/// Errors  InvalidValue for bounds that are negative or not finite.
[[nodiscard]] double largest_stable_step_s(const NetworkBounds& bounds, Scheme scheme);

namespace network {

/// Numbers to begin an iteration with, the same every time: each -1 to 1, irregular.
void fill_start(std::span<double> numbers) noexcept;
/// Scales them to length 1 in the norm that weighs by mass; the length before.
double normalise(std::span<double> numbers, std::span<const double> masses) noexcept;

/// The time by which stiffness is multiplied to give damping, tried on an irregular motion; NaN
/// where they are not in proportion.
[[nodiscard]] double proportion(std::span<const double> stiffness_forces,
                                std::span<const double> damping_forces) noexcept;

inline namespace HOPCOIL_BITS {

template <class Apply>
[[nodiscard]] double largest_by_iteration(const Apply& apply, std::span<const double> masses,
                                          std::vector<double>& x, std::vector<double>& y) {
    constexpr int iterations = 300;
    fill_start(x);
    normalise(x, masses);
    double largest = 0;
    for (int i = 0; i < iterations; ++i) {
        apply(x, y);
        for (std::size_t j = 0; j < x.size(); ++j)
            x[j] = y[j] / masses[j];
        largest = normalise(x, masses);
        if (!(largest > 0)) return 0;
    }
    return largest;
}

/// The largest of the row sums, each over its mass.
template <class RowSum>
[[nodiscard]] double largest_row_sum(const RowSum& row_sum, std::span<const double> masses) {
    double largest = 0;
    for (std::size_t i = 0; i < masses.size(); ++i) {
        const double sum = row_sum(i) / masses[i];
        largest = sum > largest ? sum : largest;
    }
    return largest;
}

}  // namespace HOPCOIL_BITS
}  // namespace network

inline namespace HOPCOIL_BITS {

/// Measures a network: to be done when it is built, or its numbers change.
///
/// Model   by row sums where they are known, else by power iteration, raised by 5 % since it
///         underestimates; the smaller where both are.
/// Errors  InvalidValue for a mass that is not above 0.
/// Cost    600 applications of the operators; allocates.
template <PointOperators N>
[[nodiscard]] NetworkBounds bounds_of(const N& network) {
    const std::size_t size = network.size();
    std::vector<double> masses(size);
    for (std::size_t i = 0; i < size; ++i) {
        masses[i] = network.mass_kg(i);
        require_above_zero("mass_kg", masses[i]);
    }
    std::vector<double> x(size);
    std::vector<double> y(size);
    using In = std::span<const double>;
    using Out = std::span<double>;
    const auto stiffness = [&](In in, Out out) {
        network.apply_stiffness(in, out);
    };
    const auto damping = [&](In in, Out out) {
        network.apply_damping(in, out);
    };
    // Power iteration underestimates, so a twentieth is added.
    double k = 1.05 * network::largest_by_iteration(stiffness, masses, x, y);
    double c = 1.05 * network::largest_by_iteration(damping, masses, x, y);
    if constexpr (KnowsRowSums<N>) {
        const auto of_k = [&](std::size_t i) -> double {
            return network.stiffness_row_sum(i);
        };
        const auto of_c = [&](std::size_t i) -> double {
            return network.damping_row_sum(i);
        };
        const double known_k = network::largest_row_sum(of_k, masses);
        const double known_c = network::largest_row_sum(of_c, masses);
        k = known_k < k ? known_k : k;
        c = known_c < c ? known_c : c;
    }
    std::vector<double> z(size);
    network::fill_start(x);
    network.apply_stiffness(In{x}, Out{y});
    network.apply_damping(In{x}, Out{z});
    return {k, c, network::proportion(y, z)};
}

}  // namespace HOPCOIL_BITS
}  // namespace hopcoil
