#pragma once

#include <array>
#include <cstddef>

#include <hopcoil/base/math.hpp>

namespace hopcoil {

/// How an adaptive scheme chooses its steps.
///
/// Units   tolerances are per inner step, of a position or velocity in its own unit.
struct StepControl {
    double relative_tolerance = 1e-6;  ///< above 0, at most 0.1
    double absolute_tolerance = 1e-9;  ///< above 0
    double first_step_s = 1e-3;        ///< to begin with; above 0
    double largest_step_s = 1e300;     ///< above 0
    int most_steps = 1'000'000;        ///< inner steps in one call, taken or refused
};

/// Errors  InvalidValue names the field, its value and its range.
void require_valid(const StepControl& control);

/// Factor from a step whose error was `size` times the tolerance to the next step.
///
/// Model   0.9 size^(-1/5), between 1/5 and 5; 1/5 where size is not a number.
[[nodiscard]] double step_factor(double size) noexcept;

/// The pair's coefficients: the time of each stage (as a part of the step), its weights of the
/// stages before it, the difference of the two orders, and the dense polynomial's last row.
namespace pair_5_4 {

extern const std::array<double, 6> stage_times;
extern const std::array<std::array<double, 6>, 6> stage_weights;
extern const std::array<double, 7> error_weights;
extern const std::array<double, 7> dense_weights;

}  // namespace pair_5_4

}  // namespace hopcoil
