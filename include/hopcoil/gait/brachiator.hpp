#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <optional>
#include <span>
#include <vector>

#include <hopcoil/base/channel.hpp>
#include <hopcoil/base/dial.hpp>
#include <hopcoil/base/quaternion.hpp>
#include <hopcoil/base/state.hpp>
#include <hopcoil/base/system.hpp>
#include <hopcoil/base/vector3.hpp>
#include <hopcoil/follow/follower.hpp>
#include <hopcoil/follow/rotation_mover.hpp>
#include <hopcoil/gait/brachiator_settings.hpp>
#include <hopcoil/gait/detail/hand_path.hpp>
#include <hopcoil/gait/detail/leaping.hpp>
#include <hopcoil/gait/detail/push_offset.hpp>

namespace hopcoil {

/// A hand, and the arm behind it.
struct BrachiatorHand {
    Vector3 shoulder{};
    Vector3 elbow{};
    Vector3 position{};  ///< of the grip
    bool holds = false;
    std::uint32_t hold = 0;  ///< which it has, or reaches for
    double phase = 0.0;      ///< of reaching, 0 to 1
    double force_n = 0.0;    ///< with which it holds the body
};

struct BrachiatorLeg {
    Vector3 hip{};
    Vector3 knee{};
    Vector3 foot{};       ///< its sole
    bool stands = false;  ///< planted on the ground
};

enum class BrachiatorPhase : std::uint8_t {
    hangs,    ///< and goes along the row
    stands,   ///< on the ground
    gathers,  ///< crouches, or swings back, and pushes off
    flies,
    arrives  ///< legs or arms stop it
};

/// Where a body stands before it leaps up to its holds.
struct BrachiatorStand {
    Vector3 spot{};        ///< between its soles
    double yaw_rad = 0.0;  ///< it faces +Z turned by this
};

struct BrachiatorLog {
    std::uint64_t catches = 0;
    std::uint64_t leaps = 0;
    std::uint64_t leaps_refused = 0;  ///< out of reach from where they were to begin
    double most_force_n = 0.0;        ///< of one hand
    double most_acceleration = 0.0;   ///< of the centre of mass while a hand holds, m/s^2
    double drawn_in_m = 0.0;          ///< most that the body was drawn in for the length of an arm
};

/// A body that goes hand over hand along a row of holds at a given speed, and leaps from the ground
/// to a hold, from hold to hold, and down again.
///
///     Brachiator rigger{{}, hooks};
///     rigger.step(1.4, dt);          // m/s along the row; below 0 it comes back
///     rigger.leap_to_ground(spot);   // as soon as it hangs still
///
/// Model   in ticks of 1/240 s: a path is planned about a second ahead, as arcs below the holds
///         from change-over to change-over, timed as a pendulum where there is time for that, then
///         smoothed three times over and lifted where an arm would be too short. What lies between
///         the holds is ignored. Leaps as in gait/leap.hpp. docs/math/brachiator.md.
/// Units   metres, seconds, radians, newtons. Left is hand, shoulder and leg 0.
/// Errors  InvalidValue for invalid settings, fewer than two holds, holds that are not finite, or
///         two that it starts on and cannot span; while stepping, what is not finite is ignored and
///         counted. A step of more than 10 s is cut to that, and says guarded.
/// Cost    some microseconds a tick; a copy is some 40 kB.
class Brachiator {
  public:
    struct Inputs {
        double speed = 0.0;  ///< wanted, m/s
    };
    static constexpr double tick_s = detail::HandPath::tick_s;

    /// Hanging by both hands, from the first two holds.
    Brachiator(const BrachiatorSettings& settings, std::vector<Vector3> holds);
    /// Standing on the ground.
    Brachiator(const BrachiatorSettings& settings, std::vector<Vector3> holds,
               const BrachiatorStand& stand);

    StepStatus step(double speed, double dt) noexcept;
    StepStatus step(const Inputs& inputs, double dt) noexcept { return step(inputs.speed, dt); }
    /// A sudden change of its velocity.
    StepStatus push(const Vector3& delta_velocity) noexcept;
    /// To a hold and a neighbour of it, with both hands: as soon as it stands or hangs still, or
    /// where it comes to `from_hold`. False for a hold that is not there, or has no neighbour in
    /// reach; one that turns out to be too far for a leap is left, and counted in
    /// `log().leaps_refused`. A new wish takes the place of one that waits.
    bool leap_to_hold(std::uint32_t hold,
                      std::optional<std::uint32_t> from_hold = std::nullopt) noexcept;
    /// Onto its feet, which come down on both sides of a spot. False for a spot that is not finite.
    bool leap_to_ground(const Vector3& spot,
                        std::optional<std::uint32_t> from_hold = std::nullopt) noexcept;
    /// The leap in progress; after it, the last one.
    [[nodiscard]] const LeapPlan& leap() const noexcept { return leaping_.plan; }
    [[nodiscard]] BrachiatorPhase phase() const noexcept;

    [[nodiscard]] const BrachiatorSettings& settings() const noexcept { return settings_; }
    /// New numbers from the next step on. Refused where sizes differ.
    bool try_retune(const BrachiatorSettings& settings) noexcept;
    [[nodiscard]] std::span<const Vector3> holds() const noexcept { return holds_; }

