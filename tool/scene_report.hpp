#pragma once

#include <string>
#include <vector>

#include <hopcoil/scene/run.hpp>
#include <hopcoil/scene/scene.hpp>
#include <hopcoil/scene/system_report.hpp>
#include <hopcoil/take/take.hpp>

#include "draw/chart.hpp"
#include "draw/html.hpp"
#include "tool/made_by.hpp"

/// @file
/// The report of a run: figures of each mover, a picture, a text, a JSON object.

namespace hopcoil::tool {

/// A panel for each mover, the first two dozen where there are more: its target, its value, its
/// figures. Overlaid, those of one target share one.
[[nodiscard]] draw::Chart scene_chart(const scene::Scene& scene, const Take& take,
                                      const std::vector<scene::SystemReport>& reports,
                                      bool overlay = false);

[[nodiscard]] std::string scene_summary(const scene::Scene& scene,
                                        const std::vector<scene::SystemReport>& reports,
                                        const scene::RunLog& log);

/// The same as a part of a report.
[[nodiscard]] draw::ReportSection scene_section(const scene::Scene& scene, const Take& take,
                                                const std::vector<scene::SystemReport>& reports,
                                                const scene::RunLog& log, bool overlay = false);

/// The origin of a run: the scene, its seed, what was changed, its numbers in words.
[[nodiscard]] Json made_by_scene(const std::string& command, const scene::Scene& scene);

[[nodiscard]] Json scene_json(const std::string& command, const scene::Scene& scene,
                              const std::vector<scene::SystemReport>& reports,
                              const scene::RunLog& log);

}  // namespace hopcoil::tool
