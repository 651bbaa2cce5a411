#include <algorithm>
#include <charconv>
#include <cmath>
#include <map>
#include <optional>
#include <set>

#include <fmt/format.h>

#include <hopcoil/base/math.hpp>
#include <hopcoil/io/file_problems.hpp>
#include <hopcoil/io/text_file.hpp>
#include <hopcoil/scene/kind.hpp>
#include <hopcoil/scene/scene_dials.hpp>
#include <hopcoil/scene/scene_patch.hpp>

#include "key_path.hpp"
#include "toml_reader.hpp"

namespace hopcoil::scene {
namespace {

/// A file of a scene as it stands, and as it is to be.
class PatchedFile {
  public:
    explicit PatchedFile(const std::string& path)
        : path_{path}, text_{io::read_text_file(path)}, root_{parse_toml_text(text_, path)} {}

    [[nodiscard]] const std::string& path() const { return path_; }
    [[nodiscard]] const std::string& text() const { return text_; }
    [[nodiscard]] const toml::table& root() const { return root_; }
    [[nodiscard]] bool is_changed() const { return !edits_.empty(); }

    void replace(const toml::node& node, const std::string& with) {
        const std::size_t begin = offset_of(node.source().begin);
        edits_[begin] = {offset_of(node.source().end) - begin, with};
    }
    /// A line right under the heading of a table.
    void insert_under(const toml::table& table, const std::string& line) {
        const std::size_t heading = offset_of(table.source().begin);
        const std::size_t end = text_.find('\n', heading);
        const std::size_t place = end == std::string::npos ? text_.size() : end + 1;
        const bool has_end = end != std::string::npos;
        edits_[place].with += has_end ? line + '\n' : '\n' + line;
    }

    [[nodiscard]] std::string patched() const {
        std::string result = text_;
        // From the end on, so that the places of the others stay what they are.
        std::for_each(edits_.rbegin(), edits_.rend(), [&](const auto& each) {
            result.replace(each.first, each.second.count, each.second.with);
        });
        return result;
    }

  private:
    struct Edit {
        std::size_t count = 0;
        std::string with{};
    };

    /// Columns count letters, not bytes.
    [[nodiscard]] std::size_t offset_of(const toml::source_position& at) const {
        std::size_t offset = 0;
        for (toml::source_index line = 1; line < at.line; ++line)
            offset = text_.find('\n', offset) + 1;
        for (toml::source_index column = 1; column < at.column && offset < text_.size(); ++column) {
            ++offset;
            while (offset < text_.size() &&
                   (static_cast<unsigned char>(text_[offset]) & 0xC0U) == 0x80U)
                ++offset;
        }
        return offset;
    }

    std::string path_;
    std::string text_;
    toml::table root_;
    std::map<std::size_t, Edit> edits_;
};

/// An angle as it is written in degrees: the shortest number that is read as that angle.
std::string in_degrees_text(double radians) {
    const double degrees = radians * 180 / math::pi;
    std::string text;
    for (int digits = 6; digits <= 17; ++digits) {
        text = fmt::format("{:.{}g}", degrees, digits);
        double read = 0;
        std::from_chars(text.data(), text.data() + text.size(), read);
        if (read * (math::pi / 180) == radians) break;
    }
    return text;
}

class Patcher {
  public:
    explicit Patcher(const Scene& scene) : scene_{scene} {
        if (scene.kinds) kinds_.insert(kinds_.end(), scene.kinds->begin(), scene.kinds->end());
        for (const std::string& file : scene.files) {
            if (file.ends_with(".toml") &&
                std::find(scene.tuning_files.begin(), scene.tuning_files.end(), file) ==
                    scene.tuning_files.end())
                files_.emplace_back(file);
        }
    }

