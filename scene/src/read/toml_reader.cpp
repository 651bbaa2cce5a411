#include "toml_reader.hpp"

#include <algorithm>
#include <cmath>
#include <iterator>
#include <stdexcept>
#include <tuple>

#include <fmt/format.h>

#include <hopcoil/base/math.hpp>
#include <hopcoil/io/text_file.hpp>

namespace hopcoil::scene {

io::FilePosition position_of(const toml::node& node, const std::string& file) {
    const toml::source_position begin = node.source().begin;
    return {file, begin.line, begin.column};
}

std::string kind_of(const toml::node& node) {
    switch (node.type()) {
        case toml::node_type::table:
            return "a table";
        case toml::node_type::array:
            return "a list";
        case toml::node_type::string:
            return fmt::format("the string '{}'", node.as_string()->get());
        case toml::node_type::integer:
            return fmt::format("the whole number {}", node.as_integer()->get());
        case toml::node_type::floating_point:
            return fmt::format("the number {}", node.as_floating_point()->get());
        case toml::node_type::boolean:
            return node.as_boolean()->get() ? "true" : "false";
        default:
            return "a date or time";
    }
}

TableReader::TableReader(const toml::table& table, std::string path, std::string file,
                         std::vector<io::Problem>& problems, const TableFacts& facts)
    : table_{table},
      path_{std::move(path)},
      file_{std::move(file)},
      problems_{problems},
      facts_{facts} {}

/// A reader that asks for a key without facts would accept what no page of keys lists.
const KeyFacts& TableReader::facts_of(const std::string& key) const {
    for (const KeyFacts& each : facts_.keys) {
        if (each.name == key) return each;
    }
    throw std::logic_error{fmt::format("{} has no facts about its key {}", facts_.name, key)};
}

const toml::node* TableReader::find(const std::string& key) {
    static_cast<void>(facts_of(key));
    return table_.get(key);
}

bool TableReader::has_any(const std::string& key) const {
    const std::vector<std::string> spellings = spellings_of(facts_of(key));
    return std::any_of(spellings.begin(), spellings.end(),
                       [&](const std::string& each) { return has(each); });
}

io::FilePosition TableReader::position_of(const std::string& key) const {
    const auto found = table_.find(as_spelled(key));
    if (found != table_.end()) {
        const toml::source_position begin = found->first.source().begin;
        if (begin.line > 0) return {file_, begin.line, begin.column};
    }
    return scene::position_of(table_, file_);
}

std::string TableReader::as_spelled(const std::string& key) const {
    const std::string degrees = in_degrees(key);
    return !has(key) && !degrees.empty() && has(degrees) ? degrees : key;
}

void TableReader::problem(const std::string& key, std::string message) {
    const std::string name = as_spelled(key);
    const std::string full = path_.empty() || key.empty() ? path_ + name : path_ + '.' + name;
    problems_.push_back({position_of(key), full, std::move(message)});
}

void TableReader::wrong_type(const std::string& key, const toml::node& node,
                             const std::string& expected) {
    problem(key, fmt::format("expected {}, found {}", expected, kind_of(node)));
}

std::optional<double> TableReader::number(const std::string& key) {
    static_cast<void>(facts_of(key));
    const std::string name = as_spelled(key);
    const toml::node* node = table_.get(name);
    if (node == nullptr) return std::nullopt;
    const std::string degrees = in_degrees(key);
    if (name == key && !degrees.empty() && has(degrees))
        problem(degrees, "it is given twice, in different units");
    Quantity one;
    if (!node->is_number()) {
        wrong_type(key, *node, "a number");
        return std::nullopt;
    }
    const double factor = name == key ? 1 : math::pi / 180;
    if (!read_numbers(key, *node, factor, one)) return std::nullopt;
    return one.value[0];
}

std::optional<std::string> TableReader::text(const std::string& key) {
    const toml::node* node = find(key);
    if (node == nullptr) return std::nullopt;
    if (!node->is_string()) {
        wrong_type(key, *node, "a string in quotes");
        return std::nullopt;
    }
    return node->as_string()->get();
}

std::optional<bool> TableReader::flag(const std::string& key) {
    const toml::node* node = find(key);
    if (node == nullptr) return std::nullopt;
    if (!node->is_boolean()) {
        wrong_type(key, *node, "true or false");
        return std::nullopt;
    }
    return node->as_boolean()->get();
}

std::optional<std::string> TableReader::choice(const std::string& key) {
    std::optional<std::string> chosen = text(key);
    if (!chosen) return std::nullopt;
    const std::vector<std::string>& choices = facts_of(key).choices;
    if (std::find(choices.begin(), choices.end(), *chosen) == choices.end()) {
        problem(key, fmt::format("expected {}, found '{}'{}", io::any_of(choices), *chosen,
                                 io::did_you_mean(*chosen, choices)));
        return std::nullopt;
    }
    return chosen;
}

std::vector<std::string> TableReader::texts(const std::string& key) {
    const toml::node* node = find(key);
    if (node == nullptr) return {};
    if (node->is_string()) return {node->as_string()->get()};
    std::vector<std::string> all;
    const toml::array* list = node->as_array();
    for (std::size_t i = 0; list != nullptr && i < list->size(); ++i) {
        const auto one = list->get(i)->value_exact<std::string>();
        if (!one) break;
        all.push_back(*one);
    }
    if (list == nullptr || all.size() < list->size()) {
        wrong_type(key, list == nullptr ? *node : *list->get(all.size()),
                   "a string in quotes or a list of strings");
        return {};
    }
    return all;
}

const toml::table* TableReader::table(const std::string& key) {
    const toml::node* node = find(key);
    if (node == nullptr) return nullptr;
    if (!node->is_table()) wrong_type(key, *node, "a table");
    return node->as_table();
}

const toml::array* TableReader::array(const std::string& key) {
    const toml::node* node = find(key);
    if (node == nullptr) return nullptr;
    if (!node->is_array()) wrong_type(key, *node, "a list");
    return node->as_array();
}

/// The numbers of a node, which has the right type; false, and noted, when one is not.
bool TableReader::read_numbers(const std::string& key, const toml::node& node, double factor,
                               Quantity& quantity) {
    const auto read_one = [&](const toml::node& each, std::size_t i) {
        const std::optional<double> value = each.value<double>();
        if (!each.is_number() || !value) {
            wrong_type(key, each, "a number");
            return false;
        }
        if (!std::isfinite(*value)) {
            problem(key, fmt::format("expected a finite number, found {}", *value));
            return false;
        }
        quantity.value[i] = *value * factor;
        return true;
    };
    const toml::array* list = node.as_array();
    if (list == nullptr) return read_one(node, 0);
    quantity.count = list->size();
    quantity.is_list = true;
    if (list->empty() || list->size() > most_numbers) {
        problem(key, fmt::format("expected 1 to {} numbers, found {}", most_numbers, list->size()));
        return false;
    }
    for (std::size_t i = 0; i < list->size(); ++i) {
        if (!read_one(*list->get(i), i)) return false;
    }
    return true;
}

namespace {

std::string unit_of_spelling(std::string_view spelling, std::string_view key) {
    const std::string_view ending = spelling.substr(key.size());
    if (ending.starts_with("_m")) return "m";
    return ending.starts_with("_rad") || ending.starts_with("_deg") ? "rad" : "";
}

double factor_of_spelling(std::string_view spelling, std::string_view key) {
    return spelling.substr(key.size()).starts_with("_deg") ? math::pi / 180 : 1;
}

}  // namespace

std::optional<Quantity> TableReader::quantity(const std::string& key) {
    std::optional<Quantity> result;
    for (const std::string& spelling : spellings_of(facts_of(key))) {
        const toml::node* node = table_.get(spelling);
        if (node == nullptr) continue;
        if (result) problem(spelling, "it is given twice, in different units");
        Quantity read{.unit = unit_of_spelling(spelling, key), .key = spelling};
        if (!node->is_number() && !node->is_array()) {
            wrong_type(spelling, *node, "a number or a list of numbers");
        } else if (read_numbers(spelling, *node, factor_of_spelling(spelling, key), read) &&
                   !result) {
            result = read;
        }
    }
    return result;
}

std::vector<Quantity> TableReader::quantities(const std::string& key) {
    std::vector<Quantity> all;
    for (const std::string& spelling : spellings_of(facts_of(key))) {
        const toml::node* node = table_.get(spelling);
        if (node == nullptr) continue;
        if (!all.empty()) problem(spelling, "it is given twice, in different units");
        const toml::array* list = node->as_array();
        if (list == nullptr) {
            wrong_type(spelling, *node, "a list");
            continue;
        }
        for (const toml::node& each : *list) {
            Quantity read{.unit = unit_of_spelling(spelling, key), .key = spelling};
            if (!each.is_number() && !each.is_array()) {
                wrong_type(spelling, each, "a number or a list of numbers");
                return {};
            }
            if (!read_numbers(spelling, each, factor_of_spelling(spelling, key), read)) return {};
            all.push_back(read);
        }
    }
    return all;
}

std::vector<TimedQuantity> TableReader::points(const std::string& key) {
    std::vector<TimedQuantity> all;
    for (const std::string& spelling : spellings_of(facts_of(key))) {
        if (!has(spelling)) continue;
        const toml::array* list = table_.get(spelling)->as_array();
        for (std::size_t i = 0; list != nullptr && i < list->size(); ++i) {
            const toml::array* point = list->get_as<toml::array>(i);
            TimedQuantity timed{
                .place = {.unit = unit_of_spelling(spelling, key), .key = spelling}};
            const bool is_point =
                point != nullptr && point->size() >= 2 && point->size() <= most_numbers + 1 &&
                std::all_of(point->begin(), point->end(), [](const toml::node& each) {
                    return each.is_number() && std::isfinite(each.value<double>().value_or(NAN));
                });
            if (!is_point) {
                problem(spelling,
                        "expected a list of [time, place], such as [[1, 0.5], [1.8, 2.0]]");
                return {};
            }
            timed.time_s = *point->get(0)->value<double>();
            timed.place.count = point->size() - 1;
            timed.place.is_list = timed.place.count > 1;
            for (std::size_t k = 0; k < timed.place.count; ++k) {
                timed.place.value[k] =
                    *point->get(k + 1)->value<double>() * factor_of_spelling(spelling, key);
            }
            all.push_back(timed);
        }
        if (list == nullptr) wrong_type(spelling, *table_.get(spelling), "a list");
    }
    return all;
}

void TableReader::each_table(const std::string& key,
                             const std::function<const TableFacts*(TableReader&)>& choose,
                             const std::function<void(TableReader&)>& read) {
    const toml::array* list = array(key);
    for (std::size_t i = 0; list != nullptr && i < list->size(); ++i) {
        const toml::node& node = *list->get(i);
        const std::string path = fmt::format("{}.{}[{}]", path_, key, i);
        if (!node.is_table()) {
            problems_.push_back(
                {scene::position_of(node, file_), path,
                 fmt::format("expected a table in braces, found {}", kind_of(node))});
            continue;
        }
        TableReader unknown{*node.as_table(), path, file_, problems_, facts_};
        if (const TableFacts* facts = choose(unknown))
            read_inner(*node.as_table(), path, *facts, read);
    }
}

void TableReader::one_table(const std::string& key, const TableFacts& facts,
                            const std::function<void(TableReader&)>& read) {
    if (const toml::table* one = table(key))
        read_inner(*one, fmt::format("{}.{}", path_, key), facts, read);
}

void TableReader::read_inner(const toml::table& table, const std::string& path,
                             const TableFacts& facts,
                             const std::function<void(TableReader&)>& read) {
    TableReader one{table, path, file_, problems_, facts};
    read(one);
    one.finish();
}

namespace {

/// A hint for a key that belongs in the inner table of another key: how to write it there.
std::string inner_place(const KeyFacts& outer, const std::string& name) {
    std::vector<std::string_view> inner = outer.tables;
    if (outer.type == KeyType::tuning)
        inner.assign(std::begin(tuning_forms), std::end(tuning_forms));
    for (const TableFacts& table : all_tables()) {
        if (std::find(inner.begin(), inner.end(), table.name) == inner.end()) continue;
        for (const KeyFacts& key : table.keys) {
            const std::vector<std::string> spellings = spellings_of(key);
            if (std::find(spellings.begin(), spellings.end(), name) == spellings.end()) continue;
            const bool is_list = outer.type == KeyType::tables;
            return fmt::format("; did you mean '{} = {}{{ {} = ... }}{}'?", outer.name,
                               is_list ? "[" : "", name, is_list ? "]" : "");
        }
    }
    return {};
}

/// A key of this table that ends with it, the table of this one that has such a key, or
/// the nearest.
std::string hint_for(const TableFacts& facts, const std::string& name,
                     const std::vector<std::string>& known) {
    for (const std::string& key : known) {
        if (key.ends_with('_' + name)) return fmt::format("; did you mean '{}'?", key);
    }
    for (const KeyFacts& key : facts.keys) {
        std::string place = inner_place(key, name);
        if (!place.empty() && key.type != KeyType::named_tables) return place;
    }
    return io::did_you_mean(name, known);
}

}  // namespace

void TableReader::finish() {
    std::vector<std::string> known;
    std::vector<std::string> listed;
    for (const KeyFacts& key : facts_.keys) {
        const std::vector<std::string> spellings = spellings_of(key);
        known.insert(known.end(), spellings.begin(), spellings.end());
        const bool is_plain = spellings.size() == 1 || key.type == KeyType::number;
        listed.push_back(is_plain ? std::string{key.name}
                                  : fmt::format("{} (with its unit)", spellings[0]));
    }
    for (const auto& [key, node] : table_) {
        const std::string name{key.str()};
        if (std::find(known.begin(), known.end(), name) != known.end()) continue;
        problem(name, fmt::format("unknown key; expected {}{}", io::any_of(listed),
                                  hint_for(facts_, name, known)));
    }
}

void require_toml(const std::string& text, const std::string& path) {
    static_cast<void>(parse_toml_text(text, path));
}

toml::table parse_toml(const std::string& path) {
    return parse_toml_text(io::read_text_file(path), path);
}

toml::table parse_toml_text(const std::string& text, const std::string& path) {
    try {
        return toml::parse(text, path);
    } catch (const toml::parse_error& error) {
        const toml::source_position at = error.source().begin;
        io::refuse_input({path, at.line, at.column}, "", std::string{error.description()});
    }
}

void throw_if_any(std::vector<io::Problem> problems) {
    if (problems.empty()) return;
    std::stable_sort(problems.begin(), problems.end(), [](const auto& a, const auto& b) {
        return std::tie(a.position.file, a.position.line) <
               std::tie(b.position.file, b.position.line);
    });
    // What several systems of one table complain of is said once.
    const auto is_same = [](const io::Problem& a, const io::Problem& b) {
        return a.position.file == b.position.file && a.position.line == b.position.line &&
               a.position.column == b.position.column && a.message == b.message;
    };
    problems.erase(std::unique(problems.begin(), problems.end(), is_same), problems.end());
    throw io::InputProblems{std::move(problems)};
}

}  // namespace hopcoil::scene
