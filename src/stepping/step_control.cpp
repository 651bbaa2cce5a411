#include <cmath>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/stepping/step_control.hpp>

namespace hopcoil {

void require_valid(const StepControl& control) {
    require_above_zero("relative_tolerance", control.relative_tolerance);
    if (control.relative_tolerance > 0.1) {
        throw InvalidValue{"relative_tolerance", control.relative_tolerance,
                           "a number above 0, at most 0.1"};
    }
    require_above_zero("absolute_tolerance", control.absolute_tolerance);
    require_above_zero("first_step_s", control.first_step_s);
    require_above_zero("largest_step_s", control.largest_step_s);
    if (control.most_steps < 1) {
        throw InvalidValue{"most_steps", static_cast<double>(control.most_steps), "1 or more"};
    }
}

double step_factor(double size) noexcept {
    constexpr double least = 0.2;
    constexpr double most = 5;
    if (!std::isfinite(size)) return least;
    if (size == 0) return most;
    const double factor = 0.9 * math::pow(size, -0.2);
    return std::isfinite(factor) ? std::fmin(most, std::fmax(least, factor)) : most;
}

namespace pair_5_4 {

const std::array<double, 6> stage_times{1.0 / 5, 3.0 / 10, 4.0 / 5, 8.0 / 9, 1.0, 1.0};

const std::array<std::array<double, 6>, 6> stage_weights{
    {{1.0 / 5, 0, 0, 0, 0, 0},
     {3.0 / 40, 9.0 / 40, 0, 0, 0, 0},
     {44.0 / 45, -56.0 / 15, 32.0 / 9, 0, 0, 0},
     {19372.0 / 6561, -25360.0 / 2187, 64448.0 / 6561, -212.0 / 729, 0, 0},
     {9017.0 / 3168, -355.0 / 33, 46732.0 / 5247, 49.0 / 176, -5103.0 / 18656, 0},
     {35.0 / 384, 0, 500.0 / 1113, 125.0 / 192, -2187.0 / 6784, 11.0 / 84}}};

const std::array<double, 7> error_weights{71.0 / 57600,      0,          -71.0 / 16695, 71.0 / 1920,
                                          -17253.0 / 339200, 22.0 / 525, -1.0 / 40};

const std::array<double, 7> dense_weights{
    -12715105075.0 / 11282082432,  0,
    87487479700.0 / 32700410799,   -10690763975.0 / 1880347072,
    701980252875.0 / 199316789632, -1453857185.0 / 822651844,
    69997945.0 / 29380423};

}  // namespace pair_5_4
}  // namespace hopcoil
