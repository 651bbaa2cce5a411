#pragma once

#include <cstddef>
#include <stdexcept>
#include <string>

#include <hopcoil/scene/scene.hpp>
#include <hopcoil/scene/system_report.hpp>

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
