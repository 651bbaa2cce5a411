#pragma once

#include <algorithm>
#include <array>
#include <cstddef>
#include <cstdint>
#include <span>

#include <hopcoil/parts/balance.hpp>

#include "balance_body.hpp"
#include "parts_math.hpp"

namespace hopcoil {

/// Of a step in a walk both feet are down for this part.
inline constexpr double both_down = 0.18;

/// From 0 to 1 and level at both.
[[nodiscard]] inline double smooth(double s) noexcept {
    const double t = std::clamp(s, 0.0, 1.0);
    return t * t * (3 - 2 * t);
}

/// One tick of a body that keeps its balance.
class BalanceTick {
  public:
    BalanceTick(Balance& body, const BalanceInputs& inputs, const Ground& ground,
                double remaining_s) noexcept;
    void run() noexcept;

    /// Standing on its feet, as it is made.
    void stand(const Vector3& place) noexcept;
    /// The state changes: what was driven is free, and the other way round.
    void enter(BalanceState state) noexcept;
    /// Feet and legs as the tick leaves them.
    void pose() noexcept;
    /// All of it carried on from the last tick to now.
    void show() noexcept;
    /// As hard as the state needs them.
    void set_springs_of_state() noexcept;
    /// Centre of mass, its velocity, and how the trunk is turned.
    void measure() noexcept;

  private:
    using V = Vector3;
    struct ArmPose {
        V shoulder{};  ///< a rotation vector in the joint's frame
        double elbow_rad = 0.0;
    };
    struct Landing {
        V spot{};
        double missed_m = 0.0;  ///< between what was wanted and what is in reach
    };
    struct Leg {
        V hip{};
        V knee{};
        V ankle{};
        V bends_to{};  ///< the direction of its knee
        Placement sole{};
    };

    // What happens next.
    void change_state() noexcept;
    [[nodiscard]] bool has_fallen() const noexcept;
    void wait_to_rise() noexcept;
    void rise() noexcept;
    void turn_and_speed_up() noexcept;

    // Feet.
    void move_feet() noexcept;
    void carry_feet() noexcept;
    void decide_steps() noexcept;
    void catch_itself() noexcept;
    void step_at_once(std::size_t side) noexcept;
    void tidy_feet() noexcept;
    [[nodiscard]] double turned_away(std::size_t side, double yaw_rad) const noexcept;
    void walk_on() noexcept;
    void begin_step(std::size_t side, const V& spot, double time_s) noexcept;
    void aim_step(std::size_t side, const V& spot) noexcept;
    [[nodiscard]] double highest_between(const V& from, const V& to, double top) const noexcept;
    void steer_step(std::size_t side) noexcept;
    void land(std::size_t side) noexcept;
    void plant(std::size_t side, const V& place, double yaw_rad) noexcept;
    [[nodiscard]] Landing landing_of(std::size_t side, double rest_s) const noexcept;
    [[nodiscard]] Landing walk_landing(std::size_t side, double rest_s) const noexcept;
    [[nodiscard]] Landing within_reach(std::size_t side, const V& wanted,
                                       double rest_s) const noexcept;
    [[nodiscard]] double least_width() const noexcept;
    [[nodiscard]] double walk_width() const noexcept;
    [[nodiscard]] V capture_after(const V& from, double rest_s) const noexcept;
    [[nodiscard]] V neutral_spot(std::size_t side, const V& beside) const noexcept;
    [[nodiscard]] V spot_to_rise(std::size_t side) const noexcept;
    [[nodiscard]] bool reaches(std::size_t side, double slack_m) const noexcept;

