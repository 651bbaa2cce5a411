#include <algorithm>
#include <cmath>
#include <filesystem>
#include <limits>
#include <variant>

#include <fmt/format.h>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/scene/csv.hpp>
#include <hopcoil/scene/scene.hpp>
#include <hopcoil/scene/text_file.hpp>

#include "read_movers.hpp"
#include "read_moves.hpp"
#include "reading.hpp"
#include "toml_reader.hpp"

namespace hopcoil::scene {
namespace {

/// Reads the tables of one scene file, one member function a kind of table.
class SceneReader {
  public:
    SceneReader(const toml::table& root, const std::filesystem::path& path,
                std::optional<std::uint64_t> seed)
        : root_{root}, path_{path}, file_{path.string()}, given_seed_{seed} {}

    Scene read() {
        scene_.file = file_;
        TableReader top = reader_of(root_, "");
        if (const auto title = top.text("title")) scene_.title = *title;
        const std::optional<double> duration_s = top.number("duration_s");
        if (const auto rate = top.number("rate_hz")) scene_.rate_hz = *rate;
        const auto own_seed = whole_number(top, "seed", 0, 0x1p53);
        scene_.seed = given_seed_.value_or(static_cast<std::uint64_t>(own_seed.value_or(0)));
        read_items(top, "target", [&](auto& reader, auto& name) { read_target(reader, name); });
        if (scene_.targets.empty() && problems_.empty()) {
            top.problem("", "expected at least one table [target.NAME]");
        }
        read_movers(top);
        top.finish();
        if (problems_.empty()) settle_clock(top, duration_s);
        if (!problems_.empty()) {
            std::stable_sort(problems_.begin(), problems_.end(), [](const auto& a, const auto& b) {
                return a.position.line < b.position.line;
            });
            throw InputProblems{std::move(problems_)};
        }
        return std::move(scene_);
    }

  private:
    TableReader reader_of(const toml::table& table, std::string path) {
        return {table, std::move(path), file_, problems_};
    }

    /// Of every kind, in the order in which they stand in the file.
    void read_movers(TableReader& top) {
        bool any = false;
        MoverReader movers{scene_, declared_targets_, file_, problems_};
        for (const std::string& kind : MoverReader::kinds()) {
            any = any || top.has(kind);
            read_items(top, kind, [&](TableReader& reader, const std::string& name) {
                movers.read(kind, reader, name);
            });
        }
        movers.put_in_order();
        if (!any) {
            std::vector<std::string> tables;
            for (const std::string& kind : MoverReader::kinds())
                tables.push_back(fmt::format("[{}.NAME]", kind));
            top.problem("", fmt::format("expected at least one table {}", any_of(tables)));
        }
    }

    /// The tables [kind.NAME], in the order in which they stand in the file.
    template <class ReadItem>
    void read_items(TableReader& top, const std::string& kind, const ReadItem& read_item) {
        const toml::table* items = top.table(kind);
        if (items == nullptr) return;
        if (items->empty()) top.problem(kind, fmt::format("expected a table [{}.NAME]", kind));
        std::vector<std::pair<std::string, const toml::node*>> in_order;
        for (const auto& [key, node] : *items)
            in_order.emplace_back(key.str(), &node);
        std::stable_sort(in_order.begin(), in_order.end(), [](const auto& a, const auto& b) {
            return a.second->source().begin.line < b.second->source().begin.line;
        });
        for (const auto& [name, node] : in_order) {
            const std::string path = fmt::format("{}.{}", kind, name);
            if (!is_name(name)) {
                problems_.push_back({position_of(*node, file_), path,
                                     "expected a name of letters, digits, '_' and '-'"});
            } else if (!node->is_table()) {
                problems_.push_back({position_of(*node, file_), path,
                                     fmt::format("expected a table, found {}", kind_of(*node))});
            } else {
                TableReader reader = reader_of(*node->as_table(), path);
                read_item(reader, name);
                reader.finish();
            }
        }
    }

    static bool is_name(const std::string& name) {
        return !name.empty() && std::all_of(name.begin(), name.end(), [](char c) {
            return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') ||
                   c == '_' || c == '-';
        });
    }

    void read_target(TableReader& reader, const std::string& name) {
        declared_targets_.push_back(name);
        if (reader.has("csv")) {
            read_record(reader, name);
        } else {
            read_moves(reader, name);
        }
    }

    // A target from a table of samples.

