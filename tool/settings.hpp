#pragma once

#include <filesystem>
#include <vector>

#include "tool/commands.hpp"

namespace hopcoil::tool {

/// Whether the options of `tunings` name settings of a system, rather than tunings alone.
[[nodiscard]] bool wants_settings(const TuningsOptions& options);
/// `tunings` for settings: prints, compares or keeps them.
ExitCode run_settings(const TuningsOptions& options);
/// A line for each of the files' settings.
void print_settings_list(const std::vector<std::filesystem::path>& files);

}  // namespace hopcoil::tool
