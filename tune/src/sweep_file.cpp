#include <algorithm>
#include <charconv>
#include <cmath>
#include <limits>
#include <stdexcept>

#include <fmt/format.h>

#include <hopcoil/io/csv.hpp>
#include <hopcoil/tune/sweep_file.hpp>

namespace hopcoil::tune {
namespace {

constexpr double none = std::numeric_limits<double>::quiet_NaN();

std::string quoted(const std::string& text) {
    if (text.find_first_of(",\"\n\r") == std::string::npos) return text;
    std::string field{'"'};
    for (const char each : text) {
        if (each == '"') field += '"';
        field += each;
    }
    field += '"';
    return field;
}

std::string number_text(double value) {
    return std::isnan(value) ? std::string{} : fmt::format("{}", value);
}

double number_from(const io::CsvTable& table, std::size_t row, std::size_t column) {
    const std::string& field = table.rows[row][column];
    if (field.empty()) return none;
    double value = 0;
    const auto [end, error] = std::from_chars(field.data(), field.data() + field.size(), value);
    if (error != std::errc{} || end != field.data() + field.size()) {
        io::refuse_input(table.positions[row + 1][column], table.header[column],
                         fmt::format("expected a number, found '{}'", field));
    }
    return value;
}

/// Columns `sweep`, `run`, `of`; then `vary PATH` for each path; then figures; then `failure`.
constexpr std::size_t fixed_columns = 3;
constexpr std::string_view vary = "vary ";

}  // namespace

std::string csv_of(const SweepTable& table, std::string_view sweep_id) {
    std::string text = "sweep,run,of";
    for (const std::string& path : table.paths)
        text += fmt::format(",{}", quoted(fmt::format("{}{}", vary, path)));
    for (const std::string& figure : table.figures)
        text += fmt::format(",{}", quoted(figure));
    text += ",failure\n";
    for (const SweepRow& row : table.rows) {
        text += fmt::format("{},{},{}", sweep_id, row.index + 1, table.total);
        for (const double value : row.values)
            text += fmt::format(",{}", number_text(value));
        for (const double value : row.figures)
            text += fmt::format(",{}", number_text(value));
        text += fmt::format(",{}\n", quoted(row.failure));
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
    if (parts.empty()) throw std::invalid_argument{"nothing to merge"};
    SweepFile all{.table = {.paths = parts.front().table.paths, .total = parts.front().table.total},
                  .sweep_id = parts.front().sweep_id};
    std::vector<SweepRow> rows;
    for (const SweepFile& part : parts) {
        if (part.sweep_id != all.sweep_id || part.table.paths != all.table.paths)
            throw std::invalid_argument{"parts of different sweeps"};
        for (const std::string& figure : part.table.figures) {
            if (std::find(all.table.figures.begin(), all.table.figures.end(), figure) ==
                all.table.figures.end())
                all.table.figures.push_back(figure);
        }
    }
    for (const SweepFile& part : parts) {
        for (SweepRow row : part.table.rows) {
            std::vector<double> figures(all.table.figures.size(), none);
            for (std::size_t k = 0; k < part.table.figures.size(); ++k)
                figures[figure_named(part.table.figures[k], all.table)] = row.figures[k];
            row.figures = std::move(figures);
            rows.push_back(std::move(row));
        }
    }
    std::stable_sort(rows.begin(), rows.end(),
                     [](const SweepRow& a, const SweepRow& b) { return a.index < b.index; });
    for (SweepRow& row : rows) {
        const bool is_known = !all.table.rows.empty() && all.table.rows.back().index == row.index;
        if (!is_known) all.table.rows.push_back(std::move(row));
    }
    return all;
}

}  // namespace hopcoil::tune
