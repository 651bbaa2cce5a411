#pragma once

#include <hopcoil/scene/scene.hpp>

#include "page/problem.hpp"
#include "page/request.hpp"

/// @file
/// What the page asks of many runs at once.

namespace hopcoil::page {

/// The figures of what is looked at over two dials: for each pair of values a run.
/// Errors  RequestProblem.
[[nodiscard]] Json map_answer(const scene::Scene& scene, const Request& request);

/// The numbers of what is looked at with which its motion is nearest to a curve.
/// Errors  RequestProblem.
[[nodiscard]] Json fit_answer(const scene::Scene& scene, const Request& request);

}  // namespace hopcoil::page
