#include <algorithm>
#include <chrono>
#include <cmath>
#include <numeric>
#include <optional>

#include <fmt/format.h>

#include <hopcoil/base/random.hpp>
#include <hopcoil/base/version.hpp>
#include <hopcoil/io/file_problems.hpp>
#include <hopcoil/io/take_file.hpp>
#include <hopcoil/io/text_file.hpp>
#include <hopcoil/scene/run.hpp>
#include <hopcoil/tune/sweep_file.hpp>

#include "draw/chart.hpp"
#include "tool/commands.hpp"
#include "tool/interrupt.hpp"
#include "tool/made_by.hpp"
#include "tool/progress.hpp"
#include "tool/scene_changes.hpp"
#include "tool/scene_pictures.hpp"
#include "tool/sweep_pictures.hpp"

namespace hopcoil::tool {
namespace {

namespace fs = std::filesystem;
using tune::SweepRow;
using tune::SweepTable;

[[noreturn]] void refuse_sweep(const std::string& why) {
    throw UsageProblem{"hopcoil sweep: " + why};
}

/// One of several parts: all of a sweep is the first of one.
struct Part {
    std::size_t number = 1;
    std::size_t of = 1;
};

Part part_from(const std::string& text) {
    if (text.empty()) return {};
    const auto whole = [](const std::string& digits) -> std::size_t {
        const bool is_number = !digits.empty() && digits.size() < 7 &&
                               digits.find_first_not_of("0123456789") == std::string::npos;
        return is_number ? std::stoul(digits) : 0;
    };
    const std::size_t slash = std::min(text.find('/'), text.size() - 1);
    const Part part{whole(text.substr(0, slash)), whole(text.substr(slash + 1))};
    if (part.number < 1 || part.number > part.of)
        refuse_sweep(fmt::format("--shard {}: expected PART/PARTS, as 3/8, PART from 1", text));
    return part;
}

/// What the table is of.
struct Swept {
    std::vector<tune::SweepAxis> axes{};
    tune::Trial trial{};
    SweepCurveOf curve_of{};
    SweepPictureOf picture_of{};
    std::vector<std::vector<std::string>> names{};
    std::string seen{};  ///< whose motion a sheet shows
    std::string title{};
    std::string id{};
    Json made_by{};
};

/// How a sheet shows moments: as a picture of the scene does, or from the side, of what is shown.
scene::PictureSettings picture_for(const scene::Scene& scene, const SweepOptions& options) {
    scene::PictureSettings settings{.name = "moments"};
    if (!options.picture.empty()) {
        std::vector<std::string> names;
        for (const scene::PictureSettings& each : scene.pictures) {
            names.push_back(each.name);
            if (each.name == options.picture) settings = each;
        }
        if (settings.name != options.picture) {
            refuse_sweep(fmt::format("--picture {}: the scene has no picture of this name{}",
                                     options.picture, io::did_you_mean(options.picture, names)));
        }
        settings.compare.clear();
        settings.references.clear();
    }
    if (!options.show.empty()) settings.bodies = {options.show, options.show + ".*"};
    const auto [first, last] =
        std::minmax_element(options.moments_s.begin(), options.moments_s.end());
    if (*last > scene.duration_s) {
        refuse_sweep(fmt::format("--moments {:g}: a run ends at {:g} s", *last, scene.duration_s));
    }
    constexpr double usual_trail_s = 0.15;
    settings.every_s = settings.every_s.value_or(usual_trail_s);
    settings.from_s = std::max(0.0, *first - *settings.every_s);
    settings.to_s = std::max(*last, settings.from_s + 1e-3);
    return settings;
}

SweepPictureOf moments_of(const scene::Scene& scene, const std::vector<std::string>& paths,
                          const SweepOptions& options) {
    return
        [scene, paths, settings = picture_for(scene, options)](const std::vector<double>& values) {
            scene::Scene tried = tune::changed(scene, paths, values);
            tried.record.clear();  // a picture may show anything
            tried.duration_s = *settings.to_s;
            Take take;
            scene::run(tried, take);
            return picture_of(tried, take, settings, "");
        };
}

Swept swept_by(const SweepOptions& options) {
    Swept swept;
    std::string all = fmt::format("{}\n", version);
    std::optional<scene::Scene> of_scene;
    if (!options.scene.empty()) of_scene = scene_of(options, "sweep");
    for (const std::string& text : options.vary) {
        try {
            swept.axes.push_back(tune::axis_from(text, of_scene ? &*of_scene : nullptr));
        } catch (const std::invalid_argument& problem) {
            refuse_sweep(fmt::format("--vary {}", problem.what()));
        }
        all += text + '\n';
    }
    const std::vector<std::string> paths = tune::paths_of(swept.axes);
    if (!of_scene) {
        const Tuning tuning = options.tuning.tuning();
        swept.trial = tune::trial_of(tuning, paths);
        swept.seen = "a jump";
        const double seconds = options.seconds.value_or(2);
        swept.curve_of = [tuning, paths, seconds](const std::vector<double>& values) {
            return tune::curve_of(tuning, paths, values, seconds);
        };
        swept.made_by = made_by("sweep");
        swept.made_by["tuning"] = to_json(tuning);
    } else {
        const scene::Scene& scene = *of_scene;
        swept.trial = tune::trial_of(scene, paths);
        swept.names = tune::value_names(scene, paths);
        const std::string& path = paths.front();
        swept.seen = options.show.empty() ? path.substr(0, path.find('.')) : options.show;
        swept.curve_of = [scene, paths, name = swept.seen](const std::vector<double>& values) {
            return tune::curve_of(scene, paths, values, name);
        };
        if (!options.moments_s.empty()) swept.picture_of = moments_of(scene, paths, options);
        swept.title = scene.title.empty() ? options.scene.stem().string() : scene.title;
        swept.made_by = made_by("sweep");
        swept.made_by["scene"] = scene.file;
        swept.made_by["duration_s"] = scene.duration_s;
        if (!scene.changes.empty()) swept.made_by["set"] = scene.changes;
        swept.made_by["seed"] = scene.seed;
        all += io::read_text_file(options.scene);
    }
    swept.id = fmt::format("{:016x}", stream_of(0, all + swept.made_by.dump()));
    return swept;
}

/// What an earlier call has left beside the table's name.
SweepTable earlier_part(const fs::path& partial, const Swept& swept) {
    std::error_code error;
    if (partial.empty() || !fs::exists(partial, error)) return {};
    tune::SweepFile file = tune::read_sweep(partial);
    if (file.sweep_id != swept.id) {
        refuse_sweep(fmt::format("{}: part of another sweep; remove it, or give --out another name",
                                 partial.string()));
    }
    return std::move(file.table);
}

fs::path partial_of(const fs::path& out) {
    return out.empty() ? fs::path{} : fs::path{io::partial_name(out.string())};
}

/// Runs what is not done yet, and keeps what is, now and then, so that nothing is lost.
SweepTable run_all(const SweepOptions& options, const Swept& swept) {
    const fs::path partial = partial_of(options.out);
    SweepTable done = earlier_part(partial, swept);
    std::size_t total = 1;
    for (const tune::SweepAxis& axis : swept.axes)
        total *= axis.values.size();
    const Part part = part_from(options.part);
    ProgressBar bar{"sweeping", total / part.of + 1};
    auto kept_at = std::chrono::steady_clock::now();
    const auto progress = [&](const SweepTable& so_far, std::size_t ran, std::size_t) {
        bar.show(ran);
        const auto now = std::chrono::steady_clock::now();
        constexpr double often_s = 2;
        if (partial.empty() || std::chrono::duration<double>(now - kept_at).count() < often_s)
            return;
        io::write_text_file(partial, tune::csv_of(so_far, swept.id));
        kept_at = now;
    };
    SweepTable table = tune::sweep(swept.axes, swept.trial,
                                   {.shard = part.number,
                                    .shards = part.of,
                                    .is_cancelled = [] { return is_interrupted(); },
                                    .progress = progress},
                                   std::move(done));
    if (is_interrupted()) {
        if (!partial.empty()) io::write_text_file(partial, tune::csv_of(table, swept.id));
        throw Interrupted{
            partial.empty()
                ? std::string{"interrupted: without --out nothing is kept"}
                : fmt::format("interrupted: {} runs are kept in {}; the same command goes on from "
                              "there",
                              table.rows.size(), partial.string())};
    }
    return table;
}

void write_table(const fs::path& out, const SweepTable& table, const std::string& id) {
    if (out.empty()) return;
    io::write_text_file(out, tune::csv_of(table, id));
    std::error_code error;
    fs::remove(partial_of(out), error);
}

/// Numbers of a run as they are shown.
std::string shown(double value) {
    return std::isnan(value) ? "-" : fmt::format("{:.4g}", value);
}

struct Picked {
    std::vector<const SweepRow*> rows{};
    std::vector<std::size_t> asked_for{};  ///< figures that rank and conditions name
    std::optional<std::size_t> rank_by{};
    std::size_t failures = 0;
};

Picked picked_from(const SweepTable& table, const SweepOptions& options) {
    Picked picked;
    std::vector<tune::SweepCondition> conditions;
    if (!options.rank.empty()) {
        picked.rank_by = tune::figure_named(options.rank, table.figures);
        picked.asked_for.push_back(*picked.rank_by);
    }
    for (const std::string& text : options.keep) {
        conditions.push_back(tune::condition_from(text, table));
        picked.asked_for.push_back(conditions.back().figure);
    }
    picked.rows = tune::best_of(table, conditions, picked.rank_by ? &*picked.rank_by : nullptr);
    picked.failures = static_cast<std::size_t>(
        std::count_if(table.rows.begin(), table.rows.end(),
                      [](const SweepRow& row) { return !row.failure.empty(); }));
    return picked;
}

/// First what was asked for, then what differs from run to run.
std::vector<std::size_t> figures_to_print(const SweepTable& table, const Picked& picked) {
    std::vector<std::size_t> order;
    const auto add = [&](std::size_t figure) {
        if (std::find(order.begin(), order.end(), figure) == order.end()) order.push_back(figure);
    };
    for (const std::size_t figure : picked.asked_for)
        add(figure);
    for (std::size_t k = 0; k < table.figures.size(); ++k) {
        const bool differs =
            std::any_of(table.rows.begin(), table.rows.end(), [&](const SweepRow& row) {
                return shown(row.figures[k]) != shown(table.rows.front().figures[k]);
            });
        if (differs) add(k);
    }
    // In a single run none differs: all are printed.
    if (order.empty()) {
        order.resize(table.figures.size());
        std::iota(order.begin(), order.end(), std::size_t{0});
    }
    return order;
}

void print_table(const SweepTable& table, const Picked& picked, std::size_t most) {
    const std::vector<std::size_t> figures = figures_to_print(table, picked);
    std::vector<std::vector<std::string>> lines{table.paths};
    for (const std::size_t figure : figures)
        lines.front().push_back(table.figures[figure]);
    for (std::size_t i = 0; i < std::min(most, picked.rows.size()); ++i) {
        std::vector<std::string>& line = lines.emplace_back();
        const std::vector<double>& values = picked.rows[i]->values;
        for (std::size_t k = 0; k < values.size(); ++k) {
            line.push_back(table.is_choice(k) ? table.value_in_words(k, values[k])
                                              : shown(values[k]));
        }
        for (const std::size_t figure : figures)
            line.push_back(shown(picked.rows[i]->figures[figure]));
    }
    // As many columns as a terminal has room for; the table has them all.
    constexpr std::size_t room = 118;
    std::size_t used = 0;
    std::vector<std::size_t> widths;
    for (std::size_t k = 0; k < lines.front().size(); ++k) {
        std::size_t width = 0;
        for (const auto& line : lines)
            width = std::max(width, line[k].size());
        used += width + 2;
        if (used > room && k > table.paths.size()) break;
        widths.push_back(width);
    }
    for (const auto& line : lines) {
        for (std::size_t k = 0; k < widths.size(); ++k)
            fmt::print("{:>{}}{}", line[k], widths[k], k + 1 < widths.size() ? "  " : "\n");
    }
    const std::size_t hidden = table.paths.size() + table.figures.size() - widths.size();
    if (hidden > 0) fmt::print("and {} more figures: --out or --json has them all\n", hidden);
}

void print_result(const SweepTable& table, const Picked& picked, const SweepOptions& options) {
    print_table(table, picked, options.rows);
    fmt::print("{} of {} runs", table.rows.size(), table.total);
    if (!options.keep.empty()) fmt::print(", {} kept", picked.rows.size());
    if (picked.rank_by)
        fmt::print(", sorted by {}, smallest first", table.figures[*picked.rank_by]);
    if (picked.rows.size() > options.rows) fmt::print("; {} shown", options.rows);
    fmt::print("\n");
    if (picked.failures == 0) return;
    const auto first = std::find_if(table.rows.begin(), table.rows.end(),
                                    [](const SweepRow& row) { return !row.failure.empty(); });
    fmt::print("{} failed; the first: {}\n", picked.failures, first->failure);
}

Json json_of(const SweepTable& table, const Picked& picked, Json source) {
    const auto number = [](double value) {
        return std::isnan(value) ? Json(nullptr) : Json(value);
    };
    Json runs = Json::array();
    for (const SweepRow* row : picked.rows) {
        Json run{{"run", row->index + 1}};
        for (std::size_t k = 0; k < table.paths.size(); ++k) {
            run["values"][table.paths[k]] = table.is_choice(k)
                                                ? Json(table.value_in_words(k, row->values[k]))
                                                : number(row->values[k]);
        }
        for (std::size_t k = 0; k < table.figures.size(); ++k)
            run["figures"][table.figures[k]] = number(row->figures[k]);
        runs.push_back(std::move(run));
    }
    Json failures = Json::array();
    for (const SweepRow& row : table.rows) {
        if (row.failure.empty()) continue;
        failures.push_back({{"run", row.index + 1}, {"values", row.values}, {"why", row.failure}});
    }
    return {{"made_by", std::move(source)}, {"varied", table.paths},
            {"total", table.total},         {"done", table.rows.size()},
            {"runs", std::move(runs)},      {"failures", std::move(failures)}};
}

/// Before anything is run: whether a picture of it could be drawn.
void check_picture(const fs::path& file, const char* option, std::size_t varied) {
    if (file.empty()) return;
    if (!draw::is_chart_file(file)) {
        refuse_sweep(
            fmt::format("{} {}: expected a name that ends in .png or .svg", option, file.string()));
    }
    if (varied > 2) refuse_sweep(fmt::format("{} has room for one or two varied numbers", option));
}

/// All motions side by side: so many that each can be made out.
void check_sheet(const SweepOptions& options, const std::vector<tune::SweepAxis>& axes) {
    constexpr std::size_t most_cells = 200;
    std::size_t runs = 1;
    for (const tune::SweepAxis& axis : axes)
        runs *= axis.values.size();
    if (!options.sheet.empty() && runs > most_cells)
        refuse_sweep(fmt::format("--sheet: {} runs, at most {} are legible", runs, most_cells));
}

void check(const SweepOptions& options) {
    check_picture(options.figure, "--figure", options.vary.size());
    check_picture(options.sheet, "--sheet", options.vary.size());
    if (!options.moments_s.empty() && options.sheet.empty())
        refuse_sweep("--moments are drawn on a sheet: say --sheet FILE.png");
    if (!options.moments_s.empty() && options.scene.empty())
        refuse_sweep("--moments are those of a scene; a tuning's motion is a curve");
    if (!options.picture.empty() && options.moments_s.empty())
        refuse_sweep("--picture says how moments are shown: say which with --moments");
    if (options.merge.empty() && options.vary.empty())
        refuse_sweep("say what to vary: --vary PATH=LOW:HIGH:COUNT");
    if (!options.merge.empty() && !options.vary.empty())
        refuse_sweep("--merge joins tables that are there; it does not go with --vary");
    if (!options.merge.empty() && options.out.empty()) refuse_sweep("--merge needs --out FILE.csv");
    if (!options.merge.empty() && !options.sheet.empty())
        refuse_sweep("--sheet shows motions, which --merge does not run");
    if (part_from(options.part).of > 1 && options.out.empty())
        refuse_sweep("--shard needs --out FILE.csv");
}

Picked picked_of(const SweepTable& table, const SweepOptions& options) {
    try {
        return picked_from(table, options);
    } catch (const std::invalid_argument& problem) {
        refuse_sweep(problem.what());
    }
}

void draw_sheet(const SweepOptions& options, const Swept& swept, const SweepTable& table,
                const Picked& picked) {
    try {
        if (swept.picture_of) {
            draw_sweep_moments(options.sheet, table, picked.rows, picked.rank_by, swept.title,
                               options.moments_s, swept.picture_of);
            return;
        }
        draw_sweep_sheet(options.sheet, table, picked.rows, picked.rank_by, swept.seen,
                         swept.curve_of);
    } catch (const std::invalid_argument& problem) {
        refuse_sweep(fmt::format("--show {}", problem.what()));
    }
}

}  // namespace

ExitCode run_sweep(const SweepOptions& options) {
    check(options);
    SweepTable table;
    Json source = made_by("sweep");
    std::string id;
    Swept swept;
    if (options.merge.empty()) {
        swept = swept_by(options);
        check_sheet(options, swept.axes);
        table = run_all(options, swept);
        table.names = swept.names;
        source = swept.made_by;
        id = swept.id;
    } else {
        std::vector<tune::SweepFile> parts;
        for (const fs::path& file : options.merge)
            parts.push_back(tune::read_sweep(file));
        tune::SweepFile whole = tune::merged(parts);
        table = std::move(whole.table);
        id = std::move(whole.sweep_id);
        check_picture(options.figure, "--figure", table.paths.size());
    }
    // First of all the table is safe: what is asked of it may be mistaken.
    write_table(options.out, table, id);
    const Picked picked = picked_of(table, options);
    const bool has_pictures = !options.figure.empty() || !options.sheet.empty();
    if (has_pictures && table.rows.empty()) refuse_sweep("there are no runs to draw");
    if (!options.figure.empty()) draw_sweep_map(options.figure, table, picked.rows, picked.rank_by);
    if (!options.sheet.empty()) draw_sheet(options, swept, table, picked);
    if (options.json) {
        print_json(json_of(table, picked, std::move(source)));
    } else {
        print_result(table, picked, options);
        if (!options.out.empty()) fmt::print("written: {}\n", options.out.string());
        if (!options.figure.empty()) fmt::print("written: {}\n", options.figure.string());
        if (!options.sheet.empty()) fmt::print("written: {}\n", options.sheet.string());
    }
    return ExitCode::done;
}

}  // namespace hopcoil::tool
