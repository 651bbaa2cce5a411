#pragma once

#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

/// @file
/// Every key of scene and tuning files, as facts: what readers accept, and what the JSON Schema and
/// the page of keys are made from.

namespace hopcoil::scene {

enum class KeyType : std::uint8_t {
    number,
    whole_number,
    numbers,  ///< a list
    text,
    texts,  ///< a list, or one
    flag,
    choice,
    vector,        ///< a list of three numbers
    place,         ///< a number or a list of them; with a unit: key, key_m, key_rad, key_deg
    places,        ///< a list of places
    trajectory,    ///< a list of [time, place], or of [time, x, y, z]
    speed,         ///< a place per second: key_per_s, key_m_per_s, ...
    acceleration,  ///< one number, per second twice: key_per_s2, ...
    top_speed,     ///< one number, per second
    source,        ///< a text: the name of a target, or of an output of a system
    field,         ///< a text: the name of a system that acts on this one
    tuning,        ///< a name, or a table of one of the forms of a tuning
    dials,         ///< a table of numbers, by the paths of a system's dials
    pose_tuning,   ///< the same, or one for each part
    table,         ///< one table, of the kind that `tables` names
    tables,        ///< a list of tables, each of one of the kinds that `tables` names
    named_tables,  ///< [key.NAME], each of one of the kinds that `tables` names
};

struct KeyFacts {
    std::string_view name{};
    KeyType type = KeyType::number;
    std::string_view meaning{};
    std::string_view otherwise{};  ///< when it is missing; "required" when it has to be there
    std::vector<std::string> choices{};
    std::vector<std::string_view> tables{};
    bool is_dial = false;  ///< the system's spec has a dial of that name
};

struct TableFacts {
    std::string_view name{};     ///< "target of moves"
    std::string_view heading{};  ///< "[target.NAME], made of moves"
    std::string_view meaning{};
    std::vector<KeyFacts> keys{};
};

/// The tables that a tuning may be.
inline constexpr std::string_view tuning_forms[]{"tuning by feel",      "tuning by wish",
                                                 "tuning as a spring",  "tuning as a damped spring",
                                                 "tuning by half-life", "tuning by coefficients"};

/// All of them, the scene itself first, each after the one that it may stand in.
[[nodiscard]] const std::vector<TableFacts>& all_tables();
/// Errors  std::out_of_range for a name that no table has.
[[nodiscard]] const TableFacts& table_facts(std::string_view name);

/// The key `settings` that the table of every system has.
[[nodiscard]] const KeyFacts& settings_key();

/// Of a key in radians ("spread_rad", "spin_rad_per_s") its spelling in degrees; empty for others.
[[nodiscard]] std::string in_degrees(std::string_view key);
/// The other way round: "spread_deg" as "spread_rad". Others stay as they are.
[[nodiscard]] std::string in_radians(std::string_view key);

/// The spellings of a key in a file: with each unit it may have.
[[nodiscard]] std::vector<std::string> spellings_of(const KeyFacts& key);

}  // namespace hopcoil::scene
