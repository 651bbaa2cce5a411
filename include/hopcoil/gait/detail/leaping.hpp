#pragma once

#include <algorithm>
#include <array>
#include <cstdint>
#include <optional>

#include <hopcoil/base/vector3.hpp>
#include <hopcoil/gait/detail/hand_path.hpp>
#include <hopcoil/gait/leap.hpp>

namespace hopcoil::detail {

/// A leap on its way, and after it what a body stands on.
struct Leaping {
    LeapPlan plan{};
    std::uint64_t ticks = 0;  ///< since its start
    bool from_feet = true;
    bool to_feet = true;
    std::array<std::uint32_t, 2> let_go{};  ///< holds, where it does not start from the feet
    std::array<Vector3, 2> feet_from{};
    std::array<Vector3, 2> feet_to{};
    Vector3 spot{};  ///< that it looks at
    double yaw_from_rad = 0.0;
    double yaw_rad = 0.0;  ///< along its way

    template <class Fields>
    void visit_state(Fields& fields) {
        fields(plan, ticks, from_feet, to_feet, let_go, feet_from, feet_to, spot, yaw_from_rad,
               yaw_rad);
    }
};

/// A leap that was asked for and has not begun.
struct LeapWish {
    enum class To : std::uint8_t { nowhere, hold, ground };
    To to = To::nowhere;
    std::uint32_t hold = 0;
    Vector3 spot{};
    std::optional<std::uint32_t> from_hold{};

    /// Whether it is to stop at the end of a swing, to leap from there.
    [[nodiscard]] bool is_from(const HandSwing& swing) const noexcept {
        if (to == To::nowhere || !from_hold) return to != To::nowhere;
        return std::min(swing.pivot, swing.caught) <= *from_hold &&
               *from_hold <= std::max(swing.pivot, swing.caught);
    }

    template <class Fields>
    void visit_state(Fields& fields) {
        fields.up_to(To::ground, to);
        fields(hold, spot, from_hold);
    }
};

}  // namespace hopcoil::detail
