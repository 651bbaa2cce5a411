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

/// One quantity that can be recorded of a system: its name, its type, how many numbers a value has
/// and, where it has several values, how many.
///
/// Units   as written in files: "m", "rad", "rad_per_s"; empty when the value has none, or one
///         that only its owner knows.
struct Channel {
    std::string_view name{};
    ChannelKind kind = ChannelKind::scalar;
    std::size_t components = 1;
    std::string_view unit{};
    std::size_t count = 1;
};

}  // namespace hopcoil
