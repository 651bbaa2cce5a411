#include <fmt/format.h>

#include <hopcoil/base/math.hpp>

#include "tool/scene_report.hpp"

namespace hopcoil::tool {
namespace {

void add_jumps(Json& mover, const scene::SystemReport& report) {
    const auto none = [&](const char* key, const char* reason) {
        mover[key] = nullptr;
        mover[std::string{key} + "_reason"] = reason;
    };
    constexpr const char* no_jumps = "its target does not jump and stand still";
    if (report.jumps) {
        mover["jumps"] = report.jumps->jumps;
        mover["largest_overshoot_percent"] = report.jumps->largest_overshoot_percent;
    } else {
        mover["jumps"] = 0;
        none("largest_overshoot_percent", no_jumps);
    }
    if (report.jumps && report.jumps->unsettled == 0 && report.jumps->longest_settling_s) {
        mover["longest_settling_time_s"] = *report.jumps->longest_settling_s;
    } else {
        none("longest_settling_time_s",
             report.jumps ? "it had not settled before the next jump or the end" : no_jumps);
    }
    if (report.lag_s) {
        mover["lag_s"] = *report.lag_s;
    } else {
        none("lag_s", "no shift in time lays it over its target");
    }
}

}  // namespace

Json made_by_scene(const std::string& command, const scene::Scene& scene) {
    Json source = made_by(command);
    source["scene"] = scene.file;
    if (scene.is_random) {
        source["seed"] = scene.seed;
    } else {
        source["seed"] = nullptr;
        source["seed_reason"] = "nothing in it is random";
    }
    if (!scene.changes.empty()) source["set"] = scene.changes;
    source["duration_s"] = scene.duration_s;
    source["rate_hz"] = scene.rate_hz;
    for (const scene::SceneSystem& system : scene.systems) {
        const std::vector<scene::Port> ports = system.spec->outputs();
        for (std::size_t i = 0; i < ports.size(); ++i) {
            const std::string words = system.spec->in_words(i);
            if (!words.empty()) source["numbers"][scene::output_name(system, ports[i])] = words;
        }
    }
    return source;
}

Json scene_json(const std::string& command, const scene::Scene& scene,
                const std::vector<scene::SystemReport>& reports, const scene::RunLog& log) {
    Json movers = Json::array();
    for (const scene::SystemReport& report : reports) {
        const std::string unit = report.unit == "deg" ? "rad" : report.unit;  // as in the take
        Json mover{{"name", report.name},
                   {"kind", report.kind},
                   {"target", report.target.empty() ? Json(nullptr) : Json(report.target)},
                   {"unit", unit},
                   {"numbers", report.words}};
        if (report.tuning) mover["tuning"] = to_json(*report.tuning);
        for (const scene::ReportFigure& figure : report.figures)
            mover[figure.key] = figure.value;
        if (!report.tracking) {
            movers.push_back(std::move(mover));
            continue;
        }
        const Tracking& tracking = *report.tracking;
        mover.update({{"largest_gap", tracking.largest_gap},
                      {"largest_gap_time_s", tracking.largest_gap_time_s},
                      {"rms_gap", tracking.rms_gap},
                      {"peak_velocity", tracking.peak_velocity},
                      {"peak_velocity_time_s", tracking.peak_velocity_time_s},
                      {"sample_spacing_s", tracking.sample_spacing_s}});
        add_jumps(mover, report);
        movers.push_back(std::move(mover));
    }
    return {{"made_by", made_by_scene(command, scene)},
            {"movers", std::move(movers)},
            {"warnings", log.warnings}};
}

}  // namespace hopcoil::tool
