#pragma once

#include <cstddef>
#include <span>
#include <vector>

#include <hopcoil/stepping/scheme.hpp>
#include <hopcoil/stepping/stability.hpp>

namespace hopcoil {

/// Any linear motion about an equilibrium: x'' = -K x - C x', masses already divided out.
///
/// Shapes  K (stiffness, per s^2) and C (damping, per s) are size x size, row after row.
struct LinearSystem {
    std::size_t size = 0;
    std::vector<double> stiffness{};
    std::vector<double> damping{};
};

/// Errors  InvalidValue for arrays not of size x size numbers, or a number that is not finite.
void require_valid(const LinearSystem& system);

/// The factor by which the fastest growing part of it grows each step in the long run.
///
/// Model   the largest eigenvalue in size of the scheme's one-step matrix.
/// Errors  InvalidValue for an invalid system, or a dt that is not finite and above 0.
/// Cost    grows with the cube of twice its size.
[[nodiscard]] double spectral_radius(const LinearSystem& system, Scheme scheme, double dt);

/// The largest stable step, and the one from which an eigenvalue is real and negative.
///
/// Model   the least dt at which the spectral radius passes 1. Steps shorter than 1e-4 of the
///         system's shortest time constant are not examined: where even those grow, the limit is 0.
/// Errors  InvalidValue for an invalid system.
[[nodiscard]] StepLimits step_limits(const LinearSystem& system, Scheme scheme);

}  // namespace hopcoil
