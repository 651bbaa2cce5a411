#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <span>

#include <hopcoil/base/components.hpp>
#include <hopcoil/base/quaternion.hpp>
#include <hopcoil/base/system.hpp>
#include <hopcoil/base/vector3.hpp>
#include <hopcoil/field/ground.hpp>
#include <hopcoil/gait/detail/walker_state.hpp>
#include <hopcoil/gait/hop.hpp>
#include <hopcoil/gait/walker_settings.hpp>

namespace hopcoil {

/// The wanted motion of a walker, relative to its body.
struct WalkCommand {
    double ahead = 0.0;      ///< m/s
    double left = 0.0;       ///< m/s
    double turn_rate = 0.0;  ///< rad/s, counter-clockwise from above
    friend bool operator==(const WalkCommand&, const WalkCommand&) = default;
};

/// Why a foot steps or waits.
enum class StepReason : std::uint8_t {
    stands,   ///< planted, and near enough to where it wants to be
    waits,    ///< out of place, while others are in the air
    strides,  ///< in the air: the stride was used up
    reaches,  ///< in the air: its leg, or another's, would have come to its end
    turns,    ///< in the air: it pointed the wrong way
    tidies,   ///< in the air: to its neutral spot at rest
    flies,    ///< in the air with the body: a hop
    slides,   ///< on the ground with the body: asked for by the gait
};

/// One foot, as it is shown.
struct WalkerFoot {
    Vector3 position{};  ///< the middle of the sole while it is flat
    Vector3 forward{0, 0, 1};
    Vector3 normal{0, 1, 0};  ///< of its sole: that of the ground, and between two of them
    double pitch_rad = 0.0;   ///< above 0 its heel is up, below 0 its toe: Walker::sole
    bool planted = true;
    std::uint32_t part = 0;  ///< of the ground that it stands on
    Vector3 on_part{};       ///< its place in that part's frame: planted it keeps every bit
    double phase = 0.0;      ///< in the air: 0 to 1 from lift to landing
    Vector3 landing{};       ///< where it stands, or will
    Vector3 wanted{};        ///< where it would like to stand
    double error_m = 0.0;    ///< from there, over the ground
    double threshold_m = 0.0;
    StepReason reason = StepReason::stands;
};

/// The sole of a foot that rolls about the edge that is down: its toe while the heel is up, and the
/// other way round. That edge of a planted foot keeps its place, bit for bit.
struct WalkerSole {
    /// Of the sole's radius, behind and ahead of its middle.
    static constexpr double heel_part = 0.7;
    static constexpr double toe_part = 1.4;

    Vector3 heel{};
    Vector3 toe{};
    Vector3 forward{0, 0, 1};  ///< from heel to toe
    Vector3 normal{0, 1, 0};   ///< out of the ground
};
/// Of a foot whose sole reaches so far behind its position, and so far ahead of it, in metres.
[[nodiscard]] WalkerSole rolled_sole(const WalkerFoot& foot, double behind_m,
                                     double ahead_m) noexcept;

/// What a walker had to give up, and counts of what it did.
struct WalkerLog {
    std::uint64_t steps = 0;
    std::uint64_t landings = 0;
    double slowed_s = 0.0;          ///< time in which the body was held back for a leg's reach
    double lowest_height_m = 0.0;   ///< of the hips above the ground, over all
    std::uint64_t no_foothold = 0;  ///< landings on ground that nobody should stand on
    std::uint64_t hops = 0;
    double slid_m = 0.0;  ///< how far feet slid, on the mean
};

/// A body on legs that step when they must: it goes where it is told as smoothly as its feet allow,
/// and plants them where it will be.
///
///     Walker lamplighter{walker_with(2, 0.95), ground, {0, 0, 0}};
///     lamplighter.step({.ahead = 1.2}, ground, dt);
///     for (const WalkerFoot& foot : lamplighter.feet()) ...
///
/// Model   in ticks of 1/240 s: the command is limited to what the legs can do, the body held back
///         where a planted foot would leave its leg's reach, the landing of each swing aimed at the
///         neutral spot half a stance after the predicted landing; docs/math/walker.md.
///         What yields: never a planted foot (it keeps every bit in the frame of what it stands
///         on); first the body's height, then its speed.
/// Units   metres, seconds, radians. The body's place is the middle between its hips.
/// Errors  InvalidValue for invalid settings; while stepping, what is not finite is ignored and
///         counted. A step of more than 10 s is cut to that, and says guarded.
/// Cost    some microseconds a tick.
class Walker {
  public:
    struct Inputs {
        WalkCommand command{};
        const Ground* ground = nullptr;  ///< a flat one at 0, without
    };
    static constexpr std::size_t most_legs = WalkerSettings::most_legs;
    static constexpr double tick_s = 1.0 / 240;

