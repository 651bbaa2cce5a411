#pragma once

#include <string>

#include <hopcoil/scene/scene.hpp>

#include "page/live_cache.hpp"
#include "page/live_file.hpp"
#include "page/problem.hpp"
#include "page/request.hpp"

/// @file
/// What the page is answered: docs/live.md has the interface. No answer depends on
/// an earlier request; whatever moves, moves in the core.

namespace hopcoil::page {

/// The number of the interface: another when what is asked or answered changes.
inline constexpr int interface_version = 1;

/// {"program": "hopcoil", ...}
[[nodiscard]] Json made_by_live(const scene::Scene& scene);

/// The scene's targets, movers, bodies and dials.
[[nodiscard]] Json scene_answer(const LiveFile::Snapshot& snapshot);

/// A take for some values of the dials, with figures: a JSON object as text, for it is long.
/// Errors  RequestProblem, also when it takes longer; those of set_values and run.
[[nodiscard]] std::string run_answer(const scene::Scene& scene, const Request& request,
                                     std::chrono::milliseconds longest);

/// Some frames on from a state, with targets held by hand: rows, and the state at their end. A
/// running scene is kept for the next step, in which its dials turn in place.
[[nodiscard]] Json step_answer(const LiveFile::Snapshot& now, const Request& request,
                               LiveCache& cache);

/// The scene with the values and the drives of a request.
[[nodiscard]] scene::Scene with_values(const scene::Scene& scene, const Request& request);

}  // namespace hopcoil::page
