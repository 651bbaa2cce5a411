#pragma once

#include <cstdint>

#include <hopcoil/base/vector3.hpp>
#include <hopcoil/gait/foot_swing.hpp>
#include <hopcoil/gait/walker_settings.hpp>

namespace hopcoil {

/// A hop asked of a walker.
struct HopWish {
    Vector3 place{};        ///< where the middle of its feet is to land; the height is the ground's
    double apex_m = 0.0;    ///< of the hips over the higher end of the flight, at least 0.03 legs;
                            ///< 0: by the distance
    bool keeps_on = false;  ///< at the speed that it has, before and after; `place` is not used

    template <class Fields>
    void visit_state(Fields& fields) {
        fields(place, apex_m, keeps_on);
    }
};

enum class HopPhase : std::uint8_t {
    none,
    waits,     ///< until it stands, or no foot is in the air
    crouches,  ///< over its feet
    pushes,    ///< until the legs are stretched
    flies,
    lands,  ///< brakes over the feet that have landed
};

/// What a hop starts from.
struct HopStart {
    Vector3 hips{};      ///< the middle between them
    Vector3 velocity{};  ///< over the ground's own
    Vector3 feet{};      ///< the middle of the planted ones
    Vector3 landing{};   ///< of the feet's middle, on the ground
};

/// The path of a hop, planned before it begins.
///
/// Model   the hips sink over the feet, rise along a quintic to the take-off with the launch's
///         velocity, fly ballistically, touch down behind the landing by the way that braking
///         takes, and come to rest over it.
/// Units   metres, seconds.
struct HopPlan {
    Vector3 crouch{};  ///< of the hips, as the next two
    Vector3 take_off{};
    Vector3 touch_down{};
    Vector3 launch{};              ///< m/s
    double touch_down_rate = 0.0;  ///< of the height then, m/s
    double crouch_s = 0.0;
    double push_s = 0.0;
    double flight_s = 0.0;
    double landing_s = 0.0;

    template <class Fields>
    void visit_state(Fields& fields) {
        fields(crouch, take_off, touch_down, launch, touch_down_rate, crouch_s, push_s, flight_s,
               landing_s);
    }
};
[[nodiscard]] HopPlan plan_hop(const WalkerSettings& settings, const HopStart& start,
                               const HopWish& wish) noexcept;

/// A leg in the air, and the body that carries it.
struct FlyingLeg {
    SwingPoint foot{};
    Vector3 hips{};
    Vector3 velocity{};       ///< of the hips
    Vector3 carried{};        ///< what carried them before they flew, m/s
    double falls_with = 0.0;  ///< their acceleration downward
    double now_s = 0.0;
    double land_s = 0.0;
    double leg_length_m = 1.0;
};
/// A leg drawn up to a place relative to the hips, where it stays.
[[nodiscard]] FootSwing fold_leg(const FlyingLeg& leg, const Vector3& beneath) noexcept;
/// A leg that goes down to its spot, where it lands with the velocity of the ground.
[[nodiscard]] FootSwing stretch_leg(const FlyingLeg& leg, const Vector3& spot,
                                    const Vector3& ground_velocity) noexcept;
/// How long before the landing a leg begins to reach for its spot.
[[nodiscard]] double stretch_time_s(double leg_length_m, double flight_s) noexcept;

}  // namespace hopcoil
