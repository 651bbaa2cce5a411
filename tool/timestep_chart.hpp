#pragma once

#include <string>
#include <vector>

#include <hopcoil/measure/step_survey.hpp>

#include "draw/chart.hpp"

namespace hopcoil::tool {

/// A tuning looked at, and what it is called.
struct NamedSurvey {
    std::string name{};
    StepSurvey survey{};
};

/// Which steps are stable, ring and diverge, by natural frequency: a panel for each scheme.
[[nodiscard]] draw::Chart stability_map(const NamedSurvey& named, double rate_hz);

/// Error against step, both logarithmic, with the measured order.
[[nodiscard]] draw::Chart error_chart(const NamedSurvey& named);

/// The same jump under the schemes at one rate, beside the exact motion.
[[nodiscard]] draw::Chart motion_chart(const NamedSurvey& named, double rate_hz);

/// The energy of the same spring without its damping, over a million steps at one rate.
[[nodiscard]] draw::Chart energy_chart(const NamedSurvey& named, double rate_hz);

/// The energy of an undamped spring over its steps, relative to that at the start: least and most
/// within each stretch, the stretches growing evenly in the logarithm of the step count.
struct EnergyBand {
    std::vector<double> steps{};
    std::vector<double> least{};
    std::vector<double> most{};
};
[[nodiscard]] EnergyBand energy_band(Scheme scheme, double u, int steps);

}  // namespace hopcoil::tool
