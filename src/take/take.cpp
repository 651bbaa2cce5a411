#include <algorithm>
#include <array>
#include <stdexcept>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/take/take.hpp>

namespace hopcoil {
namespace {

std::string column_name(const RecordedChannel& channel, std::size_t component) {
    constexpr std::array<std::string_view, 4> axes{".x", ".y", ".z", ".w"};
    constexpr std::array<std::string_view, 4> parts{".w", ".x", ".y", ".z"};
    if (channel.kind == ChannelKind::scalar) return channel.name;
    if (channel.kind == ChannelKind::rotation) return channel.name + std::string{parts[component]};
    if (channel.components <= axes.size()) return channel.name + std::string{axes[component]};
    return channel.name + '.' + std::to_string(component);
}

}  // namespace

void Take::begin(std::span<const RecordedChannel> channels) {
    std::vector<std::string> names;
    for (const RecordedChannel& channel : channels) {
        for (std::size_t i = 0; i < channel.components; ++i) {
            names.push_back(column_name(channel, i));
            if (std::count(names.begin(), names.end(), names.back()) > 1) {
                throw std::invalid_argument{"two channels make a column named " + names.back()};
            }
        }
    }
    channels_.assign(channels.begin(), channels.end());
    column_names_ = std::move(names);
    times_s_.clear();
    numbers_.clear();
}

void Take::row(double time_s, std::span<const double> numbers) {
    if (numbers.size() != column_names_.size()) {
        throw std::invalid_argument{"a row has " + std::to_string(numbers.size()) +
                                    " numbers, expected " + std::to_string(column_names_.size())};
    }
    require_finite("time_s", time_s);
    if (!times_s_.empty() && time_s < times_s_.back()) {
        throw std::invalid_argument{"time_s = " + shortest(time_s) +
                                    ": expected a time no earlier than the row before, " +
                                    shortest(times_s_.back())};
    }
    times_s_.push_back(time_s);
    numbers_.insert(numbers_.end(), numbers.begin(), numbers.end());
}

std::span<const double> Take::row(std::size_t index) const {
    if (index >= row_count()) throw std::out_of_range{"a take has no row " + std::to_string(index)};
    const std::size_t width = column_names_.size();
    return std::span{numbers_}.subspan(index * width, width);
}

std::vector<double> Take::column(std::size_t index) const {
    const std::size_t width = column_names_.size();
    if (index >= width) throw std::out_of_range{"a take has no column " + std::to_string(index)};
    std::vector<double> column(row_count());
    for (std::size_t i = 0; i < column.size(); ++i)
        column[i] = numbers_[i * width + index];
    return column;
}

std::optional<std::size_t> Take::find_column(std::string_view name) const noexcept {
    const auto found = std::find(column_names_.begin(), column_names_.end(), name);
    if (found == column_names_.end()) return std::nullopt;
    return static_cast<std::size_t>(found - column_names_.begin());
}

}  // namespace hopcoil
