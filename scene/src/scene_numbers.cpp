#include "scene_numbers.hpp"

#include <algorithm>
#include <array>
#include <cstddef>
#include <optional>
#include <string_view>

#include <fmt/format.h>

#include <hopcoil/scene/keys.hpp>

namespace hopcoil::scene {
namespace {

/// Of a mover's keys, those whose numbers are no dials of it.
bool is_beside_dials(std::string_view key) {
    constexpr std::array<std::string_view, 8> beginnings{
        "start", "kicks", "low", "high", "margin", "snap_points", "at_m", "length_m"};
    return std::any_of(beginnings.begin(), beginnings.end(),
                       [&](std::string_view beginning) { return key.starts_with(beginning); });
}

class NumberCollector {
  public:
    NumberCollector(const std::vector<SceneNumber>& changes, std::vector<SceneNumber>& numbers)
        : changes_{changes}, numbers_{numbers} {}

    void collect(toml::table& table, const std::string& path, bool only_beside_dials) {
        std::vector<std::string> keys;
        for (const auto& [key, node] : table)
            keys.emplace_back(key.str());
        for (const std::string& key : keys) {
            if (only_beside_dials && !is_beside_dials(key)) continue;
            const std::string inner = fmt::format("{}.{}", path, key);
            toml::node& node = *table.get(key);
            if (const auto changed = take(node, inner)) {
                table.insert_or_assign(key, *changed);
            } else {
                collect_inside(node, inner);
            }
        }
    }

  private:
    void collect_inside(toml::node& node, const std::string& path) {
        if (toml::table* const table = node.as_table()) collect(*table, path, false);
        toml::array* const list = node.as_array();
        for (std::size_t i = 0; list != nullptr && i < list->size(); ++i) {
            const std::string inner = fmt::format("{}.{}", path, i);
            if (const auto changed = take(*list->get(i), inner)) {
                list->replace(list->begin() + static_cast<std::ptrdiff_t>(i), *changed);
            } else {
                collect_inside(*list->get(i), inner);
            }
        }
    }

    /// Notes a number; what it is to be, when that is something else.
    std::optional<double> take(const toml::node& node, const std::string& path) {
        if (!node.is_number()) return std::nullopt;
        const double value = node.value<double>().value_or(0);
        const auto change =
            std::find_if(changes_.begin(), changes_.end(),
                         [&](const SceneNumber& each) { return each.path == path; });
        numbers_.push_back({path, change == changes_.end() ? value : change->value});
        return change == changes_.end() ? std::nullopt : std::optional{change->value};
    }

    const std::vector<SceneNumber>& changes_;
    std::vector<SceneNumber>& numbers_;
};

}  // namespace

void collect_numbers(toml::table& root, const std::vector<SceneNumber>& changes,
                     std::vector<SceneNumber>& numbers) {
    NumberCollector collector{changes, numbers};
    const auto collect_kind = [&](const std::string& kind, bool only_beside_dials) {
        toml::table* const tables = root.get_as<toml::table>(kind);
        if (tables == nullptr) return;
        for (auto&& [name, node] : *tables) {
            if (toml::table* const table = node.as_table())
                collector.collect(*table, std::string{name.str()}, only_beside_dials);
        }
    };
    collect_kind("target", false);
    for (const std::string& kind : mover_tables())
        collect_kind(kind, true);
    collect_kind("body", true);
}

}  // namespace hopcoil::scene
