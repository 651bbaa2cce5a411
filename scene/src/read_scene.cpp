#include <algorithm>
#include <cmath>
#include <limits>
#include <variant>

#include <fmt/format.h>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/scene/csv.hpp>
#include <hopcoil/scene/scene.hpp>
#include <hopcoil/scene/text_file.hpp>

#include "toml_reader.hpp"

namespace hopcoil::scene {
namespace {

/// Reads the tables of one scene file, one member function a kind of table.
class SceneReader {
  public:
    SceneReader(const toml::table& root, const std::filesystem::path& path)
        : root_{root}, path_{path}, file_{path.string()} {}

    Scene read() {
        scene_.file = file_;
        TableReader top = reader_of(root_, "");
        if (const auto title = top.text("title")) scene_.title = *title;
        const std::optional<double> duration_s = top.number("duration_s");
        if (const auto rate = top.number("rate_hz")) scene_.rate_hz = *rate;
        read_items(top, "target", [&](auto& reader, auto& name) { read_target(reader, name); });
        read_items(top, "follower", [&](auto& reader, auto& name) { read_follower(reader, name); });
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

    /// The tables [kind.NAME], in the order in which they stand in the file.
    template <class ReadItem>
    void read_items(TableReader& top, const std::string& kind, const ReadItem& read_item) {
        const bool given = top.has(kind);
        const toml::table* items = top.table(kind);
        if (items == nullptr || items->empty()) {
            if (!given || items != nullptr) {
                top.problem(given ? kind : "",
                            fmt::format("expected at least one table [{}.NAME]", kind));
            }
            return;
        }
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

    /// Notes a value that the library refuses, at the key it was read from.
    template <class Make>
    bool try_to(TableReader& reader, const Make& make) {
        try {
            make();
            return true;
        } catch (const InvalidValue& problem) {
            const std::string& key = problem.field();
            reader.problem(reader.has(key) ? key : "",
                           fmt::format("{}expected {}, found {}", reader.has(key) ? "" : key + ": ",
                                       problem.expected(), problem.value()));
        } catch (const std::invalid_argument& problem) {
            reader.problem("", problem.what());
        }
        return false;
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
        const bool unwrap = reader.flag("unwrap").value_or(false);
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
                                      after_end_from(after_end.value_or("hold"))}});
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

    // A target made of moves.

    void read_moves(TableReader& reader, const std::string& name) {
        std::optional<std::string> unit;
        const double start = in_unit(reader, "start", unit).value_or(0);
        std::vector<std::variant<Jump, Ramp>> moves;
        std::vector<Sine> sines;
        const toml::array* list = reader.array("moves");
        if (list == nullptr && !reader.has("moves")) {
            reader.problem("",
                           "expected a key 'moves' (a list of jumps, ramps and sines) or 'csv' "
                           "(a file of samples)");
        }
        for (std::size_t i = 0; list != nullptr && i < list->size(); ++i) {
            const toml::node& node = *list->get(i);
            const std::string path = fmt::format("{}.moves[{}]", reader.path(), i);
            if (!node.is_table()) {
                problems_.push_back({position_of(node, file_), path,
                                     fmt::format("expected a table such as {{ at_s = 1, jump_to = "
                                                 "2 }}, found {}",
                                                 kind_of(node))});
                continue;
            }
            TableReader move = reader_of(*node.as_table(), path);
            auto moves_before = moves;
            auto sines_before = sines;
            read_move(move, unit, moves, sines);
            move.finish();
            if (!try_to(move, [&] { MovesTarget{start, moves, sines}; })) {
                moves = std::move(moves_before);  // so that the next ones are judged by themselves
                sines = std::move(sines_before);
            }
        }
        try_to(reader, [&] {
            scene_.targets.push_back({.name = name,
                                      .unit = unit.value_or(""),
                                      .path = MovesTarget{start, moves, sines},
                                      .is_made_of_moves = true});
        });
    }

    void read_move(TableReader& move, std::optional<std::string>& unit,
                   std::vector<std::variant<Jump, Ramp>>& moves, std::vector<Sine>& sines) {
        const std::optional<double> jump_to = in_unit(move, "jump_to", unit);
        const std::optional<double> ramp_to = in_unit(move, "ramp_to", unit);
        const std::optional<double> amplitude = in_unit(move, "sine_amplitude", unit);
        if (jump_to.has_value() + ramp_to.has_value() + amplitude.has_value() != 1) {
            move.problem("", "expected one of jump_to, ramp_to and sine_amplitude");
            return;
        }
        if (amplitude) {
            const std::optional<double> from_s = move.number("from_s");
            const std::optional<double> until_s = move.number("until_s");
            const double hz = required(move, "frequency_hz");
            sines.push_back({from_s.value_or(0),
                             until_s.value_or(std::numeric_limits<double>::infinity()), *amplitude,
                             hz});
            return;
        }
        const double at_s = required(move, "at_s");
        if (jump_to) {
            moves.emplace_back(Jump{at_s, *jump_to});
        } else {
            moves.emplace_back(Ramp{at_s, *ramp_to, required(move, "over_s")});
        }
    }

    /// A number that has to be there; 1 when it is not, and noted.
    static double required(TableReader& reader, const std::string& key) {
        if (!reader.has(key)) reader.problem("", fmt::format("expected a key '{}'", key));
        return reader.number(key).value_or(1);
    }

