#pragma once

#include <string>

#include <nlohmann/json.hpp>

#include <hopcoil/spring/step_response.hpp>
#include <hopcoil/spring/tuning.hpp>

/// @file
/// What every JSON output has in common.

namespace hopcoil::tool {

using Json = nlohmann::ordered_json;

/// {"program": "hopcoil", "version": ..., "command": ...}, to which a command adds its own.
[[nodiscard]] Json made_by(const std::string& command);

/// "made by hopcoil 0.1.0 run"
[[nodiscard]] std::string made_by_line(const std::string& command);

/// Every parameterisation of a tuning; per kilogram where a mass is needed.
[[nodiscard]] Json to_json(const Tuning& tuning, double mass_kg = 1.0);

/// Sets a key to a figure, or to null with "KEY_reason" beside it.
void set_figure(Json& json, const std::string& key, const Figure& figure);

/// Prints one JSON object and nothing else.
void print_json(const Json& json);

}  // namespace hopcoil::tool
