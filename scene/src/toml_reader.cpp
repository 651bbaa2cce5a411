#include "toml_reader.hpp"

#include <algorithm>
#include <cmath>

#include <fmt/format.h>

#include <hopcoil/base/math.hpp>

namespace hopcoil::scene {

FilePosition position_of(const toml::node& node, const std::string& file) {
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
            return fmt::format("the text '{}'", node.as_string()->get());
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
                         std::vector<Problem>& problems)
    : table_{table}, path_{std::move(path)}, file_{std::move(file)}, problems_{problems} {}

const toml::node* TableReader::find(const std::string& key) {
    known_.push_back(key);
    return table_.get(key);
}

FilePosition TableReader::position_of(const std::string& key) const {
    const auto found = table_.find(key);
    if (found != table_.end()) {
        const toml::source_position begin = found->first.source().begin;
        if (begin.line > 0) return {file_, begin.line, begin.column};
    }
    return scene::position_of(table_, file_);
}

void TableReader::problem(const std::string& key, std::string message) {
    const std::string full = path_.empty() || key.empty() ? path_ + key : path_ + '.' + key;
    problems_.push_back({position_of(key), full, std::move(message)});
}

void TableReader::wrong_type(const std::string& key, const toml::node& node,
                             const std::string& expected) {
    problem(key, fmt::format("expected {}, found {}", expected, kind_of(node)));
}

std::optional<double> TableReader::number(const std::string& key) {
    const toml::node* node = find(key);
    if (node == nullptr) return std::nullopt;
    const std::optional<double> value = node->value<double>();
    if (!node->is_number() || !value) {
        wrong_type(key, *node, "a number");
        return std::nullopt;
    }
    if (!std::isfinite(*value)) {
        problem(key, fmt::format("expected a finite number, found {}", *value));
        return std::nullopt;
    }
    return value;
}

std::optional<std::string> TableReader::text(const std::string& key) {
    const toml::node* node = find(key);
    if (node == nullptr) return std::nullopt;
    if (!node->is_string()) {
        wrong_type(key, *node, "a text in quotes");
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

std::optional<std::string> TableReader::choice(const std::string& key,
                                               const std::vector<std::string>& choices) {
    std::optional<std::string> chosen = text(key);
    if (!chosen) return std::nullopt;
    if (std::find(choices.begin(), choices.end(), *chosen) == choices.end()) {
        problem(key, fmt::format("expected {}, found '{}'{}", any_of(choices), *chosen,
                                 did_you_mean(*chosen, choices)));
        return std::nullopt;
    }
    return chosen;
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

std::optional<Quantity> TableReader::quantity(const std::string& key, const std::string& suffix) {
    struct Form {
        const char* ending;
        const char* unit;
        double factor;
    };
    static constexpr Form forms[]{
        {"", "", 1}, {"_m", "m", 1}, {"_rad", "rad", 1}, {"_deg", "rad", math::pi / 180}};
    std::optional<Quantity> result;
    for (const Form& form : forms) {
        const std::string full = fmt::format("{}{}{}", key, form.ending, suffix);
        const bool given = has(full);
        const std::optional<double> value = number(full);
        if (given && result) problem(full, "it is given twice, in different units");
        if (value && !result) result = Quantity{*value * form.factor, form.unit};
    }
    return result;
}

void TableReader::finish() {
    for (const auto& [key, node] : table_) {
        const std::string name{key.str()};
        if (std::find(known_.begin(), known_.end(), name) != known_.end()) continue;
        problem(name, fmt::format("unknown key; expected {}{}", any_of(known_),
                                  did_you_mean(name, known_)));
    }
}

}  // namespace hopcoil::scene
