#pragma once

#include <hopcoil/scene/scene.hpp>

#include "page/problem.hpp"
#include "page/request.hpp"

/// @file
/// What the page writes: tunings under a name, and numbers back into the scene.

namespace hopcoil::page {

/// Puts the tuning of a mover into the scene's tuning file (one beside it, where it has none).
/// Errors  RequestProblem; those of scene::save_tuning.
[[nodiscard]] Json save_answer(const scene::Scene& scene, const Request& request);

/// Writes values into the scene's files, where they stand.
/// Errors  those of scene::set_values and scene::write_changes.
[[nodiscard]] Json patch_answer(const scene::Scene& scene, const Request& request);

/// The names of the tunings in the scene's tuning files.
[[nodiscard]] Json tunings_answer(const scene::Scene& scene);

}  // namespace hopcoil::page
