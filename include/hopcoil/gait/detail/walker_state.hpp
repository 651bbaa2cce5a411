#pragma once

#include <array>
#include <cstdint>

#include <hopcoil/base/vector3.hpp>
#include <hopcoil/gait/foot_swing.hpp>
#include <hopcoil/gait/hop.hpp>

namespace hopcoil::detail {

/// How a walker's body is placed and turned.
struct WalkerPose {
    Vector3 place{};  ///< of the hips' middle, without bob and sway
    double yaw = 0.0;
    double slope_x = 0.0;
    double slope_z = 0.0;
    double sway = 0.0;
    double bob = 0.0;
    Vector3 lean{};

    /// This pose plus a part of `moved`, the difference of two poses.
    [[nodiscard]] WalkerPose plus(const WalkerPose& moved, double part) const noexcept {
        return {place + moved.place * part,     yaw + moved.yaw * part,
                slope_x + moved.slope_x * part, slope_z + moved.slope_z * part,
                sway + moved.sway * part,       bob + moved.bob * part,
                lean + moved.lean * part};
    }

    template <class Fields>
    void visit_state(Fields& fields) {
        fields(place, yaw, slope_x, slope_z, sway, bob, lean);
    }
};

/// What a walker knows of a foot beside what it shows.
struct FootState {
    Vector3 at_tick{};  ///< where it was as the last tick ended
    FootSwing swing{};
    std::uint32_t swing_part = 0;
    double lift_s = 0.0;
    Vector3 forward_on_part{0, 0, 1};
    Vector3 aim{};  ///< what the swing was planned for, before footholds
    Vector3 normal_on_part{0, 1, 0};
    Vector3 normal_after{0, 1, 0};  ///< of the ground that it lands on
    double pitch_rate = 0.0;
    std::uint32_t ticks_later = 0;  ///< that its landing was put off by
    double lands_at = 0.0;          ///< in the cycle of a gait, 0 to 1

    template <class Fields>
    void visit_state(Fields& fields) {
        fields(swing, swing_part, lift_s, aim, forward_on_part, normal_on_part, normal_after,
               pitch_rate, ticks_later, lands_at, at_tick);
    }
};

/// A hop under way.
struct HopState {
    HopPhase phase = HopPhase::none;
    HopWish wish{};
    std::uint32_t part = 0;  ///< of the ground that it lands on
    Vector3 on_part{};       ///< where
    HopPlan plan{};
    std::array<Quintic, 3> path{};  ///< of the hips, but in the air
    double ends_s = 0.0;            ///< the phase

    template <class Fields>
    void visit_state(Fields& fields) {
        fields.up_to(HopPhase::lands, phase);
        fields(wish, part, on_part, path, ends_s, plan);
    }
};

}  // namespace hopcoil::detail
