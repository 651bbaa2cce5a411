#include "tool/scene_files.hpp"

#include <hopcoil/scene/run.hpp>
#include <hopcoil/scene/take_file.hpp>
#include <hopcoil/scene/text_file.hpp>

#include "draw/chart.hpp"
#include "tool/scene_report.hpp"

namespace hopcoil::tool {

SceneFiles run_into_folder(const std::string& command, const scene::Scene& scene,
                           const std::filesystem::path& folder,
                           const std::filesystem::path& figure) {
    Take take;
    const scene::RunLog log = scene::run(scene, take);
    const std::vector<MoverReport> reports = report_on(scene, take);

    const std::string name = std::filesystem::path{scene.file}.stem().string();
    SceneFiles files{.csv = folder / (name + ".csv"),
                     .figure = figure.empty() ? folder / (name + ".png") : figure,
                     .json = folder / (name + ".json"),
                     .summary = folder / (name + ".txt"),
                     .page = folder / (name + ".html"),
                     .text = scene_summary(scene, reports, log),
                     .report = scene_json(command, scene, reports, log),
                     .section = scene_section(scene, take, reports, log)};
    files.report["files"] = {{"csv", files.csv.string()},
                             {"figure", files.figure.string()},
                             {"json", files.json.string()},
                             {"summary", files.summary.string()},
                             {"page", files.page.string()}};
    scene::make_folder(folder);
    draw::write_chart(scene_chart(scene, take, reports), files.figure);
    scene::write_take(files.csv, take);
    scene::write_text_file(files.json, files.report.dump(2) + '\n');
    scene::write_text_file(files.summary, files.text);
    draw::Report page{.title = files.section.heading,
                      .sections = {files.section},
                      .footer = made_by_line(command)};
    page.sections.front().heading.clear();  // the page says it
    scene::write_text_file(files.page, draw::to_html(page));
    return files;
}

}  // namespace hopcoil::tool
