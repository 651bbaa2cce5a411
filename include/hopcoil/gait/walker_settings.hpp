#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <span>

#include <hopcoil/base/dial.hpp>
#include <hopcoil/base/vector3.hpp>

namespace hopcoil {

/// Which feet step next.
enum class StepPolicy : std::uint8_t {
    groups_in_turn,   ///< the group that has not stepped last, unless it has little to gain
    wait_for_both,    ///< none until all are out of place; then the group that is further behind
    one_at_a_time,    ///< the foot that is furthest out of place, alone
    alternate,        ///< the groups strictly by turns
    each_on_its_own,  ///< any that is out of place, while its neighbours are down
    in_a_gait,        ///< each at its time in a cycle whose pace goes with the speed
};

/// The order of the feet in a cycle.
enum class Gait : std::uint8_t {
    walk,    ///< one after the other, hind before fore; two legs by turns
    trot,    ///< crosswise pairs
    pace,    ///< the pairs of a side
    gallop,  ///< both hind feet, then both fore feet, each pair a little apart; flies when fast
    wave,    ///< a wave from the last pair to the first, for many legs
    run,     ///< by turns, four legs crosswise; when it is fast, all feet leave the ground between
    slide,   ///< none steps: all feet slide along under the body, as on ice
    by_speed,  ///< walk, run or gallop as the speed asks; many legs: wave, then trot
};

/// One leg: where it hangs, where its foot would like to stand, and with whom it steps.
struct WalkerLeg {
    Vector3 hip{};            ///< from the middle of the body at hip height: x to its left, z ahead
    Vector3 neutral{};        ///< the foot's spot beneath the body, y 0
    std::uint32_t group = 0;  ///< 0 or 1
    Vector3 pole{0, 0, 1};    ///< where the knee points
};

/// The body that walks: legs and the numbers of its steps.
///
///     const WalkerSettings crab = walker_with(6, 0.3);
///
/// Units   metres, seconds. Heights as parts of the leg's length, of the hips above the ground.
struct WalkerSettings {
    static constexpr std::size_t most_legs = 16;

    std::size_t leg_count = 2;
    std::array<WalkerLeg, most_legs> legs{};
    double leg_length_m = 0.95;     ///< hip to sole, stretched
    double thigh_part = 0.5;        ///< of that, the upper bone
    double foot_radius_m = 0.05;    ///< of the sole
    double standing_height = 0.89;  ///< 0.3 to 0.95
    double upright_height = 0.945;  ///< when it is slow and strides are short; to 0.97
    double lowest_height = 0.75;    ///< below standing_height
    double lift_height = 0.06;      ///< of a swing over the highest ground on its way
    double step_time = 1.2;  ///< of a slow swing, in units of sqrt(leg length / g); 0.7 to 2.5
    double most_acceleration_m_per_s2 = 4.0;         ///< of the body
    double most_turn_acceleration_rad_per_s2 = 8.0;  ///< of its heading
    double slope_limit_rad = 0.6;                    ///< steeper ground is not stepped on
    double bob_m = 0.015;   ///< how far the body rises over a foot that carries it, at full speed
    double sway_m = 0.012;  ///< and to its side
    double toe_pitch_rad = 0.35;  ///< how far a swinging foot's toe hangs at full speed; 0 to 1
    double roll_rad = 0.45;  ///< how far its heel rises before a foot leaves, in a brisk walk; to 1
    double lean_rad_s2_per_m = 0.03;  ///< into an acceleration
    StepPolicy policy = StepPolicy::groups_in_turn;
    Gait gait = Gait::walk;  ///< of in_a_gait

    static constexpr std::size_t dial_count = 11;
    [[nodiscard]] static std::span<const Dial<WalkerSettings>> dials() noexcept;
};

/// A body with so many legs of a length, two rows of them, groups crosswise: two legs side by side,
/// four as a dog's, six or more as an insect's.
/// Errors  InvalidValue unless legs is 2 or an even number up to 16, and the length above 0.
[[nodiscard]] WalkerSettings walker_with(std::size_t legs, double leg_length_m);

/// Errors  InvalidValue for a number out of its range, or a foot that its leg cannot reach.
void require_valid(const WalkerSettings& settings);
[[nodiscard]] bool is_valid(const WalkerSettings& settings) noexcept;

/// When a leg lands in the cycle of a gait, as a part of it.
[[nodiscard]] double landing_phase(Gait gait, std::size_t leg_count, std::size_t leg) noexcept;

/// The pace of a gait at a speed.
///
/// Model   with the Froude number F = v^2 / (g h), h the standing hip height: a stride of
///         2.4 h F^0.34, a duty factor of 0.52 F^-0.14, kept from 0.45 to 0.8. Where that stance is
///         longer than the legs allow, they go quicker instead; in a run or gallop they keep the
///         stride and stand for less of it, down to a duty factor of 0.28 or 0.2.
/// Source  R. McN. Alexander, A. S. Jayes: A dynamic similarity hypothesis for the gaits of
///         quadrupedal mammals, J. Zool. 201 (1983): cursorial mammals.
struct Cadence {
    double strides_per_s = 0.0;
    double duty_factor = 0.8;
};
struct WalkerLimits;
[[nodiscard]] Cadence cadence_at(const WalkerSettings& settings, const WalkerLimits& limits,
                                 double speed) noexcept;
/// The same in a given gait instead of that of the settings.
[[nodiscard]] Cadence cadence_in(Gait gait, const WalkerSettings& settings,
                                 const WalkerLimits& limits, double speed) noexcept;

/// The gait of a speed. Of `by_speed` it depends on the gait before: it changes a little later
/// than it changes back.
///
/// Model   two and four legs run from a Froude number of 0.5 on, four gallop from 2.5 on; six and
///         more go in a wave up to half of their top speed, then in a trot, crosswise.
/// Source  R. McN. Alexander: Optimization and gaits in the locomotion of vertebrates, Physiol.
///         Rev. 69 (1989); D. M. Wilson: Insect walking, Annu. Rev. Entomol. 11 (1966).
[[nodiscard]] Gait gait_at(const WalkerSettings& settings, const WalkerLimits& limits, double speed,
                           Gait before) noexcept;

/// What a body can do, from its settings.
///
/// Model   docs/math/walker.md.
struct WalkerLimits {
    double swing_time_scale_s = 0.0;  ///< sqrt(leg length / g)
    double soft_reach_m = 0.0;        ///< of a foot from its hip, over the ground, standing
    double hard_reach_m = 0.0;        ///< the same, as low as it goes
    double most_half_stride_m = 0.0;
    double half_stride_ahead_m = 0.0;  ///< past which a foot would meet its neighbour's
    double half_stride_sideways_m = 0.0;
    double most_speed_ahead = 0.0;     ///< m/s
    double most_speed_sideways = 0.0;  ///< m/s
};
[[nodiscard]] WalkerLimits limits_of(const WalkerSettings& settings) noexcept;

}  // namespace hopcoil
