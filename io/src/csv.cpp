#include <algorithm>
#include <charconv>
#include <cmath>
#include <iterator>
#include <string_view>
#include <utility>

#include <fmt/format.h>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/io/csv.hpp>
#include <hopcoil/io/csv_text.hpp>
#include <hopcoil/io/text_file.hpp>

#include "csv_fields.hpp"

namespace hopcoil::io {
namespace {

/// Walks through the text once, knowing where it stands.
class CsvReader {
  public:
    CsvReader(std::string file, std::string_view text) : file_{std::move(file)}, text_{text} {
        if (text_.starts_with("\xEF\xBB\xBF")) at_ = 3;
        line_start_ = at_;
    }

    CsvTable read() {
        CsvTable table;
        table.file = file_;
        while (at_ < text_.size()) {
            if (at_line_end()) {  // an empty line is no row
                skip_line_end();
                continue;
            }
            read_row(table);
        }
        if (table.positions.empty()) fail(here(), "the file is empty; expected a header row");
        return table;
    }

  private:
    [[nodiscard]] FilePosition here() const { return {file_, line_, at_ - line_start_ + 1}; }

    [[noreturn]] static void fail(const FilePosition& position, std::string message) {
        throw InputProblems{{{position, "", std::move(message)}}};
    }

    [[nodiscard]] bool at_line_end() const {
        return text_[at_] == '\n' || text_.substr(at_).starts_with("\r\n");
    }
    void skip_line_end() {
        at_ += text_[at_] == '\r' ? 2 : 1;
        start_line();
    }
    void start_line() {
        ++line_;
        line_start_ = at_;
    }

    void read_row(CsvTable& table) {
        std::vector<std::string> fields;
        std::vector<FilePosition> positions;
        while (true) {
            positions.push_back(here());
            fields.push_back(at_ < text_.size() && text_[at_] == '"' ? quoted_field()
                                                                     : plain_field());
            if (at_ >= text_.size() || text_[at_] != ',') break;
            ++at_;
        }
        if (at_ < text_.size()) skip_line_end();
        add_row(table, std::move(fields), std::move(positions));
    }

    std::string plain_field() {
        const std::size_t start = at_;
        while (at_ < text_.size() && text_[at_] != ',' && !at_line_end())
            ++at_;
        return std::string{text_.substr(start, at_ - start)};
    }

    std::string quoted_field() {
        const FilePosition start = here();
        std::string field;
        for (++at_; at_ < text_.size(); ++at_) {
            if (text_[at_] == '"') {
                if (!text_.substr(at_ + 1).starts_with('"')) break;
                ++at_;
            }
            field += text_[at_];
            if (text_[at_] == '\n') {
                ++line_;
                line_start_ = at_ + 1;
            }
        }
        if (at_ >= text_.size()) fail(start, "a quote is opened here and never closed");
        ++at_;
        if (at_ < text_.size() && text_[at_] != ',' && !at_line_end()) {
            fail(here(), "expected a comma or the end of the line behind a closing quote");
        }
        return field;
    }

    static void add_row(CsvTable& table, std::vector<std::string> fields,
                        std::vector<FilePosition> positions) {
        if (table.positions.empty()) {
            for (std::string& name : fields)
                name = trimmed(name);
            for (std::size_t i = 0; i < fields.size(); ++i) {
                if (std::find(fields.begin(), fields.begin() + static_cast<std::ptrdiff_t>(i),
                              fields[i]) != fields.begin() + static_cast<std::ptrdiff_t>(i)) {
                    fail(positions[i], fmt::format("two columns are named '{}'", fields[i]));
                }
            }
            table.header = std::move(fields);
        } else if (fields.size() != table.header.size()) {
            fail(positions.front(),
                 fmt::format("this row has {} fields, expected {} as in the header", fields.size(),
                             table.header.size()));
        } else {
            table.rows.push_back(std::move(fields));
        }
        table.positions.push_back(std::move(positions));
    }

