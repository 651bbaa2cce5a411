#include <algorithm>
#include <array>
#include <filesystem>
#include <map>
#include <memory>
#include <optional>
#include <set>

#include <fmt/format.h>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/scene/kind.hpp>
#include <hopcoil/scene/named_settings.hpp>
#include <hopcoil/scene/scene.hpp>
#include <hopcoil/scene/tuning_file.hpp>

#include "read_moves.hpp"
#include "read_pictures.hpp"
#include "read_settings.hpp"
#include "read_targets.hpp"
#include "read_tunings.hpp"
#include "reading.hpp"
#include "scene_builder.hpp"
#include "scene_numbers.hpp"
#include "toml_reader.hpp"

namespace hopcoil::scene {
namespace {

/// Reads a scene file and those it includes.
class SceneReader {
  public:
    SceneReader(std::string file, std::optional<std::uint64_t> seed,
                const std::vector<SceneNumber>& changes, const std::vector<SystemKind>& extra)
        : file_{std::move(file)},
          given_seed_{seed},
          changes_{changes},
          kinds_{all_kinds(extra)},
          scene_keys_{keys_of_scene(extra)},
          builder_{scene_, declared_, tunings_},
          targets_{builder_},
          pictures_{builder_} {}

    Scene read() {
        open(file_);
        const toml::table& root = *roots_.front();
        TableReader top{root, "", file_, problems_, scene_keys_};
        scene_.file = file_;
        scene_.title = top.text("title").value_or("");
        const std::optional<double> duration_s = top.number("duration_s");
        scene_.rate_hz = top.number("rate_hz").value_or(scene_.rate_hz);
        const auto own_seed = whole_number(top, "seed", 0, 0x1p53);
        scene_.seed = given_seed_.value_or(static_cast<std::uint64_t>(own_seed.value_or(0)));
        scene_.record = top.texts("record");
        read_clock(top);
        find_items(top);
        declare_names();
        read_in_turn();
        require_some(top);
        builder_.resolve_previous_steps(problems_);
        builder_.put_in_order();
        top.finish();
        if (problems_.empty()) resolve_duration(top, duration_s);
        throw_if_any(std::move(problems_));
        return std::move(scene_);
    }

  private:
    static std::vector<SystemKind> all_kinds(const std::vector<SystemKind>& extra) {
        std::vector<SystemKind> kinds = built_in_kinds();
        for (const SystemKind& kind : extra) {
            constexpr std::array reserved{"target", "body",     "picture",
                                          "tuning", "settings", "clock"};
            const bool is_taken =
                std::find(reserved.begin(), reserved.end(), kind.name) != reserved.end() ||
                std::any_of(kinds.begin(), kinds.end(),
                            [&](const SystemKind& each) { return each.name == kind.name; });
            if (is_taken || !is_name(kind.name) || kind.tables.empty() || !kind.read) {
                throw std::invalid_argument{fmt::format(
                    "the kind '{}': expected a name of its own, its keys and how it reads",
                    kind.name)};
            }
            kinds.push_back(kind);
        }
        for (SystemKind& kind : kinds)
            kind.tables.front().keys.push_back(settings_key());
        return kinds;
    }

    static TableFacts keys_of_scene(const std::vector<SystemKind>& extra) {
        TableFacts facts = table_facts("scene");
        for (const SystemKind& kind : extra)
            facts.keys.push_back({kind.name, KeyType::named_tables, "what moves"});
        return facts;
    }

    [[nodiscard]] const SystemKind* find_kind(const std::string& name) const {
        const auto found = std::find_if(kinds_.begin(), kinds_.end(),
                                        [&](const SystemKind& each) { return each.name == name; });
        return found == kinds_.end() ? nullptr : &*found;
    }

    /// A table [kind.NAME].
    struct Item {
        std::string kind;
        std::string name;
        const toml::table* table;
        std::string file;
        std::size_t place;  ///< among all of them, as they stand in the files
    };

