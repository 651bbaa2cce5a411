#include <algorithm>
#include <charconv>
#include <cmath>
#include <map>
#include <optional>

#include <fmt/format.h>

#include <hopcoil/base/math.hpp>
#include <hopcoil/scene/file_problems.hpp>
#include <hopcoil/scene/keys.hpp>
#include <hopcoil/scene/scene_dials.hpp>
#include <hopcoil/scene/scene_patch.hpp>
#include <hopcoil/scene/text_file.hpp>

#include "toml_reader.hpp"

namespace hopcoil::scene {
namespace {

/// A file of a scene as it stands, and as it is to be.
class PatchedFile {
  public:
    explicit PatchedFile(const std::string& path)
        : path_{path}, text_{read_text_file(path)}, root_{parse_toml_text(text_, path)} {}

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

std::string inline_table(const Tuning& tuning) {
    return fmt::format("{{ frequency_hz = {}, damping_ratio = {}, lead = {} }}",
                       tuning.frequency_hz, tuning.damping_ratio, tuning.lead);
}

/// "a.b.c" from its first dot on, and before it.
std::pair<std::string, std::string> split(const std::string& path) {
    const std::size_t dot = path.find('.');
    if (dot == std::string::npos) return {path, ""};
    return {path.substr(0, dot), path.substr(dot + 1)};
}

class Patcher {
  public:
    explicit Patcher(const Scene& scene) : scene_{scene} {
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
        return put_down();
    }

  private:
    struct Found {
        PatchedFile* file = nullptr;
        const toml::table* table = nullptr;
        std::string kind{};
    };

    [[noreturn]] void refuse(const std::string& path) const {
        refuse_input({scene_.file, 0, 0}, path,
                     "the place of this number in the file was not found; expected it under its "
                     "table's heading, as a number");
    }

    /// The table [kind.NAME] of whatever has that name.
    Found find_table(const std::string& name) {
        std::vector<std::string> kinds{"target", "body"};
        kinds.insert(kinds.end(), mover_tables().begin(), mover_tables().end());
        for (PatchedFile& file : files_) {
            for (const std::string& kind : kinds) {
                const auto* table = file.root()[kind][name].as_table();
                if (table != nullptr) return {&file, table, kind};
            }
        }
        return {};
    }

    void change_number(const SceneNumber& number) {
        auto [name, rest] = split(number.path);
        const Found found = find_table(name);
        const toml::node* node = found.table;
        while (node != nullptr && !rest.empty()) {
            auto [key, more] = split(rest);
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
        const SceneMover& mover = scene_.movers[dial.mover];
        const Found found = find_table(split(mover.name).first);
        if (found.table == nullptr) refuse(dial.path);
        if (tuning_of(mover.numbers, dial.part) != nullptr) {
            change_tuning(found, dial, mover);
        } else {
            change_key(found, dial);
        }
    }

    /// In the table that a tuning is said in: its own, that of a cascade's link.
    void change_tuning(const Found& found, const SceneDial& dial, const SceneMover& mover) {
        const toml::table* place = found.table;
        if (found.kind == "cascade") {
            const toml::array* links = place->get_as<toml::array>("links");
            const toml::node* link = links == nullptr ? nullptr : links->get(dial.part);
            place = link == nullptr ? nullptr : link->as_table();
            if (place == nullptr) refuse(dial.path);
        }
        const bool is_pose = found.kind == "pose";
        const std::string all =
            is_pose ? pose_table(found) : inline_table(*tuning_of(mover.numbers, dial.part));
        const toml::node* tuning = place->get("tuning");
        if (tuning == nullptr) {
            if (place->is_inline()) refuse(dial.path);
            if (written_.insert({place, true}).second)
                found.file->insert_under(*place, "tuning = " + all);
            return;
        }
        const toml::table* numbers = tuning->as_table();
        if (is_pose && numbers != nullptr) numbers = numbers->get_as<toml::table>(part_of(mover));
        const std::string key = dial.path.substr(dial.path.rfind('.') + 1);
        const toml::node* number = numbers == nullptr ? nullptr : numbers->get(key);
        // Parameters of another form (a wish, a mass) have to make way.
        const bool by_feel = numbers != nullptr && numbers->contains("frequency_hz");
        if (number != nullptr && number->is_number() && by_feel) {
            found.file->replace(*number, fmt::format("{}", value_of(scene_, dial)));
        } else {
            found.file->replace(*tuning, all);
        }
    }

    static std::string part_of(const SceneMover& mover) {
        return mover.name.substr(mover.name.rfind('.') + 1);
    }

    [[nodiscard]] std::string pose_table(const Found& found) const {
        std::string text;
        for (const SceneMover& mover : scene_.movers) {
            const auto [name, part] = split(mover.name);
            const bool belongs =
                !part.empty() && found.file->root()["pose"][name].as_table() == found.table;
            const Tuning* tuning = tuning_of(mover.numbers);
            if (!belongs || tuning == nullptr) continue;
            text += fmt::format("{}{} = {}", text.empty() ? "" : ", ", part, inline_table(*tuning));
        }
        return fmt::format("{{ {} }}", text);
    }

    /// A key of the mover's own, in whatever unit it is given.
    void change_key(const Found& found, const SceneDial& dial) {
        const std::string name = dial.path.substr(dial.path.rfind('.') + 1);
        const double value = value_of(scene_, dial);
        std::string suffix;
        for (const auto& [key, node] : *found.table) {
            const std::string text{key.str()};
            const bool is_it = text == name || text.starts_with(name + '_');
            if (text.starts_with("max_speed")) suffix = text.substr(9);
            if (!is_it || !node.is_number()) continue;
            const bool degrees = text.find("_deg") != std::string::npos;
            found.file->replace(node, fmt::format("{}", degrees ? value * 180 / math::pi : value));
            return;
        }
        const bool has_unit = name == "max_acceleration";
        if (found.table->is_inline()) refuse(dial.path);
        const bool degrees = has_unit && suffix.find("_deg") != std::string::npos;
        found.file->insert_under(*found.table,
                                 fmt::format("{}{} = {}", name, has_unit ? suffix + "2" : "",
                                             degrees ? value * 180 / math::pi : value));
    }

    /// All of the files or none: what does not read as the scene is taken back.
    std::vector<std::string> put_down() {
        std::vector<std::string> written;
        const auto take_back = [&] {
            for (const PatchedFile& file : files_) {
                if (std::find(written.begin(), written.end(), file.path()) != written.end())
                    write_text_file(file.path(), file.text());
            }
        };
        try {
            for (const PatchedFile& file : files_) {
                if (!file.is_changed()) continue;
                const std::string text = file.patched();
                require_toml(text, file.path());
                write_text_file(file.path(), text);
                written.push_back(file.path());
            }
            require_same();
        } catch (...) {
            take_back();
            throw;
        }
        return written;
    }

    void require_same() const {
        const Scene again = read_scene(scene_.file, scene_.seed);
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
    std::vector<PatchedFile> files_;
    std::map<const toml::table*, bool> written_;
};

}  // namespace

std::vector<std::string> write_changes(const Scene& scene) {
    return Patcher{scene}.write();
}

}  // namespace hopcoil::scene
