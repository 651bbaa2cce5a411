#include "tool/scene_files.hpp"

#include <atomic>
#include <cstdint>
#include <future>
#include <memory>
#include <span>

#include <fmt/format.h>

#include <hopcoil/io/take_file.hpp>
#include <hopcoil/io/text_file.hpp>
#include <hopcoil/scene/run.hpp>
#include <hopcoil/scene/scene_nodes.hpp>

#include "draw/chart.hpp"
#include "tool/commands.hpp"
#include "tool/interrupt.hpp"
#include "tool/progress.hpp"
#include "tool/scene_pictures.hpp"
#include "tool/scene_report.hpp"

namespace hopcoil::tool {

namespace fs = std::filesystem;

namespace {

std::size_t rows_of(const scene::Scene& scene) {
    return static_cast<std::size_t>(scene.duration_s * scene.rate_hz) + 1;
}

/// A run that may have ended early; then with the reason, and what the command answers.
ShownRun run_shown(const std::string& command, const scene::Scene& scene, TakeSink& sink,
                   bool shows_progress = true) {
    ProgressSink shown{sink, rows_of(scene), shows_progress};
    ShownRun run;
    try {
        run.log = scene::run(scene, shown);
    } catch (const scene::Diverged& problem) {
        if (shown.rows() == 0) throw;
        run.ended_early = problem.what();
        run.code = ExitCode::diverged;
    } catch (const Interrupted&) {
        run.ended_early = "it was interrupted";
        run.code = ExitCode::interrupted;
    }
    if (run.ended_early.empty()) return run;
    run.ended_early = fmt::format("ended early, with its last good row at {:.6g} s: {}",
                                  shown.last_s(), run.ended_early);
    run.log.warnings.insert(run.log.warnings.begin(), run.ended_early);
    fmt::print(stderr, "hopcoil {}: {}\n", command, run.ended_early);
    return run;
}

/// Where a file goes: of a run that ended early under another name, so that nobody takes it for
/// the whole.
fs::path path_for(const fs::path& path, const ShownRun& run) {
    return run.ended_early.empty() ? path : fs::path{io::partial_name(path.string())};
}

/// A take as it is, or as a model with a key for each row.
void write_asked(const fs::path& path, const scene::Scene& scene, const Take& take,
                 const Take& kept) {
    if (!io::is_model_file(path)) {
        io::write_take(path, kept);
        return;
    }
    io::BakedModel model = io::model_of(take, scene::model_channels_of(scene, take));
    Json origin = Json::parse(take.made_by());
    origin["motion"] = "simulated";
    model.model.made_by = origin.dump();
    model.model.animation = fs::path{scene.file}.stem().string();
    io::write_model(path, model.model);
}

/// Into the page, unless that would make it too large to open with ease.
void add_to_page(draw::ReportSection& section, const fs::path& picture) {
    constexpr std::uintmax_t most_bytes = 12'000'000;
    const std::string name = picture.filename().string();
    if (fs::file_size(picture) <= most_bytes) {
        section.images.push_back({picture, "What moved, in space: " + name});
    } else {
        section.text += fmt::format(" Too large for this page, and beside it: {}.", name);
    }
}

/// Writes what is recorded into several files at once.
class TakeWriters final : public TakeSink {
  public:
    TakeWriters(const std::vector<fs::path>& paths, const std::string& made_by) {
        for (const fs::path& path : paths)
            writers_.push_back(std::make_unique<io::TakeWriter>(path, made_by));
    }
    void begin(std::span<const RecordedChannel> channels) override {
        for (const auto& writer : writers_)
            writer->begin(channels);
    }
    void row(double time_s, std::span<const double> numbers) override {
        for (const auto& writer : writers_)
            writer->row(time_s, numbers);
    }
    void finish(const std::string& ended_early) {
        for (const auto& writer : writers_)
            writer->finish(ended_early);
    }

  private:
    std::vector<std::unique_ptr<io::TakeWriter>> writers_;
};

/// Numbers, summary and page.
void write_texts(const SceneFiles& files, const std::string& made_by) {
    io::write_text_file(files.json, files.report.dump(2) + '\n');
    io::write_text_file(files.summary, files.text);
    draw::Report page{
        .title = files.section.heading, .sections = {files.section}, .footer = made_by};
    page.sections.front().heading.clear();  // the page says it
    io::write_text_file(files.page, draw::to_html(page));
}

/// The run that figures are read off, beside the one that is written. It ends with this object.
class FineRun {
  public:
    explicit FineRun(const scene::Scene& scene)
        : take_{std::async(std::launch::async, [this, fine = scene::finely_recorded(scene)] {
              Take take;
              StoppableSink sink{take, is_stopped_};
              scene::run(fine, sink);
              return take;
          })} {}
    FineRun(const FineRun&) = delete;
    FineRun& operator=(const FineRun&) = delete;
    ~FineRun() { is_stopped_ = true; }