    /// The root lives as long as this reader: what is read points into it.
    void open(const std::string& file) {
        roots_.push_back(std::make_unique<toml::table>(parse_toml(file)));
        collect_numbers(*roots_.back(), kinds_, changes_, scene_.numbers, scene_.tuning_numbers);
        collect_tuning_numbers(*roots_.back(), changes_, scene_.tuning_numbers);
        opened_.insert(std::filesystem::weakly_canonical(file).string());
        scene_.files.push_back(file);
    }

    void read_clock(TableReader& top) {
        const toml::table* table = top.table("clock");
        if (table == nullptr) return;
        TableReader reader{*table, "clock", file_, problems_, table_facts("clock")};
        SceneClock& clock = scene_.clock;
        if (const auto step_hz = reader.number("step_hz")) {
            try_to(reader, [&] { require_above_zero("step_hz", *step_hz); });
            clock.step_hz = *step_hz;
        }
        if (const auto most = whole_number(reader, "most_steps", 1, 1'000'000)) {
            clock.most_steps = static_cast<int>(*most);
        }
        reader.each_table(
            "long_frames", [](TableReader&) { return &table_facts("long frame"); },
            [&](TableReader& frame) {
                LongFrame one{required(frame, "at_s"), required(frame, "lasts_s")};
                if (one.at_s < 0) frame.problem("at_s", "expected 0 or more");
                try_to(frame, [&] { require_above_zero("lasts_s", one.lasts_s); });
                clock.long_frames.push_back(one);
            });
        reader.finish();
    }

    /// Those of a file, behind those of the files it includes.
    void find_items(TableReader& top) {
        for (const std::string& included : top.texts("include"))
            include(top, included);
        for (const std::string& file : top.texts("tunings"))
            use_tunings(top, file);
        std::vector<Item> items;
        std::vector<std::string> kinds{"target", "body", "picture", "tuning", "settings"};
        for (const SystemKind& kind : kinds_)
            kinds.push_back(kind.name);
        for (const std::string& kind : kinds) {
            const toml::table* tables = top.table(kind);
            if (tables == nullptr) continue;
            if (tables->empty()) top.problem(kind, fmt::format("expected a table [{}.NAME]", kind));
            for (const auto& [key, node] : *tables)
                add_item(items, top, kind, std::string{key.str()}, node);
        }
        std::stable_sort(items.begin(), items.end(), [](const Item& a, const Item& b) {
            return a.table->source().begin.line < b.table->source().begin.line;
        });
        for (Item& item : items) {
            item.place = items_.size();
            items_.push_back(std::move(item));
        }
    }

    void include(TableReader& top, const std::string& name) {
        const std::string file = (top.folder() / name).string();
        if (opened_.contains(std::filesystem::weakly_canonical(file).string())) {
            top.problem("include", fmt::format("{} is included already: once is enough", name));
            return;
        }
        read_beside(top, "include", [&] {
            open(file);
            TableReader other{*roots_.back(), "", file, problems_, scene_keys_};
            find_items(other);
            other.finish();
        });
    }

    void use_tunings(TableReader& top, const std::string& name) {
        read_beside(top, "tunings", [&] {
            const std::string file = (top.folder() / name).string();
            scene_.files.push_back(file);
            scene_.tuning_files.push_back(file);
            const auto refuse = [&](const std::string& known) {
                top.problem("tunings", fmt::format("{} has '{}', as others have", name, known));
            };
            toml::table root = parse_toml(file);
            collect_tuning_numbers(root, changes_, scene_.tuning_numbers);
            for (const SharedTuning& tuning : tunings_in(root, file)) {
                if (!add_tuning(tuning)) refuse(tuning.name);
            }
            for (const NamedSettings& settings : settings_in(root, file)) {
                if (!add_settings(settings)) refuse(settings.name);
            }
        });
    }