    void read_record(TableReader& reader, const std::string& name) {
        const auto csv = reader.text("csv");
        const auto column = reader.text("column");
        const std::string time_column = reader.text("time_column").value_or("time_s");
        const auto after_end = reader.choice("after_end", {"hold", "loop", "mirror", "continue"});
        const bool angle = reader.flag("angle").value_or(false);
        const bool unwrap = reader.flag("unwrap").value_or(false) || angle;
        if (!csv) return;
        if (!column) {
            if (!reader.has("column")) {
                reader.problem("csv",
                               "expected a key 'column' beside it, naming a column of the file");
            }
            return;
        }
        const std::filesystem::path record = path_.parent_path() / *csv;
        try {
            const CsvTable table = read_csv(record);
            if (table.rows.empty()) {
                reader.problem("csv", fmt::format("{} has no samples", record.string()));
                return;
            }
            std::vector<double> times_s = number_column(table, time_column);
            std::vector<double> values = number_column(table, *column);
            const bool degrees = column->ends_with("_deg");
            if (angle && unit_of_column(*column) != "rad") {
                reader.problem("angle", "expected a column in _deg or _rad beside it");
            }
            if (unwrap) values = unwrapped(std::move(values), degrees ? 360 : 2 * math::pi);
            if (degrees) {
                for (double& value : values)
                    value *= math::pi / 180;
            }
            require_times_in_order(table, times_s, time_column);
            scene_.targets.push_back(
                {.name = name,
                 .unit = unit_of_column(*column),
                 .path = RecordTarget{std::move(times_s), std::move(values),
                                      after_end_from(after_end.value_or("hold"))},
                 .is_angle = angle});
        } catch (const InputProblems& inside) {
            problems_.insert(problems_.end(), inside.problems().begin(), inside.problems().end());
        } catch (const FileProblem& missing) {
            // A file that cannot be read outranks what is wrong inside files.
            throw FileProblem{
                to_text({reader.position_of("csv"), reader.path() + ".csv", missing.what()})};
        }
    }

    static void require_times_in_order(const CsvTable& table, const std::vector<double>& times_s,
                                       const std::string& time_column) {
        const auto column = static_cast<std::size_t>(
            std::find(table.header.begin(), table.header.end(), time_column) -
            table.header.begin());
        for (std::size_t i = 1; i < times_s.size(); ++i) {
            if (times_s[i] >= times_s[i - 1]) continue;
            throw InputProblems{
                {{table.positions[i + 1][column], time_column,
                  fmt::format("expected a time no earlier than the row before, {}, found {}",
                              times_s[i - 1], times_s[i])}}};
        }
    }

    static std::string unit_of_column(const std::string& column) {
        if (column.ends_with("_deg") || column.ends_with("_rad")) return "rad";
        return column.ends_with("_m") ? "m" : "";
    }

    static AfterEnd after_end_from(const std::string& text) {
        if (text == "loop") return AfterEnd::loop;
        if (text == "mirror") return AfterEnd::mirror;
        return text == "continue" ? AfterEnd::carry_on : AfterEnd::hold;
    }

    void read_moves(TableReader& reader, const std::string& name) {
        bool angle = false;
        std::optional<std::string> unit;
        MovesReader moves{file_, problems_, scene_.seed};
        const std::optional<MovesTarget> path = moves.read(reader, unit, angle);
        scene_.is_random = scene_.is_random || moves.is_random();
        if (!path) return;
        scene_.targets.push_back({.name = name,
                                  .unit = unit.value_or(""),
                                  .path = *path,
                                  .is_made_of_moves = true,
                                  .is_angle = angle});
    }

    /// As long as asked, or until everything has happened and had time to settle.
    void settle_clock(TableReader& top, std::optional<double> duration_s) {
        double last_s = 0;
        bool made_of_moves = false;
        for (const SceneTarget& target : scene_.targets) {
            last_s = std::max(last_s, target.path.last_event_s());
            made_of_moves = made_of_moves || target.is_made_of_moves;
        }
        constexpr double settling_s = 3;
        scene_.duration_s = duration_s.value_or(made_of_moves ? last_s + settling_s : last_s);
        if (!duration_s && !(scene_.duration_s > 0)) scene_.duration_s = settling_s;
        try_to(top, [&] { require_valid_clock(scene_.duration_s, scene_.rate_hz); });
    }

    const toml::table& root_;
    std::filesystem::path path_;
    std::string file_;
    std::optional<std::uint64_t> given_seed_;
    Scene scene_;
    std::vector<std::string> declared_targets_;
    std::vector<Problem> problems_;
};

}  // namespace

Scene read_scene(const std::string& path, std::optional<std::uint64_t> seed) {
    const std::string text = read_text_file(path);
    try {
        const toml::table root = toml::parse(text, path);
        return SceneReader{root, path, seed}.read();
    } catch (const toml::parse_error& error) {
        const toml::source_position at = error.source().begin;
        throw InputProblems{{{{path, at.line, at.column}, "", std::string{error.description()}}}};
    }
}

}  // namespace hopcoil::scene
