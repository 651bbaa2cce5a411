#include <algorithm>
#include <cmath>
#include <stdexcept>

#include <fmt/format.h>

#include <hopcoil/base/random.hpp>
#include <hopcoil/scene/kind.hpp>
#include <hopcoil/scene/scene_dials.hpp>
#include <hopcoil/scene/tuning_file.hpp>

#include "reading.hpp"
#include "scene_builder.hpp"
#include "toml_reader.hpp"

namespace hopcoil::scene {

bool KindReader::has(const std::string& key) const {
    return table_.has_any(key);
}
std::optional<double> KindReader::number(const std::string& key) {
    return table_.number(key);
}
std::optional<std::size_t> KindReader::whole_number(const std::string& key, std::size_t least,
                                                    std::size_t most) {
    const auto value =
        scene::whole_number(table_, key, static_cast<double>(least), static_cast<double>(most));
    return value ? std::optional{static_cast<std::size_t>(*value)} : std::nullopt;
}
std::optional<std::string> KindReader::text(const std::string& key) {
    return table_.text(key);
}
std::optional<bool> KindReader::flag(const std::string& key) {
    return table_.flag(key);
}
std::optional<std::string> KindReader::choice(const std::string& key) {
    return table_.choice(key);
}
std::optional<double> KindReader::chosen(const std::string& key,
                                         const std::vector<std::string>& names) {
    const std::optional<std::string> name = choice(key);
    if (!name) return std::nullopt;
    return static_cast<double>(std::find(names.begin(), names.end(), *name) - names.begin());
}
Tuning KindReader::tuning(const std::string& key, const Tuning& otherwise) {
    return builder_.tunings().read(table_, key, otherwise);
}
std::optional<ValueArray> KindReader::value(const std::string& key, const std::string& unit,
                                            std::size_t count) {
    Shape shape{.unit = unit, .count = count};
    return in_shape(table_, key, shape);
}
std::vector<double> KindReader::numbers(const std::string& key) {
    return number_list(table_, key);
}
std::string KindReader::own_name(const std::vector<std::string>& taken,
                                 const std::string& otherwise) {
    const bool is_given = has("name");
    std::string name = text("name").value_or(otherwise.empty() ? "unnamed" : otherwise);
    const auto is_taken = [&] {
        return std::find(taken.begin(), taken.end(), name) != taken.end();
    };
    if (!is_given && otherwise.empty()) {
        problem("", "expected a key 'name'");
    } else if (is_given && !is_name(name)) {
        problem("name", "expected a name of letters, digits, '_' and '-'");
    } else if (is_taken()) {
        problem(is_given ? "name" : "",
                fmt::format("expected a {}: '{}' is taken",
                            is_given ? "name of its own" : "key 'name'", name));
    }
    // What it names is read all the same, and should not be reported once more.
    while (is_taken())
        name += '+';
    return name;
}
std::optional<std::size_t> KindReader::target(const std::string& key) {
    const bool is_part =
        std::find(kind_.parts.begin(), kind_.parts.end(), key) != kind_.parts.end();
    return builder_.find_target(table_, key, is_part ? name_ + '.' + key : name_);
}
ValueArray KindReader::start_at(std::size_t index) {
    return builder_.start_of_target(index);
}
const SceneTarget& KindReader::target_at(std::size_t index) const {
    return builder_.scene().targets.at(index);
}
std::size_t KindReader::field_of(const std::string& key, const std::type_info& type) {
    return builder_.find_field(table_, key, type).value_or(not_connected);
}

bool KindReader::has_field(std::size_t system, const std::type_info& type) const {
    return builder_.scene().systems.at(system).spec->has_field(type);
}

void KindReader::call_with_tables(const std::string& key, const std::string& facts, bool is_list,
                                  void (*call)(const void*, KindReader&), const void* read) {
    const auto own = std::find_if(kind_.tables.begin(), kind_.tables.end(),
                                  [&](const TableFacts& each) { return each.name == facts; });
    const TableFacts& found = own == kind_.tables.end() ? table_facts(facts) : *own;
    const auto read_one = [&](TableReader& one) {
        KindReader inner{kind_, builder_, one, name_, place_};
        call(read, inner);
    };
    if (is_list) {
        table_.each_table(
            key, [&](TableReader&) { return &found; }, read_one);
    } else {
        table_.one_table(key, found, read_one);
    }
}

void KindReader::problem(const std::string& key, const std::string& message) {
    table_.problem(key, message);
}
bool KindReader::call_noting(void (*call)(const void*), const void* make) {
    return scene::try_to(table_, [&] { call(make); });
}
void KindReader::refuse_if_rounded(const std::string& key, double value, double kept) {
    if (kept == std::round(value) && kept != value)
        problem(key, fmt::format("expected a whole number, found {}", value));
}

void KindReader::refuse_dial(const std::string& key, double value, const DialRange& range) {
    const double factor = table_.as_spelled(key) == key ? 1 : 180 / math::pi;
    if (value >= range.least && value <= range.most) {
        problem(key, fmt::format("{:.10g} does not go with the other numbers of this table",
                                 factor * value));
        return;
    }
    const DialRange in_file{factor * range.least, factor * range.most};
    table_.problem(
        key, fmt::format("expected {}, found {:.10g}", range_in_words(in_file), factor * value));
}

void KindReader::add(AnySpec spec, std::vector<std::size_t> targets,
                     std::vector<std::size_t> fields) {
    add_as(name_, std::move(spec), std::move(targets), std::move(fields));
}
void KindReader::add_as(const std::string& name, AnySpec spec, std::vector<std::size_t> targets,
                        std::vector<std::size_t> fields) {
    std::vector<std::string> channels;
    for (const Port& port : spec->outputs()) {
        const std::string channel = channel_name(port.name, port.quantity, port.unit);
        if (std::find(channels.begin(), channels.end(), channel) != channels.end()) {
            problem("", fmt::format("two of its outputs have the name '{}'", port.name));
            return;
        }
        channels.push_back(channel);
    }
    builder_.add({name, std::move(spec), std::move(targets), std::move(fields)}, place_);
}
std::size_t KindReader::add_target(SceneTarget target) {
    builder_.scene().targets.push_back(std::move(target));
    return builder_.scene().targets.size() - 1;
}
std::uint64_t KindReader::random_stream(const std::string& key) {
    builder_.scene().is_random = true;
    return stream_of(builder_.scene().seed, table_.path() + '.' + key);
}

}  // namespace hopcoil::scene
