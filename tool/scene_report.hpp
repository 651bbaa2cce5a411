#pragma once

#include <string>
#include <vector>

#include <hopcoil/measure/tracking.hpp>
#include <hopcoil/scene/scene.hpp>
#include <hopcoil/take/take.hpp>

#include "draw/chart.hpp"
#include "tool/made_by.hpp"

/// @file
/// What a run of a scene has to show: figures of each follower, a picture, a text, a JSON object.

namespace hopcoil::tool {

/// How one follower fared in a run.
struct FollowerReport {
    std::string name{};
    std::string target{};
    std::string unit{};     ///< as shown to people: "deg" for angles
    double per_unit = 1.0;  ///< shown units in one of the take's
    Tuning tuning{};
    Tracking tracking{};
};

[[nodiscard]] std::vector<FollowerReport> report_on(const scene::Scene& scene, const Take& take);

/// A panel for each follower: its target, its value, its figures.
[[nodiscard]] draw::Chart scene_chart(const scene::Scene& scene, const Take& take,
                                      const std::vector<FollowerReport>& reports);

[[nodiscard]] std::string scene_summary(const scene::Scene& scene,
                                        const std::vector<FollowerReport>& reports);

[[nodiscard]] Json scene_json(const std::string& command, const scene::Scene& scene,
                              const std::vector<FollowerReport>& reports);

}  // namespace hopcoil::tool
