#pragma once

#include <array>
#include <cstddef>
#include <cstdint>

#include <hopcoil/parts/balance_settings.hpp>

#include "parts_math.hpp"

namespace hopcoil {
namespace parts {

constexpr std::uint32_t index_of(BodyPart part) noexcept {
    return static_cast<std::uint32_t>(part);
}
/// Of a side: 0 is left.
constexpr std::uint32_t thigh_of(std::size_t side) noexcept {
    return index_of(BodyPart::left_thigh) + static_cast<std::uint32_t>(side);
}
constexpr std::uint32_t shin_of(std::size_t side) noexcept {
    return index_of(BodyPart::left_shin) + static_cast<std::uint32_t>(side);
}
constexpr std::uint32_t foot_of(std::size_t side) noexcept {
    return index_of(BodyPart::left_foot) + static_cast<std::uint32_t>(side);
}
constexpr std::uint32_t upper_arm_of(std::size_t side) noexcept {
    return index_of(BodyPart::left_upper_arm) + static_cast<std::uint32_t>(side);
}
constexpr std::uint32_t forearm_of(std::size_t side) noexcept {
    return index_of(BodyPart::left_forearm) + static_cast<std::uint32_t>(side);
}
constexpr bool is_of_legs(std::uint32_t part) noexcept {
    return part >= thigh_of(0) && part <= foot_of(1);
}
/// +1 to the left, -1 to the right.
constexpr double way_of(std::size_t side) noexcept {
    return side == 0 ? 1.0 : -1.0;
}

/// The joints of body_structure, in order.
enum class BodyJoint : std::uint8_t {
    waist,
    neck,
    left_hip,
    right_hip,
    left_knee,
    right_knee,
    left_ankle,
    right_ankle,
    left_shoulder,
    right_shoulder,
    left_elbow,
    right_elbow,
};
constexpr std::size_t index_of(BodyJoint joint) noexcept {
    return static_cast<std::size_t>(joint);
}

/// Places of the body's joints and centres.
struct BodyMeasures {
    explicit BodyMeasures(const BalanceBuild& build) noexcept;

    double thigh_m;
    double shin_m;
    Vector3 pelvis{};  ///< standing straight, as all below
    Vector3 torso{};
    Vector3 head{};
    double waist_y;
    double neck_y;
    Vector3 hip{};       ///< of the left, in the pelvis's frame
    Vector3 shoulder{};  ///< of the left, in the torso's frame
    Vector3 ankle{};     ///< over the middle of the sole, which is the foot's place
    double upper_arm_m;
    double forearm_m;

    [[nodiscard]] Vector3 hip_of(std::size_t side) const noexcept {
        return {way_of(side) * hip.x, hip.y, hip.z};
    }
};

inline constexpr double gravity = 9.80665;

/// From the axes of a ball joint's frame to the body's: x down, or up.
[[nodiscard]] Quaternion frame_down() noexcept;
[[nodiscard]] Quaternion frame_up() noexcept;

/// A spring that holds a joint in a posture: stiff enough that the limb swings at a given
/// frequency.
[[nodiscard]] JointSpring posture_spring(const BalanceBuild& build, BodyJoint joint, double hz,
                                         const Vector3& wanted_rad) noexcept;

}  // namespace parts
}  // namespace hopcoil
