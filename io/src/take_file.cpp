#include <algorithm>
#include <cmath>
#include <filesystem>
#include <future>
#include <span>
#include <stdexcept>
#include <string_view>
#include <system_error>
#include <utility>

#include <fmt/format.h>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/io/csv_text.hpp>
#include <hopcoil/io/take_file.hpp>
#include <hopcoil/io/text_file.hpp>

#include "channel_names.hpp"
#include "csv_fields.hpp"
#include "json_at.hpp"
#include "take_text.hpp"

namespace hopcoil::io {
namespace {

bool is_json(const std::string& path) {
    if (path.ends_with(".json")) return true;
    if (path.ends_with(".csv")) return false;
    throw std::invalid_argument{
        fmt::format("{}: expected a name that ends in .csv or .json", path)};
}

std::size_t at_most(std::size_t count) {
    constexpr std::size_t most = 1'000'000;  // what a file says may be a slip
    return std::min(count, most);
}

/// Reads rows of numbers, knowing where each stands.
class CsvTakeReader {
  public:
    CsvTakeReader(std::string file, std::string_view text) : file_{std::move(file)}, text_{text} {
        if (text_.starts_with("\xEF\xBB\xBF")) text_.remove_prefix(3);
    }

    Take read() {
        const std::vector<std::string> header = read_header();
        Take take;
        const std::vector<std::string> columns{header.begin() + 1, header.end()};
        begin(take, columns);
        std::vector<double> numbers(header.size());
        while (next_line()) {
            if (line_.empty()) continue;
            read_row(numbers, header);
            try {
                take.row(numbers[0], std::span{numbers}.subspan(1));
            } catch (const std::invalid_argument& problem) {
                fail(1, "time_s", problem.what());
            }
        }
        return take;
    }

  private:
    [[noreturn]] void fail(std::size_t column, const std::string& key,
                           const std::string& message) const {
        refuse_input({file_, line_number_, column}, key, message);
    }

    void begin(Take& take, const std::vector<std::string>& columns) const {
        try {
            take.begin(channels_from(columns));
        } catch (const std::invalid_argument& problem) {
            fail(1, "", problem.what());
        }
    }

    bool next_line() {
        if (at_ >= text_.size()) return false;
        const std::size_t end = std::min(text_.find('\n', at_), text_.size());
        line_ = text_.substr(at_, end - at_);
        if (line_.ends_with('\r')) line_.remove_suffix(1);
        at_ = end + 1;
        ++line_number_;
        return true;
    }

    std::vector<std::string> read_header() {
        if (!next_line() || line_.empty()) {
            line_number_ = 1;
            fail(1, "", "expected a header row that begins with time_s");
        }
        require_commas(line_, {file_, line_number_, 1});
        std::vector<std::string> fields;
        std::size_t at = 0;
        while (true) {
            fields.emplace_back();
            if (at < line_.size() && line_[at] == '"') {
                at = quoted(at + 1, fields.back());
            } else {
                const std::size_t end = std::min(line_.find(',', at), line_.size());
                fields.back() = trimmed(line_.substr(at, end - at));
                at = end;
            }
            if (at >= line_.size()) break;
            if (line_[at] != ',') fail(at + 1, "", "expected a comma behind a closing quote");
            ++at;
        }
        if (fields.front() != "time_s") {
            fail(1, "",
                 fmt::format("expected time_s as the first column, found '{}'",
                             fields.front().substr(0, 40)));
        }
        if (fields.size() < 2) fail(1, "", "expected a column beside time_s");
        return fields;
    }

    std::size_t quoted(std::size_t at, std::string& field) const {
        for (; at < line_.size(); ++at) {
            if (line_[at] == '"') {
                if (!line_.substr(at + 1).starts_with('"')) return at + 1;
                ++at;
            }
            field += line_[at];
        }
        fail(at + 1, "", "a quote is opened in this line and not closed in it");
    }

