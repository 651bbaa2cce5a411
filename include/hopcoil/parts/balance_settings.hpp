#pragma once

#include <cstddef>
#include <cstdint>
#include <span>
#include <vector>

#include <hopcoil/base/dial.hpp>
#include <hopcoil/parts/parts_structure.hpp>

namespace hopcoil {

/// The sizes of a body on two legs.
///
///     BalanceBuild tall = body_of_height(1.9, 85);
///
/// Units   metres, kilograms.
struct BalanceBuild {
    double leg_length_m = 0.88;  ///< hip to sole, stretched
    double thigh_part = 0.5;     ///< of hip to ankle
    double ankle_height_m = 0.08;
    double hip_width_m = 0.2;       ///< from one to the other
    double torso_length_m = 0.52;   ///< hips to shoulders
    double head_length_m = 0.3;     ///< shoulders to the top of the head
    double shoulder_width_m = 0.4;  ///< from one to the other
    double arm_length_m = 0.66;     ///< shoulder to the middle of the hand; 0: no arms
    double foot_length_m = 0.27;
    double foot_width_m = 0.1;
    double mass_kg = 70.0;

    friend bool operator==(const BalanceBuild&, const BalanceBuild&) = default;
};
/// Errors  InvalidValue unless both are above 0.
[[nodiscard]] BalanceBuild body_of_height(double height_m, double mass_kg);

/// The parts of a body, by their index in its structure: left before right.
enum class BodyPart : std::uint8_t {
    pelvis,
    torso,
    head,
    left_thigh,
    right_thigh,
    left_shin,
    right_shin,
    left_foot,
    right_foot,
    left_upper_arm,
    right_upper_arm,
    left_forearm,
    right_forearm,
};

/// Parts and joints of a body: standing with straight legs on y = 0 at the origin, facing +Z.
///
/// Model   the legs have a tenth of its mass, which counts while they hang from it; while it stands
///         on them they weigh nothing.
/// Errors  those of require_valid.
[[nodiscard]] PartsStructure body_structure(const BalanceBuild& build);

/// How a body keeps its balance, walks, falls and gets up.
///
/// Units   metres, seconds, radians, hertz.
struct BalanceSettings {
    BalanceBuild build{};
    double ride_height = 0.955;  ///< of its hips over the ground, in leg lengths; 0.6 to 0.97
    double ride_hz = 1.9;        ///< the spring that holds that height
    double ride_damping = 0.9;   ///< its damping ratio
    double upright_hz = 1.3;     ///< the spring that keeps it upright
    double upright_damping = 0.9;
    double posture_hz = 4.0;  ///< the springs of its joints
    /// The most torque that holds it from outside, in units of m g h (its weight times the height
    /// of its centre of mass); 0: feet alone keep it. At most 0.2.
    double help = 0.0;
    double rise_help = 0.15;                ///< the same while it gets up; at most 0.5
    double stance_width_m = 0.22;           ///< between its feet, standing
    double step_time_s = 0.26;              ///< of a step that catches it
    double walk_step_s = 0.44;              ///< of one when it walks
    double reaction_s = 0.15;               ///< from losing its balance to a step
    double foot_speed_m_per_s = 4.0;        ///< of the quickest step
    double step_reach = 0.5;                ///< how far from its hips it steps, in leg lengths
    double lift_m = 0.06;                   ///< of a step, over the ground between
    double most_speed_m_per_s = 1.3;        ///< walking
    double most_turn_rate_rad_per_s = 2.5;  ///< of its heading
    double fall_tilt_rad = 1.05;            ///< tilted by more than this it lets itself fall
    double fall_lean_rad = 0.7;             ///< or further than this off its feet
    double lies_s = 0.6;        ///< how long it lies before it gets up; below 0: until told to
    double rise_s = 1.3;        ///< how long it takes to get up
    std::size_t substeps = 12;  ///< of its parts, in every 1/60 s

    static constexpr std::size_t dial_count = 22;
    [[nodiscard]] static std::span<const Dial<BalanceSettings>> dials() noexcept;
};

/// Errors  InvalidValue names the field, its value and its range.
void require_valid(const BalanceBuild& build);
void require_valid(const BalanceSettings& settings);
[[nodiscard]] bool is_valid(const BalanceSettings& settings) noexcept;

}  // namespace hopcoil
