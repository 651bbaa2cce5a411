#pragma once

#include <string>
#include <vector>

#include <hopcoil/scene/scene.hpp>
#include <hopcoil/scene/tuning_file.hpp>

/// @file
/// Numbers of systems kept under names: any dials of any kind of system, a tuning among them.

namespace hopcoil::scene {

/// A system's numbers as settings: all of its dials, or those whose paths match one of the patterns
/// ("root.*", "nodes").
/// Errors  std::invalid_argument: no dial matches a pattern.
[[nodiscard]] NamedSettings settings_of(const SceneSystem& system, const std::string& name,
                                        const std::vector<std::string>& patterns = {"*"});
/// A tuning as settings; one for the parts of a pose has "position.frequency_hz" and so on.
[[nodiscard]] NamedSettings settings_from(const SharedTuning& tuning);

/// The settings of that name: the scene's own, its tuning files', a tuning, a built-in tuning.
/// Errors  std::invalid_argument: there are none of that name (the nearest is named).
[[nodiscard]] NamedSettings find_settings(const Scene& scene, const std::string& name);

/// Sets the numbers of all systems, or parts of systems, whose names match, and returns how many
/// dials were set. `*` stands for any letters.
///
///     apply_settings(scene, "streamer", find_settings(scene, "long-tail"));
///     apply_settings(scene, "string.tassel", find_settings(scene, "lively"));
///
/// Errors  std::invalid_argument, with nothing changed: nothing has that name, it is of another
///         kind, or it has no such dial or refuses the number or name.
std::size_t apply_settings(Scene& scene, const std::string& pattern, const NamedSettings& settings);

/// Settings between two, the first at `amount` 0 and the second at 1: each number linearly, or
/// logarithmically where its dial is so; each choice is that of the nearer one. Where only one of
/// them has a number, the other is taken to have that of `system`.
/// Errors  std::invalid_argument: the system has no dial of such a path; InvalidValue for an amount
///         that is not from 0 to 1.
[[nodiscard]] NamedSettings blend(const SceneSystem& system, const NamedSettings& first,
                                  const NamedSettings& second, double amount);

/// The tables [settings.NAME] of a tuning file, in the file's order. Errors: as read_tunings.
[[nodiscard]] std::vector<NamedSettings> read_settings(const std::string& path);

/// Puts settings into a tuning file, as save_tuning does with a tuning. Errors: as save_tuning.
void save_settings(const std::string& path, const NamedSettings& settings);

}  // namespace hopcoil::scene
