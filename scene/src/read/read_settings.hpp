#pragma once

#include <string>
#include <vector>

#include <hopcoil/scene/scene.hpp>

#include "toml_reader.hpp"

namespace hopcoil::scene {

/// A table [settings.NAME].
[[nodiscard]] NamedSettings read_named_settings(const toml::table& table, const std::string& name,
                                                const std::string& file,
                                                std::vector<io::Problem>& problems);

/// Gives the systems that a table made the numbers of the settings that its key `settings` names,
/// but for those that the table has itself.
void use_settings(Scene& scene, TableReader& table, const std::string& name);

}  // namespace hopcoil::scene
