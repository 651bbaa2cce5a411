#pragma once

#include <cstddef>
#include <cstdint>
#include <string_view>

namespace hopcoil {

enum class ChannelKind : std::uint8_t {
    scalar,
    vector,
    rotation,  ///< a unit quaternion: w, x, y, z
    flag,      ///< 0 or 1, until the next row
    event,     ///< how often something happened since the row before
};

/// One thing that can be recorded of a system: what it is called, what it is, how many numbers; of
/// a channel of several values, how many those are.
///
/// Units   of the numbers, as written in files: "m", "rad", "rad_per_s"; empty when the value has
///         none, or has whatever unit its owner gave it.
struct Channel {
    std::string_view name{};
    ChannelKind kind = ChannelKind::scalar;
    std::size_t components = 1;
    std::string_view unit{};
    std::size_t count = 1;
};

}  // namespace hopcoil
