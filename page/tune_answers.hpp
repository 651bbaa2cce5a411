#pragma once

#include <chrono>

#include <hopcoil/scene/scene.hpp>

#include "page/problem.hpp"
#include "page/request.hpp"

/// @file
/// What the page asks of many runs at once.

namespace hopcoil::page {

/// The figures of what is looked at over two dials: for each pair of values a run,
/// as long as there is time.
/// Errors  RequestProblem.
[[nodiscard]] Json map_answer(const scene::Scene& scene, const Request& request,
                              std::chrono::milliseconds longest);

/// The numbers of what is looked at with which its motion is nearest to a curve: those
/// found in time.
/// Errors  RequestProblem.
[[nodiscard]] Json fit_answer(const scene::Scene& scene, const Request& request,
                              std::chrono::milliseconds longest);

}  // namespace hopcoil::page
