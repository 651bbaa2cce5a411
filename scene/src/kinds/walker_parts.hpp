#pragma once

#include <cstddef>
#include <cstdint>
#include <memory>
#include <optional>
#include <vector>

#include <hopcoil/gait/rig.hpp>
#include <hopcoil/gait/walker.hpp>
#include <hopcoil/scene/value_array.hpp>
#include <hopcoil/scene/view.hpp>

#include "model_rig.hpp"

namespace hopcoil::scene {

/// The outputs of a walker: its place, how it is turned, where it looks, where its feet would like
/// to stand, and its legs.
inline constexpr std::size_t facing_port = 1;
inline constexpr std::size_t gaze_port = 2;
inline constexpr std::size_t wanted_port = 3;
inline constexpr std::size_t first_leg_port = 4;
inline constexpr std::size_t leg_points = 3;   ///< hip, knee, sole
inline constexpr std::size_t foot_points = 2;  ///< heel, toe

struct WalkerLook {
    double radius_m = 0.0;
    std::vector<Colour> colours{};
    double order = 0.0;
};

/// The thing that it faces.
enum class Facing : std::uint8_t { its_way, rotation, angle };

/// A hop at a time: onto a place, or on the run at the speed that it has.
struct HopAt {
    double at_s = 0.0;
    std::optional<Vector3> to{};
    double apex_m = 0.0;  ///< 0: by the distance
};

/// Whether, and how, it hops to a target that is further away; and when it hops in any case.
struct HopHabit {
    double over_m = 0.0;  ///< 0: it never hops
    double longest_m = 0.0;
    double apex_m = 0.0;  ///< 0: by the distance
    double wait_s = 0.0;  ///< in which it looks at the spot
    std::vector<HopAt> at{};
};

/// A skeleton whose legs it drives, under an animation.
using WalkerRig = RigWithClip<Rig>;

/// The parts of a scene's walker.
struct WalkerParts {
    WalkerSettings settings{};
    double catch_up_s = 0.35;
    Facing facing = Facing::its_way;
    HopHabit hops{};
    std::shared_ptr<const WalkerRig> rig{};
    WalkerLook look{};
};

/// Signals of all legs: whether each stands, and why it does what it does; then these.
namespace walker_signal {
enum Index : std::size_t { flies, support, clearance, apart, slip, acceleration, slowed, count };
inline constexpr const char* names[] = {"flies",          "support_m", "clearance_m",
                                        "nearest_legs_m", "slip_m",    "foot_acceleration_m_per_s2",
                                        "slowed_s"};
}  // namespace walker_signal

}  // namespace hopcoil::scene