    /// A tuning can be used as settings too. False when the name is taken.
    bool add_tuning(SharedTuning tuning) {
        if (!add_settings(settings_from(tuning))) return false;
        return tunings_.add(std::move(tuning));
    }
    bool add_settings(NamedSettings settings) {
        const bool is_taken =
            std::any_of(scene_.settings.begin(), scene_.settings.end(),
                        [&](const NamedSettings& each) { return each.name == settings.name; });
        if (!is_taken) scene_.settings.push_back(std::move(settings));
        return !is_taken;
    }

    void add_item(std::vector<Item>& items, const TableReader& top, const std::string& kind,
                  const std::string& name, const toml::node& node) {
        const std::string path = fmt::format("{}.{}", kind, name);
        if (!is_name(name)) {
            problems_.push_back({position_of(node, top.file()), path,
                                 "expected a name of letters, digits, '_' and '-'"});
        } else if (!node.is_table()) {
            problems_.push_back({position_of(node, top.file()), path,
                                 fmt::format("expected a table, found {}", kind_of(node))});
        } else if (kind == "tuning") {
            SharedTuning tuning = read_named_tuning(*node.as_table(), name, top.file(), problems_);
            if (!add_tuning(std::move(tuning))) refuse_taken_name(node, top.file(), path);
        } else if (kind == "settings") {
            if (!add_settings(read_named_settings(*node.as_table(), name, top.file(), problems_)))
                refuse_taken_name(node, top.file(), path);
        } else {
            items.push_back({kind, name, node.as_table(), top.file(), 0});
        }
    }

    void refuse_taken_name(const toml::node& node, const std::string& file,
                           const std::string& path) {
        problems_.push_back(
            {position_of(node, file), path, "a tuning or settings of this name are there already"});
    }

    void declare_names() {
        for (const Item& item : items_) {
            if (item.kind == "target") declare_target(item);
            if (item.kind == "body") declared_.bodies.push_back(item.name);
            const SystemKind* const kind = find_kind(item.kind);
            if (kind == nullptr) continue;
            if (kind->parts.empty()) declared_.systems.push_back(item.name);
            if (!kind->parts.empty()) declared_.bodies.push_back(item.name);
            for (const std::string& part : kind->parts) {
                if (item.table->contains(part)) declared_.systems.push_back(item.name + '.' + part);
            }
        }
    }

    void declare_target(const Item& item) {
        if (std::count(declared_.targets.begin(), declared_.targets.end(), item.name) > 0) {
            problems_.push_back({position_of(*item.table, item.file), path_of(item),
                                 "another file has a target of this name"});
        }
        declared_.targets.push_back(item.name);
    }

    /// Bodies and pictures are read when all systems are known.
    static bool is_read_in_turn(const Item& item) {
        return item.kind != "body" && item.kind != "picture";
    }

    static std::string path_of(const Item& item) {
        return fmt::format("{}.{}", item.kind, item.name);
    }

    /// The facts about an item's keys.
    [[nodiscard]] const TableFacts& facts_of(const Item& item) const {
        if (item.kind == "target") return TargetReader::facts_of(*item.table);
        const SystemKind* const kind = find_kind(item.kind);
        return kind == nullptr ? table_facts(item.kind) : kind->tables.front();
    }

    /// A key whose value names a system or a target.
    struct NamingKey {
        std::string name;
        std::string path;  ///< within the item's table
        const toml::node* node;
    };

    /// The keys of a table that name a source or a field, those of tables inside included.
    void add_names(std::vector<NamingKey>& names, const Item& item, const toml::table& table,
                   const TableFacts& facts, const std::string& path) const {
        for (const KeyFacts& key : facts.keys) {
            const toml::node* const node = table.get(key.name);
            if (node == nullptr) continue;
            const std::string at = fmt::format("{}{}", path, key.name);
            if (key.type == KeyType::source || key.type == KeyType::field) {
                if (const auto* name = node->as_string()) names.push_back({name->get(), at, node});
            }
            const auto add_inner = [&](const toml::node& inner, const std::string& place) {
                if (const toml::table* one = inner.as_table())
                    add_names(names, item, *one, inner_facts(item, key), place + '.');
            };
            if (key.type == KeyType::table) add_inner(*node, at);
            if (key.type != KeyType::tables || node->as_array() == nullptr) continue;
            std::size_t index = 0;
            for (const toml::node& inner : *node->as_array())
                add_inner(inner, fmt::format("{}[{}]", at, index++));
        }
    }
    [[nodiscard]] const TableFacts& inner_facts(const Item& item, const KeyFacts& key) const {
        if (const SystemKind* const kind = find_kind(item.kind)) {
            for (const TableFacts& each : kind->tables) {
                if (each.name == key.tables.front()) return each;
            }
        }
        return table_facts(key.tables.front());
    }

