#include <algorithm>
#include <chrono>
#include <cmath>
#include <execution>
#include <limits>
#include <optional>
#include <stdexcept>

#include <fmt/format.h>

#include <hopcoil/tune/sweep.hpp>

#include "row_order.hpp"

namespace hopcoil::tune {
namespace {

constexpr double most_runs = 1e7;
constexpr double none = std::numeric_limits<double>::quiet_NaN();

/// One run's outcome, before all names are known.
struct Outcome {
    std::vector<TrialFigure> figures{};
    std::string failure{};
};

std::size_t combinations(const std::vector<SweepAxis>& axes) {
    if (axes.empty()) throw std::invalid_argument{"a sweep varies at least one number"};
    double count = 1;
    for (const SweepAxis& axis : axes) {
        if (axis.values.empty())
            throw std::invalid_argument{fmt::format("{}: no values", axis.path)};
        count *= static_cast<double>(axis.values.size());
    }
    if (count > most_runs) {
        throw std::invalid_argument{
            fmt::format("{:.3g} runs: at most {:.3g} at once", count, most_runs)};
    }
    return static_cast<std::size_t>(count);
}

std::vector<double> values_at(const std::vector<SweepAxis>& axes, std::size_t index) {
    std::vector<double> values(axes.size());
    for (std::size_t k = axes.size(); k-- > 0;) {
        values[k] = axes[k].values[index % axes[k].values.size()];
        index /= axes[k].values.size();
    }
    return values;
}

/// Its figures under the table's names; new names are added.
void add(SweepTable& table, std::size_t index, std::vector<double> values, Outcome outcome) {
    SweepRow row{index, std::move(values), std::vector<double>(table.figures.size(), none),
                 std::move(outcome.failure)};
    for (const TrialFigure& figure : outcome.figures) {
        const auto found = std::find(table.figures.begin(), table.figures.end(), figure.name);
        const auto at = static_cast<std::size_t>(found - table.figures.begin());
        if (found == table.figures.end()) {
            table.figures.push_back(figure.name);
            row.figures.push_back(none);
            for (SweepRow& each : table.rows)
                each.figures.push_back(none);
        }
        if (std::isfinite(figure.value)) row.figures[at] = figure.value;
    }
    table.rows.push_back(std::move(row));
}

Outcome outcome_of(const Trial& trial, const std::vector<double>& values) {
    Outcome outcome;
    try {
        outcome.figures = trial(values);
    } catch (const std::exception& problem) {
        outcome.failure = problem.what();
    }
    return outcome;
}

std::vector<std::size_t> still_wanted(const SweepTable& done, const SweepSettings& settings,
                                      std::size_t total) {
    if (settings.shards < 1 || settings.shard < 1 || settings.shard > settings.shards) {
        throw std::invalid_argument{fmt::format("part {} of {}: expected 1 to the number of parts",
                                                settings.shard, settings.shards)};
    }
    std::vector<bool> is_done(total, false);
    for (const SweepRow& row : done.rows) {
        if (row.index >= total) throw std::invalid_argument{"rows of another sweep"};
        is_done[row.index] = true;
    }
    std::vector<std::size_t> wanted;
    for (std::size_t i = settings.shard - 1; i < total; i += settings.shards) {
        if (!is_done[i]) wanted.push_back(i);
    }
    return wanted;
}

}  // namespace

SweepTable sweep(const std::vector<SweepAxis>& axes, const Trial& trial,
                 const SweepSettings& settings, SweepTable done) {
    const std::size_t total = combinations(axes);
    SweepTable table = std::move(done);
    table.paths = paths_of(axes);
    table.total = total;
    const std::vector<std::size_t> wanted = still_wanted(table, settings, total);
    const std::size_t before = table.rows.size();
    // In batches, so that what is done can be kept; as large as keeps the threads busy.
    std::size_t batch = 16;
    for (std::size_t from = 0; from < wanted.size();) {
        if (settings.is_cancelled && settings.is_cancelled()) break;
        const std::size_t to = std::min(wanted.size(), from + batch);
        std::vector<std::optional<Outcome>> outcomes(to - from);
        std::vector<std::size_t> places(to - from);
        for (std::size_t i = 0; i < places.size(); ++i)
            places[i] = i;
        const auto start = std::chrono::steady_clock::now();
        std::for_each(std::execution::par, places.begin(), places.end(), [&](std::size_t i) {
            if (settings.is_cancelled && settings.is_cancelled()) return;
            outcomes[i] = outcome_of(trial, values_at(axes, wanted[from + i]));
        });
        const std::chrono::duration<double> taken = std::chrono::steady_clock::now() - start;
        for (std::size_t i = 0; i < outcomes.size(); ++i) {
            if (!outcomes[i]) continue;
            const std::size_t index = wanted[from + i];
            add(table, index, values_at(axes, index), std::move(*outcomes[i]));
        }
        from = to;
        if (settings.progress) settings.progress(table, before + from, before + wanted.size());
        constexpr double short_s = 0.25;
        if (taken.count() < short_s) batch = std::min<std::size_t>(2 * batch, 1 << 16);
    }
    put_in_order(table);
    return table;
}

}  // namespace hopcoil::tune
