#pragma once

#include <string>

/// @file
/// What the facts about keys (keys.hpp) say, for editors and for people.

namespace hopcoil::scene {

/// JSON Schema (draft 2020-12) of scene files and of tuning files, as their TOML reads as JSON.
[[nodiscard]] std::string scene_schema();
[[nodiscard]] std::string tuning_schema();

/// A page of every key, in Markdown.
[[nodiscard]] std::string page_of_keys();

}  // namespace hopcoil::scene
