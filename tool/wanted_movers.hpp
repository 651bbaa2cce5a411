#pragma once

#include <string>
#include <vector>

#include <hopcoil/scene/scene_mover.hpp>

#include "tool/commands.hpp"

namespace hopcoil::tool {

/// One mover asked for on the command line.
struct WantedMover {
    scene::MoverNumbers numbers{};
    double mass_kg = 1.0;  ///< for a follower's answer as a spring
    std::string name{};    ///< of a named tuning
};

/// Whether no tuning is asked for in any form.
[[nodiscard]] bool says_nothing(const TuningOptions& options);

/// All movers that the options name; one with the default tuning if they name none.
/// Errors  UsageProblem; InvalidValue and Unsayable for numbers that cannot be.
[[nodiscard]] std::vector<WantedMover> wanted_movers(const TuningOptions& options,
                                                     const std::string& command);

}  // namespace hopcoil::tool
