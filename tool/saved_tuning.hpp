#pragma once

#include <string>
#include <vector>

#include "tool/commands.hpp"
#include "tool/movers_from_options.hpp"

namespace hopcoil::tool {

/// The line about what is to be saved: the one that is given, or that of what it replaces.
/// Errors  UsageProblem when the name is taken and nothing says to replace it.
[[nodiscard]] std::string about_to_keep(const std::string& command, const SaveOptions& save);

/// Keeps the one tuning that was asked for under a name, in a tuning file. What was done, in a
/// line; empty when nothing was to be kept. Errors  UsageProblem when there are several, or it is
/// no tuning; those of scene::save_tuning.
[[nodiscard]] std::string save_wanted(const std::string& command, const SaveOptions& save,
                                      const std::vector<WantedMover>& wanted);

/// The same of a tuning.
[[nodiscard]] std::string save_tuning_as(const std::string& command, const SaveOptions& save,
                                         const Tuning& tuning);

}  // namespace hopcoil::tool