    std::vector<std::string> write() {
        for (const SceneNumber& each : scene_.number_changes)
            change_number(each);
        const std::vector<SceneDial> dials = dials_of(scene_);
        for (const SceneDial& dial : dials) {
            const bool is_changed =
                !dial.number &&
                std::any_of(scene_.dial_changes.begin(), scene_.dial_changes.end(),
                            [&](const SceneNumber& change) { return change.path == dial.path; });
            if (is_changed) change_dial(dial);
        }
        return commit();
    }

  private:
    struct Found {
        PatchedFile* file = nullptr;
        const toml::table* table = nullptr;
        std::string kind{};
    };

    [[noreturn]] void refuse(const std::string& path) const {
        io::refuse_input(
            {scene_.file, 0, 0}, path,
            "the place of this number in the file was not found; expected it under its "
            "table's heading, as a number");
    }

    /// The table [kind.NAME] of whatever has that name.
    Found find_table(const std::string& name) {
        std::vector<std::string> kinds{"target", "body"};
        for (const SystemKind& kind : kinds_)
            kinds.push_back(kind.name);
        for (PatchedFile& file : files_) {
            for (const std::string& kind : kinds) {
                const auto* table = file.root()[kind][name].as_table();
                if (table != nullptr) return {&file, table, kind};
            }
        }
        return {};
    }

    void change_number(const SceneNumber& number) {
        auto [name, rest] = split_path(number.path);
        const Found found = find_table(name);
        const toml::node* node = found.table;
        while (node != nullptr && !rest.empty()) {
            auto [key, more] = split_path(rest);
            if (const toml::table* table = node->as_table()) {
                node = table->get(key);
            } else if (const toml::array* list = node->as_array()) {
                std::size_t index = 0;
                std::from_chars(key.data(), key.data() + key.size(), index);
                node = list->get(index);
            } else {
                node = nullptr;
            }
            rest = more;
        }
        if (node == nullptr || !node->is_number()) refuse(number.path);
        found.file->replace(*node, fmt::format("{}", number.value));
    }

    void change_dial(const SceneDial& dial) {
        const SceneSystem& system = scene_.systems[dial.system];
        const Found found = find_table(split_path(system.name).first);
        if (found.table == nullptr) refuse(dial.path);
        const std::string key =
            key_in_table(found.kind, system, system.spec->dials().at(dial.index));
        if (split_path(key).second.empty()) {
            change_key(found, dial, key);
        } else {
            change_inner(found, dial, key);
        }
    }

    /// A number in a table inside: "tuning.frequency_hz", "links.1.tuning.lead". Where it stands
    /// there it is replaced; where something else does (a name, another form) all numbers of that
    /// table take its place.
    void change_inner(const Found& found, const SceneDial& dial, const std::string& key) {
        const toml::table* table = found.table;
        std::string path;  // so far, with its last dot
        std::string rest = key;
        while (true) {
            const auto [name, more] = split_path(rest);
            if (more.empty()) {
                const double value = value_of(scene_, dial);
                if (table->contains(name)) {
                    found.file->replace(*table->get(name), fmt::format("{}", value));
                } else {
                    found.file->replace(*table->get(in_degrees(name)), in_degrees_text(value));
                }
                return;
            }
            const toml::node* const node = table->get(name);
            const toml::table* inner = node == nullptr ? nullptr : node->as_table();
            std::string inner_path = path + name + '.';
            std::string inner_rest = more;
            if (node != nullptr && node->is_array()) {
                const auto [index, after] = split_path(more);
                if (after.empty()) return change_element(found, dial, *node->as_array(), index);
                inner = element(*node->as_array(), index);
                if (inner == nullptr) refuse(dial.path);
                inner_path += index + '.';
                inner_rest = after;
            } else if (inner == nullptr || !holds_dials(found, *inner, inner_path, inner_rest)) {
                return replace_all(found, dial, *table, name, inner_path);
            }
            table = inner;
            path = inner_path;
            rest = inner_rest;
        }
    }

