#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <span>
#include <vector>

#include <hopcoil/base/channel.hpp>
#include <hopcoil/base/dial.hpp>
#include <hopcoil/base/placement.hpp>
#include <hopcoil/base/state.hpp>
#include <hopcoil/base/system.hpp>
#include <hopcoil/base/vector3.hpp>
#include <hopcoil/field/ground.hpp>
#include <hopcoil/gait/foot_swing.hpp>
#include <hopcoil/parts/balance_inputs.hpp>
#include <hopcoil/parts/balance_settings.hpp>
#include <hopcoil/parts/parts.hpp>

namespace hopcoil {

/// A body of parts that stands on two feet, walks, steps to keep its balance when it is pushed,
/// falls when that is too much, and gets up again.
///
///     Balance deckhand{{}, ground, {0, 0, 0}};
///     deckhand.push({0.8, 0, 0});          // m/s
///     deckhand.step({.ground = &ground}, dt);
///     for (const Placement& part : deckhand.placements()) ...
///
/// Model   in ticks of 1/240 s. Trunk, head and arms are jointed parts held by springs; the ground
///         pushes them by one force, at a centre of pressure within the soles that carry, upward
///         only and within the friction cone. A capped torque from outside may help (`help`). When
///         the capture point leaves the soles, a foot steps to where it will be; feet swing as
///         those of a Walker. Legs follow hips and feet, and weigh nothing while it stands; limp
///         they are parts like the others. docs/balance.md.
/// Shapes  placements: of the parts of the body in the order of BodyPart, then of things.
/// Units   metres, seconds, kilograms, newtons, radians. Its place is the ground below it.
/// Source  J. Pratt, J. Carff, S. Drakunov and A. Goswami, Capture point: a step toward humanoid
///         push recovery, 2006.
/// Errors  InvalidValue for invalid settings or things; while stepping none: input that is not
///         finite is rejected and counted. A step of more than 10 s is cut to that, and says
///         guarded.
/// Cost    docs/performance.md. Only making and copying allocate.
class Balance {
  public:
    using Inputs = BalanceInputs;
    static constexpr double tick_s = 1.0 / 240;
    static constexpr std::size_t most_forces = 32;

    /// Standing, with things: other parts that it may be struck by or take hold of.
    Balance(const BalanceSettings& settings, const Ground& ground, const Vector3& place,
            double yaw_rad = 0.0, std::vector<Part> things = {});

    StepStatus step(const BalanceInputs& inputs, double dt) noexcept;

    /// A sudden change of the velocity of all of it but its feet.
    StepStatus push(const Vector3& delta_velocity) noexcept;
    /// A blow at a spot of a part, in newton seconds.
    StepStatus strike(std::uint32_t part, const Vector3& place,
                      const Vector3& impulse_n_s) noexcept;
    /// Changes its state; pose and velocity stay as they are. To stand from the next step on, which
    /// knows the ground; otherwise at once. `rises` is for a limp body.
    StepStatus become(BalanceState state) noexcept;
    /// Throws a thing: from a place, with a velocity.
    StepStatus throw_thing(std::uint32_t thing, const Placement& from,
                           const PartMotion& motion) noexcept;
    /// A thing stays where it is until it is thrown or no longer held still.
    StepStatus hold_still(std::uint32_t thing, bool is_still) noexcept;
    /// A hand reaches for a thing, and has it from when it is there. Rejected for a body without
    /// arms, a thing that is not there, or a force below 0.
    StepStatus take_hold(const BalanceGrip& grip) noexcept;
    /// Lets go; the thing keeps its velocity.
    void let_go() noexcept { reaches_ = has_grip_ = false; }
    [[nodiscard]] bool has_hold() const noexcept { return has_grip_; }

    /// The velocity over its ground that brings it to a place; `velocity` is that of the place, in
    /// the world.
    [[nodiscard]] Vector3 toward(const Vector3& place, const Vector3& velocity) const noexcept;

    [[nodiscard]] const BalanceSettings& settings() const noexcept { return settings_; }
    /// New numbers from the next step on. Refused where sizes differ.
    bool try_retune(const BalanceSettings& settings) noexcept;