    void read_row(std::vector<double>& numbers, const std::vector<std::string>& header) const {
        std::size_t at = 0;
        for (std::size_t i = 0; i < numbers.size(); ++i) {
            if (at > line_.size()) {
                fail(line_.size() + 1, "",
                     fmt::format("this row has {} fields, expected {} as in the header", i,
                                 numbers.size()));
            }
            const std::size_t end = std::min(line_.find(',', at), line_.size());
            const std::string_view field = line_.substr(at, end - at);
            if (!parse_number(unquoted(field), numbers[i])) {
                fail(at + 1, header[i],
                     fmt::format("expected a finite number, found '{}'", field.substr(0, 40)));
            }
            at = end + 1;
        }
        if (at <= line_.size()) {
            fail(at + 1, "",
                 fmt::format("this row has more fields than the {} of the header", numbers.size()));
        }
    }

    std::string file_;
    std::string_view text_;
    std::string_view line_;
    std::size_t at_ = 0;
    std::size_t line_number_ = 0;
};

RecordedChannel channel_from(const JsonAt& at) {
    const auto kind = channel_kind_named(at["kind"].text());
    if (!kind) {
        at["kind"].fail(fmt::format("expected scalar, vector, rotation, flag or event, found '{}'",
                                    at["kind"].text()));
    }
    return {.name = at["name"].text(),
            .kind = *kind,
            .components = at_most(at["components"].index()),
            .unit = at["unit"].text(),
            .count = at_most(at.index_or("count", 1)),
            .alive = at.find("alive") ? at["alive"].text() : std::string{}};
}

Take take_from_json(const std::string& text, const std::string& file) {
    const Json json = parse_json(text, file);
    const JsonAt root{json, file};
    if (root["take"].index() != 1) {
        root["take"].fail(fmt::format("expected version 1, found {}", root["take"].index()));
    }
    const JsonAt channels = root["channels"];
    std::vector<RecordedChannel> all;
    for (std::size_t i = 0; i < channels.size(); ++i)
        all.push_back(channel_from(channels[i]));
    Take take;
    try {
        take.begin(all);
    } catch (const std::invalid_argument& problem) {
        channels.fail(problem.what());
    }
    root["made_by"].require_object();
    if (!root["made_by"].raw().empty()) take.set_made_by(root["made_by"].raw().dump());
    const JsonAt rows = root["rows"];
    const std::size_t width = take.column_names().size() + 1;
    std::vector<double> numbers(width);
    for (std::size_t i = 0; i < rows.size(); ++i) {
        const JsonAt row = rows[i];
        if (row.size() != width) {
            row.fail(fmt::format("expected {} numbers, found {}", width, row.size()));
        }
        for (std::size_t k = 0; k < width; ++k) {
            const Json& number = row.raw()[k];
            // Only what is wrong is worth a pointer of its own.
            numbers[k] = number.is_number() ? number.get<double>() : row[k].number();
            if (!std::isfinite(numbers[k])) numbers[k] = row[k].number();
        }
        try {
            take.row(numbers[0], std::span{numbers}.subspan(1));
        } catch (const std::invalid_argument& problem) {
            row.fail(problem.what());
        }
    }
    return take;
}

}  // namespace

bool is_take_file(const std::string& path) {
    return path.ends_with(".csv") || path.ends_with(".json");
}

std::string to_csv(const Take& take) {
    std::string text;
    append_csv_header(text, take.channels());
    for (std::size_t i = 0; i < take.row_count(); ++i)
        append_csv_row(text, take.times_s()[i], take.row(i));
    return text;
}

std::string to_json(const Take& take) {
    std::string text;
    append_json_header(text, take.channels(), take.made_by());
    for (std::size_t i = 0; i < take.row_count(); ++i)
        append_json_row(text, take.times_s()[i], take.row(i), i == 0);
    append_json_end(text);
    return text;
}

void write_take(const std::string& path, const Take& take) {
    TakeWriter writer{path, take.made_by()};
    writer.begin(take.channels());
    for (std::size_t i = 0; i < take.row_count(); ++i)
        writer.row(take.times_s()[i], take.row(i));
    writer.finish();
}

std::string partial_name(const std::string& path) {
    const std::filesystem::path whole{path};
    return whole.parent_path() / (whole.stem().string() + ".partial" + whole.extension().string());
}

Take take_from_text(const std::string& text, const std::string& path) {
    return is_json(path) ? take_from_json(text, path) : CsvTakeReader{path, text}.read();
}

Take read_take(const std::string& path) {
    static_cast<void>(is_json(path));  // that it can be a take at all
    return take_from_text(read_text_file(path), path);
}

TakeWriter::TakeWriter(std::string path, std::string made_by)
    : path_{std::move(path)},
      as_json_{is_json(path_)},
      temporary_{temporary_beside(path_).string()},
      made_by_{std::move(made_by)},
      file_{std::fopen(temporary_.c_str(), "wb")} {
    if (file_ == nullptr) fail();
}

TakeWriter::~TakeWriter() {
    if (file_ == nullptr) return;
    static_cast<void>(std::fclose(file_));
    std::error_code ignored;
    std::filesystem::remove(temporary_, ignored);
}

void TakeWriter::fail() const {
    throw FileProblem{fmt::format("{}: cannot be written", path_)};
}

void TakeWriter::begin(std::span<const RecordedChannel> channels) {
    columns_ = column_names_of(channels).size();
    text_.clear();
    if (as_json_) {
        append_json_header(text_, channels, made_by_);
    } else {
        append_csv_header(text_, channels);
    }
    write(text_);
}

void TakeWriter::row(double time_s, std::span<const double> numbers) {
    if (numbers.size() != columns_) {
        throw std::invalid_argument{
            fmt::format("a row has {} numbers, expected {}", numbers.size(), columns_)};
    }
    pending_.push_back(time_s);
    pending_.insert(pending_.end(), numbers.begin(), numbers.end());
    ++rows_;
    constexpr std::size_t enough = std::size_t{1} << 16U;
    if (pending_.size() >= enough) format_pending();
}

void TakeWriter::append_rows(std::string& text, std::size_t first, std::size_t count) const {
    const std::size_t width = columns_ + 1;
    for (std::size_t i = first; i < first + count; ++i) {
        const std::span<const double> row = std::span{pending_}.subspan(i * width, width);
        if (as_json_) {
            append_json_row(text, row[0], row.subspan(1), rows_written_ + i == 0);
        } else {
            append_csv_row(text, row[0], row.subspan(1));
        }
    }
}

/// Half of the rows here, the other half on another thread meanwhile.
void TakeWriter::format_pending() {
    const std::size_t count = pending_.size() / (columns_ + 1);
    const std::size_t half = count / 2;
    text_.clear();
    other_text_.clear();
    const auto format_rest = [this, half, count] {
        append_rows(other_text_, half, count - half);
    };
    std::future<void> rest;
    try {
        rest = std::async(std::launch::async, format_rest);
    } catch (const std::system_error&) {  // no thread to be had
        rest = std::async(std::launch::deferred, format_rest);
    }
    append_rows(text_, 0, half);
    rest.get();
    write(text_);
    write(other_text_);
    rows_written_ += count;
    pending_.clear();
}

void TakeWriter::write(const std::string& text) {
    if (std::fwrite(text.data(), 1, text.size(), file_) != text.size()) fail();
}

std::string TakeWriter::finish(const std::string& ended_early) {
    format_pending();
    if (as_json_) {
        text_.clear();
        append_json_end(text_, ended_early);
        write(text_);
    }
    std::FILE* const file = std::exchange(file_, nullptr);
    if (std::fclose(file) != 0) {
        std::error_code ignored;
        std::filesystem::remove(temporary_, ignored);
        fail();
    }
    std::string path = ended_early.empty() ? path_ : partial_name(path_);
    move_into_place(temporary_, path);
    return path;
}

}  // namespace hopcoil::io
