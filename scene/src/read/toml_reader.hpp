#pragma once

#include <cstddef>
#include <filesystem>
#include <functional>
#include <optional>
#include <string>
#include <vector>

#include <hopcoil/io/file_problems.hpp>
#include <hopcoil/scene/keys.hpp>
#include <hopcoil/scene/value_array.hpp>

#include "toml.hpp"

namespace hopcoil::scene {

/// Parameters that may be given in metres, radians, degrees or without unit: the key says which.
struct Quantity {
    ValueArray value{};     ///< degrees already turned into radians
    std::size_t count = 1;  ///< how many numbers; 1 as well for a list of one
    bool is_list = false;
    std::string unit{};  ///< "m", "rad" or empty
    std::string key{};   ///< as it was given: "start_m"
};

struct TimedQuantity {
    double time_s = 0.0;
    Quantity place{};
};

/// Reads one table of a file. Whatever is wrong goes to a list, with its place; keys that its facts
/// do not have are wrong too.
class TableReader {
  public:
    TableReader(const toml::table& table, std::string path, std::string file,
                std::vector<io::Problem>& problems, const TableFacts& facts);

    [[nodiscard]] bool has(const std::string& key) const { return table_.contains(key); }
    /// In any of its units.
    [[nodiscard]] bool has_any(const std::string& key) const;
    [[nodiscard]] bool is_text(const std::string& key) const {
        return table_.contains(key) && table_.get(key)->is_string();
    }
    [[nodiscard]] const std::string& path() const { return path_; }
    [[nodiscard]] const std::string& file() const { return file_; }
    [[nodiscard]] std::filesystem::path folder() const {
        return std::filesystem::path{file_}.parent_path();
    }
    [[nodiscard]] std::vector<io::Problem>& problems() { return problems_; }
    [[nodiscard]] const toml::table& raw() const { return table_; }
    [[nodiscard]] const TableFacts& facts() const { return facts_; }

    /// What a key holds; nothing when it is missing, or wrong and noted.
    std::optional<double> number(const std::string& key);
    std::optional<std::string> text(const std::string& key);
    std::optional<bool> flag(const std::string& key);
    /// One of the choices that its facts name.
    std::optional<std::string> choice(const std::string& key);
    /// A list of texts, or one.
    std::vector<std::string> texts(const std::string& key);
    const toml::table* table(const std::string& key);
    const toml::array* array(const std::string& key);
    std::optional<Quantity> quantity(const std::string& key);
    /// A list of them, each a number or a list of numbers.
    std::vector<Quantity> quantities(const std::string& key);
    /// A list of [time, place] or [time, x, y, ...].
    std::vector<TimedQuantity> points(const std::string& key);

    /// Reads each table of a list. `choose` says by which facts, or notes what is wrong with it.
    void each_table(const std::string& key,
                    const std::function<const TableFacts*(TableReader&)>& choose,
                    const std::function<void(TableReader&)>& read);
    /// Reads the one table of a key, if it is there.
    void one_table(const std::string& key, const TableFacts& facts,
                   const std::function<void(TableReader&)>& read);

    /// Notes every key that its facts do not have.
    void finish();

    /// Notes what is wrong with a key (with the table itself, for an empty one).
    void problem(const std::string& key, std::string message);
    [[nodiscard]] io::FilePosition position_of(const std::string& key) const;

    /// The key, or its spelling in degrees where that is there in its place.
    [[nodiscard]] std::string as_spelled(const std::string& key) const;

  private:
    const toml::node* find(const std::string& key);
    [[nodiscard]] const KeyFacts& facts_of(const std::string& key) const;
    void wrong_type(const std::string& key, const toml::node& node, const std::string& expected);
    bool read_numbers(const std::string& key, const toml::node& node, double factor,
                      Quantity& quantity);
    void read_inner(const toml::table& table, const std::string& path, const TableFacts& facts,
                    const std::function<void(TableReader&)>& read);

    const toml::table& table_;
    std::string path_;
    std::string file_;
    std::vector<io::Problem>& problems_;
    const TableFacts& facts_;
};

/// "an integer", "a string", ...
[[nodiscard]] std::string kind_of(const toml::node& node);

[[nodiscard]] io::FilePosition position_of(const toml::node& node, const std::string& file);

/// A file as a table. Errors: FileProblem; InputProblems for the first error of syntax.
[[nodiscard]] toml::table parse_toml(const std::string& path);
/// The same of a text that is, or is to be, that file's.
[[nodiscard]] toml::table parse_toml_text(const std::string& text, const std::string& path);
void require_toml(const std::string& text, const std::string& path);

/// Errors  InputProblems, in order of their lines, when there are any.
void throw_if_any(std::vector<io::Problem> problems);

}  // namespace hopcoil::scene
