#include <algorithm>
#include <array>
#include <stdexcept>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/take/take.hpp>

namespace hopcoil {
namespace {

std::string column_name(const RecordedChannel& channel, std::size_t index, std::size_t component) {
    constexpr std::array<std::string_view, 4> axes{".x", ".y", ".z", ".w"};
    constexpr std::array<std::string_view, 4> parts{".w", ".x", ".y", ".z"};
    std::string name = channel.name;
    if (channel.count > 1) name += '.' + std::to_string(index);
    if (channel.kind == ChannelKind::vector) name += axes[component];
    if (channel.kind == ChannelKind::rotation) name += parts[component];
    return name;
}

void require_shape(const RecordedChannel& channel) {
    const std::size_t size = channel.components;
    const bool is_vector = channel.kind == ChannelKind::vector;
    const bool right = is_vector                               ? size >= 1 && size <= 4
                       : channel.kind == ChannelKind::rotation ? size == 4
                                                               : size == 1;
    if (right && channel.count > 0) return;
    throw std::invalid_argument{
        "channel " + channel.name + " has " + std::to_string(size) + " components and " +
        std::to_string(channel.count) +
        " values: a vector has 1 to 4 components, a rotation 4, whatever else 1; at least 1 value"};
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
        for (std::size_t i = 0; i < channel.count; ++i) {
            for (std::size_t k = 0; k < channel.components; ++k)
                names.push_back(column_name(channel, i, k));
        }
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
    Columns columns{0, channels_[channel].components * channels_[channel].count};
    for (std::size_t i = 0; i < channel; ++i)
        columns.first += channels_[i].components * channels_[i].count;
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
    // At most half a gigabyte at once: a run may end early.
    constexpr std::size_t most_at_once = std::size_t{1} << 26U;
    reserve(std::min(rows, most_at_once / std::max<std::size_t>(1, column_names_.size())));
}

std::optional<std::size_t> Take::find_column(std::string_view name) const noexcept {
    const auto found = std::find(column_names_.begin(), column_names_.end(), name);
    if (found == column_names_.end()) return std::nullopt;
    return static_cast<std::size_t>(found - column_names_.begin());
}

}  // namespace hopcoil
