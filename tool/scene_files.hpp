#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include <hopcoil/scene/run.hpp>
#include <hopcoil/scene/scene.hpp>

#include "draw/html.hpp"
#include "tool/exit_code.hpp"
#include "tool/made_by.hpp"

namespace hopcoil::tool {

/// The files that running a scene wrote, and its report.
struct SceneFiles {
    std::filesystem::path csv{};
    std::filesystem::path figure{};
    std::filesystem::path json{};
    std::filesystem::path summary{};
    std::filesystem::path page{};
    std::vector<std::filesystem::path> takes{};     ///< that were asked for beside the CSV
    std::vector<std::filesystem::path> pictures{};  ///< that the scene asks for
    std::string text{};
    Json report{};
    draw::ReportSection section{};
    ExitCode code = ExitCode::done;  ///< of a run that ended early, why
};

/// A run, and why it ended early if it did.
struct ShownRun {
    scene::RunLog log{};
    std::string ended_early{};
    ExitCode code = ExitCode::done;
    std::vector<std::filesystem::path> takes{};  ///< as they are named
};

struct SceneFileWishes {
    std::filesystem::path figure{};              ///< elsewhere than in the folder
    std::vector<std::filesystem::path> takes{};  ///< .csv, .json, .gltf or .glb
    bool overlay = false;                        ///< movers of one target in one chart
    bool shows_progress = true;
};

/// Runs a scene and writes NAME.csv, NAME.json, NAME.txt, NAME.html, its figure NAME.png and its
/// pictures into a folder.
/// Errors  those of reading, running and drawing; the folder then has none of them half-written. A
///         run that ended early is no error: what it did is written, and marked.
[[nodiscard]] SceneFiles run_into_folder(const std::string& command, const scene::Scene& scene,
                                         const std::filesystem::path& folder,
                                         const SceneFileWishes& wishes = {});

/// Runs a scene and writes nothing but takes, .csv or .json, as they are recorded: in memory that
/// does not grow with them. A run that diverges or is interrupted leaves them whole up to its last
/// good row, under the name NAME.partial.csv.
[[nodiscard]] ShownRun run_into_takes(const std::string& command, const scene::Scene& scene,
                                      const std::vector<std::filesystem::path>& takes);

/// Errors  UsageProblem for a name with another ending than a take's or a model's.
void require_take_names(const std::string& command,
                        const std::vector<std::filesystem::path>& takes);

}  // namespace hopcoil::tool
