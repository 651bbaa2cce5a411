#pragma once

#include <cstddef>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include <hopcoil/base/take_sink.hpp>

namespace hopcoil {

/// What one run recorded: named channels over time, in memory.
///
///     Take take;
///     run(scene, take);
///     take.column(*take.find_column("vane.value_rad"));
///
/// Shapes  one column for each component of each channel, in their order; a scalar's column has
///         its channel's name, a vector's components have ".x", ".y", ".z", ".w" behind it (".0",
///         ".1", ... beyond four), a rotation's parts ".w", ".x", ".y", ".z".
/// Errors  std::invalid_argument for a row of the wrong width or one that goes back in time, for
///         two columns of one name, and for rows before channels.
class Take final : public TakeSink {
  public:
    void begin(std::span<const RecordedChannel> channels) override;
    void row(double time_s, std::span<const double> numbers) override;

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

  private:
    std::vector<RecordedChannel> channels_;
    std::vector<std::string> column_names_;
    std::vector<double> times_s_;
    std::vector<double> numbers_;  // row after row
};

}  // namespace hopcoil