    [[nodiscard]] BalanceState state() const noexcept { return state_; }
    [[nodiscard]] std::span<const Placement> placements() const noexcept { return shown_; }
    [[nodiscard]] std::span<const PartMotion> motions() const noexcept { return parts_.motions(); }
    [[nodiscard]] const PartsStructure& structure() const noexcept { return parts_.structure(); }
    [[nodiscard]] std::size_t body_size() const noexcept { return body_size_; }
    [[nodiscard]] std::size_t thing_count() const noexcept { return parts_.size() - body_size_; }
    [[nodiscard]] const std::array<BalanceFoot, 2>& feet() const noexcept { return shown_feet_; }
    [[nodiscard]] Vector3 hip(std::size_t side) const noexcept;

    /// The centre of mass of the whole body, as it is shown.
    [[nodiscard]] Vector3 centre_of_mass() const noexcept;
    [[nodiscard]] Vector3 velocity() const noexcept;
    /// The velocity of all but the legs, as long as they carry it.
    [[nodiscard]] const Vector3& trunk_velocity() const noexcept { return velocity_; }
    /// The capture point: where it would have to put its weight to stop.
    [[nodiscard]] const Vector3& capture_point() const noexcept { return capture_; }
    /// The centre of pressure under its soles.
    [[nodiscard]] const Vector3& pressure() const noexcept { return pressure_; }
    [[nodiscard]] const Vector3& ground_force() const noexcept { return force_; }
    [[nodiscard]] const Vector3& help_nm() const noexcept { return help_; }
    /// Its weight times the height of its centre of mass: what help is measured by.
    [[nodiscard]] double toppling_nm() const noexcept;
    /// How far it leans off the vertical, and hips over the ground as a part of what it holds.
    [[nodiscard]] double tilt_rad() const noexcept { return tilt_; }
    [[nodiscard]] double height() const noexcept { return height_; }
    /// What its parts and the things met during the last step, as Parts::impacts; 64 at most.
    [[nodiscard]] std::span<const PartImpact> impacts() const noexcept {
        return {impacts_.data(), impact_count_};
    }
    [[nodiscard]] const BalanceLog& log() const noexcept { return log_; }
    [[nodiscard]] std::uint64_t ticks() const noexcept { return ticks_; }
    [[nodiscard]] bool still() const noexcept;
    [[nodiscard]] double energy() const noexcept { return parts_.energy(); }
    [[nodiscard]] std::uint64_t rejected_inputs() const noexcept { return rejected_inputs_; }

    [[nodiscard]] std::span<const Channel> channels() const noexcept { return channels_; }
    void read(std::span<double> numbers) const noexcept;
    [[nodiscard]] static std::span<const Dial<Balance>> dials() noexcept;

    /// For save_state and load_state (base/state.hpp).
    template <class Fields>
    void visit_state(Fields& fields) {
        fields.begins("balance 6");
        fields.up_to(BalanceState::animated, state_);
        fields.up_to(BalanceState::animated, next_state_);
        fields(has_next_state_, has_pose_);
        prepare_springs(fields);
        fields(parts_);
        for (std::size_t side = 0; side < 2; ++side) {
            Step& own = steps_[side];
            fields(feet_[side], shown_feet_[side]);
            fields(own.swing, own.part, own.lift_s, own.land_s, own.way, own.turn_now, own.turn,
                   own.spot, own.roll_rad, own.roll_rate, own.knee, own.leg, own.knee_rate,
                   own.aside, own.aside_rate);
        }
        for (Settling& each : settling_)
            fields(each.way, each.way_rate, each.turn, each.turn_rate);
        for (std::size_t i = 0; i < placements_.size(); ++i) {
            fields(placements_[i].position, placements_[i].rotation, shown_[i].position,
                   shown_[i].rotation);
        }
        fields(reaches_, has_grip_, grip_.place, grip_.most_force_n);
        fields.up_to(static_cast<std::uint32_t>(thing_count()), grip_.thing);
        fields.up_to(1U, grip_.hand);
        const bool can_grip = settings_.build.arm_length_m > 0 && grip_.thing < thing_count();
        fields.require(can_grip || !(reaches_ || has_grip_));
        fields.up_to(1U, last_step_);
        fields(wanted_velocity_, yaw_, ground_, ground_rate_, ground_velocity_, pressure_, force_,
               help_, centre_, velocity_, capture_, pull_, pull_moment_, tilt_, height_, state_s_,
               slow_s_, out_s_, calm_s_, flies_s_, landed_s_, rise_from_, bob_phase_, bob_m_,
               shifts_, walks_, caught_, time_left_s_, ticks_, rejected_inputs_);
        fields(log_.steps, log_.catches, log_.falls, log_.help_nms, log_.rise_help_nms,
               log_.most_help);
    }