    /// Where a dial stands in its system's table. Of a kind whose table makes several systems, the
    /// tables inside have one for each: "tuning.position.lead".
    [[nodiscard]] std::string key_in_table(const std::string& kind, const SceneSystem& system,
                                           const SpecDial& dial) const {
        const std::string part = split_path(system.name).second;
        const bool has_parts = std::any_of(
            kinds_.begin(), kinds_.end(),
            [&](const SystemKind& each) { return each.name == kind && !each.parts.empty(); });
        return hopcoil::scene::key_in_table(dial.key, has_parts ? part : "");
    }

    static const toml::table* element(const toml::array& list, const std::string& index) {
        std::size_t i = 0;
        std::from_chars(index.data(), index.data() + index.size(), i);
        const toml::node* const node = list.get(i);
        return node == nullptr ? nullptr : node->as_table();
    }

    /// One number of a list.
    void change_element(const Found& found, const SceneDial& dial, const toml::array& list,
                        const std::string& index) {
        std::size_t i = 0;
        std::from_chars(index.data(), index.data() + index.size(), i);
        const toml::node* const node = list.get(i);
        if (node == nullptr || !node->is_number()) refuse(dial.path);
        found.file->replace(*node, fmt::format("{}", value_of(scene_, dial)));
    }

    /// The keys of all dials that a table of the file has, with their values.
    [[nodiscard]] std::vector<std::pair<std::string, double>> dials_in(const Found& found) const {
        std::vector<std::pair<std::string, double>> all;
        for (const SceneSystem& system : scene_.systems) {
            const std::string name = split_path(system.name).first;
            if (found.file->root()[found.kind][name].as_table() != found.table) continue;
            const std::vector<SpecDial> dials = system.spec->dials();
            for (std::size_t i = 0; i < dials.size(); ++i)
                all.emplace_back(key_in_table(found.kind, system, dials[i]), system.spec->dial(i));
        }
        return all;
    }

    /// Whether a table has the number of a dial (or the table that has), and no numbers but those
    /// of dials: parameters of another form (a wish, a mass) have to make way.
    [[nodiscard]] bool holds_dials(const Found& found, const toml::table& table,
                                   const std::string& path, const std::string& rest) const {
        const std::vector<std::pair<std::string, double>> dials = dials_in(found);
        for (const auto& [key, node] : table) {
            const std::string whole = path + in_radians(key.str());
            const bool is_known = std::any_of(dials.begin(), dials.end(), [&](const auto& dial) {
                return dial.first == whole || dial.first.starts_with(whole + '.');
            });
            if (!is_known) return false;
        }
        const auto [name, more] = split_path(rest);
        const std::string degrees = in_degrees(name);
        const toml::node* const node =
            degrees.empty() || table.contains(name) ? table.get(name) : table.get(degrees);
        return more.empty() ? node != nullptr && node->is_number() : node != nullptr;
    }

    /// All dials under a path, as an inline table, in place of what is there.
    void replace_all(const Found& found, const SceneDial& dial, const toml::table& table,
                     const std::string& name, const std::string& path) {
        const std::string text = inline_table(dials_in(found), path);
        const toml::node* const node = table.get(name);
        if (node != nullptr) {
            found.file->replace(*node, text);
            return;
        }
        if (table.is_inline()) refuse(dial.path);
        if (written_.insert({&table, true}).second)
            found.file->insert_under(table, fmt::format("{} = {}", name, text));
    }

    static std::string inline_table(const std::vector<std::pair<std::string, double>>& dials,
                                    const std::string& path) {
        std::string text;
        bool is_list = false;
        std::set<std::string> done;
        for (const auto& [key, value] : dials) {
            if (!key.starts_with(path)) continue;
            const auto [name, more] = split_path(key.substr(path.size()));
            if (!done.insert(name).second) continue;
            const std::string inner =
                more.empty() ? fmt::format("{}", value) : inline_table(dials, path + name + '.');
            is_list = name.find_first_not_of("0123456789") == std::string::npos;
            text +=
                fmt::format("{}{}{}", text.empty() ? "" : ", ", is_list ? "" : name + " = ", inner);
        }
        return is_list ? fmt::format("[{}]", text) : fmt::format("{{ {} }}", text);
    }

