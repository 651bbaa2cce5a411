#include "scene_numbers.hpp"

#include <algorithm>
#include <cstddef>
#include <functional>
#include <optional>
#include <string_view>

#include <fmt/format.h>

#include <hopcoil/scene/keys.hpp>
#include <hopcoil/spring/tuning.hpp>

namespace hopcoil::scene {
namespace {

/// Among the tables of a kind, or of all scenes; nullptr where there is none.
const TableFacts* find_table_facts(const SystemKind* kind, std::string_view name) {
    const auto find_in = [name](const std::vector<TableFacts>& tables) -> const TableFacts* {
        const auto found = std::find_if(tables.begin(), tables.end(),
                                        [&](const TableFacts& each) { return each.name == name; });
        return found == tables.end() ? nullptr : &*found;
    };
    const TableFacts* const own = kind == nullptr ? nullptr : find_in(kind->tables);
    return own == nullptr ? find_in(all_tables()) : own;
}

class NumberCollector {
  public:
    using FindFacts = std::function<const TableFacts*(std::string_view)>;
    NumberCollector(const std::vector<SceneNumber>& changes, std::vector<SceneNumber>& numbers,
                    std::vector<SceneNumber>& tuning_numbers, FindFacts find_facts)
        : changes_{changes},
          numbers_{numbers},
          tuning_numbers_{tuning_numbers},
          find_facts_{std::move(find_facts)} {}

    /// Every number of a table that no dial has. Of a table without facts all of them.
    void collect(toml::table& table, const std::string& path, const TableFacts* facts) {
        std::vector<std::string> keys;
        for (const auto& [key, node] : table)
            keys.emplace_back(key.str());
        for (const std::string& key : keys) {
            const KeyFacts* const known = facts == nullptr ? nullptr : facts_about(*facts, key);
            if (facts != nullptr && (known == nullptr || known->is_dial)) continue;
            const std::string inner = fmt::format("{}.{}", path, key);
            toml::node& node = *table.get(key);
            if (known != nullptr && is_tuning(*known)) {
                collect_tuning(node, inner);
            } else if (const auto changed = take(node, inner, numbers_)) {
                table.insert_or_assign(key, *changed);
            } else {
                collect_inside(node, inner,
                               known == nullptr || known->tables.empty()
                                   ? nullptr
                                   : find_facts_(known->tables.front()));
            }
        }
    }

  private:
    static const KeyFacts* facts_about(const TableFacts& facts, const std::string& key) {
        for (const KeyFacts& each : facts.keys) {
            const std::vector<std::string> spellings = spellings_of(each);
            if (std::find(spellings.begin(), spellings.end(), key) != spellings.end()) return &each;
        }
        return nullptr;
    }
    static bool is_tuning(const KeyFacts& key) {
        return key.type == KeyType::tuning || key.type == KeyType::pose_tuning;
    }

    /// The numbers of a form that a tuning's dials do not have: a mass, a half-life, a wish.
    void collect_tuning(toml::node& node, const std::string& path) {
        toml::table* const table = node.as_table();
        if (table == nullptr) return;
        const auto dials = Tuning::dials();
        for (auto&& [key, inner] : *table) {
            const std::string_view name = key.str();
            const std::string inner_path = fmt::format("{}.{}", path, name);
            if (inner.is_table()) collect_tuning(inner, inner_path);
            const bool is_dial = std::any_of(dials.begin(), dials.end(),
                                             [&](const auto& dial) { return dial.path == name; });
            if (is_dial) continue;
            if (const auto changed = take(inner, inner_path, tuning_numbers_))
                table->insert_or_assign(key, *changed);
        }
    }

    void collect_inside(toml::node& node, const std::string& path, const TableFacts* facts) {
        if (toml::table* const table = node.as_table()) collect(*table, path, facts);
        toml::array* const list = node.as_array();
        for (std::size_t i = 0; list != nullptr && i < list->size(); ++i) {
            const std::string inner = fmt::format("{}.{}", path, i);
            if (const auto changed = take(*list->get(i), inner, numbers_)) {
                list->replace(list->begin() + static_cast<std::ptrdiff_t>(i), *changed);
            } else {
                collect_inside(*list->get(i), inner, facts);
            }
        }
    }

    /// Notes a number; what it is to be, when that is something else.
    std::optional<double> take(const toml::node& node, const std::string& path,
                               std::vector<SceneNumber>& numbers) {
        if (!node.is_number()) return std::nullopt;
        const double value = node.value<double>().value_or(0);
        const auto change =
            std::find_if(changes_.begin(), changes_.end(),
                         [&](const SceneNumber& each) { return each.path == path; });
        numbers.push_back({path, change == changes_.end() ? value : change->value});
        return change == changes_.end() ? std::nullopt : std::optional{change->value};
    }

    const std::vector<SceneNumber>& changes_;
    std::vector<SceneNumber>& numbers_;
    std::vector<SceneNumber>& tuning_numbers_;
    FindFacts find_facts_;
};

}  // namespace

void collect_numbers(toml::table& root, const std::vector<SystemKind>& kinds,
                     const std::vector<SceneNumber>& changes, std::vector<SceneNumber>& numbers,
                     std::vector<SceneNumber>& tuning_numbers) {
    const auto collect_tables = [&](const std::string& name, const SystemKind* kind,
                                    const TableFacts* facts) {
        NumberCollector collector{changes, numbers, tuning_numbers, [kind](std::string_view inner) {
                                      return find_table_facts(kind, inner);
                                  }};
        toml::table* const tables = root.get_as<toml::table>(name);
        if (tables == nullptr) return;
        for (auto&& [key, node] : *tables) {
            if (toml::table* const table = node.as_table())
                collector.collect(*table, std::string{key.str()}, facts);
        }
    };
    collect_tables("target", nullptr, nullptr);
    for (const SystemKind& kind : kinds)
        collect_tables(kind.name, &kind, &kind.tables.front());
    collect_tables("body", nullptr, &table_facts("body"));
}

void collect_tuning_numbers(toml::table& root, const std::vector<SceneNumber>& changes,
                            std::vector<SceneNumber>& numbers) {
    NumberCollector collector{changes, numbers, numbers, [](std::string_view) -> const TableFacts* {
                                  return nullptr;
                              }};
    for (const char* kind : {"tuning", "settings"}) {
        if (toml::table* const tables = root.get_as<toml::table>(kind))
            collector.collect(*tables, kind, nullptr);
    }
}

}  // namespace hopcoil::scene
