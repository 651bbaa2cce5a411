#include "channel_names.hpp"

#include <array>
#include <cstddef>

#include <fmt/format.h>

namespace hopcoil::io {
namespace {

constexpr std::array<ChannelKind, 5> all_kinds{ChannelKind::scalar, ChannelKind::vector,
                                               ChannelKind::rotation, ChannelKind::flag,
                                               ChannelKind::event};

std::string unit_of(std::string_view name) {
    for (const std::string_view ending : {"_m_per_s", "_rad_per_s", "_per_s", "_rad", "_m"}) {
        if (name.ends_with(ending)) return std::string{ending.substr(1)};
    }
    return {};
}

/// How many columns from here on have one stem and these endings, in this order.
std::size_t run_of(const std::vector<std::string>& columns, std::size_t from,
                   const std::array<std::string_view, 4>& endings) {
    const std::string& first = columns[from];
    if (!first.ends_with(endings[0])) return 0;
    const std::string stem = first.substr(0, first.size() - endings[0].size());
    std::size_t count = 1;
    while (count < endings.size() && from + count < columns.size() &&
           columns[from + count] == fmt::format("{}{}", stem, endings[count])) {
        ++count;
    }
    return count;
}

/// The channel of one value that begins here: a rotation, a vector, or one number.
RecordedChannel channel_at(const std::vector<std::string>& columns, std::size_t from) {
    RecordedChannel channel{.name = columns[from]};
    if (run_of(columns, from, {".w", ".x", ".y", ".z"}) == 4) {
        channel.kind = ChannelKind::rotation;
        channel.components = 4;
    } else if (const std::size_t count = run_of(columns, from, {".x", ".y", ".z", ".w"});
               count > 1) {
        channel.kind = ChannelKind::vector;
        channel.components = count;
    }
    if (channel.components > 1) channel.name.resize(channel.name.size() - 2);
    return channel;
}

/// How many values alike stand one after the other: "rope.position_m.0", "rope.position_m.1", ...
std::size_t count_of(const std::vector<std::string>& columns, std::size_t from,
                     const RecordedChannel& first, const std::string& stem) {
    std::size_t count = 1;
    for (std::size_t at = from + first.components; at < columns.size(); at += first.components) {
        const RecordedChannel next = channel_at(columns, at);
        const bool is_alike = next.kind == first.kind && next.components == first.components &&
                              next.name == fmt::format("{}.{}", stem, count);
        if (!is_alike) break;
        ++count;
    }
    return count;
}

}  // namespace

std::string_view name_of(ChannelKind kind) {
    static constexpr std::array<std::string_view, 5> names{"scalar", "vector", "rotation", "flag",
                                                           "event"};
    return names.at(static_cast<std::size_t>(kind));
}

std::optional<ChannelKind> channel_kind_named(std::string_view name) {
    for (const ChannelKind kind : all_kinds) {
        if (name == name_of(kind)) return kind;
    }
    return std::nullopt;
}

std::vector<RecordedChannel> channels_from(const std::vector<std::string>& columns) {
    std::vector<RecordedChannel> channels;
    for (std::size_t i = 0; i < columns.size();) {
        RecordedChannel channel = channel_at(columns, i);
        if (channel.name.ends_with(".0")) {
            const std::string stem = channel.name.substr(0, channel.name.size() - 2);
            channel.count = count_of(columns, i, channel, stem);
            if (channel.count > 1) channel.name = stem;
        }
        if (channel.kind != ChannelKind::rotation) channel.unit = unit_of(channel.name);
        i += channel.components * channel.count;
        channels.push_back(std::move(channel));
    }
    return channels;
}

}  // namespace hopcoil::io