    std::string file_;
    std::string_view text_;
    std::size_t at_ = 0;
    std::size_t line_ = 1;
    std::size_t line_start_ = 0;
};

}  // namespace

std::string_view trimmed(std::string_view field) noexcept {
    const auto first = field.find_first_not_of(" \t");
    if (first == std::string_view::npos) return {};
    return field.substr(first, field.find_last_not_of(" \t") - first + 1);
}

std::string_view unquoted(std::string_view field) noexcept {
    const std::string_view text = trimmed(field);
    const bool is_quoted = text.size() >= 2 && text.starts_with('"') && text.ends_with('"');
    return is_quoted ? text.substr(1, text.size() - 2) : field;
}

void require_commas(std::string_view header, const FilePosition& position) {
    if (header.find(',') != std::string_view::npos) return;
    const std::size_t at = header.find_first_of(";\t");
    if (at == std::string_view::npos) return;
    refuse_input(position, "",
                 fmt::format("expected commas between the columns, found {}; write the table with "
                             "commas, and with points in its numbers",
                             header[at] == ';' ? "semicolons" : "tabs"));
}

bool parse_number(std::string_view field, double& number) {
    std::string_view text = trimmed(field);
    if (text.starts_with('+')) text.remove_prefix(1);
    const auto result = std::from_chars(text.data(), text.data() + text.size(), number);
    return result.ec == std::errc{} && result.ptr == text.data() + text.size() &&
           std::isfinite(number);
}

std::string csv_field(std::string_view text) {
    if (text.find_first_of(",\"\r\n") == std::string_view::npos && trimmed(text) == text)
        return std::string{text};
    std::string quoted = "\"";
    for (const char c : text) {
        if (c == '"') quoted += '"';
        quoted += c;
    }
    return quoted + '"';
}

CsvTable read_csv(const std::filesystem::path& path) {
    const std::string text = read_text_file(path);
    CsvTable table = CsvReader{path.string(), text}.read();
    if (table.header.size() == 1) require_commas(table.header.front(), table.positions[0][0]);
    return table;
}

std::vector<double> number_column(const CsvTable& table, const std::string& name) {
    const auto found = std::find(table.header.begin(), table.header.end(), name);
    if (found == table.header.end()) {
        throw InputProblems{
            {{table.positions[0][0], "", there_is_no("column", name, table.header)}}};
    }
    const auto column = static_cast<std::size_t>(found - table.header.begin());
    constexpr std::size_t most_problems = 10;
    std::vector<Problem> problems;
    std::vector<double> numbers;
    numbers.reserve(table.rows.size());
    for (std::size_t i = 0; i < table.rows.size(); ++i) {
        double number = 0;
        const std::string& field = table.rows[i][column];
        if (!parse_number(field, number) && problems.size() < most_problems) {
            problems.push_back({table.positions[i + 1][column], name,
                                fmt::format("expected a finite number, found '{}'", field)});
        }
        numbers.push_back(number);
    }
    if (!problems.empty()) throw InputProblems{std::move(problems)};
    return numbers;
}

KeyCurve key_curve_from(const CsvTable& table, const std::string& time_column,
                        const std::string& value_column) {
    const std::vector<double> times_s = number_column(table, time_column);
    const std::vector<double> values = number_column(table, value_column);
    const auto has = [&](const char* name) {
        return std::find(table.header.begin(), table.header.end(), name) != table.header.end();
    };
    try {
        if (!has("slope_before") || !has("slope_after")) return KeyCurve::through(times_s, values);
        const std::vector<double> before = number_column(table, "slope_before");
        const std::vector<double> after = number_column(table, "slope_after");
        std::vector<CurveKey> keys;
        for (std::size_t i = 0; i < times_s.size(); ++i)
            keys.push_back({times_s[i], values[i], before[i], after[i]});
        return KeyCurve{std::move(keys)};
    } catch (const InvalidValue& problem) {
        Problem found;
        found.position.file = table.file;
        found.key = problem.field();
        found.message = problem.what();
        throw InputProblems{{std::move(found)}};
    }
}

}  // namespace hopcoil::io
