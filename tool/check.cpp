#include <algorithm>
#include <cmath>
#include <cstdint>

#include <fmt/format.h>

#include <hopcoil/io/csv.hpp>
#include <hopcoil/io/file_problems.hpp>
#include <hopcoil/io/gltf.hpp>
#include <hopcoil/io/keys_file.hpp>
#include <hopcoil/io/take_file.hpp>
#include <hopcoil/io/text_file.hpp>
#include <hopcoil/scene/named_settings.hpp>
#include <hopcoil/scene/scene.hpp>
#include <hopcoil/scene/scene_dials.hpp>
#include <hopcoil/scene/schema.hpp>
#include <hopcoil/scene/tuning_file.hpp>
#include <hopcoil/take/take_edit.hpp>

#include "tool/commands.hpp"
#include "tool/made_by.hpp"
#include "tool/scene_changes.hpp"

namespace hopcoil::tool {
namespace {

std::string count_of(std::size_t count, const char* what) {
    return fmt::format("{} {}{}", count, what, count == 1 ? "" : "s");
}

Json to_json(const io::Problem& problem) {
    return {{"file", problem.position.file},
            {"line", problem.position.line},
            {"column", problem.position.column},
            {"key", problem.key},
            {"message", problem.message}};
}

/// Into a file's JSON, and as lines of text.
void list_dials(const scene::Scene& scene, Json& file, std::string& text) {
    for (const scene::SceneDial& dial : scene::dials_of(scene)) {
        const double value = scene::value_of(scene, dial);
        file["dials"].push_back({{"path", dial.path},
                                 {"unit", dial.unit},
                                 {"value", std::isfinite(value) ? Json(value) : Json{}},
                                 {"default", dial.default_value},
                                 {"slider", {dial.slider.least, dial.slider.most}}});
        if (!dial.names.empty()) {
            file["dials"].back()["names"] = dial.names;
            text += fmt::format("\n  {:<32} {}, of {}", dial.path,
                                scene::value_in_words(dial, value), io::any_of(dial.names));
            continue;
        }
        text += fmt::format("\n  {:<32} {:>9.4g} {:<6} usual {:.4g} to {:.4g}", dial.path, value,
                            dial.unit, dial.slider.least, dial.slider.most);
    }
    for (const scene::SceneNumber& number : scene.tuning_numbers) {
        file["tuning_numbers"].push_back({{"path", number.path}, {"value", number.value}});
        text += fmt::format("\n  {:<32} {:>9.4g}", number.path, number.value);
    }
}

/// The figures of each column, into a file's JSON and as lines of text.
void list_statistics(const Take& take, Json& file, std::string& text) {
    for (const ColumnStatistics& each : statistics(take)) {
        file["columns"].push_back({{"name", each.column},
                                   {"least", each.least},
                                   {"least_time_s", each.least_time_s},
                                   {"most", each.most},
                                   {"most_time_s", each.most_time_s},
                                   {"mean", each.mean},
                                   {"rms", each.rms}});
        text +=
            fmt::format("\n  {:<28} {:>10.4g} to {:>10.4g}, mean {:.4g}, root mean square {:.4g}",
                        each.column, each.least, each.most, each.mean, each.rms);
    }
}

/// How far a take is from another; whether that is within what was asked for.
bool compare(const Take& take, const CheckOptions& options, Json& file, std::string& text) {
    const TakeDifference apart = difference(take, io::read_take(options.against.string()));
    bool all_within = apart.only_first.empty() && apart.only_second.empty();
    for (const ColumnDifference& each : apart.columns) {
        const bool within = each.largest <= options.within;
        all_within = all_within && within;
        file["apart"].push_back({{"name", each.column},
                                 {"largest", each.largest},
                                 {"largest_time_s", each.largest_time_s},
                                 {"rms", each.rms}});
        text += fmt::format("\n  {:<28} at most {:.4g} apart, at {:.4g} s{}", each.column,
                            each.largest, each.largest_time_s, within ? "" : ": too far");
    }
    for (const std::string& name : apart.only_first)
        text += fmt::format("\n  {:<28} only here", name);
    for (const std::string& name : apart.only_second)
        text += fmt::format("\n  {:<28} only in {}", name, options.against.string());
    return all_within;
}

/// Reads a take; false when it is further from the other than it may be.
bool read_one_take(const std::filesystem::path& path, const CheckOptions& options, Json& file,
                   std::string& text) {
    const Take take = io::read_take(path.string());
    text =
        fmt::format("{}: no problems; {} of {}", path.string(), count_of(take.row_count(), "row"),
                    count_of(take.channels().size(), "channel"));
    if (take.row_count() == 0) return true;
    text += fmt::format(", {:.6g} to {:.6g} s", take.times_s().front(), take.times_s().back());
    if (options.statistics) list_statistics(take, file, text);
    return options.against.empty() || compare(take, options, file, text);
}

std::string read_one_model(const std::filesystem::path& path) {
    std::size_t tracks = 0;
    const auto animations = io::read_animations(path.string());
    for (const io::ModelAnimation& each : animations)
        tracks += each.tracks.size();
    return fmt::format("{}: no problems; {} with {}", path.string(),
                       count_of(animations.size(), "animation"), count_of(tracks, "track"));
}

/// What a file of a name like a take's has in it.
enum class TableKind : std::uint8_t { take, keys, report };

TableKind table_kind(const std::filesystem::path& path) {
    if (path.extension() == ".json") {
        const Json json = Json::parse(io::read_text_file(path), nullptr, false);
        if (!json.is_object() || json.contains("take")) return TableKind::take;
        if (json.contains("channels")) return TableKind::keys;
        return json.contains("movers") && json.contains("made_by") ? TableKind::report
                                                                   : TableKind::take;
    }
    const std::vector<std::string> header = io::read_csv(path).header;
    const bool has_slopes = std::find(header.begin(), header.end(), "slope_before") != header.end();
    return has_slopes ? TableKind::keys : TableKind::take;
}

std::string read_one_keys(const std::filesystem::path& path) {
    std::size_t keys = 0;
    const std::vector<io::KeyedChannel> channels = io::read_keys(path.string());
    for (const io::KeyedChannel& channel : channels)
        keys += channel.curves.front().keys().size();
    return fmt::format("{}: no problems; {} of {}", path.string(), count_of(keys, "key"),
                       count_of(channels.size(), "channel"));
}

/// A take, keys, or the report of a run.
bool read_one_table(const std::filesystem::path& path, const CheckOptions& options, Json& file,
                    std::string& text) {
    const TableKind kind = table_kind(path);
    const bool as_take = options.statistics || !options.against.empty();
    if (kind == TableKind::take || as_take) return read_one_take(path, options, file, text);
    text = kind == TableKind::keys
               ? read_one_keys(path)
               : fmt::format("{}: no problems; the report of a run", path.string());
    return true;
}

/// What `run` writes for people to look at.
bool is_picture_or_text(const std::filesystem::path& path) {
    const std::vector<std::string> endings{".png", ".apng", ".svg", ".html", ".txt"};
    return std::find(endings.begin(), endings.end(), path.extension()) != endings.end();
}

std::string found_picture_or_text(const std::filesystem::path& path) {
    static_cast<void>(io::read_text_file(path));  // that it is there
    return fmt::format("{}: a picture or a text, which is not checked", path.string());
}

/// Reads one scene or tuning file; what it is, in words. Errors: as the readers.
std::string read_one(const std::filesystem::path& path, const CheckOptions& options, Json& file) {
    if (scene::is_tuning_file(path.string())) {
        const auto tunings = scene::read_tunings(path.string());
        const auto settings = scene::read_settings(path.string());
        return fmt::format("{}: no problems; {} and {} settings", path.string(),
                           count_of(tunings.size(), "tuning"), settings.size());
    }
    scene::Scene scene = scene::read_scene(path.string());
    make_changes(scene, options.changes, "check");
    if (!scene.changes.empty()) file["set"] = scene.changes;
    std::string text =
        fmt::format("{}: no problems; {} and {}, {:.4g} s at {:.4g} frames per second",
                    path.string(), count_of(scene.targets.size(), "target"),
                    count_of(scene.systems.size(), "system"), scene.duration_s, scene.rate_hz);
    if (options.dials) list_dials(scene, file, text);
    return text;
}

/// Whether it would be read as a scene.
bool is_scene(const std::filesystem::path& path) {
    return path.extension() == ".toml" && !scene::is_tuning_file(path.string());
}

/// Errors  UsageProblem where an option does not go with the files.
void require_matching_files(const CheckOptions& options) {
    const bool changes = !options.changes.changes.empty() || !options.changes.tuning_files.empty();
    for (const std::filesystem::path& path : options.scenes) {
        if (!changes || is_scene(path)) continue;
        throw UsageProblem{fmt::format(
            "hopcoil check: --set and --tunings change scenes; {} is not one", path.string())};
    }
    const bool all_takes =
        std::all_of(options.scenes.begin(), options.scenes.end(),
                    [](const auto& path) { return io::is_take_file(path.string()); });
    if (all_takes || (options.against.empty() && !options.statistics)) return;
    throw UsageProblem{"hopcoil check: --against and --statistics go with takes (.csv, .json)"};
}

}  // namespace

ExitCode run_check(const CheckOptions& options) {
    if (!options.schema.empty() || options.keys) {
        if (!options.scenes.empty() || (!options.schema.empty() && options.keys)) {
            throw UsageProblem{"hopcoil check: expected scenes, --schema or --keys, one of them"};
        }
        fmt::print("{}", options.keys                ? scene::page_of_keys()
                         : options.schema == "scene" ? scene::scene_schema()
                                                     : scene::tuning_schema());
        return ExitCode::done;
    }
    if (options.scenes.empty()) throw UsageProblem{"hopcoil check: expected a file to read"};
    require_matching_files(options);
    Json files = Json::array();
    bool all_right = true;
    bool all_read = true;
    for (const std::filesystem::path& path : options.scenes) {
        Json file{{"file", path.string()}, {"problems", Json::array()}};
        try {
            std::string text;
            if (io::is_take_file(path.string())) {
                all_right = read_one_table(path, options, file, text) && all_right;
            } else if (is_picture_or_text(path)) {
                text = found_picture_or_text(path);
            } else if (path.extension() == ".gltf" || path.extension() == ".glb") {
                text = read_one_model(path);
            } else {
                text = read_one(path, options, file);
            }
            if (!options.json) fmt::print("{}\n", text);
        } catch (const io::InputProblems& found) {
            all_right = false;
            for (const io::Problem& problem : found.problems())
                file["problems"].push_back(to_json(problem));
            if (!options.json) fmt::print("{}\n", found.what());
        } catch (const io::FileProblem& missing) {
            all_right = all_read = false;
            file["problems"].push_back({{"message", missing.what()}});
            fmt::print(stderr, "{}\n", missing.what());
        }
        files.push_back(std::move(file));
    }
    if (options.json) {
        print_json({{"made_by", made_by("check")}, {"no_problems", all_right}, {"files", files}});
    }
    if (!all_read) return ExitCode::file_problem;
    return all_right ? ExitCode::done : ExitCode::check_failed;
}

}  // namespace hopcoil::tool
