#pragma once

#include <string>
#include <vector>

#include <hopcoil/tune/reference_fit.hpp>

namespace hopcoil::tune {

/// How much of a motion the fitted one explains: everything of a ReferenceFit but its numbers.
/// `scales`: what each component's deviations are divided by, or none.
void judge(ReferenceFit& fit, const std::vector<double>& times_s,
           const std::vector<std::vector<double>>& motion, const std::vector<double>& scales = {});

}  // namespace hopcoil::tune