  private:
    friend class BalanceTick;
    /// A foot's way through the air, in the frame of what it will land on.
    struct Step {
        FootSwing swing{};
        std::uint32_t part = 0;
        double lift_s = 0.0;
        double land_s = 0.0;
        Vector3 way{};  ///< from where it was lifted to where it was to land then
        Quaternion turn_now{};
        Quaternion turn{};
        Vector3 spot{};
        double roll_rad = 0.0;  ///< of its sole, planted or not: above 0 its heel is up
        double roll_rate = 0.0;
        Vector3 knee{};  ///< the way it points, of length 1; none before the first tick
        Vector3 leg{};   ///< from hip to ankle, of length 1, when its knee was turned last
        double knee_rate = 0.0;
        Vector3 aside{};  ///< across `way`: where its foot passes its hip as it gets up
        double aside_rate = 0.0;
    };
    /// The offset of a part from its wanted place since the state changed; it decays.
    struct Settling {
        Vector3 way{};
        Vector3 way_rate{};
        Vector3 turn{};
        Vector3 turn_rate{};
    };

    StepStatus reject() noexcept;
    void prepare_springs(StateWriter& fields) const noexcept;
    void prepare_springs(StateReader& fields) noexcept;
    [[nodiscard]] bool can_use(const BalanceInputs& inputs, double dt) const noexcept;

    BalanceSettings settings_;
    Parts parts_;
    std::size_t body_size_;
    std::array<Channel, 8> channels_{};
    BalanceState state_ = BalanceState::stands;
    std::array<BalanceFoot, 2> feet_{};
    std::array<Step, 2> steps_{};
    std::vector<Settling> settling_;     ///< of each part of the body
    std::vector<Placement> placements_;  ///< of all, as the last tick ended
    std::vector<Placement> shown_;       ///< the same, carried on to now
    std::array<BalanceFoot, 2> shown_feet_{};
    std::vector<Placement> driven_;                    ///< room for a tick's
    std::array<PartForce, most_forces + 8> forces_{};  ///< the same
    std::size_t force_count_ = 0;
    std::vector<PartImpact> impacts_;  ///< room for a step's
    std::size_t impact_count_ = 0;
    BalanceGrip grip_{};
    bool reaches_ = false;
    bool has_grip_ = false;
    std::uint32_t last_step_ = 0;  ///< the foot that stepped last
    Vector3 wanted_velocity_{};
    double yaw_ = 0.0;
    double ground_ = 0.0;  ///< height of what it stands on, evened out
    double ground_rate_ = 0.0;
    Vector3 ground_velocity_{};
    Vector3 pressure_{};
    Vector3 force_{};
    Vector3 help_{};
    Vector3 centre_{};
    Vector3 velocity_{};
    Vector3 capture_{};
    Vector3 pull_{};         ///< over the ground, of all forces but the ground's, evened out
    Vector3 pull_moment_{};  ///< and their moment about its centre of mass
    double tilt_ = 0.0;
    double height_ = 1.0;
    double state_s_ = 0.0;    ///< since it changed
    double slow_s_ = 0.0;     ///< for how long it has lain still
    double out_s_ = 0.0;      ///< for how long the capture point has been off the soles
    double calm_s_ = 0.0;     ///< for how long it has stood quietly
    double flies_s_ = 0.0;    ///< for how long no foot has been down
    double landed_s_ = 0.0;   ///< since a foot landed
    double rise_from_ = 0.0;  ///< the height of its hips as it began to rise
    double bob_phase_ = 0.0;  ///< of a step, 0 in the middle of both feet being down
    double bob_m_ = 0.0;      ///< so far above and below its mean height it walks
    bool shifts_ = false;     ///< its weight, to free the foot that is not `last_step_`
    bool walks_ = false;
    bool has_pose_ = false;  ///< animated: it has been given one
    bool has_next_state_ = false;
    BalanceState next_state_ = BalanceState::stands;  ///< from the next tick on
    bool caught_ = false;                             ///< the last step kept it from falling
    double time_left_s_ = 0.0;
    std::uint64_t ticks_ = 0;
    std::uint64_t rejected_inputs_ = 0;
    BalanceLog log_;
};

}  // namespace hopcoil
