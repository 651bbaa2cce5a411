#pragma once

#include <cstddef>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include <hopcoil/base/take_sink.hpp>

namespace hopcoil {

/// What one run recorded: named channels over time, in memory.
///
///     Take take;
///     run(scene, take);
///     take.column(*take.find_column("vane.value_rad"));
///
/// Shapes  one column for each component of each channel, in their order; the column of a scalar, a
///         flag or an event has its channel's name, a vector's components have ".x", ".y", ".z",
///         ".w" behind it, a rotation's parts ".w", ".x", ".y", ".z"; of a channel of several
///         values the value's number stands before that: "rope.position_m.7.x".
/// Errors  std::invalid_argument for a row of the wrong width or one that goes back in time, for
///         two columns of one name, and for rows before channels.
class Take final : public TakeSink {
  public:
    void begin(std::span<const RecordedChannel> channels) override;
    void row(double time_s, std::span<const double> numbers) override;
    void expect(std::size_t rows) override;

    [[nodiscard]] const std::vector<RecordedChannel>& channels() const noexcept {
        return channels_;
    }
    [[nodiscard]] const std::vector<std::string>& column_names() const noexcept {
        return column_names_;
    }
    [[nodiscard]] const std::vector<double>& times_s() const noexcept { return times_s_; }
    [[nodiscard]] std::size_t row_count() const noexcept { return times_s_.size(); }

    /// One row: a number for each column. Errors: std::out_of_range.
    [[nodiscard]] std::span<const double> row(std::size_t index) const;
    /// One column over time. Errors: std::out_of_range.
    [[nodiscard]] std::vector<double> column(std::size_t index) const;
    [[nodiscard]] std::optional<std::size_t> find_column(std::string_view name) const noexcept;

    /// The columns of a channel: the first, and how many. Errors: std::out_of_range.
    struct Columns {
        std::size_t first = 0;
        std::size_t count = 1;
    };
    [[nodiscard]] Columns columns_of(std::size_t channel) const;
    [[nodiscard]] std::optional<std::size_t> find_channel(std::string_view name) const noexcept;

    /// Reserves memory for so many rows.
    void reserve(std::size_t rows);

    /// What made it, as a JSON object; empty if unknown.
    [[nodiscard]] const std::string& made_by() const noexcept { return made_by_; }
    void set_made_by(std::string json) { made_by_ = std::move(json); }

  private:
    std::vector<RecordedChannel> channels_;
    std::vector<std::string> column_names_;
    std::vector<double> times_s_;
    std::vector<double> numbers_;  // row after row
    std::string made_by_;
};

/// The columns that channels make, as Take names them.
/// Errors  std::invalid_argument for a channel of a kind that cannot have so many components.
[[nodiscard]] std::vector<std::string> column_names_of(std::span<const RecordedChannel> channels);

}  // namespace hopcoil