    /// A key of the system's own table, in whatever unit it is given; in that of the system's
    /// value, where it is missing.
    void change_key(const Found& found, const SceneDial& dial, const std::string& name) {
        const double value = value_of(scene_, dial);
        for (const auto& [key, node] : *found.table) {
            const std::string text{key.str()};
            const bool is_it = in_radians(text) == name || text.starts_with(name + '_');
            if (!is_it || !(node.is_number() || node.is_string())) continue;
            const bool degrees = text.find("_deg") != std::string::npos;
            found.file->replace(node, degrees ? in_degrees_text(value) : text_of(dial, value));
            return;
        }
        if (found.table->is_inline()) refuse(dial.path);
        const std::vector<Port> ports = scene_.systems[dial.system].spec->outputs();
        const std::string unit = ports.empty() ? "" : ports.front().unit;
        found.file->insert_under(
            *found.table,
            fmt::format("{} = {}", spelling_of(found.kind, name, unit), text_of(dial, value)));
    }

    /// As written in TOML: the name of a choice in quotes.
    static std::string text_of(const SceneDial& dial, double value) {
        const std::string words = value_in_words(dial, value);
        return dial.names.empty() ? words : fmt::format("\"{}\"", words);
    }

    [[nodiscard]] std::string spelling_of(const std::string& kind, const std::string& name,
                                          const std::string& unit) const {
        for (const SystemKind& each : kinds_) {
            if (each.name != kind) continue;
            for (const KeyFacts& key : each.tables.front().keys) {
                if (key.name != name) continue;
                const std::vector<std::string> all = spellings_of(key);
                for (const std::string& spelling : all) {
                    if (spelling.find('_' + unit, name.size()) == name.size() && !unit.empty())
                        return spelling;
                }
                return all.front();
            }
        }
        return name;
    }

    /// All of the files or none: what does not read as the scene is taken back.
    std::vector<std::string> commit() {
        std::vector<std::string> written;
        const auto rollback = [&] {
            for (const PatchedFile& file : files_) {
                if (std::find(written.begin(), written.end(), file.path()) != written.end())
                    io::write_text_file(file.path(), file.text());
            }
        };
        try {
            for (const PatchedFile& file : files_) {
                if (!file.is_changed()) continue;
                const std::string text = file.patched();
                require_toml(text, file.path());
                io::write_text_file(file.path(), text);
                written.push_back(file.path());
            }
            require_same();
        } catch (...) {
            rollback();
            throw;
        }
        return written;
    }

    void require_same() const {
        const Scene again = read_scene(
            scene_.file, scene_.kinds ? *scene_.kinds : std::vector<SystemKind>{}, scene_.seed);
        const std::vector<SceneDial> dials = dials_of(scene_);
        const std::vector<SceneDial> others = dials_of(again);
        for (const SceneDial& dial : dials) {
            const auto other = std::find_if(others.begin(), others.end(), [&](const SceneDial& o) {
                return o.path == dial.path;
            });
            if (other == others.end()) refuse(dial.path);
            const double wanted = value_of(scene_, dial);  // may be infinite: no cap
            const double found = value_of(again, *other);
            const bool same =
                found == wanted || std::abs(found - wanted) <= 1e-9 * std::abs(wanted);
            if (!same) refuse(dial.path);
        }
    }

    const Scene& scene_;
    std::vector<SystemKind> kinds_ = built_in_kinds();
    std::vector<PatchedFile> files_;
    std::map<const toml::table*, bool> written_;
};

}  // namespace

std::vector<std::string> write_changes(const Scene& scene) {
    return Patcher{scene}.write();
}

}  // namespace hopcoil::scene
