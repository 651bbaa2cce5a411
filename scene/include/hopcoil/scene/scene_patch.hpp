#pragma once

#include <string>
#include <vector>

#include <hopcoil/scene/scene.hpp>

namespace hopcoil::scene {

/// Writes the numbers of a scene that were changed since it was read (by dials and set_value) into
/// the files where they stand. Everything else in them stays as it is, comments too; a tuning that
/// was a name or a wish becomes its numbers. The paths of the files that were written.
///
///     set_values(scene, {{"lamp.frequency_hz", 2.4}});
///     write_changes(scene);
///
/// Errors  FileProblem; InputProblems when a number's place cannot be found, or what would be there
///         does not say the same as `scene`. The files are then as they were.
std::vector<std::string> write_changes(const Scene& scene);

}  // namespace hopcoil::scene
