#include <algorithm>
#include <cmath>
#include <limits>
#include <stdexcept>

#include <fmt/format.h>

#include <hopcoil/io/csv.hpp>
#include <hopcoil/io/csv_text.hpp>
#include <hopcoil/tune/sweep_file.hpp>

#include "row_order.hpp"

namespace hopcoil::tune {
namespace {

constexpr double no_figure = std::numeric_limits<double>::quiet_NaN();

std::string number_text(double value) {
    return std::isnan(value) ? std::string{} : fmt::format("{}", value);
}

double number_from(const io::CsvTable& table, std::size_t row, std::size_t column) {
    const std::string& field = table.rows[row][column];
    if (field.empty()) return no_figure;
    double value = 0;
    if (!io::parse_number(field, value)) {
        io::refuse_input(table.positions[row + 1][column], table.header[column],
                         fmt::format("expected a number, found '{}'", field));
    }
    return value;
}

/// Columns `sweep`, `run`, `of`; then `vary PATH` for each path; then figures; then `failure`.
constexpr std::size_t fixed_columns = 3;
constexpr std::string_view vary = "vary ";

/// Where a part's figures are in the table, which takes in those that are new to it.
std::vector<std::size_t> places_of(const std::vector<std::string>& figures, SweepTable& table) {
    std::vector<std::size_t> places;
    for (const std::string& figure : figures) {
        const auto found = std::find(table.figures.begin(), table.figures.end(), figure);
        places.push_back(static_cast<std::size_t>(found - table.figures.begin()));
        if (found == table.figures.end()) table.figures.push_back(figure);
    }
    for (SweepRow& row : table.rows)
        row.figures.resize(table.figures.size(), no_figure);
    return places;
}

bool is_same(const SweepRow& a, const SweepRow& b) {
    const auto same_number = [](double x, double y) {
        return x == y || (std::isnan(x) && std::isnan(y));
    };
    return a.values == b.values && a.failure == b.failure &&
           std::equal(a.figures.begin(), a.figures.end(), b.figures.begin(), b.figures.end(),
                      same_number);
}

/// A run that two parts have is kept once.
void drop_repeated(std::vector<SweepRow>& rows) {
    for (std::size_t i = 1; i < rows.size(); ++i) {
        if (rows[i].index == rows[i - 1].index && !is_same(rows[i], rows[i - 1])) {
            throw std::invalid_argument{
                fmt::format("run {} has different results in two parts", rows[i].index + 1)};
        }
    }
    const auto repeated =
        std::unique(rows.begin(), rows.end(),
                    [](const SweepRow& a, const SweepRow& b) { return a.index == b.index; });
    rows.erase(repeated, rows.end());
}

/// The places of a table's figures by their names.
std::vector<std::size_t> by_name(const std::vector<std::string>& figures) {
    std::vector<std::size_t> order(figures.size());
    for (std::size_t k = 0; k < order.size(); ++k)
        order[k] = k;
    std::sort(order.begin(), order.end(),
              [&](std::size_t a, std::size_t b) { return figures[a] < figures[b]; });
    return order;
}

}  // namespace

std::string csv_of(const SweepTable& table, std::string_view sweep_id) {
    const std::vector<std::size_t> order = by_name(table.figures);
    std::string text = "sweep,run,of";
    for (const std::string& path : table.paths)
        text += fmt::format(",{}", io::csv_field(fmt::format("{}{}", vary, path)));
    for (const std::size_t k : order)
        text += fmt::format(",{}", io::csv_field(table.figures[k]));
    text += ",failure\n";
    for (const SweepRow& row : table.rows) {
        text += fmt::format("{},{},{}", sweep_id, row.index + 1, table.total);
        for (const double value : row.values)
            text += fmt::format(",{}", number_text(value));
        for (const std::size_t k : order)
            text += fmt::format(",{}", number_text(row.figures[k]));
        text += fmt::format(",{}\n", io::csv_field(row.failure));
    }
    return text;
}

SweepFile read_sweep(const std::filesystem::path& file) {
    const io::CsvTable csv = io::read_csv(file);
    const std::vector<std::string>& header = csv.header;
    const bool is_one = header.size() > fixed_columns && header[0] == "sweep" &&
                        header[1] == "run" && header[2] == "of" && header.back() == "failure";
    if (!is_one) {
        io::refuse_input(csv.positions[0][0], "",
                         "expected a table that sweep has written: columns sweep, run, of, and "
                         "failure as the last");
    }
    SweepFile read;
    SweepTable& table = read.table;
    for (std::size_t k = fixed_columns; k + 1 < header.size(); ++k) {
        const bool is_path = header[k].starts_with(vary);
        (is_path ? table.paths : table.figures)
            .push_back(is_path ? header[k].substr(vary.size()) : header[k]);
    }
    for (std::size_t i = 0; i < csv.rows.size(); ++i) {
        const double run = number_from(csv, i, 1);
        const double of = number_from(csv, i, 2);
        const bool is_run = run >= 1 && run <= of && of <= 1e7;
        if (i == 0) {
            read.sweep_id = csv.rows[i][0];
            table.total = is_run ? static_cast<std::size_t>(of) : 0;
        }
        if (!is_run || csv.rows[i][0] != read.sweep_id ||
            static_cast<std::size_t>(of) != table.total) {
            io::refuse_input(csv.positions[i + 1][0], "", "not a run of the same sweep");
        }
        SweepRow row{.index = static_cast<std::size_t>(run) - 1, .failure = csv.rows[i].back()};
        for (std::size_t k = fixed_columns; k + 1 < header.size(); ++k) {
            std::vector<double>& numbers = header[k].starts_with(vary) ? row.values : row.figures;
            numbers.push_back(number_from(csv, i, k));
        }
        table.rows.push_back(std::move(row));
    }
    return read;
}

SweepFile merged(const std::vector<SweepFile>& parts) {
    SweepFile all;
    SweepTable& table = all.table;
    for (const SweepFile& each : parts) {
        const SweepTable& part = each.table;
        if (part.rows.empty()) continue;  // of more parts than there are runs
        if (table.rows.empty()) {
            all = each;
            continue;
        }
        if (each.sweep_id != all.sweep_id || part.paths != table.paths)
            throw std::invalid_argument{"parts of different sweeps"};
        const std::vector<std::size_t> places = places_of(part.figures, table);
        for (SweepRow row : part.rows) {
            std::vector<double> figures(table.figures.size(), no_figure);
            for (std::size_t k = 0; k < places.size(); ++k)
                figures[places[k]] = row.figures[k];
            row.figures = std::move(figures);
            table.rows.push_back(std::move(row));
        }
    }
    if (table.rows.empty()) throw std::invalid_argument{"there are no runs to merge"};
    put_in_order(table);
    drop_repeated(table.rows);
    return all;
}

}  // namespace hopcoil::tune
