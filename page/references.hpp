#pragma once

#include <string>

#include <hopcoil/scene/scene.hpp>

#include "page/problem.hpp"
#include "page/request.hpp"

/// @file
/// Curves to compare with: takes and CSV files beside the scene, and what the page sends.

namespace hopcoil::page {

/// The names of the CSV and JSON files in the scene's folder that can be read as takes.
[[nodiscard]] Json references_answer(const scene::Scene& scene);

/// One of those, by its name alone. Errors: RequestProblem (404) for any other name.
[[nodiscard]] std::string reference_answer(const scene::Scene& scene, const std::string& name);

/// A file that the page was given: its name and its text.
[[nodiscard]] std::string sent_reference_answer(const scene::Scene& scene, const Request& request);

}  // namespace hopcoil::page
