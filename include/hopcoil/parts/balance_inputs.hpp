#pragma once

#include <cstdint>
#include <span>

#include <hopcoil/base/placement.hpp>
#include <hopcoil/base/quaternion.hpp>
#include <hopcoil/base/vector3.hpp>
#include <hopcoil/field/ground.hpp>
#include <hopcoil/parts/parts.hpp>

/// @file
/// Inputs of a body that keeps its balance, and its feet, grips and log.

namespace hopcoil {

/// What moves the body.
enum class BalanceState : std::uint8_t {
    stands,    ///< on its feet, standing or walking: joint springs, ground and steps
    limp,      ///< nothing but gravity and what it touches
    rises,     ///< it gets up
    animated,  ///< it goes where `BalanceInputs::pose` has it
};

/// The inputs of a body's step.
struct BalanceInputs {
    Vector3 velocity{};              ///< to walk with, over the ground, m/s; its y is not used
    double yaw_rad = 0.0;            ///< where to face: 0 along +Z, counter-clockwise from above
    const Ground* ground = nullptr;  ///< a flat one at 0, without
    std::span<const ContactShape> shapes{};  ///< as in PartsInputs
    std::span<const PartForce> forces{};     ///< at most 32
    std::span<const PartGrab> grabs{};       ///< hands of others
    const Wind* wind = nullptr;
    double time_s = 0.0;                ///< of the wind, at the end of the step
    std::span<const Placement> pose{};  ///< animated: of every part of the body, at the step's end
};

/// One foot, as it is shown.
struct BalanceFoot {
    Vector3 position{};  ///< the middle of the sole
    Quaternion rotation{};
    bool planted = true;
    std::uint32_t part = 0;     ///< of the ground that it stands on
    Vector3 on_part{};          ///< its place in that part's frame: planted it keeps every bit
    Quaternion turn_on_part{};  ///< and its rotation
    double phase = 0.0;         ///< in the air: 0 to 1 from lift to landing
    Vector3 landing{};          ///< where it stands, or will
    double load_n = 0.0;        ///< what it carries

    template <class Fields>
    void visit_state(Fields& fields) {
        fields(position, rotation, planted, part, on_part, turn_on_part, phase, landing, load_n);
    }
};

/// The grip of a hand on a thing.
struct BalanceGrip {
    std::uint32_t thing = 0;  ///< as in `Balance::things`
    Vector3 place{};          ///< in the thing's frame
    double most_force_n = 200.0;
    std::uint32_t hand = 1;  ///< 0: left; 1: right
};

/// What a body did and needed.
struct BalanceLog {
    std::uint64_t steps = 0;
    std::uint64_t catches = 0;  ///< steps of those that kept it from falling
    std::uint64_t falls = 0;
    double help_nms = 0.0;       ///< torque from outside times time, standing
    double rise_help_nms = 0.0;  ///< the same while it got up
    double most_help = 0.0;      ///< standing, in units of m g h
};

}  // namespace hopcoil
