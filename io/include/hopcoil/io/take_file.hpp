#pragma once

#include <cstdio>
#include <string>
#include <vector>

#include <hopcoil/io/file_problems.hpp>
#include <hopcoil/take/take.hpp>

/// @file
/// Takes in files, without loss: the shortest decimals that read back as the same doubles, so that
/// what was written, read and written again is the same bytes.
///
/// CSV   first column time_s, one column a channel component, LF line ends. Kinds and units are
///       read off the columns' names: `.w .x .y .z` in that order are a rotation, `.x .y` and so on
///       a vector; `_m`, `_rad`, `_per_s`, `_m_per_s` and `_rad_per_s` are units.
/// JSON  an object: "take": 1 (the version), "made_by", "channels" (a list of name, kind,
///       components, unit), "rows" (a list of lists, the time first).

namespace hopcoil::io {

[[nodiscard]] std::string to_csv(const Take& take);
[[nodiscard]] std::string to_json(const Take& take);

/// Writes CSV or JSON by the name's ending; a file that cannot be written whole is removed.
/// Errors  std::invalid_argument for another ending; FileProblem.
void write_take(const std::string& path, const Take& take);

/// Errors  std::invalid_argument for another ending; FileProblem; InputProblems with the line and
///         column (CSV) or the JSON pointer of what is wrong.
[[nodiscard]] Take read_take(const std::string& path);
/// The same from a text; `path` decides the format and is named in messages.
[[nodiscard]] Take take_from_text(const std::string& text, const std::string& path);

/// The name of a file of a run that ended early: "vane.partial.csv" for "vane.csv".
[[nodiscard]] std::string partial_name(const std::string& path);

/// Whether a name ends in .csv or .json.
[[nodiscard]] bool is_take_file(const std::string& path);

/// Writes a take as it is recorded, in memory that does not grow with it. Numbers are formatted on
/// two threads where there are two; the bytes are the same. The file has its name once `finish` is
/// called; without that nothing is left behind.
class TakeWriter final : public TakeSink {
  public:
    /// `made_by`: a JSON object, for JSON files.
    /// Errors  std::invalid_argument for another ending than .csv or .json; FileProblem.
    explicit TakeWriter(std::string path, std::string made_by = {});
    TakeWriter(const TakeWriter&) = delete;
    TakeWriter& operator=(const TakeWriter&) = delete;
    ~TakeWriter() override;

    /// Errors  FileProblem, as all of these.
    void begin(std::span<const RecordedChannel> channels) override;
    void row(double time_s, std::span<const double> numbers) override;
    /// Completes the file and returns its path. With a reason why the run ended early, the file is
    /// named NAME.partial.csv or .json, and JSON has the reason under "ended_early".
    std::string finish(const std::string& ended_early = {});

    [[nodiscard]] std::size_t row_count() const noexcept { return rows_; }

  private:
    void format_pending();
    void append_rows(std::string& text, std::size_t first, std::size_t count) const;
    void write(const std::string& text);
    [[noreturn]] void fail() const;

    std::string path_;
    bool as_json_;
    std::string temporary_;
    std::string made_by_;
    std::FILE* file_ = nullptr;
    std::vector<double> pending_;  ///< rows that are not text yet, the time first
    std::string text_;
    std::string other_text_;
    std::size_t rows_ = 0;  ///< that have been recorded
    std::size_t rows_written_ = 0;
    std::size_t columns_ = 0;
};

}  // namespace hopcoil::io
