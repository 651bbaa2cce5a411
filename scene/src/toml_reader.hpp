#pragma once

#include <functional>
#include <optional>
#include <string>
#include <vector>

#include <hopcoil/scene/file_problems.hpp>

#include "toml.hpp"

namespace hopcoil::scene {

/// A number that may be given in metres, radians, degrees or without unit: the key says which.
struct Quantity {
    double value = 0.0;  ///< degrees already turned into radians
    std::string unit;    ///< "m", "rad" or empty
};

/// Reads one table of a scene. Whatever is wrong goes to a list, with its place; keys nobody asked
/// for are wrong too.
class TableReader {
  public:
    TableReader(const toml::table& table, std::string path, std::string file,
                std::vector<Problem>& problems);

    [[nodiscard]] bool has(const std::string& key) const { return table_.contains(key); }
    [[nodiscard]] bool is_text(const std::string& key) const {
        return table_.contains(key) && table_.get(key)->is_string();
    }
    [[nodiscard]] const std::string& path() const { return path_; }

    /// What a key holds; nothing when it is missing, or wrong and noted.
    std::optional<double> number(const std::string& key);
    std::optional<std::string> text(const std::string& key);
    std::optional<bool> flag(const std::string& key);
    std::optional<std::string> choice(const std::string& key,
                                      const std::vector<std::string>& choices);
    const toml::table* table(const std::string& key);
    const toml::array* array(const std::string& key);
    /// `key`, `key_m`, `key_rad` or `key_deg`, with `suffix` behind the unit ("_per_s").
    std::optional<Quantity> quantity(const std::string& key, const std::string& suffix = "");

    /// Notes every key that was not asked for.
    void finish();

    /// Notes what is wrong with a key (with the table itself, for an empty one).
    void problem(const std::string& key, std::string message);
    [[nodiscard]] FilePosition position_of(const std::string& key) const;

  private:
    const toml::node* find(const std::string& key);
    void wrong_type(const std::string& key, const toml::node& node, const std::string& expected);

    const toml::table& table_;
    std::string path_;
    std::string file_;
    std::vector<Problem>& problems_;
    std::vector<std::string> known_;
};

/// "an integer", "a string", ...
[[nodiscard]] std::string kind_of(const toml::node& node);

[[nodiscard]] FilePosition position_of(const toml::node& node, const std::string& file);

}  // namespace hopcoil::scene
