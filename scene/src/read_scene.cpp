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
        : root_{root},
          path_{path},
          file_{path.string()},
          given_seed_{seed},
          movers_{scene_, declared_targets_, declared_movers_, file_, problems_} {}

    Scene read() {
        scene_.file = file_;
        TableReader top = reader_of(root_, "");
        if (const auto title = top.text("title")) scene_.title = *title;
        const std::optional<double> duration_s = top.number("duration_s");
        if (const auto rate = top.number("rate_hz")) scene_.rate_hz = *rate;
        const auto own_seed = whole_number(top, "seed", 0, 0x1p53);
        scene_.seed = given_seed_.value_or(static_cast<std::uint64_t>(own_seed.value_or(0)));
        const std::vector<Item> items = items_of(top);
        read_in_turn(items);
        require_some(top, items);
        movers_.put_in_order();
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

    /// A table [kind.NAME].
    struct Item {
        std::string kind;
        std::string name;
        const toml::table* table;
    };

    /// All of them, the targets first, each kind in the order in which they stand in the file.
    std::vector<Item> items_of(TableReader& top) {
        std::vector<std::string> kinds{"target"};
        kinds.insert(kinds.end(), MoverReader::kinds().begin(), MoverReader::kinds().end());
        std::vector<Item> items;
        for (const std::string& kind : kinds) {
            const toml::table* tables = top.table(kind);
            if (tables == nullptr) continue;
            if (tables->empty()) top.problem(kind, fmt::format("expected a table [{}.NAME]", kind));
            const auto first = static_cast<std::ptrdiff_t>(items.size());
            for (const auto& [key, node] : *tables)
                add_item(items, kind, std::string{key.str()}, node);
            std::stable_sort(items.begin() + first, items.end(), [](const Item& a, const Item& b) {
                return a.table->source().begin.line < b.table->source().begin.line;
            });
        }
        for (const Item& item : items) {
            (item.kind == "target" ? declared_targets_ : declared_movers_).push_back(item.name);
        }
        return items;
    }

    void add_item(std::vector<Item>& items, const std::string& kind, const std::string& name,
                  const toml::node& node) {
        const std::string path = fmt::format("{}.{}", kind, name);
        if (!is_name(name)) {
            problems_.push_back({position_of(node, file_), path,
                                 "expected a name of letters, digits, '_' and '-'"});
        } else if (!node.is_table()) {
            problems_.push_back({position_of(node, file_), path,
                                 fmt::format("expected a table, found {}", kind_of(node))});
        } else {
            items.push_back({kind, name, node.as_table()});
        }
    }

    /// What another item has to be read before it: the one it goes after; empty when none has to.
    static std::string needed_by(const Item& item, const std::vector<Item>& items) {
        const auto named =
            item.table->get_as<std::string>(item.kind == "target" ? "follows" : "target");
        if (named == nullptr) return {};
        const std::string whole = named->get();
        const std::string name = whole.substr(0, whole.find('.'));
        const bool is_target = item.kind != "target" &&
                               std::any_of(items.begin(), items.end(), [&](const Item& other) {
                                   return other.kind == "target" && other.name == whole;
                               });
        const auto found = std::find_if(items.begin(), items.end(), [&](const Item& other) {
            return (other.kind == "target") == is_target &&
                   other.name == (is_target ? whole : name);
        });
        return found == items.end() ? std::string{} : key_of(*found);
    }

    static std::string key_of(const Item& item) {
        return (item.kind == "target" ? "target " : "") + item.name;
    }

    /// Each after what it goes after; what is left then goes round in a loop.
    void read_in_turn(const std::vector<Item>& items) {
        std::vector<const Item*> waiting;
        waiting.reserve(items.size());
        for (const Item& item : items)
            waiting.push_back(&item);
        std::vector<std::string> read;
        while (!waiting.empty()) {
            const auto ready = std::find_if(waiting.begin(), waiting.end(), [&](const Item* item) {
                const std::string needed = needed_by(*item, items);
                return needed.empty() || std::find(read.begin(), read.end(), needed) != read.end();
            });
            if (ready == waiting.end()) break;
            read_item(**ready);
            read.push_back(key_of(**ready));
            waiting.erase(ready);
        }
        if (!waiting.empty()) complain_of_loop(waiting, items);
    }

    void read_item(const Item& item) {
        TableReader reader = reader_of(*item.table, fmt::format("{}.{}", item.kind, item.name));
        if (item.kind == "target") {
            read_target(reader, item.name);
        } else {
            movers_.read(item.kind, reader, item.name);
        }
        reader.finish();
    }

    /// Names who goes after whom, round to the first again.
    void complain_of_loop(const std::vector<const Item*>& waiting, const std::vector<Item>& items) {
        const auto next_of = [&](const Item& item) {
            const std::string needed = needed_by(item, items);
            return *std::find_if(waiting.begin(), waiting.end(),
                                 [&](const Item* other) { return key_of(*other) == needed; });
        };
        // From anything that waits one comes to the loop after as many steps as there are.
        const Item* member = waiting.front();
        for (std::size_t i = 0; i < waiting.size(); ++i)
            member = next_of(*member);
        std::string names = member->name;
        for (const Item* other = next_of(*member); other != member; other = next_of(*other))
            names += " after " + other->name;
        names += " after " + member->name;
        const char* const key = member->kind == "target" ? "follows" : "target";
        TableReader reader =
            reader_of(*member->table, fmt::format("{}.{}", member->kind, member->name));
        reader.problem(key, fmt::format("a loop: {}", names));
    }

    void require_some(TableReader& top, const std::vector<Item>& items) {
        const auto has = [&](bool targets) {
            return std::any_of(items.begin(), items.end(), [&](const Item& item) {
                return (item.kind == "target") == targets;
            });
        };
        if (!has(true) && problems_.empty()) {
            top.problem("", "expected at least one table [target.NAME]");
        }
        if (!has(false)) {
            std::vector<std::string> tables;
            for (const std::string& kind : MoverReader::kinds())
                tables.push_back(fmt::format("[{}.NAME]", kind));
            top.problem("", fmt::format("expected at least one table {}", any_of(tables)));
        }
    }

    static bool is_name(const std::string& name) {
        return !name.empty() && std::all_of(name.begin(), name.end(), [](char c) {
            return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') ||
                   c == '_' || c == '-';
        });
    }

    void read_target(TableReader& reader, const std::string& name) {
        if (reader.has("follows")) {
            read_led(reader, name);
        } else if (reader.has("csv")) {
            read_record(reader, name);
        } else {
            read_moves(reader, name);
        }
    }

    /// A target that is what something else does.
    void read_led(TableReader& reader, const std::string& name) {
        const auto follows = reader.text("follows");
        if (!follows) return;
        const auto found = movers_.find_leader(*follows);
        if (!found) {
            reader.problem("follows", fmt::format("nothing that moves is named '{}'; there is {}{}",
                                                  *follows, any_of(declared_movers_),
                                                  did_you_mean(*follows, declared_movers_)));
        }
        std::optional<std::string> unit;
        if (found) unit = movers_.led_target(name, *found).unit;
        Leader leader = found.value_or(Leader{});
        leader.scale = reader.number("scale").value_or(1);
        leader.offset = in_unit(reader, "offset", unit).value_or(0);
        leader.low = in_unit(reader, "low", unit).value_or(leader.low);
        leader.high = in_unit(reader, "high", unit).value_or(leader.high);
        if (!(leader.low <= leader.high)) reader.problem("", "expected low no higher than high");
        if (!found) return;
        scene_.targets.push_back(movers_.led_target(name, leader));
        const bool bent =
            leader.scale != 1 || std::isfinite(leader.low) || std::isfinite(leader.high);
        if (scene_.targets.back().is_angle && bent) {
            reader.problem("", "an angle goes round: it may be offset, but not scaled or bounded");
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
    std::vector<std::string> declared_movers_;
    std::vector<Problem> problems_;
    MoverReader movers_;
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
