#include <algorithm>
#include <cmath>
#include <stdexcept>

#include <fmt/format.h>

#include <hopcoil/io/csv_text.hpp>
#include <hopcoil/io/file_problems.hpp>
#include <hopcoil/tune/sweep_table.hpp>
#include <hopcoil/tune/trial.hpp>

#include "row_order.hpp"

namespace hopcoil::tune {

void put_in_order(SweepTable& table) {
    std::sort(table.rows.begin(), table.rows.end(),
              [](const SweepRow& a, const SweepRow& b) { return a.index < b.index; });
}

SweepCondition condition_from(std::string_view text, const SweepTable& table) {
    const std::size_t sign = text.find_first_of("<>");
    if (sign == std::string_view::npos || sign == 0) {
        throw std::invalid_argument{
            fmt::format("'{}': expected FIGURE<NUMBER or FIGURE>NUMBER", text)};
    }
    const std::string_view bound = text.substr(sign + 1);
    SweepCondition condition{.is_below = text[sign] == '<'};
    if (!io::parse_number(bound, condition.bound)) {
        throw std::invalid_argument{fmt::format("'{}': '{}' is not a number", text, bound)};
    }
    condition.figure = figure_named(text.substr(0, sign), table.figures);
    return condition;
}

std::vector<const SweepRow*> best_of(const SweepTable& table,
                                     const std::vector<SweepCondition>& conditions,
                                     const std::size_t* rank_by) {
    std::vector<const SweepRow*> best;
    for (const SweepRow& row : table.rows) {
        const bool is_kept =
            row.failure.empty() &&
            std::all_of(conditions.begin(), conditions.end(),
                        [&](const SweepCondition& each) { return each.holds(row); });
        if (is_kept) best.push_back(&row);
    }
    if (rank_by == nullptr) return best;
    std::stable_sort(best.begin(), best.end(), [&](const SweepRow* a, const SweepRow* b) {
        const double left = a->figures[*rank_by];
        const double right = b->figures[*rank_by];
        if (std::isnan(left) || std::isnan(right)) return !std::isnan(left) && std::isnan(right);
        return left < right;
    });
    return best;
}

}  // namespace hopcoil::tune
