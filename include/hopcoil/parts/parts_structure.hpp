#pragma once

#include <cstddef>
#include <cstdint>
#include <limits>
#include <optional>
#include <span>
#include <string_view>
#include <vector>

#include <hopcoil/base/dial.hpp>
#include <hopcoil/base/placement.hpp>
#include <hopcoil/base/vector3.hpp>
#include <hopcoil/parts/part_shape.hpp>

/// @file
/// Rigid parts and what holds them together.

namespace hopcoil {

/// A rigid body.
struct Part {
    Placement placement{};  ///< of its own frame, at the start
    std::vector<PartShape> shapes{};
    double mass_kg = 0.0;                ///< 0: from the shapes' densities
    MassProperties given{};              ///< all of it, where its mass is above 0
    bool is_driven = false;              ///< goes where PartsInputs::driven has it, or stays
    double drag_per_s = 0.0;             ///< of its velocity
    double turning_drag_per_s = 0.0;     ///< of its angular velocity
    double friction = 0.5;               ///< of a contact: the root of both sides' product
    double restitution = 0.0;            ///< of a contact: the larger of both sides'
    double rolling_m = 0.0;              ///< resistance to rolling: torque over normal force
    std::uint32_t no_contact_group = 0;  ///< parts of one, above 0, do not collide with each other
};

/// A joint's other end: a place that never moves.
inline constexpr std::uint32_t no_part = std::numeric_limits<std::uint32_t>::max();

/// An angular spring (of a slide: along it) toward a wanted position, as strong as it is allowed.
/// PartsInputs::targets moves that position.
///
///     JointSpring motor{.damping = 20, .wanted_rate = 5, .most = 40};
///
/// Model   torque = stiffness (wanted - x) + damping (wanted_rate - x'), no larger than `most`.
///         Without stiffness it is a motor.
struct JointSpring {
    double stiffness = 0.0;    ///< N m/rad; of a slide N/m
    double damping = 0.0;      ///< N m s/rad; of a slide N s/m
    double wanted = 0.0;       ///< hinge: rad; slide: m
    Vector3 wanted_rad{};      ///< ball: an axis times an angle, in the joint's frame on `a`
    double wanted_rate = 0.0;  ///< hinge: rad/s; slide: m/s; ball: rad/s about the X axis of `a`
    double most = 1e9;         ///< N m; of a slide N

    friend bool operator==(const JointSpring&, const JointSpring&) = default;
    static constexpr std::size_t dial_count = 5;
    [[nodiscard]] static std::span<const Dial<JointSpring>> dials() noexcept;
};

/// Errors  InvalidValue names the field, its value and its range.
void require_valid(const JointSpring& spring);
[[nodiscard]] bool is_valid(const JointSpring& spring) noexcept;

/// Holds two parts together at a place, as they are at the start.
struct PartJoint {
    enum class Type : std::uint8_t {
        hinge,  ///< turns about the X axis of its frame
        ball,   ///< turns every way
        slide,  ///< moves along the X axis of its frame
        fixed,
    };
    Type type = Type::hinge;
    std::uint32_t a = no_part;  ///< `no_part`: the world
    std::uint32_t b = 0;
    Placement frame{};     ///< in the world at the start
    double lowest = -1e9;  ///< hinge: rad, seen from a; slide: m; none beyond pi
    double highest = 1e9;
    double most_lean_rad = 1e9;   ///< ball: of b's X axis from a's
    double most_twist_rad = 1e9;  ///< ball: about b's X axis, either way
    JointSpring spring{};
    bool lets_touch = false;  ///< whether the two parts collide
};

/// As a link's stiffness: it does not give way.
inline constexpr double hard = 1e100;

/// Holds the distance of a point of one part from a point of another within a range.
///
/// Model   force k (l - longest) where the length l is above `longest_m`, k (l - shortest) where it
///         is below `shortest_m`, none in between; damping c l' wherever the stiffness acts.
struct PartLink {
    std::uint32_t a = no_part;  ///< `no_part`: the world
    std::uint32_t b = 0;
    Vector3 point_a{};  ///< in the frame of a
    Vector3 point_b{};
    double shortest_m = 0.0;
    double longest_m = 0.0;
    double stiffness_n_per_m = 1000.0;  ///< `hard` is the stiffest
    double damping_n_s_per_m = 0.0;
};

struct PartsStructure {
    std::vector<Part> parts{};
    std::vector<PartJoint> joints{};
    std::vector<PartLink> links{};
    bool is_flat = false;  ///< nothing leaves its XY plane

    std::uint32_t add(const Part& part);
    /// A link as long as its ends are apart at the start. Errors: std::out_of_range.
    std::size_t link(std::uint32_t a, const Vector3& point_a, std::uint32_t b,
                     const Vector3& point_b, double stiffness_n_per_m,
                     double damping_n_s_per_m = 0.0);
};

/// Errors  InvalidValue names the field: a number that is not finite, a mass, stiffness or limit
///         that cannot be; std::out_of_range for an index of no part, or both ends in one part.
void require_valid(const Part& part);
void require_valid(const PartJoint& joint);
void require_valid(const PartsStructure& structure);

/// A row of hinges, one between each part and the next, about an axis of the world; each anchor is
/// halfway between the centres of the two, and can be moved afterwards.
/// Errors  std::out_of_range for a part that is not there; InvalidValue for an axis of no length.
[[nodiscard]] std::vector<PartJoint> row_of_hinges(const PartsStructure& structure,
                                                   std::span<const std::uint32_t> row,
                                                   const Vector3& axis);

}  // namespace hopcoil
