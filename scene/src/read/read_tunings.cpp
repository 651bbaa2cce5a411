#include "read_tunings.hpp"

#include <algorithm>
#include <cstdint>
#include <filesystem>
#include <stdexcept>
#include <system_error>

#include <fmt/format.h>

#include <hopcoil/io/text_file.hpp>
#include <hopcoil/scene/named_settings.hpp>
#include <hopcoil/spring/named_tunings.hpp>
#include <hopcoil/spring/wish.hpp>

#include "read_settings.hpp"
#include "reading.hpp"

namespace hopcoil::scene {
namespace {

bool uses(const toml::table& table, const std::vector<std::string>& keys) {
    return std::any_of(keys.begin(), keys.end(),
                       [&](const std::string& key) { return table.contains(key); });
}

enum class Form : std::uint8_t { feel, spring, damped_spring, rates, wish, decay };

const std::vector<std::string>& spring_keys() {
    static const std::vector<std::string> keys{"mass_kg", "stiffness_n_per_m", "damping_n_s_per_m"};
    return keys;
}
const std::vector<std::string>& rate_keys() {
    static const std::vector<std::string> keys{"y_rate_s", "y_acceleration_s2", "x_rate_s"};
    return keys;
}
const std::vector<std::string>& wish_keys() {
    static const std::vector<std::string> keys{"overshoot_percent", "settling_time_s",
                                               "most_anticipation_percent"};
    return keys;
}

/// The form that a tuning's keys belong to; nothing, and noted, when they belong to several.
std::optional<Form> form_of(TableReader& reader) {
    const toml::table& table = reader.raw();
    const bool feel = table.contains("frequency_hz");
    const bool spring = uses(table, spring_keys());
    const bool rates = uses(table, rate_keys());
    const bool wish = uses(table, wish_keys());
    const bool decay = table.contains("half_life_s");
    const bool ratio = table.contains("damping_ratio");
    const bool ratio_elsewhere = ratio && (rates || wish || table.contains("damping_n_s_per_m"));
    if (feel + spring + rates + wish + decay > 1 || ratio_elsewhere) {
        reader.problem("", fmt::format("expected keys of one form only: {}; or {}; or {}; or {}; "
                                       "or half_life_s and damping_ratio",
                                       io::any_of({"frequency_hz", "damping_ratio", "lead"}),
                                       io::any_of(spring_keys()), io::any_of(rate_keys()),
                                       io::any_of(wish_keys())));
        return std::nullopt;
    }
    if (spring) return ratio ? Form::damped_spring : Form::spring;
    if (rates) return Form::rates;
    if (wish) return Form::wish;
    return decay ? Form::decay : Form::feel;
}

Tuning tuning_by_feel(TableReader& reader) {
    Tuning tuning;
    for (const Dial<Tuning>& dial : Tuning::dials()) {
        const auto value = reader.number(std::string{dial.path});
        if (value && dial.set(tuning, *value) != DialStatus::set) {
            reader.problem(
                std::string{dial.path},
                fmt::format("expected a number {} or more, found {}", dial.hard.least, *value));
        }
    }
    return tuning;
}

Tuning tuning_in_form(Form form, TableReader& reader) {
    const auto number_or = [&](const std::string& key, double otherwise) {
        return reader.number(key).value_or(otherwise);
    };
    switch (form) {
        case Form::feel:
            break;
        case Form::spring:
            return tuning_from(
                SpringConstants{.mass_kg = number_or("mass_kg", 1),
                                .stiffness_n_per_m = required(reader, "stiffness_n_per_m"),
                                .damping_n_s_per_m = number_or("damping_n_s_per_m", 0),
                                .lead = number_or("lead", 0)});
        case Form::damped_spring:
            return tuning_from(
                SpringByRatio{.mass_kg = number_or("mass_kg", 1),
                              .stiffness_n_per_m = required(reader, "stiffness_n_per_m"),
                              .damping_ratio = required(reader, "damping_ratio"),
                              .lead = number_or("lead", 0)});
        case Form::rates:
            return tuning_from(
                Coefficients{.y_rate_s = required(reader, "y_rate_s"),
                             .y_acceleration_s2 = required(reader, "y_acceleration_s2"),
                             .x_rate_s = number_or("x_rate_s", 0)});
        case Form::wish:
            return tuning_from(
                Wish{.overshoot_percent = required(reader, "overshoot_percent"),
                     .settling_time_s = required(reader, "settling_time_s"),
                     .lead = number_or("lead", 0),
                     .most_anticipation_percent = reader.number("most_anticipation_percent")});
        case Form::decay:
            return tuning_from(DecayHalfLife{.half_life_s = required(reader, "half_life_s"),
                                             .damping_ratio = number_or("damping_ratio", 1),
                                             .lead = number_or("lead", 0)});
    }
    return tuning_by_feel(reader);
}

const TableFacts& facts_of(Form form) {
    switch (form) {
        case Form::spring:
            return table_facts("tuning as a spring");
        case Form::damped_spring:
            return table_facts("tuning as a damped spring");
        case Form::rates:
            return table_facts("tuning by coefficients");
        case Form::wish:
            return table_facts("tuning by wish");
        case Form::decay:
            return table_facts("tuning by half-life");
        default:
            return table_facts("tuning by feel");
    }
}

/// A tuning in the form that its keys belong to, beside other keys that a table may have.
std::optional<Tuning> read_form(const toml::table& table, const std::string& path,
                                const std::string& file, std::vector<io::Problem>& problems,
                                const TableFacts& beside) {
    TableReader whole{table, path, file, problems, beside};
    const auto form = form_of(whole);
    if (!form) return std::nullopt;
    TableFacts facts = facts_of(*form);
    facts.keys.insert(facts.keys.end(), beside.keys.begin(), beside.keys.end());
    TableReader reader{table, path, file, problems, facts};
    std::optional<Tuning> tuning;
    try_to(reader, [&] { tuning = tuning_in_form(*form, reader); });
    reader.finish();
    return tuning;
}

const TableFacts nothing_beside{};

std::optional<Tuning> read_table(TableReader& reader, const std::string& key) {
    const toml::table* table = reader.table(key);
    if (table == nullptr) return std::nullopt;
    return read_form(*table, reader.path() + '.' + key, reader.file(), reader.problems(),
                     nothing_beside);
}

bool has_parts(const toml::table& table) {
    return uses(table, {"position", "rotation", "scale"});
}

bool has_form(const toml::table& table) {
    return uses(table, {"frequency_hz", "damping_ratio", "lead", "half_life_s"}) ||
           uses(table, spring_keys()) || uses(table, rate_keys()) || uses(table, wish_keys());
}

SharedTuning from_shipped(const std::string& name, const Tuning& tuning) {
    return {.name = name, .whole = tuning};
}

}  // namespace

std::string file_with_tuning(const std::string& folder, const std::string& name) {
    std::error_code none;
    std::vector<std::string> found;
    for (const auto& entry :
         std::filesystem::directory_iterator{folder.empty() ? std::string{"."} : folder, none}) {
        const std::filesystem::path& path = entry.path();
        if (path.extension() != ".toml" || entry.file_size(none) > 1'000'000) continue;
        try {
            const toml::table root = parse_toml(path.string());
            if (root["tuning"][name].is_table()) found.push_back(path.filename().string());
        } catch (const std::runtime_error&) {  // a file with problems is no help
        }
    }
    return found.empty() ? "" : *std::min_element(found.begin(), found.end());
}

PoseTuning SharedTuning::for_pose(const PoseTuning& otherwise) const {
    const auto part = [this](const std::optional<Tuning>& own, const Tuning& none) {
        return own ? *own : whole.value_or(none);
    };
    return {part(position, otherwise.position), part(rotation, otherwise.rotation),
            part(scale, otherwise.scale)};
}

bool TuningReader::add(SharedTuning tuning) {
    const bool taken = std::any_of(shared_.begin(), shared_.end(), [&](const SharedTuning& each) {
        return each.name == tuning.name;
    });
    if (!taken) shared_.push_back(std::move(tuning));
    return !taken;
}

/// By name, "lively", or for one part of a pose, "sign.rotation"; nothing, and noted, when there is
/// none of that name.
std::optional<SharedTuning> TuningReader::find(TableReader& reader, const std::string& key) const {
    const std::string name = reader.text(key).value_or("");
    std::vector<std::string> names;
    for (const SharedTuning& each : shared_) {
        if (each.name == name) return each;
        names.push_back(each.name);
        for (const auto& [part, tuning] : {std::pair{".position", each.position},
                                           {".rotation", each.rotation},
                                           {".scale", each.scale}}) {
            if (!tuning) continue;
            if (each.name + part == name) return from_shipped(name, *tuning);
            names.push_back(each.name + part);
        }
    }
    if (const auto shipped = find_tuning(name)) return from_shipped(name, *shipped);
    for (const NamedTuning& each : named_tunings())
        names.emplace_back(each.name);
    const std::string elsewhere = file_with_tuning(reader.folder().string(), name);
    if (!elsewhere.empty()) {
        reader.problem(key,
                       fmt::format("there is no tuning named '{0}' here, but {1} has one; take "
                                   "it in with tunings = \"{1}\"",
                                   name, elsewhere));
        return std::nullopt;
    }
    reader.problem(key, io::there_is_no("tuning named", name, names));
    return std::nullopt;
}

Tuning TuningReader::read(TableReader& reader, const std::string& key,
                          const Tuning& otherwise) const {
    if (!reader.has(key)) return otherwise;
    if (!reader.is_text(key)) return read_table(reader, key).value_or(otherwise);
    const auto named = find(reader, key);
    if (named && !named->whole) {
        reader.problem(key, fmt::format("'{0}' has a tuning for each part of a pose; expected one, "
                                        "such as '{0}.{1}'",
                                        named->name, named->position ? "position" : "rotation"));
    }
    return named ? named->whole.value_or(otherwise) : otherwise;
}

PoseTuning TuningReader::read_pose(TableReader& reader, const std::string& key) const {
    if (!reader.has(key)) return {};
    if (reader.is_text(key)) {
        const auto named = find(reader, key);
        return named ? named->for_pose() : PoseTuning{};
    }
    const toml::table* table = reader.table(key);
    if (table == nullptr) return {};
    if (!has_parts(*table)) {
        const auto one = read_table(reader, key);
        return one ? PoseTuning::shared(*one) : PoseTuning{};
    }
    TableReader parts{*table, reader.path() + '.' + key, reader.file(), reader.problems(),
                      table_facts("pose tuning")};
    PoseTuning pose;
    pose.position = read(parts, "position", pose.position);
    pose.rotation = read(parts, "rotation", pose.rotation);
    pose.scale = read(parts, "scale", pose.scale);
    parts.finish();
    return pose;
}

SharedTuning read_named_tuning(const toml::table& table, const std::string& name,
                               const std::string& file, std::vector<io::Problem>& problems) {
    const std::string path = "tuning." + name;
    const TableFacts& facts = table_facts("named tuning");
    TableReader reader{table, path, file, problems, facts};
    SharedTuning shared{.name = name, .about = reader.text("about").value_or("")};
    const TuningReader shipped;
    const auto part = [&](const char* key) {
        return reader.has(key) ? std::optional{shipped.read(reader, key)} : std::nullopt;
    };
    shared.position = part("position");
    shared.rotation = part("rotation");
    shared.scale = part("scale");
    if (has_form(table) || !has_parts(table)) {
        shared.whole = read_form(table, path, file, problems, facts);
    } else {
        reader.finish();
    }
    const bool has_no_options = table.size() == (table.contains("about") ? 1 : 0);
    if (has_no_options) {
        reader.problem("",
                       "expected numbers: frequency_hz and damping_ratio, or another form of a "
                       "tuning");
    }
    return shared;
}

bool is_tuning_file(const std::string& path) {
    const toml::table root = parse_toml(path);
    const std::size_t own = (root.contains("tuning") ? 1 : 0) + (root.contains("settings") ? 1 : 0);
    return own > 0 && root.size() == own;
}

namespace {

/// The tables [KIND.NAME] of a tuning file, in the file's order.
template <class Read>
auto read_tables(const toml::table& root, const std::string& path, const std::string& kind,
                 const Read& read) {
    std::vector<io::Problem> problems;
    TableReader reader{root, "", path, problems, table_facts("tuning file")};
    if (!root.contains("tuning") && !root.contains("settings"))
        reader.problem("", "expected at least one table [tuning.NAME] or [settings.NAME]");
    using Named = decltype(read(root, std::string{}, problems));
    std::vector<std::pair<std::uint32_t, Named>> found;
    const toml::table empty;
    const toml::table* const tables = root.contains(kind) ? reader.table(kind) : &empty;
    for (const auto& [key, node] : tables == nullptr ? empty : *tables) {
        const std::string name{key.str()};
        if (is_name(name) && node.is_table()) {
            found.emplace_back(node.source().begin.line, read(*node.as_table(), name, problems));
            continue;
        }
        problems.push_back({position_of(node, path), fmt::format("{}.{}", kind, name),
                            is_name(name) ? fmt::format("expected a table, found {}", kind_of(node))
                                          : "expected a name of letters, digits, '_' and '-'"});
    }
    reader.finish();
    throw_if_any(std::move(problems));
    std::stable_sort(found.begin(), found.end(),
                     [](const auto& a, const auto& b) { return a.first < b.first; });
    std::vector<Named> all;
    all.reserve(found.size());
    for (auto& [line, each] : found)
        all.push_back(std::move(each));
    return all;
}

}  // namespace

std::vector<SharedTuning> tunings_in(const toml::table& root, const std::string& path) {
    return read_tables(
        root, path, "tuning",
        [&](const toml::table& table, const std::string& name, std::vector<io::Problem>& problems) {
            return read_named_tuning(table, name, path, problems);
        });
}

std::vector<NamedSettings> settings_in(const toml::table& root, const std::string& path) {
    return read_tables(
        root, path, "settings",
        [&](const toml::table& table, const std::string& name, std::vector<io::Problem>& problems) {
            return read_named_settings(table, name, path, problems);
        });
}

std::vector<SharedTuning> read_tunings(const std::string& path) {
    return tunings_in(parse_toml(path), path);
}

std::vector<NamedSettings> read_settings(const std::string& path) {
    return settings_in(parse_toml(path), path);
}

}  // namespace hopcoil::scene
