#pragma once

#include <string>
#include <utility>

namespace hopcoil::scene {

/// "a.b.c" as "a" and "b.c".
[[nodiscard]] inline std::pair<std::string, std::string> split_path(const std::string& path) {
    const std::size_t dot = path.find('.');
    if (dot == std::string::npos) return {path, ""};
    return {path.substr(0, dot), path.substr(dot + 1)};
}

/// Where a dial with a key stands in the table that made its system. Of a table that makes several
/// systems, tables inside have one for each part: "tuning.position.lead".
[[nodiscard]] inline std::string key_in_table(const std::string& key, const std::string& part) {
    const auto [first, rest] = split_path(key);
    return part.empty() || rest.empty() ? key : first + '.' + part + '.' + rest;
}

}  // namespace hopcoil::scene