    /// Standing on the ground at a place, each foot at its neutral spot.
    Walker(const WalkerSettings& settings, const Ground& ground, const Vector3& place,
           double yaw_rad = 0.0);

    StepStatus step(const WalkCommand& command, const Ground& ground, double dt) noexcept;
    StepStatus step(const Inputs& inputs, double dt) noexcept;
    /// Puts it at another place at once, standing.
    StepStatus reset(const Ground& ground, const Vector3& place, double yaw_rad) noexcept;
    /// A sudden change of the body's velocity, in the world.
    StepStatus push(const Vector3& delta_velocity) noexcept;

    /// Hops to a place as soon as it stands; its heading stays. Refused while it hops, and where
    /// there is no ground to land on.
    StepStatus hop(const HopWish& wish, const Ground& ground) noexcept;
    [[nodiscard]] HopPhase hop_phase() const noexcept { return hop_.phase; }
    /// Where it looks: where it will land, or else the ground ahead.
    [[nodiscard]] Vector3 attention() const noexcept;

    /// The command that brings the body to a place and heading that move, in about `within_s`; the
    /// velocity is that in the world, whatever carries the walker there.
    [[nodiscard]] WalkCommand toward(const Vector3& place, double yaw_rad, const Vector3& velocity,
                                     double within_s = 0.35) const noexcept;

    [[nodiscard]] const WalkerSettings& settings() const noexcept { return settings_; }
    [[nodiscard]] const WalkerLimits& limits() const noexcept { return limits_; }
    /// New numbers from the next step on; swings go on. Refused where the legs differ.
    bool try_retune(const WalkerSettings& settings) noexcept;

    /// The middle between its hips, bob and sway included.
    [[nodiscard]] Vector3 position() const noexcept;
    /// Its heading, the slope it stands on, and its lean.
    [[nodiscard]] Quaternion rotation() const noexcept;
    [[nodiscard]] double yaw_rad() const noexcept { return shown_.yaw; }
    /// The velocity of its position, in the world; bob and sway included.
    [[nodiscard]] Vector3 velocity() const noexcept;
    /// The angular velocity of its rotation, in the world; slope and lean included.
    [[nodiscard]] Vector3 angular_velocity() const noexcept;
    [[nodiscard]] Vector3 carried_velocity() const noexcept { return carried_; }  ///< its ground's
    [[nodiscard]] double turn_rate() const noexcept { return turn_rate_; }
    [[nodiscard]] std::span<const WalkerFoot> feet() const noexcept {
        return {feet_.data(), settings_.leg_count};
    }
    /// The gait that it is in now, with the policy `in_a_gait`.
    [[nodiscard]] Gait gait() const noexcept { return gait_; }
    [[nodiscard]] Vector3 hip(std::size_t leg) const noexcept;
    [[nodiscard]] Vector3 knee(std::size_t leg) const noexcept;
    [[nodiscard]] WalkerSole sole(std::size_t leg) const noexcept;
    [[nodiscard]] const WalkerLog& log() const noexcept { return log_; }
    [[nodiscard]] std::uint64_t ticks() const noexcept { return ticks_; }  ///< taken so far
    /// The time at which it is shown: that of its ticks, and what has passed since the last one.
    [[nodiscard]] double time_s() const noexcept {
        return static_cast<double>(ticks_) * tick_s + time_left_s_;
    }
    /// No foot in the air, none out of place, the body still.
    [[nodiscard]] bool still() const noexcept;
    [[nodiscard]] std::uint64_t rejected_inputs() const noexcept { return rejected_inputs_; }

