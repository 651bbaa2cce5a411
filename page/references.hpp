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

/// PNG pictures from elsewhere that the scene's pictures compare with, as
/// "pictures": [{"name", "from_s", "every_s", "count"}].
[[nodiscard]] Json frames_answer(const scene::Scene& scene);
/// The bytes of one of them, by its picture and its place from 0. Errors: RequestProblem (404).
[[nodiscard]] std::string frame_answer(const scene::Scene& scene, const std::string& picture,
                                       std::size_t index);

/// A file that the page was given: its name and its text.
[[nodiscard]] std::string sent_reference_answer(const scene::Scene& scene, const Request& request);

}  // namespace hopcoil::page