    /// A quantity whose unit has to be that of the others: the first one given decides.
    std::optional<double> in_unit(TableReader& reader, const std::string& key,
                                  std::optional<std::string>& unit,
                                  const std::string& suffix = "") {
        const std::optional<Quantity> quantity = reader.quantity(key, suffix);
        if (!quantity) return std::nullopt;
        if (unit && *unit != quantity->unit) {
            reader.problem("", fmt::format("{} is {}, but what it goes with is {}", key,
                                           unit_in_words(quantity->unit), unit_in_words(*unit)));
        }
        if (!unit) unit = quantity->unit;
        return quantity->value;
    }

    static std::string unit_in_words(const std::string& unit) {
        if (unit == "rad") return "an angle (_deg or _rad)";
        return unit == "m" ? "a length (_m)" : "a number without unit";
    }

    // What follows it.

    void read_follower(TableReader& reader, const std::string& name) {
        SceneFollower follower{.name = name};
        const auto target = reader.text("target");
        if (!reader.has("target")) {
            reader.problem("",
                           fmt::format("expected a key 'target': {}", any_of(declared_targets_)));
        }
        const bool declared =
            target && std::find(declared_targets_.begin(), declared_targets_.end(), *target) !=
                          declared_targets_.end();
        if (target && !declared) {
            reader.problem("target", fmt::format("there is no target '{}'; there is {}{}", *target,
                                                 any_of(declared_targets_),
                                                 did_you_mean(*target, declared_targets_)));
        }
        if (std::find(declared_targets_.begin(), declared_targets_.end(), name) !=
            declared_targets_.end()) {
            reader.problem("", fmt::format("a target has the name '{}' already", name));
        }
        const auto found =
            std::find_if(scene_.targets.begin(), scene_.targets.end(),
                         [&](const SceneTarget& each) { return target && each.name == *target; });
        std::optional<std::string> unit;
        if (found != scene_.targets.end()) {
            unit = found->unit;
            follower.target = static_cast<std::size_t>(found - scene_.targets.begin());
            follower.start = found->path.before(0).value;
        }
        if (const auto start = in_unit(reader, "start", unit)) follower.start = *start;
        follower.start_velocity = in_unit(reader, "start_velocity", unit, "_per_s").value_or(0);
        if (const toml::table* tuning = reader.table("tuning")) {
            follower.tuning = read_tuning(*tuning, reader.path() + ".tuning");
        }
        scene_.followers.push_back(std::move(follower));
    }

    /// A tuning in the form that its keys belong to.
    Tuning read_tuning(const toml::table& table, std::string path) {
        static const std::vector<std::string> feel{"frequency_hz", "damping_ratio"};
        static const std::vector<std::string> spring{"mass_kg", "stiffness_n_per_m",
                                                     "damping_n_s_per_m"};
        static const std::vector<std::string> rates{"y_rate_s", "y_acceleration_s2", "x_rate_s"};
        TableReader reader = reader_of(table, std::move(path));
        const auto uses = [&](const std::vector<std::string>& keys) {
            return std::any_of(keys.begin(), keys.end(),
                               [&](const std::string& key) { return reader.has(key); });
        };
        Tuning tuning;
        if (uses(feel) + uses(spring) + uses(rates) > 1) {
            reader.problem("", fmt::format("expected keys of one form only: {}; or {}; or {}",
                                           any_of({"frequency_hz", "damping_ratio", "lead"}),
                                           any_of(spring), any_of(rates)));
            return tuning;
        }
        try_to(reader, [&] {
            if (uses(spring)) {
                tuning = tuning_from(SpringConstants{
                    .mass_kg = reader.number("mass_kg").value_or(1),
                    .stiffness_n_per_m = required(reader, "stiffness_n_per_m"),
                    .damping_n_s_per_m = reader.number("damping_n_s_per_m").value_or(0),
                    .lead = reader.number("lead").value_or(0)});
            } else if (uses(rates)) {
                tuning = tuning_from(
                    Coefficients{.y_rate_s = required(reader, "y_rate_s"),
                                 .y_acceleration_s2 = required(reader, "y_acceleration_s2"),
                                 .x_rate_s = reader.number("x_rate_s").value_or(0)});
            } else {
                for (const Dial<Tuning>& dial : Tuning::dials()) {
                    const auto value = reader.number(std::string{dial.path});
                    if (value && dial.set(tuning, *value) != DialStatus::set) {
                        reader.problem(std::string{dial.path},
                                       fmt::format("expected a number {} or more, found {}",
                                                   dial.hard.least, *value));
                    }
                }
            }
        });
        reader.finish();
        return tuning;
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
    Scene scene_;
    std::vector<std::string> declared_targets_;
    std::vector<Problem> problems_;
};

}  // namespace

Scene read_scene(const std::filesystem::path& path) {
    const std::string text = read_text_file(path);
    try {
        const toml::table root = toml::parse(text, path.string());
        return SceneReader{root, path}.read();
    } catch (const toml::parse_error& error) {
        const toml::source_position at = error.source().begin;
        throw InputProblems{
            {{{path.string(), at.line, at.column}, "", std::string{error.description()}}}};
    }
}

}  // namespace hopcoil::scene
