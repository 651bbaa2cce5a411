#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include <hopcoil/base/take_sink.hpp>

namespace hopcoil::io {

/// "scalar", "vector", "rotation", "flag", "event"
[[nodiscard]] std::string_view name_of(ChannelKind kind);
[[nodiscard]] std::optional<ChannelKind> channel_kind_named(std::string_view name);

/// The channels that columns of these names are.
[[nodiscard]] std::vector<RecordedChannel> channels_from(const std::vector<std::string>& columns);

}  // namespace hopcoil::io
