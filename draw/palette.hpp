#pragma once

#include <array>
#include <cstddef>
#include <string_view>

/// @file
/// The colours of every picture. Neighbours differ in lightness as well as in hue, so they stay
/// apart in grey and for colour-blind eyes.

namespace hopcoil::draw {

inline constexpr std::string_view paper = "#ffffff";
inline constexpr std::string_view ink = "#1d2830";
inline constexpr std::string_view faint_ink = "#66727c";
inline constexpr std::string_view grid = "#dde2e6";
inline constexpr std::string_view target_ink = "#8b959d";
inline constexpr std::string_view band_fill = "#dce5c8";
// Stable, ringing, unstable: ever darker, so that they differ in grey too.
inline constexpr std::string_view stable_fill = "#d9ecf0";
inline constexpr std::string_view rings_fill = "#f3c98b";
inline constexpr std::string_view unstable_fill = "#c27a6c";

inline constexpr std::array<std::string_view, 8> series{"#0c6c80", "#d9601a", "#6a3290", "#93a313",
                                                        "#b3224f", "#2f9e6e", "#1d2f6f", "#c79a2b"};

/// x, y, z and one more.
[[nodiscard]] constexpr std::string_view axis_colour(std::size_t axis) {
    constexpr std::array<std::string_view, 4> axes{series[1], series[3], series[0], series[2]};
    return axes[axis % axes.size()];
}

[[nodiscard]] constexpr std::string_view series_colour(std::size_t index) {
    return series[index % series.size()];
}

}  // namespace hopcoil::draw
