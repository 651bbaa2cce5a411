#pragma once

#include <cstddef>
#include <cstdint>
#include <optional>
#include <string>
#include <typeinfo>
#include <vector>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/scene/keys.hpp>
#include <hopcoil/scene/scene.hpp>
#include <hopcoil/spring/tuning.hpp>

/// @file
/// Kinds of systems: what a table [KIND.NAME] of a scene file contains and creates.

namespace hopcoil::scene {

class KindReader;
class SceneBuilder;
class TableReader;

/// A type of system in a scene: the keys of its table, and how it is read.
struct SystemKind {
    std::string name{};  ///< as in [name.NAME]
    /// The keys of its table, first; then those of tables that stand inside it. Numbers that its
    /// spec has dials for are marked as dials.
    std::vector<TableFacts> tables{};
    /// Keys that each make a system of its own, named NAME.KEY; none for one system, NAME.
    std::vector<std::string> parts{};
    /// Reads a table and adds what it makes.
    void (*read)(KindReader&) = nullptr;
};

/// The kinds that every scene knows.
[[nodiscard]] const std::vector<SystemKind>& built_in_kinds();

/// Reads a scene whose files may use kinds of the program beside the built-in ones.
///
///     const Scene scene = read_scene("quay.toml", {bell_kind()});
///
/// Errors  those of read_scene; std::invalid_argument for a kind whose name is taken or cannot be
///         one, or that has no keys or does not read.
[[nodiscard]] Scene read_scene(const std::string& path, const std::vector<SystemKind>& kinds,
                               std::optional<std::uint64_t> seed = {},
                               const std::vector<SceneNumber>& changes = {});

/// Reads one table of a kind. Every problem is noted with its place, and reading goes on: a value
/// that could not be read counts as missing.
class KindReader {
  public:
    KindReader(const SystemKind& kind, SceneBuilder& builder, TableReader& table, std::string name,
               std::size_t place)
        : kind_{kind}, builder_{builder}, table_{table}, name_{std::move(name)}, place_{place} {}

    [[nodiscard]] const std::string& name() const noexcept { return name_; }
    [[nodiscard]] bool has(const std::string& key) const;
    std::optional<double> number(const std::string& key);
    std::optional<std::size_t> whole_number(const std::string& key, std::size_t least,
                                            std::size_t most);
    std::optional<std::string> text(const std::string& key);
    std::optional<bool> flag(const std::string& key);
    std::optional<std::string> choice(const std::string& key);
    /// The same, as the index of its name.
    std::optional<double> chosen(const std::string& key, const std::vector<std::string>& names);
    /// A tuning by name, wish or numbers.
    Tuning tuning(const std::string& key, const Tuning& otherwise = {});
    /// One to four numbers in the unit of the key: "start_m". Of `count` numbers, if that is given.
    std::optional<ValueArray> value(const std::string& key, const std::string& unit,
                                    std::size_t count);
    /// A list of plain numbers.
    std::vector<double> numbers(const std::string& key);
    /// The key `name` of one of several tables: of letters, digits, '_' and '-', and unlike those
    /// that are taken. `otherwise` where there is no name; without that it has to be there.
    std::string own_name(const std::vector<std::string>& taken, const std::string& otherwise = {});
    /// The names of some things, as those that are taken.
    template <class Named>
    [[nodiscard]] static std::vector<std::string> names_in(const std::vector<Named>& things) {
        std::vector<std::string> names;
        names.reserve(things.size());
        for (const Named& each : things)
            names.push_back(each.name);
        return names;
    }
    /// The target that a key names, or the output of another system; an index into the scene's
    /// targets.
    std::optional<std::size_t> target(const std::string& key);
    [[nodiscard]] const SceneTarget& target_at(std::size_t index) const;
    /// Where a target is at the start of the scene.
    [[nodiscard]] ValueArray start_at(std::size_t index);
    /// The system, named by a key, that acts on this one as a Field (a wind, a ground);
    /// not_connected without one.
    template <class Field>
    std::size_t field(const std::string& key) {
        return field_of(key, typeid(Field));
    }
    /// Whether a system that `field` found is another type of field as well.
    template <class Field>
    [[nodiscard]] bool is_field(std::size_t system) const {
        return system != not_connected && has_field(system, typeid(Field));
    }
    /// Each table of a list, by the facts of that name among the kind's.
    template <class Read>
    void each_table(const std::string& key, const std::string& facts, const Read& read) {
        call_with_tables(key, facts, true, &call_one<Read>, &read);
    }
    /// The same of a key with one table, if it is there.
    template <class Read>
    void one_table(const std::string& key, const std::string& facts, const Read& read) {
        call_with_tables(key, facts, false, &call_one<Read>, &read);
    }

    /// Notes what is wrong with a key; with the whole table, for an empty one.
    void problem(const std::string& key, const std::string& message);
    /// Calls `make`; an InvalidValue is noted at the key it names. Returns whether it succeeded.
    template <class Make>
    bool try_to(const Make& make) {
        return call_noting([](const void* making) { (*static_cast<const Make*>(making))(); },
                           &make);
    }
    /// Reads the keys that are dials of S into it: each by its path.
    template <class S>
    void dials(S& numbers) {
        for (const Dial<S>& dial : S::dials()) {
            const std::string key{dial.path};
            const std::optional<double> value =
                dial.names == nullptr ? number(key) : chosen(key, names_of(dial));
            if (!value) continue;
            const bool is_within = *value >= dial.hard.least && *value <= dial.hard.most;
            if (!is_within || dial.set(numbers, *value) == DialStatus::refused) {
                // Where even the number that is there is refused, another one is wrong.
                S same = numbers;
                if (!is_within || dial.set(same, dial.get(same)) == DialStatus::set)
                    refuse_dial(key, *value, dial.hard);
            } else if (dial.names == nullptr) {
                refuse_if_rounded(key, *value, dial.get(numbers));
            }
        }
    }

    /// Adds the system that was read, under this table's name or another.
    void add(AnySpec spec, std::vector<std::size_t> targets, std::vector<std::size_t> fields = {});
    void add_as(const std::string& name, AnySpec spec, std::vector<std::size_t> targets,
                std::vector<std::size_t> fields = {});
    /// Adds a target that the system makes itself; returns its index.
    std::size_t add_target(SceneTarget target);
    /// The random stream of a key of this table.
    [[nodiscard]] std::uint64_t random_stream(const std::string& key);

    /// For the kinds of this library.
    [[nodiscard]] TableReader& table() noexcept { return table_; }
    [[nodiscard]] SceneBuilder& builder() noexcept { return builder_; }

  private:
    template <class Read>
    static void call_one(const void* read, KindReader& table) {
        (*static_cast<const Read*>(read))(table);
    }
    void call_with_tables(const std::string& key, const std::string& facts, bool is_list,
                          void (*call)(const void*, KindReader&), const void* read);
    std::size_t field_of(const std::string& key, const std::type_info& type);
    [[nodiscard]] bool has_field(std::size_t system, const std::type_info& type) const;
    bool call_noting(void (*call)(const void*), const void* make);
    void refuse_dial(const std::string& key, double value, const DialRange& range);
    void refuse_if_rounded(const std::string& key, double value, double kept);

    const SystemKind& kind_;
    SceneBuilder& builder_;
    TableReader& table_;
    std::string name_;
    std::size_t place_;
};

}  // namespace hopcoil::scene
