#include <algorithm>
#include <string_view>
#include <vector>

#include <nlohmann/json.hpp>

#include <hopcoil/scene/keys.hpp>
#include <hopcoil/scene/schema.hpp>
#include <hopcoil/scene/value_array.hpp>

namespace hopcoil::scene {
namespace {

using Json = nlohmann::ordered_json;
using enum KeyType;

Json reference(std::string_view table) {
    return {{"$ref", "#/$defs/" + std::string{table}}};
}

Json any_of_tables(const std::vector<std::string_view>& tables) {
    if (tables.size() == 1) return reference(tables.front());
    Json all = Json::array();
    for (const std::string_view table : tables)
        all.push_back(reference(table));
    return {{"anyOf", std::move(all)}};
}

Json number_or_list(std::size_t most) {
    return {{"anyOf",
             {{{"type", "number"}},
              {{"type", "array"},
               {"items", {{"type", "number"}}},
               {"minItems", 1},
               {"maxItems", most}}}}};
}

Json list_of(Json items) {
    return {{"type", "array"}, {"items", std::move(items)}};
}

/// A name, or a table in one of the forms.
Json tuning_value() {
    Json all = Json::array({{{"type", "string"}}});
    for (const std::string_view form : tuning_forms)
        all.push_back(reference(form));
    return {{"anyOf", std::move(all)}};
}

Json value_of(const KeyFacts& key) {
    constexpr std::size_t most_swings = 6;
    switch (key.type) {
        case number:
        case acceleration:
        case top_speed:
            return {{"type", "number"}};
        case whole_number:
            return {{"type", "integer"}};
        case numbers:
            return number_or_list(most_swings);
        case text:
        case source:
        case field:
            return {{"type", "string"}};
        case texts:
            return {{"anyOf", {{{"type", "string"}}, list_of({{"type", "string"}})}}};
        case flag:
            return {{"type", "boolean"}};
        case choice:
            return {{"enum", key.choices}};
        case vector:
            return {{"type", "array"},
                    {"items", {{"type", "number"}}},
                    {"minItems", 3},
                    {"maxItems", 3}};
        case place:
        case speed:
            return number_or_list(most_numbers);
        case places:
            return list_of(number_or_list(most_numbers));
        case trajectory:
            return list_of({{"type", "array"},
                            {"items", {{"type", "number"}}},
                            {"minItems", 2},
                            {"maxItems", most_numbers + 1}});
        case dials:
            return {{"type", "object"}, {"additionalProperties", reference("dials")}};
        case tuning:
            return tuning_value();
        case pose_tuning: {
            Json value = tuning_value();
            value["anyOf"].push_back(reference("pose tuning"));
            return value;
        }
        case table:
            return any_of_tables(key.tables);
        case tables:
            return list_of(any_of_tables(key.tables));
        case named_tables:
            return {{"type", "object"},
                    {"patternProperties", {{"^[A-Za-z0-9_-]+$", any_of_tables(key.tables)}}},
                    {"additionalProperties", false}};
    }
    return {};
}

std::string described(const KeyFacts& key) {
    std::string text{key.meaning};
    const bool required = key.otherwise.starts_with("required");
    if (!key.otherwise.empty() && !required) {
        text += " (when missing: " + std::string{key.otherwise} + ")";
    }
    return text;
}

/// One of the spellings has to be there.
Json requirement(const KeyFacts& key) {
    Json any = Json::array();
    for (const std::string& spelling : spellings_of(key))
        any.push_back({{"required", {spelling}}});
    return any.size() == 1 ? any[0] : Json{{"anyOf", std::move(any)}};
}

void add_keys(Json& schema, const TableFacts& table, bool with_requirements) {
    for (const KeyFacts& key : table.keys) {
        for (const std::string& spelling : spellings_of(key)) {
            Json value = value_of(key);
            value["description"] = described(key);
            schema["properties"][spelling] = std::move(value);
        }
        if (with_requirements && key.otherwise == "required") {
            schema["allOf"].push_back(requirement(key));
        }
    }
}

Json schema_of(const TableFacts& table) {
    Json schema{{"type", "object"}};
    if (!table.meaning.empty()) schema["description"] = table.meaning;
    schema["properties"] = Json::object();
    // A named tuning has its numbers beside its own keys, in any of the forms.
    const bool is_named_tuning = table.name == "named tuning";
    add_keys(schema, table, true);
    for (const std::string_view form : tuning_forms) {
        if (is_named_tuning) add_keys(schema, table_facts(form), false);
    }
    schema["additionalProperties"] = false;
    return schema;
}

void add_tables(Json& definitions, const TableFacts& table) {
    const auto add = [&](std::string_view name) {
        if (definitions.contains(name)) return;
        const TableFacts& other = table_facts(name);
        definitions[std::string{name}] = schema_of(other);
        add_tables(definitions, other);
    };
    for (const KeyFacts& key : table.keys) {
        for (const std::string_view name : key.tables)
            add(name);
        if (key.type == tuning || key.type == pose_tuning) {
            for (const std::string_view form : tuning_forms)
                add(form);
        }
        if (key.type == pose_tuning) add("pose tuning");
        // "root.lead = 0.5" is a table inside.
        if (key.type == dials) {
            definitions["dials"] = {
                {"anyOf",
                 {{{"type", {"number", "string"}}},
                  {{"type", "object"}, {"additionalProperties", reference("dials")}}}}};
        }
    }
}

std::string whole_schema(const TableFacts& root, const char* title) {
    Json schema{{"$schema", "https://json-schema.org/draft/2020-12/schema"}, {"title", title}};
    schema.update(schema_of(root));
    Json definitions = Json::object();
    add_tables(definitions, root);
    schema["$defs"] = std::move(definitions);
    return schema.dump(1) + '\n';
}

std::string type_in_words(const KeyFacts& key) {
    switch (key.type) {
        case whole_number:
            return "a whole number";
        case numbers:
            return "a number or a list";
        case text:
            return "a string";
        case source:
        case field:
            return "a name";
        case texts:
            return "a string or a list of strings";
        case flag:
            return "`true` or `false`";
        case choice: {
            std::string all;
            for (const std::string& each : key.choices)
                all += (all.empty() ? "`" : ", `") + each + "`";
            return all;
        }
        case vector:
            return "three numbers";
        case place:
        case speed:
            return "a number, or one for each axis";
        case places:
            return "a list of places";
        case trajectory:
            return "a list of points";
        case tuning:
            return "a name or a tuning";
        case pose_tuning:
            return "a name, a tuning, or one for each part";
        case dials:
            return "numbers or names by their paths";
        case table:
            return "a table";
        case tables:
            return "a list of tables";
        case named_tables:
            return "tables with names";
        default:
            return "a number";
    }
}

std::string key_in_page(const KeyFacts& key) {
    const std::string name{key.name};
    if (key.type == named_tables) return "`[" + name + ".NAME]`";
    if (key.type == table) return "`[" + name + "]`";
    const std::vector<std::string> all = spellings_of(key);
    if (all.size() == 1) return "`" + name + "`";
    if (key.type == number) return "`" + name + "` (or `_deg`)";
    const std::string unit = all[1].substr(name.size());
    if (unit == "_m") return "`" + name + "` (`_m`, `_rad`, `_deg`)";
    const std::string rate = all[0].substr(name.size());
    return "`" + all[0] + "` (`_m" + rate + "`, `_rad" + rate + "`, `_deg" + rate + "`)";
}

void append_table(std::string& page, const TableFacts& table) {
    page += "\n## " + std::string{table.heading} + "\n\n";
    if (!table.meaning.empty()) page += std::string{table.meaning} + "\n\n";
    page += "| key | what it holds | meaning | when missing |\n|---|---|---|---|\n";
    for (const KeyFacts& key : table.keys) {
        page += "| " + key_in_page(key) + " | " + type_in_words(key) + " | " +
                std::string{key.meaning} + " | " + std::string{key.otherwise} + " |\n";
    }
}

}  // namespace

std::string scene_schema() {
    return whole_schema(table_facts("scene"), "A scene");
}

std::string tuning_schema() {
    return whole_schema(table_facts("tuning file"), "A tuning file");
}

std::string page_of_keys() {
    std::string page =
        "# Every key\n\nMade by `hopcoil check --keys` from what the readers accept; "
        "[scene files](scenes.md) tells how they go together. A place, a speed or an acceleration "
        "has "
        "its unit in its key: `_m`, `_rad`, `_deg` (converted to radians) or none.\n";
    for (const TableFacts& table : all_tables())
        append_table(page, table);
    return page;
}

}  // namespace hopcoil::scene
