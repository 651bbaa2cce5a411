#pragma once

#include <cstddef>
#include <span>
#include <utility>
#include <variant>

#include <hopcoil/stepping/explicit_euler.hpp>
#include <hopcoil/stepping/implicit_euler.hpp>
#include <hopcoil/stepping/midpoint.hpp>
#include <hopcoil/stepping/position_verlet.hpp>
#include <hopcoil/stepping/runge_kutta_4.hpp>
#include <hopcoil/stepping/scheme.hpp>
#include <hopcoil/stepping/semi_implicit_euler.hpp>
#include <hopcoil/stepping/velocity_verlet.hpp>

namespace hopcoil {
inline namespace HOPCOIL_BITS {

/// A scheme chosen while the program runs.
///
///     AnyScheme<double> scheme{Scheme::velocity_verlet, positions.size()};
///     scheme.step(accelerations, time_s, dt, positions, velocities);
template <class S>
class AnyScheme {
  public:
    AnyScheme(Scheme scheme, std::size_t size, SystemOf system = SystemOf::scheme)
        : which_{scheme}, chosen_{make(scheme, size, system)} {}

    [[nodiscard]] Scheme scheme() const noexcept { return which_; }

    template <Accelerations<S> A>
    StepStatus step(const A& accelerations, double time_s, double dt, std::span<S> positions,
                    std::span<S> velocities) noexcept {
        return std::visit(
            [&](auto& chosen) {
                return chosen.step(accelerations, time_s, dt, positions, velocities);
            },
            chosen_);
    }

    /// The same motion seen from elsewhere: adds to positions and velocities, also to those that
    /// the scheme remembers.
    void shift(std::span<S> positions, std::span<const S> by, std::span<S> velocities,
               std::span<const S> velocities_by) noexcept {
        std::visit([&](auto& chosen) { chosen.shift(positions, by, velocities, velocities_by); },
                   chosen_);
    }

    template <class Fields>
    void visit_state(Fields& fields) {
        std::visit(
            [&](auto& chosen) {
                if constexpr (requires { chosen.visit_state(fields); }) chosen.visit_state(fields);
            },
            chosen_);
    }

  private:
    using Chosen = std::variant<ExplicitEuler<S>, SemiImplicitEuler<S>, ImplicitEuler<S>,
                                Midpoint<S>, VelocityVerlet<S>, PositionVerlet<S>, RungeKutta4<S>>;

    [[nodiscard]] static Chosen make(Scheme scheme, std::size_t size, SystemOf system) {
        switch (scheme) {
            case Scheme::explicit_euler:
                return Chosen{std::in_place_type<ExplicitEuler<S>>, size};
            case Scheme::implicit_euler:
                return Chosen{std::in_place_type<ImplicitEuler<S>>, size, system};
            case Scheme::midpoint:
                return Chosen{std::in_place_type<Midpoint<S>>, size};
            case Scheme::velocity_verlet:
                return Chosen{std::in_place_type<VelocityVerlet<S>>, size};
            case Scheme::position_verlet:
                return Chosen{std::in_place_type<PositionVerlet<S>>, size};
            case Scheme::runge_kutta_4:
                return Chosen{std::in_place_type<RungeKutta4<S>>, size};
            case Scheme::semi_implicit_euler:
                break;
        }
        return Chosen{std::in_place_type<SemiImplicitEuler<S>>, size};
    }

    Scheme which_;
    Chosen chosen_;
};

}  // namespace HOPCOIL_BITS
}  // namespace hopcoil
