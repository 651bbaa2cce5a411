#pragma once

#include <cstddef>
#include <stdexcept>
#include <string>
#include <vector>

#include <hopcoil/scene/kind.hpp>
#include <hopcoil/scene/live_scene.hpp>
#include <hopcoil/scene/run.hpp>
#include <hopcoil/scene/scene.hpp>
#include <hopcoil/scene/system_report.hpp>

#include "support/files.hpp"

/// A scene that is written into a folder.
inline hopcoil::scene::Scene scene_in(const TestFolder& folder, const std::string& text) {
    return hopcoil::scene::read_scene(folder.write("quay.toml", text));
}
/// A scene that needs no other file.
inline hopcoil::scene::Scene scene_of(const std::string& text,
                                      const std::vector<hopcoil::scene::SystemKind>& kinds = {}) {
    const TestFolder folder;
    return hopcoil::scene::read_scene(folder.write("quay.toml", text), kinds);
}

inline hopcoil::Take take_of(const hopcoil::scene::Scene& scene) {
    hopcoil::Take take;
    run(scene, take);
    return take;
}
inline double number_in(const hopcoil::Take& take, std::size_t row, const std::string& channel,
                        std::size_t k = 0) {
    return take.row(row)[take.columns_of(take.find_channel(channel).value()).first + k];
}
inline std::vector<double> column_in(const hopcoil::Take& take, const std::string& name) {
    return take.column(take.find_column(name).value());
}
inline std::vector<double> row_of(hopcoil::scene::LiveScene& live) {
    const auto row = live.row();
    return {row.begin(), row.end()};
}

/// The tuning behind an output of a system; fails the test's access where it has none.
inline hopcoil::Tuning tuning_in(const hopcoil::scene::Scene& scene, std::size_t system,
                                 std::size_t port = 0) {
    return scene.systems.at(system).spec->step_responder()->tuning(port).value();
}

/// What is wrong with making something; empty when it was made.
template <class Make>
std::string complaint_of(const Make& make) {
    try {
        make();
        return {};
    } catch (const std::runtime_error& problem) {
        return problem.what();
    }
}

/// One figure of a report; fails the test's access where it has none of that key.
inline double figure_of(const hopcoil::scene::SystemReport& report, const std::string& key) {
    for (const hopcoil::scene::ReportFigure& each : report.figures) {
        if (each.key == key) return each.value;
    }
    throw std::runtime_error{"no figure " + key};
}

/// The target that a system follows.
inline const hopcoil::scene::SceneTarget& target_in(const hopcoil::scene::Scene& scene,
                                                    std::size_t system) {
    return scene.targets.at(scene.systems.at(system).targets.at(0));
}