    /// The centre of mass.
    [[nodiscard]] Vector3 position() const noexcept { return position_; }
    [[nodiscard]] Vector3 velocity() const noexcept { return velocity_; }
    [[nodiscard]] Vector3 acceleration() const noexcept { return acceleration_; }
    [[nodiscard]] const Quaternion& rotation() const noexcept { return rotation_; }
    [[nodiscard]] const std::array<BrachiatorHand, 2>& hands() const noexcept { return hands_; }
    [[nodiscard]] const std::array<BrachiatorLeg, 2>& legs() const noexcept { return legs_; }
    /// The hold that it goes for next.
    [[nodiscard]] std::uint32_t next_hold() const noexcept { return next_hold_; }
    /// The hold that it goes for, or where it will land.
    [[nodiscard]] Vector3 looks_at() const noexcept;
    /// Whether the row ends here: there is no further hold in reach on its way.
    [[nodiscard]] bool is_at_end() const noexcept { return path_.is_at_end(); }
    [[nodiscard]] const BrachiatorLog& log() const noexcept { return log_; }
    [[nodiscard]] std::uint64_t ticks() const noexcept { return ticks_; }
    /// The time at which it is shown: that of its ticks, and what has passed since the last one.
    [[nodiscard]] double time_s() const noexcept {
        return static_cast<double>(ticks_) * tick_s + time_left_s_;
    }
    [[nodiscard]] bool still() const noexcept;
    [[nodiscard]] std::uint64_t rejected_inputs() const noexcept { return rejected_inputs_; }

    [[nodiscard]] std::span<const Channel> channels() const noexcept { return channels_; }
    void read(std::span<double> numbers) const noexcept;
    [[nodiscard]] static std::span<const Dial<Brachiator>> dials() noexcept;

    /// For save_state and load_state (base/state.hpp).
    template <class Fields>
    void visit_state(Fields& fields) {
        fields.begins("brachiator 3");
        fields.count(holds_.size());
        fields(path_, offset_, drawn_, folds_[0], folds_[1], ticks_, time_left_s_,
               rejected_inputs_);
        fields(log_.catches, log_.leaps, log_.leaps_refused, log_.most_force_n,
               log_.most_acceleration, log_.drawn_in_m, held_[0], held_[1]);
        fields.up_to(Mode::stands, mode_);
        fields(leaping_, wish_, turn_, free_[0], free_[1]);
        fields.require(path_.fits(holds_.size()) && leaping_.let_go[0] < holds_.size() &&
                       leaping_.let_go[1] < holds_.size() && wish_.hold < holds_.size() - 1);
        fields.require(mode_ != Mode::leaps || leaping_.plan.is_timed());
        pose();
    }

  private:
    enum class Mode : std::uint8_t { hangs, leaps, stands };
    /// What a limb is fixed to, if anything.
    struct Fixed {
        bool is_fixed = false;
        Vector3 place{};
    };

    void check_holds() const;
    void tick(double speed) noexcept;
    /// Computes the pose.
    Vector3 pose() noexcept;
    void draw_on(const Vector3& drawn) noexcept;
    void place_hands() noexcept;
    [[nodiscard]] Vector3 softly_stretched(const Vector3& leg) const noexcept;
    void place_legs() noexcept;
    void share_force() noexcept;
    [[nodiscard]] Vector3 draw_in() noexcept;
    void fold_legs() noexcept;
    [[nodiscard]] Vector3 shoulder(std::size_t side) const noexcept;
    [[nodiscard]] Vector3 hip(std::size_t side) const noexcept;
    [[nodiscard]] detail::HandAt hand_at(std::uint32_t side) const noexcept;
    [[nodiscard]] Fixed foot_on(std::size_t side) const noexcept;
    [[nodiscard]] SwingPoint on_way() const noexcept;
    [[nodiscard]] SwingPoint on_row() const noexcept;
    [[nodiscard]] Quaternion turn_on_way() const noexcept;
    // Leaps, in brachiator_leap.cpp:
    void begin_leap() noexcept;
    void advance_leap(double speed) noexcept;
    void turn_in_leap() noexcept;
    void move_free_hands() noexcept;
    [[nodiscard]] double leap_time_s() const noexcept;
    [[nodiscard]] LeapEnd leaves_from() const noexcept;
    [[nodiscard]] double sway_m(const Vector3& rest, std::uint32_t first) const noexcept;
    [[nodiscard]] Vector3 free_hand_target(std::size_t side) const noexcept;
    [[nodiscard]] Vector3 free_hand(std::size_t side) const noexcept;
    [[nodiscard]] Vector3 flying_foot(std::size_t side, const Vector3& dangling) const noexcept;
    [[nodiscard]] std::array<Vector3, 2> feet_beside(const Vector3& spot,
                                                     double yaw_rad) const noexcept;

    BrachiatorSettings settings_;
    std::vector<Vector3> holds_;
    std::array<Channel, 4> channels_{};
    detail::HandPath path_;
    detail::PushOffset offset_;              ///< what pushes have left
    detail::PushOffset drawn_;               ///< and what arms that are too short have
    std::array<Follower<double>, 2> folds_;  ///< of the legs
    std::array<bool, 2> held_{true, true};   ///< at the last tick
    std::uint64_t ticks_ = 0;
    double time_left_s_ = 0.0;  ///< since the last tick
    std::uint64_t rejected_inputs_ = 0;
    BrachiatorLog log_;
    Mode mode_ = Mode::hangs;
    detail::Leaping leaping_;
    detail::LeapWish wish_;
    RotationFollower turn_;                  ///< of the body, off the row
    std::array<Follower<Vector3>, 2> free_;  ///< hands that hold nothing, from their shoulders
    // What follows from the state:
    Vector3 position_{};
    Vector3 velocity_{};
    Vector3 acceleration_{};
    Quaternion rotation_{};
    std::uint32_t next_hold_ = 1;
    std::array<BrachiatorHand, 2> hands_{};
    std::array<BrachiatorLeg, 2> legs_{};
};

}  // namespace hopcoil
