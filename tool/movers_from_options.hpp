#pragma once

#include <filesystem>
#include <functional>
#include <optional>
#include <string>
#include <vector>

#include <hopcoil/scene/kinds/movers.hpp>
#include <hopcoil/scene/system_report.hpp>

#include "tool/commands.hpp"

namespace hopcoil::tool {

/// One mover asked for on the command line.
struct WantedMover {
    scene::AnySpec spec{};  ///< of one number, at rest at 0
    /// The same, started elsewhere.
    std::function<scene::AnySpec(double value, double velocity)> started{};
    std::optional<Tuning> tuning{};  ///< of a follower
    double mass_kg = 1.0;            ///< for a follower's figures as a spring
    std::string name{};              ///< of a named tuning
    std::string about{};             ///< a line on what it feels like
};

/// The tunings that have names: those of the given files, then those that are shipped. Of a pose's
/// tunings each part has a name of its own, "sign.rotation".
/// Errors  those of scene::read_tunings.
[[nodiscard]] std::vector<WantedMover> tunings_with_names(
    const std::vector<std::filesystem::path>& files);

/// Whether no tuning is asked for in any form.
[[nodiscard]] bool has_no_options(const TuningOptions& options);

/// All movers that the options name; one with the default tuning if they name none.
/// Errors  UsageProblem; InvalidValue and InconsistentParameters for numbers that cannot be.
[[nodiscard]] std::vector<WantedMover> movers_from_options(const TuningOptions& options,
                                                           const std::string& command);

}  // namespace hopcoil::tool
