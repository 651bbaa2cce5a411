#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include <hopcoil/scene/scene.hpp>

#include "tool/commands.hpp"

namespace hopcoil::tool {

/// Makes the changes that --set asks for: PATH=NUMBER, SYSTEM=NAME or SYSTEM=NAME:NAME:AMOUNT.
/// Errors  UsageProblem; those of read_tunings.
void make_changes(scene::Scene& scene, const ChangeOptions& options, const std::string& command);

/// The scene that is run again and again, with its changes and its length.
/// Errors  those of scene::read_scene and make_changes.
[[nodiscard]] scene::Scene scene_of(const TrialOptions& options, const std::string& command);

/// Settings and tunings of files, so that a scene can use their names.
/// Errors  those of read_tunings.
void add_settings(scene::Scene& scene, const std::vector<std::filesystem::path>& files);

}  // namespace hopcoil::tool
