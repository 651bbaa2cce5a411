#pragma once

#include <concepts>
#include <cstddef>
#include <limits>
#include <span>
#include <type_traits>
#include <vector>

#include <hopcoil/stepping/detail/dense_solve.hpp>
#include <hopcoil/stepping/fixed_scheme.hpp>

namespace hopcoil {
inline namespace HOPCOIL_BITS {

/// Accelerations with a known Jacobian: `jacobian` fills in their derivatives by the positions
/// and by the velocities.
///
/// Shapes  n x n each, row after row: row i is of acceleration i.
template <class A, class S>
concept KnowsJacobian = requires(const A& a, double time_s, std::span<const S> positions,
                                 std::span<const S> velocities, std::span<S> by_positions,
                                 std::span<S> by_velocities) {
    a.jacobian(time_s, positions, velocities, by_positions, by_velocities);
};

/// The end of a step of length h, as a solver is given it.
template <class S>
struct StepEnd {
    double time_s;
    S h;
    std::span<const S> x;
    std::span<const S> v;
};

/// Accelerations that solve the linear system of a step for themselves, for those whose matrix is
/// large and has few entries: `solve` replaces b by y with (I - h (da/dv + h da/dx)) y = b, the
/// derivatives taken at the end of the step. It returns false where it finds none.
template <class A, class S>
concept SolvesSystem = requires(const A& a, const StepEnd<S>& end, std::span<S> b) {
    { a.solve(end, b) } -> std::convertible_to<bool>;
};
/// Who solves the linear system: the scheme, which keeps three matrices of all numbers by all
/// numbers, or the accelerations (`SolvesSystem`).
enum class SystemOf { scheme, accelerations };

/// Uses the rates at the end of the step, which have to be solved for: stable for every linear
/// system at any step, but it damps oscillations, the more the longer the step.
///
/// Model   v1 = v + h a(t + h, x1, v1);  x1 = x + h v1
/// Source  docs/math/stepping.md (4); order 1. Newton's method, with the Jacobian of the
///         accelerations if they know it (`KnowsJacobian`), else by differences.
/// Errors  rejected, with nothing changed, where Newton's method does not converge, and where the
///         accelerations do not solve the system that was said to be theirs.
/// Cost    per iteration n^3 / 3 multiplications, and 2 n evaluations where the Jacobian is not
///         known; or what the accelerations' own solver takes.
template <class S>
class ImplicitEuler : public FixedScheme<ImplicitEuler<S>, S, 6> {
  public:
    explicit ImplicitEuler(std::size_t size, SystemOf system = SystemOf::scheme)
        : ImplicitEuler::FixedScheme{size} {
        if (system == SystemOf::accelerations) return;
        by_positions_.resize(size * size);
        by_velocities_.resize(size * size);
        matrix_.resize(size * size);
    }

    template <Accelerations<S> A>
    bool advance(const A& accelerations, const OneStep<S>& step) noexcept {
        const std::span<S> residual = this->scratch(0);
        const std::span<S> best = this->scratch(1);
        for (std::size_t i = 0; i < residual.size(); ++i)
            step.v1[i] = step.v[i];
        S error = find_residual(accelerations, step, residual);
        for (int iteration = 0; iteration < most_iterations; ++iteration) {
            if (error <= tolerance * scale_of(step)) return true;
            if (!solve(accelerations, step, residual)) return false;
            for (std::size_t i = 0; i < best.size(); ++i)
                best[i] = step.v1[i];
            const S before = error;
            // The whole way first; half of it as long as that makes things worse.
            const std::span<S> way = this->scratch(2);
            for (std::size_t i = 0; i < way.size(); ++i)
                way[i] = residual[i];
            S share{1};
            do {
                add_scaled<S>(best, -share, way, step.v1);
                error = find_residual(accelerations, step, residual);
                share /= 2;
            } while (!(error < before) && share > S(1e-3));
            if (!(error < before)) return is_within_rounding(before, step);
        }
        return is_within_rounding(error, step);
    }

  private:
    static constexpr int most_iterations = 40;
    static constexpr S tolerance = 8 * std::numeric_limits<S>::epsilon();
    /// Where rounding allows no more.
    static constexpr S loose_tolerance = std::is_same_v<S, float> ? S(1e-4F) : S(1e-10);

    /// v1 - v - h a(t + h, x1, v1), with x1 = x + h v1; and its largest number.
    template <class A>
    S find_residual(const A& accelerations, const OneStep<S>& step,
                    std::span<S> residual) noexcept {
        const std::span<S> a = this->scratch(3);
        add_scaled<S>(step.x, step.h, step.v1, step.x1);
        accelerations(step.time_s + step.dt, step.x1, step.v1, a);
        S largest{0};
        for (std::size_t i = 0; i < residual.size(); ++i) {
            residual[i] = (step.v1[i] - step.v[i]) - step.h * a[i];
            const S size = residual[i] < 0 ? -residual[i] : residual[i];
            if (!(size <= largest)) largest = size;
        }
        return largest;
    }

    /// At rest the rounding of positions is larger than that of velocities.
    [[nodiscard]] static bool is_within_rounding(S error, const OneStep<S>& step) noexcept {
        S largest = scale_of(step);
        for (const S x : step.x) {
            const S per_step = (x < 0 ? -x : x) / step.h;
            if (per_step > largest) largest = per_step;
        }
        return error <= loose_tolerance * largest;
    }

    /// What rounding is measured by: the largest velocity, and way over time.
    [[nodiscard]] static S scale_of(const OneStep<S>& step) noexcept {
        S largest = std::numeric_limits<S>::min();
        const auto look = [&largest](S number) {
            const S size = number < 0 ? -number : number;
            if (size > largest) largest = size;
        };
        for (std::size_t i = 0; i < step.v.size(); ++i) {
            look(step.v[i]);
            look(step.v1[i]);
            look(step.v1[i] - step.v[i]);
        }
        return largest;
    }

    template <class A>
    bool solve(const A& accelerations, const OneStep<S>& step, std::span<S> b) noexcept {
        if constexpr (SolvesSystem<A, S>) {
            return accelerations.solve({step.time_s + step.dt, step.h, step.x1, step.v1}, b);
        } else {
            if (matrix_.empty()) return false;
            find_jacobian(accelerations, step);
            compose_matrix(step.h);
            return solve_in_place<S>(matrix_, b);
        }
    }
    template <class A>
    void find_jacobian(const A& accelerations, const OneStep<S>& step) noexcept {
        const double end_s = step.time_s + step.dt;
        if constexpr (KnowsJacobian<A, S>) {
            accelerations.jacobian(end_s, step.x1, step.v1, std::span<S>{by_positions_},
                                   std::span<S>{by_velocities_});
        } else {
            accelerations(end_s, step.x1, step.v1, this->scratch(3));
            find_differences(step.x1, by_positions_, [&](std::span<S> out) {
                accelerations(end_s, step.x1, step.v1, out);
            });
            find_differences(step.v1, by_velocities_, [&](std::span<S> out) {
                accelerations(end_s, step.x1, step.v1, out);
            });
        }
    }

    /// Each number of `varied` in turn a little further on; the unchanged outcome is in scratch 3.
    template <class Evaluate>
    void find_differences(std::span<S> varied, std::span<S> jacobian,
                          const Evaluate& evaluate) noexcept {
        constexpr S root = std::is_same_v<S, float> ? S(3.5e-4F) : S(1.5e-8);
        const std::span<S> a = this->scratch(3);
        const std::span<S> moved = this->scratch(4);
        const std::size_t size = this->size();
        for (std::size_t j = 0; j < size; ++j) {
            const S here = varied[j];
            varied[j] = here + root * (here < 0 ? 1 - here : 1 + here);
            const S reach = varied[j] - here;
            evaluate(moved);
            varied[j] = here;
            for (std::size_t i = 0; i < size; ++i)
                jacobian[i * size + j] = (moved[i] - a[i]) / reach;
        }
    }

    /// I - h (da/dv + h da/dx)
    void compose_matrix(S h) noexcept {
        const std::size_t size = this->size();
        for (std::size_t i = 0; i < size * size; ++i)
            matrix_[i] = -h * (by_velocities_[i] + h * by_positions_[i]);
        for (std::size_t i = 0; i < size; ++i)
            matrix_[i * size + i] += 1;
    }

    std::vector<S> by_positions_;
    std::vector<S> by_velocities_;
    std::vector<S> matrix_;
};

}  // namespace HOPCOIL_BITS
}  // namespace hopcoil