    /// The keys of an item that name what has to be read before it.
    [[nodiscard]] std::vector<NamingKey> names_in(const Item& item) const {
        std::vector<NamingKey> names;
        // What uses the previous step needs nothing to be read before it.
        if (!item.table->contains("previous_step"))
            add_names(names, item, *item.table, facts_of(item), "");
        return names;
    }

    /// Items by their names: targets, and what follows them.
    struct Named {
        std::map<std::string, const Item*> targets;
        std::map<std::string, const Item*> systems;
    };
    [[nodiscard]] Named by_name() const {
        Named named;
        for (const Item& item : items_) {
            if (is_read_in_turn(item)) {
                (item.kind == "target" ? named.targets : named.systems).emplace(item.name, &item);
            }
        }
        return named;
    }

    /// The items that have to be read before one: those it follows.
    [[nodiscard]] std::vector<const Item*> needed_by(const Item& item, const Named& named) const {
        std::vector<const Item*> needed;
        for (const NamingKey& key : names_in(item)) {
            const auto target = named.targets.find(key.name);
            const auto system = named.systems.find(key.name.substr(0, key.name.find('.')));
            if (item.kind != "target" && target != named.targets.end()) {
                needed.push_back(target->second);
            } else if (system != named.systems.end()) {
                needed.push_back(system->second);
            }
        }
        return needed;
    }

    /// Each after what it follows; what is left then goes round in a loop.
    void read_in_turn() {
        const Named named = by_name();
        std::map<const Item*, std::vector<const Item*>> needed;
        std::vector<const Item*> waiting;
        for (const bool targets : {true, false}) {
            for (const Item& item : items_) {
                if (!is_read_in_turn(item) || (item.kind == "target") != targets) continue;
                waiting.push_back(&item);
                needed[&item] = needed_by(item, named);
            }
        }
        std::set<const Item*> read;
        while (!waiting.empty()) {
            const auto ready = std::find_if(waiting.begin(), waiting.end(), [&](const Item* item) {
                return std::all_of(needed[item].begin(), needed[item].end(),
                                   [&](const Item* each) { return read.contains(each); });
            });
            if (ready == waiting.end()) break;
            read_item(**ready);
            read.insert(*ready);
            waiting.erase(ready);
        }
        if (!waiting.empty()) {
            complain_of_loop(*waiting.front(), waiting.size(), [&](const Item& item) {
                return *std::find_if(needed[&item].begin(), needed[&item].end(),
                                     [&](const Item* other) { return !read.contains(other); });
            });
            return;
        }
        for (const Item& item : items_) {
            if (!is_read_in_turn(item)) read_item(item);
        }
    }

    void read_item(const Item& item) {
        TableReader reader{*item.table, path_of(item), item.file, problems_, facts_of(item)};
        if (item.kind == "target") {
            targets_.read(reader, item.name);
        } else if (item.kind == "body") {
            pictures_.read_body(reader, item.name);
        } else if (item.kind == "picture") {
            pictures_.read_picture(reader, item.name);
        } else {
            const SystemKind& kind = *find_kind(item.kind);
            builder_.refuse_taken(reader, item.name);
            KindReader table{kind, builder_, reader, item.name, item.place};
            kind.read(table);
            use_settings(scene_, reader, item.name);
        }
        reader.finish();
    }

