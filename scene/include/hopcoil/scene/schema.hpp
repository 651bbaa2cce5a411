#pragma once

#include <string>

/// @file
/// The facts about keys (keys.hpp) as a schema for editors, and as a page for people.

namespace hopcoil::scene {

/// JSON Schema (draft 2020-12) of scene files and of tuning files, as their TOML reads as JSON.
[[nodiscard]] std::string scene_schema();
[[nodiscard]] std::string tuning_schema();

/// A page of every key, in Markdown.
[[nodiscard]] std::string page_of_keys();

}  // namespace hopcoil::scene
