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
    const bool is_one =
        channel.kind != ChannelKind::vector && channel.kind != ChannelKind::rotation;
    if (is_one) return channel.name;
    if (channel.kind == ChannelKind::rotation) return channel.name + std::string{parts[component]};
    if (channel.components <= axes.size()) return channel.name + std::string{axes[component]};
    return channel.name + '.' + std::to_string(component);
}

void require_shape(const RecordedChannel& channel) {
    const std::size_t count = channel.components;
    const bool is_vector = channel.kind == ChannelKind::vector;
    const bool right = is_vector                               ? count >= 1
                       : channel.kind == ChannelKind::rotation ? count == 4
                                                               : count == 1;
    if (right) return;
    throw std::invalid_argument{"channel " + channel.name + " has " + std::to_string(count) +
                                " components: a rotation has 4, whatever is no vector has 1"};
}

void require_distinct(std::vector<std::string> names) {
    std::sort(names.begin(), names.end());
    const auto twice = std::adjacent_find(names.begin(), names.end());
    if (twice == names.end()) return;
    throw std::invalid_argument{"two channels make a column named " + *twice};
}

}  // namespace

std::vector<std::string> column_names_of(std::span<const RecordedChannel> channels) {
    std::vector<std::string> names;
    for (const RecordedChannel& channel : channels) {
        require_shape(channel);
        for (std::size_t i = 0; i < channel.components; ++i)
            names.push_back(column_name(channel, i));
    }
    return names;
}

void Take::begin(std::span<const RecordedChannel> channels) {
    std::vector<std::string> names = column_names_of(channels);
    require_distinct(names);
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

Take::Columns Take::columns_of(std::size_t channel) const {
    if (channel >= channels_.size()) {
        throw std::out_of_range{"a take has no channel " + std::to_string(channel)};
    }
    Columns columns{0, channels_[channel].components};
    for (std::size_t i = 0; i < channel; ++i)
        columns.first += channels_[i].components;
    return columns;
}

std::optional<std::size_t> Take::find_channel(std::string_view name) const noexcept {
    const auto found = std::find_if(channels_.begin(), channels_.end(),
                                    [&](const auto& each) { return each.name == name; });
    if (found == channels_.end()) return std::nullopt;
    return static_cast<std::size_t>(found - channels_.begin());
}

void Take::reserve(std::size_t rows) {
    times_s_.reserve(rows);
    numbers_.reserve(rows * column_names_.size());
}

void Take::expect(std::size_t rows) {
    // No more at once than half a gigabyte: a run may end early.
    constexpr std::size_t most_numbers = std::size_t{1} << 26U;
    reserve(std::min(rows, most_numbers / std::max<std::size_t>(1, column_names_.size())));
}

std::optional<std::size_t> Take::find_column(std::string_view name) const noexcept {
    const auto found = std::find(column_names_.begin(), column_names_.end(), name);
    if (found == column_names_.end()) return std::nullopt;
    return static_cast<std::size_t>(found - column_names_.begin());
}

}  // namespace hopcoil
