#include "read_settings.hpp"

#include <algorithm>
#include <stdexcept>

#include <fmt/format.h>

#include <hopcoil/scene/named_settings.hpp>
#include <hopcoil/scene/scene_dials.hpp>

#include "key_path.hpp"

namespace hopcoil::scene {
namespace {

/// { nodes = 24, root = { lead = 0.5 } } as "nodes" and "root.lead".
void read_numbers(const toml::table& table, const std::string& prefix, TableReader& reader,
                  NamedSettings& settings) {
    for (const auto& [key, node] : table) {
        const std::string path = prefix + std::string{key.str()};
        if (const toml::table* inner = node.as_table()) {
            read_numbers(*inner, path + '.', reader, settings);
        } else if (node.is_number()) {
            settings.numbers.push_back({path, node.value<double>().value_or(0)});
        } else if (node.is_string()) {
            settings.choices.push_back({path, node.value<std::string>().value_or("")});
        } else {
            reader.problems().push_back(
                {position_of(node, reader.file()), reader.path() + ".numbers." + path,
                 fmt::format("expected a number, or the name of a choice, found {}",
                             kind_of(node))});
        }
    }
}

/// Whether a table itself says what a dial's key holds: that number, or a name in place of it.
bool says(const toml::table& table, const std::string& key) {
    const auto [first, rest] = split_path(key);
    for (const auto& [found, node] : table) {
        const std::string text{found.str()};
        const bool is_it =
            in_radians(text) == first || (rest.empty() && text.starts_with(first + '_'));
        if (!is_it) continue;
        const toml::table* const inner = node.as_table();
        return inner == nullptr || rest.empty() || says(*inner, rest);
    }
    return false;
}

/// The place of a name among those of a dial; nothing, and a problem, where it has no such name.
std::optional<double> chosen(TableReader& table, const NamedSettings& settings,
                             const SpecDial& dial, const SceneChoice& choice) {
    const auto found = std::find(dial.names.begin(), dial.names.end(), choice.name);
    if (found != dial.names.end()) return static_cast<double>(found - dial.names.begin());
    const std::string expected =
        dial.names.empty() ? range_in_words(dial.hard)
                           : io::any_of(dial.names) + io::did_you_mean(choice.name, dial.names);
    table.problem("settings", fmt::format("'{}' has {} \"{}\"; expected {}", settings.name,
                                          choice.path, choice.name, expected));
    return std::nullopt;
}

/// One number or choice of settings, as if the table had it; what the table has itself stays. The
/// number is what `value_for(dial)` gives, if any.
template <class ValueFor>
void set_dial(Scene& scene, TableReader& table, const std::string& name,
              const NamedSettings& settings, const std::string& path, const ValueFor& value_for) {
    std::vector<std::string> paths;
    for (SceneSystem& system : scene.systems) {
        const bool is_part = system.name.starts_with(name + '.');
        if (!is_part && system.name != name) continue;
        const std::string part = is_part ? system.name.substr(name.size() + 1) : "";
        const std::vector<SpecDial> dials = system.spec->dials();
        for (std::size_t i = 0; i < dials.size(); ++i) {
            paths.push_back(is_part ? part + '.' + dials[i].path : dials[i].path);
            if (paths.back() != path) continue;
            if (says(table.raw(), key_in_table(dials[i].key, part))) return;
            const std::optional<double> value = value_for(dials[i]);
            if (!value || system.spec->set_dial(i, *value) == DialStatus::set) return;
            table.problem("settings", fmt::format("'{}' has {} {}; expected {}", settings.name,
                                                  path, *value, range_in_words(dials[i].hard)));
            return;
        }
    }
    // A table with problems of its own has made nothing.
    if (paths.empty()) return;
    table.problem("settings", fmt::format("'{}' has a number '{}', which is no dial here{}; there "
                                          "is {}",
                                          settings.name, path, io::did_you_mean(path, paths),
                                          io::any_of(paths)));
}

}  // namespace

NamedSettings read_named_settings(const toml::table& table, const std::string& name,
                                  const std::string& file, std::vector<io::Problem>& problems) {
    TableReader reader{table, "settings." + name, file, problems, table_facts("named settings")};
    NamedSettings settings{.name = name,
                           .about = reader.text("about").value_or(""),
                           .kind = reader.text("kind").value_or("")};
    if (const toml::table* numbers = reader.table("numbers")) {
        read_numbers(*numbers, "", reader, settings);
        if (numbers->empty()) reader.problem("numbers", "expected at least one number");
    } else if (!reader.has("numbers")) {
        reader.problem("", "expected a key 'numbers', such as numbers = { frequency_hz = 2 }");
    }
    reader.finish();
    return settings;
}

void use_settings(Scene& scene, TableReader& table, const std::string& name) {
    const auto wanted = table.text("settings");
    if (!wanted) return;
    NamedSettings settings;
    try {
        settings = find_settings(scene, *wanted);
    } catch (const std::invalid_argument& problem) {
        table.problem("settings", problem.what());
        return;
    }
    for (const SceneSystem& system : scene.systems) {
        const std::string kind = system.spec->kind();
        if (system.name != name || settings.kind.empty() || settings.kind == kind) continue;
        table.problem("settings", fmt::format("'{}' is for a {}, not for a {}", settings.name,
                                              settings.kind, kind));
        return;
    }
    for (const SceneNumber& number : settings.numbers) {
        set_dial(scene, table, name, settings, number.path,
                 [&](const SpecDial&) { return std::optional{number.value}; });
    }
    for (const SceneChoice& choice : settings.choices) {
        set_dial(scene, table, name, settings, choice.path,
                 [&](const SpecDial& dial) { return chosen(table, settings, dial, choice); });
    }
}

}  // namespace hopcoil::scene
