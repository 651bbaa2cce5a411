#include <algorithm>
#include <charconv>
#include <cmath>
#include <stdexcept>

#include <fmt/format.h>

#include <hopcoil/io/file_problems.hpp>
#include <hopcoil/tune/sweep_table.hpp>

namespace hopcoil::tune {

std::size_t figure_named(std::string_view name, const SweepTable& table) {
    std::vector<std::size_t> fitting;
    for (std::size_t k = 0; k < table.figures.size(); ++k) {
        const std::string& figure = table.figures[k];
        if (figure == name) return k;
        if (figure.ends_with(fmt::format(".{}", name))) fitting.push_back(k);
    }
    if (fitting.size() == 1) return fitting.front();
    if (!fitting.empty()) {
        throw std::invalid_argument{fmt::format("'{}': both {} and {} end so", name,
                                                table.figures[fitting[0]],
                                                table.figures[fitting[1]])};
    }
    const std::string near = io::did_you_mean(name, table.figures);
    std::string names;
    for (const std::string& figure : table.figures)
        names += fmt::format("{}{}", names.empty() ? "" : ", ", figure);
    throw std::invalid_argument{fmt::format("'{}': no figure has this name{}", name,
                                            near.empty() ? "; there are " + names : near)};
}

SweepCondition condition_from(std::string_view text, const SweepTable& table) {
    const std::size_t sign = text.find_first_of("<>");
    if (sign == std::string_view::npos || sign == 0) {
        throw std::invalid_argument{
            fmt::format("'{}': expected FIGURE<NUMBER or FIGURE>NUMBER", text)};
    }
    const std::string_view bound = text.substr(sign + 1);
    SweepCondition condition{.is_below = text[sign] == '<'};
    const auto [end, error] =
        std::from_chars(bound.data(), bound.data() + bound.size(), condition.bound);
    if (error != std::errc{} || end != bound.data() + bound.size()) {
        throw std::invalid_argument{fmt::format("'{}': '{}' is not a number", text, bound)};
    }
    condition.figure = figure_named(text.substr(0, sign), table);
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
