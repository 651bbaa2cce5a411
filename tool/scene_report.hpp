#pragma once

#include <cstddef>
#include <optional>
#include <string>
#include <vector>

#include <hopcoil/measure/tracking.hpp>
#include <hopcoil/scene/run.hpp>
#include <hopcoil/scene/scene.hpp>
#include <hopcoil/take/take.hpp>

#include "draw/chart.hpp"
#include "draw/html.hpp"
#include "tool/made_by.hpp"

/// @file
/// What a run of a scene has to show: figures of each mover, a picture, a text, a JSON object.

namespace hopcoil::tool {

/// How one mover (one link of a relay) fared in a run.
struct MoverReport {
    std::string name{};
    std::string kind{};
    std::string target{};
    std::string words{};             ///< its numbers
    std::optional<Tuning> tuning{};  ///< of a follower or a link
    std::string unit{};              ///< as shown to people: "deg" for angles
    double per_unit = 1.0;           ///< shown units in one of the take's
    bool angle = false;
    std::vector<double> stops{};  ///< that it must not pass, as in the take
    double nearest_stop = 0.0;    ///< the least distance to one of them

    std::size_t value_column = 0;
    std::size_t target_column = 0;
    Tracking tracking{};
};

[[nodiscard]] std::vector<MoverReport> report_on(const scene::Scene& scene, const Take& take);

/// A panel for each mover: its target, its value, its figures.
[[nodiscard]] draw::Chart scene_chart(const scene::Scene& scene, const Take& take,
                                      const std::vector<MoverReport>& reports);

[[nodiscard]] std::string scene_summary(const scene::Scene& scene,
                                        const std::vector<MoverReport>& reports,
                                        const scene::RunLog& log);

/// The same as a part of a report.
[[nodiscard]] draw::ReportSection scene_section(const scene::Scene& scene, const Take& take,
                                                const std::vector<MoverReport>& reports,
                                                const scene::RunLog& log);

[[nodiscard]] Json scene_json(const std::string& command, const scene::Scene& scene,
                              const std::vector<MoverReport>& reports, const scene::RunLog& log);

}  // namespace hopcoil::tool