    /// Its place, how it is turned, the feet and which of them are planted.
    [[nodiscard]] std::span<const Channel> channels() const noexcept { return channels_; }
    void read(std::span<double> numbers) const noexcept;
    [[nodiscard]] static std::span<const Dial<Walker>> dials() noexcept;

    /// For save_state and load_state (base/state.hpp).
    template <class Fields>
    void visit_state(Fields& fields) {
        fields.begins("walker 7");
        fields(pose_, moved_, shown_, velocity_, turn_rate_, height_rate_, crouch_, mean_ground_,
               time_left_s_, cycle_, rested_s_, ticks_, rejected_inputs_, last_group_, hop_);
        fields(gait_share_, rock_, carried_);
        fields.up_to(Gait::by_speed, gait_);
        fields.up_to(Gait::by_speed, gait_before_);
        fields(log_.steps, log_.landings, log_.slowed_s, log_.lowest_height_m, log_.no_foothold,
               log_.hops, log_.slid_m);
        for (std::size_t i = 0; i < settings_.leg_count; ++i) {
            WalkerFoot& foot = feet_[i];
            fields(state_[i], foot.position, foot.forward, foot.normal, foot.planted, foot.part,
                   foot.on_part, foot.phase, foot.pitch_rad, foot.landing, foot.wanted,
                   foot.error_m, foot.threshold_m);
            fields.up_to(StepReason::slides, foot.reason);
        }
    }

  private:
    void note_tick(const detail::WalkerPose& before) noexcept;
    void show(const Ground& ground) noexcept;
    [[nodiscard]] Vector3 hip_of(const detail::WalkerPose& pose, std::size_t leg) const noexcept;
    [[nodiscard]] double highest_over(const detail::WalkerPose& pose, std::size_t leg,
                                      const Vector3& foot) const noexcept;
    [[nodiscard]] Vector3 in_swing(std::size_t leg, double time_s, const Ground& ground,
                                   double ahead_s) const noexcept;
    [[nodiscard]] Vector3 within_leg(const Vector3& place, const Vector3& hip,
                                     double phase) const noexcept;
    void pull_along(std::size_t leg, const Vector3& hip, double phase) noexcept;
    friend class WalkerTick;
    static constexpr std::uint32_t no_group = 0xFFFFFFFF;

    WalkerSettings settings_;
    WalkerLimits limits_;
    std::array<Channel, 4> channels_{};
    detail::WalkerPose pose_{};   ///< as the last tick ended
    detail::WalkerPose moved_{};  ///< in that tick
    detail::WalkerPose shown_{};  ///< carried on to now
    Vector3 velocity_{};          ///< over the ground's own
    double turn_rate_ = 0.0;
    Vector3 carried_{};  ///< velocity of what it stands on
    double height_rate_ = 0.0;
    double crouch_ = 0.0;       ///< how far it is kept below its usual height
    double mean_ground_ = 0.0;  ///< under its feet and on its way
    double time_left_s_ = 0.0;  ///< since the last tick
    double cycle_ = 0.0;        ///< of a gait, 0 to 1
    Gait gait_ = Gait::walk;    ///< that it is in
    Gait gait_before_ = Gait::walk;
    double gait_share_ = 1.0;  ///< how far it has changed from one to the other
    double rock_ = 0.0;        ///< slope of a galloping body, above that of the ground
    double rested_s_ = 0.0;    ///< since it last moved
    std::uint64_t ticks_ = 0;
    std::uint32_t last_group_ = no_group;
    std::array<WalkerFoot, most_legs> feet_{};
    std::array<detail::FootState, most_legs> state_{};
    detail::HopState hop_{};
    WalkerLog log_;
    std::uint64_t rejected_inputs_ = 0;
};

}  // namespace hopcoil