    /// Names who follows whom, round to the first again; `next_of` is whom one waits for.
    template <class NextOf>
    void complain_of_loop(const Item& first, std::size_t waiting, const NextOf& next_of) {
        // From anything that waits one comes to the loop after as many steps as there are.
        const Item* member = &first;
        for (std::size_t i = 0; i < waiting; ++i)
            member = next_of(*member);
        std::string names = member->name;
        for (const Item* other = next_of(*member); other != member; other = next_of(*other))
            names += " after " + other->name;
        names += " after " + member->name;
        const std::string& next = next_of(*member)->name;
        const std::vector<NamingKey> keys = names_in(*member);
        const auto key = std::find_if(keys.begin(), keys.end(), [&](const NamingKey& each) {
            return each.name == next || each.name.starts_with(next + '.');
        });
        problems_.push_back({position_of(*key->node, member->file),
                             fmt::format("{}.{}", path_of(*member), key->path),
                             fmt::format("a loop: {}", names)});
    }

    void require_some(TableReader& top) {
        const auto has = [&](const auto& fits) {
            return std::any_of(items_.begin(), items_.end(),
                               [&](const Item& item) { return fits(item.kind); });
        };
        const bool has_target = has([](const std::string& kind) { return kind == "target"; });
        const bool has_system = has([&](const std::string& kind) { return find_kind(kind); });
        if (has_system) return;
        if (!has_target && problems_.empty())
            top.problem("", "expected at least one table [target.NAME]");
        std::vector<std::string> tables;
        for (const SystemKind& kind : kinds_)
            tables.push_back(fmt::format("[{}.NAME]", kind.name));
        top.problem("", fmt::format("expected at least one table {}", io::any_of(tables)));
    }

    /// As long as asked, or until everything has happened and had time to settle.
    void resolve_duration(TableReader& top, std::optional<double> duration_s) {
        double last_s = 0;
        bool settles = false;
        for (const SceneTarget& target : scene_.targets) {
            last_s = std::max(last_s, target.path.last_event_s());
            for (const Layer& layer : target.layers)
                last_s = std::max(last_s, layer.weight.last_event_s());
            settles = settles || target.is_made_of_moves;
        }
        for (const SceneSystem& system : scene_.systems) {
            const double own_s = system.spec->last_event_s();
            last_s = std::max(last_s, own_s);
            settles = settles || own_s > 0;
        }
        constexpr double settling_s = 3;
        scene_.duration_s = duration_s.value_or(settles ? last_s + settling_s : last_s);
        if (!duration_s && !(scene_.duration_s > 0)) scene_.duration_s = settling_s;
        try_to(top, [&] { require_valid_clock(scene_.duration_s, scene_.rate_hz); });
    }

    std::string file_;
    std::optional<std::uint64_t> given_seed_;
    const std::vector<SceneNumber>& changes_;
    Scene scene_;
    std::vector<std::unique_ptr<toml::table>> roots_;
    std::set<std::string> opened_;
    std::vector<Item> items_;
    DeclaredNames declared_;
    TuningReader tunings_;
    std::vector<io::Problem> problems_;
    std::vector<SystemKind> kinds_;
    TableFacts scene_keys_;
    SceneBuilder builder_;
    TargetReader targets_;
    PictureReader pictures_;
};

}  // namespace

Scene read_scene(const std::string& path, std::optional<std::uint64_t> seed,
                 const std::vector<SceneNumber>& changes) {
    return read_scene(path, std::vector<SystemKind>{}, seed, changes);
}

Scene read_scene(const std::string& path, const std::vector<SystemKind>& kinds,
                 std::optional<std::uint64_t> seed, const std::vector<SceneNumber>& changes) {
    Scene scene = SceneReader{path, seed, changes, kinds}.read();
    scene.number_changes = changes;
    if (!kinds.empty()) scene.kinds = std::make_shared<const std::vector<SystemKind>>(kinds);
    return scene;
}

}  // namespace hopcoil::scene
