#pragma once

#include <string>
#include <vector>

#include <hopcoil/scene/kind.hpp>
#include <hopcoil/scene/scene.hpp>

#include "toml.hpp"

namespace hopcoil::scene {

/// The numbers of a scene file that no dial of a system has: those of its targets, starts, kicks,
/// ranges and bodies, as "hook.moves.0.jump_to_m". Each that a change names is changed in the table
/// first. `tuning_numbers`: those of a tuning in another form than its dials have,
/// "lamp.tuning.mass_kg".
void collect_numbers(toml::table& root, const std::vector<SystemKind>& kinds,
                     const std::vector<SceneNumber>& changes, std::vector<SceneNumber>& numbers,
                     std::vector<SceneNumber>& tuning_numbers);

/// The same for its named tunings and settings: "tuning.brass.frequency_hz".
void collect_tuning_numbers(toml::table& root, const std::vector<SceneNumber>& changes,
                            std::vector<SceneNumber>& numbers);

}  // namespace hopcoil::scene
