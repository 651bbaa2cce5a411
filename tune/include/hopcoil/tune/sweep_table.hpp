#pragma once

#include <cstddef>
#include <string>
#include <string_view>
#include <vector>

namespace hopcoil::scene {
struct Scene;
}

namespace hopcoil::tune {

/// A number that is varied, and the values it takes.
struct SweepAxis {
    std::string path{};  ///< of a dial: "lamp.frequency_hz"; patterns as for set_matching
    std::vector<double> values{};
};
/// Of "PATH=LOW:HIGH:COUNT" in even steps, "PATH=LOW:HIGH:COUNT:log" by even factors, or
/// "PATH=A,B,C"; of a choice in a scene A, B and C may be names.
/// Errors  std::invalid_argument says what was expected.
[[nodiscard]] SweepAxis axis_from(std::string_view text, const scene::Scene* scene = nullptr);
[[nodiscard]] std::vector<std::string> paths_of(const std::vector<SweepAxis>& axes);

/// One run of a sweep.
struct SweepRow {
    std::size_t index = 0;  ///< among all combinations; the last axis varies fastest
    std::vector<double> values{};
    std::vector<double> figures{};  ///< of the table's names
    std::string failure{};          ///< empty for a run that came to its end
};

/// The runs of a sweep, or those of them that are done, in the order of their indices.
struct SweepTable {
    std::vector<std::string> paths{};
    std::vector<std::string> figures{};
    std::vector<SweepRow> rows{};
    std::size_t total = 0;  ///< of all combinations
    /// Of each path that is a choice: what its values from 0 on are called, where that is known.
    std::vector<std::vector<std::string>> names{};

    [[nodiscard]] bool is_choice(std::size_t path) const {
        return path < names.size() && !names[path].empty();
    }
    /// "0.25", or the name of a value of a choice.
    [[nodiscard]] std::string value_in_words(std::size_t path, double value) const;
    [[nodiscard]] bool is_complete() const { return rows.size() == total; }
};

/// A limit that a figure must meet.
struct SweepCondition {
    std::size_t figure = 0;  ///< of the table's
    bool is_below = true;
    double bound = 0.0;

    [[nodiscard]] bool holds(const SweepRow& row) const {
        const double value = row.figures[figure];
        return is_below ? value < bound : value > bound;
    }
};
/// Of "lamp.overshoot_percent<15" or "...>1". The end of a name will do where only one ends so.
/// Errors  std::invalid_argument names the figures there are.
[[nodiscard]] SweepCondition condition_from(std::string_view text, const SweepTable& table);

/// The runs that meet all conditions, the least of a figure first: those without it last.
[[nodiscard]] std::vector<const SweepRow*> best_of(const SweepTable& table,
                                                   const std::vector<SweepCondition>& conditions,
                                                   const std::size_t* rank_by);

}  // namespace hopcoil::tune
