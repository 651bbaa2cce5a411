#pragma once

#include <hopcoil/scene/scene.hpp>

#include "page/problem.hpp"
#include "page/request.hpp"

namespace hopcoil::page {

/// Puts what the hand has recorded, `drives` of a request, in place of the targets' own courses.
/// Errors  RequestProblem
void use_drives(scene::Scene& scene, const Request& request);

/// Writes a drive into a CSV file beside the scene, for a target to be read from.
/// Errors  RequestProblem; FileProblem
[[nodiscard]] Json keep_drive_answer(const scene::Scene& scene, const Request& request);

/// The index of a target. Errors  RequestProblem, with the nearest name.
[[nodiscard]] std::size_t target_named(const scene::Scene& scene, const std::string& name);

}  // namespace hopcoil::page
