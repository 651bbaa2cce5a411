#pragma once

#include <filesystem>
#include <string>

#include <hopcoil/scene/scene.hpp>

#include "draw/html.hpp"
#include "tool/made_by.hpp"

namespace hopcoil::tool {

/// What running a scene wrote, and has to say.
struct SceneFiles {
    std::filesystem::path csv{};
    std::filesystem::path figure{};
    std::filesystem::path json{};
    std::filesystem::path summary{};
    std::filesystem::path page{};
    std::string text{};
    Json report{};
    draw::ReportSection section{};
};

/// Runs a scene and writes NAME.csv, NAME.json and NAME.txt into a folder, and its figure there as
/// NAME.png or elsewhere if asked.
/// Errors  those of reading, running and drawing; the folder then has none of them half-written.
[[nodiscard]] SceneFiles run_into_folder(const std::string& command, const scene::Scene& scene,
                                         const std::filesystem::path& folder,
                                         const std::filesystem::path& figure = {});

}  // namespace hopcoil::tool
