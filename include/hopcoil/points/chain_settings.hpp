#pragma once

#include <cstddef>
#include <cstdint>
#include <span>
#include <vector>

#include <hopcoil/base/dial.hpp>
#include <hopcoil/base/vector3.hpp>
#include <hopcoil/spring/tuning.hpp>

namespace hopcoil {

/// Whether the links of a chain may stretch.
enum class ChainSpacing : std::uint8_t { stretchy, fixed };

/// A wave that runs along a chain, as in a swimming eel.
struct Undulation {
    double amplitude_m = 0.0;
    double frequency_hz = 1.0;
    double delay_rad = 0.5;  ///< from node to node
    Vector3 axis{1, 0, 0};   ///< that it swings along; made unit
};

/// The numbers of a chain.
struct ChainSettings {
    std::size_t nodes = 12;  ///< beside the root; at least 1
    double spacing_m = 0.1;
    ChainSpacing spacing = ChainSpacing::stretchy;
    /// From the first node to the last: frequencies by equal factors, the others evenly. These do
    /// not amplify what the root does (`gain_of`).
    Tuning root{.frequency_hz = 6, .damping_ratio = 1, .lead = 0.5};
    Tuning tip{.frequency_hz = 3, .damping_ratio = 1, .lead = 0.5};
    /// Stretchy: the part of a link's direction that comes from the link before; 0 to below 1.
    double carry = 0.2;
    Vector3 rest_direction{0, -1, 0};  ///< of the links at rest, in the root's frame; made unit
    /// A steady stream that it hangs or points along, with the effect of a wind.
    Vector3 hanging_m_per_s{};
    double wind_share = 1.0;  ///< part of the wind's speed that acts
    /// Stretchy: the stream that turns a link half way from its rest direction to the stream's.
    double stiffness_m_per_s = 2.0;
    double bend_limit_rad = 3.141592653589793;  ///< between two links; pi bends freely
    Undulation undulation{};
    bool is_flat = false;  ///< kept in the XY plane of its root

    static constexpr std::size_t dial_count = 14;
    [[nodiscard]] static std::span<const Dial<ChainSettings>> dials() noexcept;
};

/// Errors  InvalidValue names the field, its value and its range.
void require_valid(const ChainSettings& settings);
[[nodiscard]] bool is_valid(const ChainSettings& settings) noexcept;

/// The tunings of all nodes, from the first to the last.
[[nodiscard]] std::vector<Tuning> tunings_of(const ChainSettings& settings);

/// How much a chain amplifies its root's motion across the chain.
struct ChainGain {
    double gain = 1.0;          ///< the largest of any node and frequency; 1 when none amplifies
    double frequency_hz = 0.0;  ///< where that is
    std::size_t node = 0;
};
/// Model   small motion across the links of a stretchy chain: P_i = H_i ((1 + b) P_(i-1) - b
///         P_(i-2)), H_i each node's response to a sine, b = carry. A chain of fixed spacing
///         follows its own path and amplifies nothing.
/// Errors  InvalidValue for invalid settings.
[[nodiscard]] ChainGain gain_of(const ChainSettings& settings);
[[nodiscard]] ChainGain gain_of(std::span<const Tuning> tunings, double carry);

}  // namespace hopcoil
