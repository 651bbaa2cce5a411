#pragma once

#include <vector>

#include <hopcoil/scene/system_report.hpp>

#include "walker_parts.hpp"

namespace hopcoil::scene {

/// Which foot is down when, and what steps and hops were like.
[[nodiscard]] std::vector<SystemReport> walker_report(const SystemSpec& spec,
                                                      const WalkerParts& parts,
                                                      const ReportInput& input);

}  // namespace hopcoil::scene