    // Forces.
    void push_from_ground() noexcept;
    void follow_ground() noexcept;
    void find_ground_below() noexcept;
    /// How high it is to go, how fast and how hard.
    struct Height {
        double metres = 0.0;
        double rate = 0.0;
        double acceleration = 0.0;
    };
    void follow_bob() noexcept;
    [[nodiscard]] Height bobbing(double metres) const noexcept;
    [[nodiscard]] double walking_height(double most_m) const noexcept;
    [[nodiscard]] double lift_force() const noexcept;
    [[nodiscard]] V wanted_pressure() const noexcept;
    [[nodiscard]] V walk_pressure() const noexcept;
    [[nodiscard]] V wanted_torque() const noexcept;
    [[nodiscard]] V within_soles(const V& spot) const noexcept;
    [[nodiscard]] double sole_height(const V& spot) const noexcept;
    [[nodiscard]] V with_friction(const V& force, const V& spot) const noexcept;
    void share_load(const V& spot, double newtons) noexcept;
    void pull_thing() noexcept;
    void note_pull() noexcept;
    void swing_arms() noexcept;
    [[nodiscard]] ArmPose reaching(std::size_t side) const noexcept;
    void note_help(const V& torque) noexcept;
    void add_force(std::uint32_t part, const V& world, const V& newtons, const V& torque) noexcept;

    // Parts.
    void step_parts() noexcept;
    void drive_legs(double ahead_s) noexcept;
    void drive_pose() noexcept;
    void take_legs() noexcept;
    void settle(double dt) noexcept;
    [[nodiscard]] Placement settled(std::uint32_t part, const Placement& to) const noexcept;
    void keep_where_it_is(std::uint32_t part, const Placement& to) noexcept;
    void place_leg(std::size_t side, const Placement& pelvis,
                   std::span<Placement> all) const noexcept;
    [[nodiscard]] double wanted_roll(std::size_t side) const noexcept;
    void roll_soles() noexcept;
    void keep_knee(std::size_t side) noexcept;
    void turn_knees() noexcept;
    [[nodiscard]] V wanted_knee(std::size_t side, const Placement& pelvis) const noexcept;
    [[nodiscard]] Placement sole_of(std::size_t side, const Placement& pelvis) const noexcept;
    void choose_side(std::size_t side, const Placement& pelvis) noexcept;
    [[nodiscard]] V past_hip(std::size_t side, const V& hip) const noexcept;
    [[nodiscard]] double leg_to(const Placement& sole, const V& hip) const noexcept;
    [[nodiscard]] double roll_under(std::size_t side, const V& hip) const noexcept;
    [[nodiscard]] double nearest_roll(std::size_t side, const V& hip) const noexcept;
    [[nodiscard]] Placement rolled_sole(std::size_t side, double roll_rad) const noexcept;
    [[nodiscard]] Placement sole_under(std::size_t side, const V& hip) const noexcept;
    [[nodiscard]] double longest_leg_m() const noexcept {
        return 0.998 * (at_.thigh_m + at_.shin_m);
    }
    [[nodiscard]] bool is_out_of_reach(std::size_t side) const noexcept;
    [[nodiscard]] Leg bend_leg(std::size_t side, const Placement& pelvis) const noexcept;
    void set_springs(double hz) noexcept;

    [[nodiscard]] std::span<const V> soles() const noexcept { return {corners_.data(), count_}; }
    void find_soles() noexcept;
    [[nodiscard]] V middle_of_feet() const noexcept;
    [[nodiscard]] V along(double yaw_rad) const noexcept;
    [[nodiscard]] V left() const noexcept;
    [[nodiscard]] double rate() const noexcept;  ///< of the inverted pendulum, 1/s
    [[nodiscard]] bool is_of_trunk(std::uint32_t part) const noexcept;
    [[nodiscard]] double standing_height() const noexcept;
    [[nodiscard]] V hip_of(std::size_t side) const noexcept;
    [[nodiscard]] V hips_middle() const noexcept;
    [[nodiscard]] V ankle_over(const BalanceFoot& foot) const noexcept;

    Balance& b_;
    const BalanceSettings& set_;
    const BalanceInputs& in_;
    const Ground& ground_;
    double remaining_s_;  ///< of the step, after this tick
    double now_s_;        ///< at its end
    parts::BodyMeasures at_;
    double mass_ = 0.0;
    V spin_momentum_{};           ///< about the centre of mass
    std::array<V, 8> corners_{};  ///< of the soles that carry
    std::size_t count_ = 0;
};

}  // namespace hopcoil
