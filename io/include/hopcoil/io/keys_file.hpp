#pragma once

#include <string>
#include <vector>

#include <hopcoil/follow/key_curve.hpp>
#include <hopcoil/io/file_problems.hpp>

/// @file
/// Keyframes in files, as `bake` writes them.
///
/// CSV   columns time_s, value, slope_before, slope_after (per second), a row for each key; of
///       several curves with a column "channel" before them, which names each: "lamp.value_m.x".
/// JSON  an object: "made_by", "channels" (a list of name, unit, components, keys), each key with
///       time_s, value, slope_before and slope_after: a number, or a list with one for each
///       component.

namespace hopcoil::io {

/// A channel as keys.
struct KeyedChannel {
    std::string name{};              ///< empty for the only one of a CSV
    std::string unit{};              ///< of a JSON file
    std::vector<KeyCurve> curves{};  ///< one for each component
};

/// Errors  FileProblem; InputProblems with the line and column (CSV) or the JSON pointer of what is
///         wrong.
[[nodiscard]] std::vector<KeyedChannel> read_keys(const std::string& path);

}  // namespace hopcoil::io