    /// Waits for its end. Errors as of run(); once only.
    Take take() { return take_.get(); }

  private:
    class StoppableSink final : public TakeSink {
      public:
        StoppableSink(TakeSink& inner, const std::atomic<bool>& is_stopped)
            : inner_{inner}, is_stopped_{is_stopped} {}
        void begin(std::span<const RecordedChannel> channels) override { inner_.begin(channels); }
        void expect(std::size_t rows) override { inner_.expect(rows); }
        void row(double time_s, std::span<const double> numbers) override {
            if (is_stopped_) throw Interrupted{"not needed any more"};
            inner_.row(time_s, numbers);
        }

      private:
        TakeSink& inner_;
        const std::atomic<bool>& is_stopped_;
    };

    std::atomic<bool> is_stopped_ = false;
    std::future<Take> take_;  // the last member: it waits where it is destroyed
};

}  // namespace

void require_take_names(const std::string& command, const std::vector<fs::path>& takes) {
    for (const fs::path& path : takes) {
        if (io::is_take_file(path) || io::is_model_file(path)) continue;
        throw UsageProblem{
            fmt::format("hopcoil {}: --take {}: expected a name that ends in .csv, .json, .gltf or "
                        ".glb",
                        command, path.string())};
    }
}

ShownRun run_into_takes(const std::string& command, const scene::Scene& scene,
                        const std::vector<fs::path>& takes) {
    TakeWriters writers{takes, made_by_scene(command, scene).dump()};
    ShownRun run = run_shown(command, scene, writers);
    writers.finish(run.ended_early);
    for (const fs::path& path : takes)
        run.takes.push_back(path_for(path, run));
    return run;
}

SceneFiles run_into_folder(const std::string& command, const scene::Scene& scene,
                           const fs::path& folder, const SceneFileWishes& wishes) {
    scene::Scene whole = scene;
    whole.record.clear();  // the report is of all of it, whatever the take keeps
    FineRun fine{scene};
    Take take;
    const ShownRun run = run_shown(command, whole, take, wishes.shows_progress);
    const scene::RunLog& log = run.log;
    Json origin = made_by_scene(command, scene);
    if (!run.ended_early.empty()) origin["ended_early"] = run.ended_early;
    take.set_made_by(origin.dump());
    const std::vector<scene::SystemReport> reports =
        run.ended_early.empty() ? scene::report_on(scene, take, fine.take())
                                : scene::report_on(scene, take);

    const std::string name = std::filesystem::path{scene.file}.stem().string();
    SceneFiles files{.csv = path_for(folder / (name + ".csv"), run),
                     .figure = wishes.figure.empty() ? folder / (name + ".png") : wishes.figure,
                     .json = folder / (name + ".json"),
                     .summary = folder / (name + ".txt"),
                     .page = folder / (name + ".html"),
                     .text = scene_summary(scene, reports, log),
                     .report = scene_json(command, scene, reports, log)};
    files.code = run.code;
    if (!run.ended_early.empty()) files.report["ended_early"] = run.ended_early;
    files.report["files"] = {{"csv", files.csv.string()},
                             {"figure", files.figure.string()},
                             {"json", files.json.string()},
                             {"summary", files.summary.string()},
                             {"page", files.page.string()}};
    io::make_folder(folder);
    try {
        files.section = scene_section(scene, take, reports, log, wishes.overlay);
        draw::write_chart(scene_chart(scene, take, reports, wishes.overlay), files.figure);
    } catch (const io::FileProblem&) {
        // Of a motion that has diverged there may be nothing that can be drawn.
        if (run.ended_early.empty()) throw;
        files.figure.clear();
        files.report["files"].erase("figure");
        files.section = {.heading = scene.title, .text = run.ended_early, .warnings = log.warnings};
    }
    const Take kept = scene::recorded_part(take, scene.record);
    io::write_take(files.csv, kept);
    for (const fs::path& path : wishes.takes) {
        files.takes.push_back(path_for(path, run));
        write_asked(files.takes.back(), scene, take, kept);
    }
    // Pictures show the whole of a run.
    if (run.ended_early.empty())
        files.pictures = make_pictures(scene, take, folder, made_by_line(command));
    for (const fs::path& path : files.takes)
        files.report["files"]["takes"].push_back(path.string());
    for (const fs::path& picture : files.pictures) {
        files.report["files"]["pictures"].push_back(picture.string());
        add_to_page(files.section, picture);
    }
    write_texts(files, made_by_line(command));
    return files;
}

}  // namespace hopcoil::tool
