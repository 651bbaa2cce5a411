#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <optional>

#include <hopcoil/base/math.hpp>
#include <hopcoil/gait/walker.hpp>

#include "../base/vectors.hpp"

namespace hopcoil {

/// A rotation about Y.
struct Heading {
    double c = 1.0;
    double s = 0.0;

    Heading() = default;
    explicit Heading(double yaw_rad) noexcept : c{math::cos(yaw_rad)}, s{math::sin(yaw_rad)} {}
    [[nodiscard]] Vector3 to_world(const Vector3& v) const noexcept {
        return {c * v.x + s * v.z, v.y, c * v.z - s * v.x};
    }
    [[nodiscard]] Vector3 to_body(const Vector3& v) const noexcept {
        return {c * v.x - s * v.z, v.y, c * v.z + s * v.x};
    }
};

inline constexpr double tick_s = Walker::tick_s;

/// One tick of a walker.
class WalkerTick {
  public:
    WalkerTick(Walker& walker, const WalkCommand& command, const Ground& ground,
               double ahead_s) noexcept;
    void run() noexcept;
    /// Feet at their neutral spots, the body over them.
    void stand() noexcept;

  private:
    /// Where the body will be, if what it stands on stays where it is.
    struct Body {
        Vector3 place{};
        Heading heading{};
    };
    struct Foothold {
        Vector3 spot{};
        GroundPoint ground{};
        bool good = false;
    };
    /// What a swing has to be clear of.
    enum class Clear : std::uint8_t {
        of_all,     ///< the ground and the feet that stand
        of_ground,  ///< of the feet too, if possible
        of_nothing
    };
    /// A swing that is to be planned.
    struct SwingTask {
        std::uint32_t part = 0;  ///< of the ground, in whose frame it is
        Vector3 side{};          ///< outward from the body
        SwingWish wish{};        ///< as low as it may be
        Vector3 normal{};        ///< of the ground that it lands on
        double height_m = 0;     ///< to which the body goes for it
        bool is_even = false;    ///< nothing on its way stands out
        Clear clear = Clear::of_ground;
    };
    struct OnWay {
        Vector3 planned{};
        Vector3 pulled{};
    };
    [[nodiscard]] double feet_apart() const noexcept { return 1.9 * set_.foot_radius_m; }
    static constexpr double look_s = 0.025;
    static constexpr std::size_t looks = 64;
    static constexpr double height_rad_per_s = 14;  ///< of the spring that holds the body up

    void limit_command() noexcept;
    void accelerate() noexcept;
    void hold_back() noexcept;
    void hold_back_for(std::size_t leg) noexcept;
    void move_body() noexcept;
    [[nodiscard]] bool slides() const noexcept {
        return has_gait() && set_.gait == Gait::slide && !is_hopping();
    }
    /// Where a foot that slides with the body gets to; nothing where an edge is in its way.
    [[nodiscard]] std::optional<Foothold> slid(std::size_t leg, const Body& before) const noexcept;
    void slide_feet(const Body& before) noexcept;
    [[nodiscard]] bool has_landed(std::size_t leg, const Vector3& spot) const noexcept;
    void advance_phase(std::size_t leg) noexcept;
    void land_feet() noexcept;
    void carry_feet() noexcept;
    void predict() noexcept;
    [[nodiscard]] Vector3 held_by_feet(const Body& before, const Body& body) const noexcept;
    [[nodiscard]] Body body_over_ground(double time_s) const noexcept;
    /// The same, carried along.
    [[nodiscard]] Body body_in(double time_s) const noexcept;
    /// Where a foot will be after a time, with what it stands on.
    [[nodiscard]] Vector3 foot_in(std::size_t leg, double time_s) const noexcept;
    [[nodiscard]] GroundPoint ground_at(double x, double z, double ahead_s) const noexcept;
    [[nodiscard]] bool avoids_feet(std::size_t leg, const FootSwing& swing,
                                   std::uint32_t part) const noexcept;
    void guide_swings() noexcept;
    [[nodiscard]] bool lands_later(std::size_t leg, Clear clear) noexcept;
    [[nodiscard]] std::uint32_t ticks_late(std::size_t leg, const Vector3& spot,
                                           double left_s) const noexcept;
    void decide() noexcept;
    void decide_at_rest() noexcept;
    void decide_in_gait() noexcept;
    void decide_each() noexcept;
    [[nodiscard]] bool may_step(std::size_t leg) const noexcept;
    [[nodiscard]] bool has_just_landed(std::uint32_t group, StepReason reason) const noexcept;
    /// How far a foot has been passed by, along the motion.
    [[nodiscard]] double passed_by(std::size_t leg) const noexcept;
    /// Whether each leg is a group of its own.
    [[nodiscard]] bool by_leg() const noexcept {
        return set_.policy == StepPolicy::one_at_a_time ||
               set_.policy == StepPolicy::each_on_its_own;
    }
    void begin_cycle() noexcept;
    void change_gait(Gait gait) noexcept;
    void run_cycle() noexcept;
    void come_to_order(std::size_t leg) noexcept;
    [[nodiscard]] Cadence cadence_of_gait(double speed) const noexcept;
    [[nodiscard]] double since_stance() const noexcept;
    [[nodiscard]] double outside_of_fore_foot(std::size_t leg) const noexcept;
    [[nodiscard]] double flying_share() const noexcept;
    void rock() noexcept;
    [[nodiscard]] bool has_gait() const noexcept { return set_.policy == StepPolicy::in_a_gait; }
    [[nodiscard]] double phase_of(std::size_t leg) const noexcept;
    /// Until a planted foot may leave the ground.
    [[nodiscard]] double wait_of(std::size_t leg) const noexcept;
    [[nodiscard]] StepReason reason_to_step(std::size_t leg, double wait_s) const noexcept;
    [[nodiscard]] std::uint32_t next_group() const noexcept;
    [[nodiscard]] double wait_for_neighbours(std::size_t leg) const noexcept;
    void lift(std::size_t leg, StepReason reason, double land_s) noexcept;
    void lift_group(std::uint32_t group, StepReason reason, double swing_s) noexcept;
    /// Whether a hop moves the body.
    [[nodiscard]] bool is_hopping() const noexcept { return w_.hop_.phase > HopPhase::waits; }
    void wait_to_hop() noexcept;
    [[nodiscard]] bool is_ready_to_hop() const noexcept;
    void begin_hop() noexcept;
    void run_hop() noexcept;
    void move_in_hop() noexcept;
    void end_phase_of_hop() noexcept;
    void push_off(double from_s) noexcept;
    void take_off() noexcept;
    void touch_down() noexcept;
    void aim_flight(double from_s) noexcept;
    void run_on() noexcept;
    void let_go_of_ground() noexcept;
    [[nodiscard]] bool lands_with_body(std::size_t leg) const noexcept;
    [[nodiscard]] Vector3 hips_velocity() const noexcept;
    [[nodiscard]] double lands_at_s() const noexcept;
    [[nodiscard]] FlyingLeg flying(std::size_t leg) const noexcept;
    void fold(std::size_t leg) noexcept;
    void move_flying_foot(std::size_t leg) noexcept;
    /// A foot in the air is no further away than its leg is long.
    void pull_along(std::size_t leg) noexcept {
        w_.pull_along(leg, w_.hip_of(w_.pose_, leg), w_.feet_[leg].phase);
    }
    void stretch_legs() noexcept;
    /// From where the body is, at `from_s`, for a landing that long after it.
    [[nodiscard]] HopPlan plan_of_hop(double from_s, double after_s) const noexcept;
    [[nodiscard]] Vector3 landing_in(double time_s) const noexcept;
    [[nodiscard]] bool flies_between() const noexcept {
        return has_gait() && cadence_.duty_factor < 0.5 && cadence_.strides_per_s > 0;
    }
    [[nodiscard]] double bob_of_run() const noexcept;
    [[nodiscard]] Vector3 spot_of(std::size_t leg) const noexcept;
    [[nodiscard]] double latest_s() const noexcept;
    void set_height() noexcept;
    [[nodiscard]] double highest_over(std::size_t leg, const Vector3& foot) const noexcept {
        return w_.highest_over(w_.pose_, leg, foot);
    }
    void keep_within_legs() noexcept;
    [[nodiscard]] double mean_ground() const noexcept;
    [[nodiscard]] double usual_height() const noexcept;
    /// Part of the squared leg length to which a leg is stretched. The knee of a leg that is nearly
    /// straight jumps as its foot leaves: bipeds stride that far.
    [[nodiscard]] double stretched_part() const noexcept {
        return set_.leg_count > 2 ? 0.985 : 0.94;
    }
    [[nodiscard]] double wanted_height() noexcept;
    [[nodiscard]] double height_within_legs(double wanted) const noexcept;
    [[nodiscard]] double highest_for(std::size_t leg, const Body& body, const Vector3& foot,
                                     double part) const noexcept;
    void set_attitude() noexcept;
    void annotate() noexcept;
    void turn_sole(std::size_t leg) noexcept;
    [[nodiscard]] double wanted_pitch(std::size_t leg) const noexcept;
    void pitch_sole(std::size_t leg) noexcept;

    [[nodiscard]] Vector3 aim(std::size_t leg, double land_s) const noexcept;
    void keep_apart(std::size_t leg, const Body& body, double until_s, Vector3& aim) const noexcept;
    void keep_from_others(std::size_t leg, const Body& body, double until_s,
                          Vector3& aim) const noexcept;
    [[nodiscard]] Foothold foothold_near(std::size_t leg, const Vector3& aim, const Vector3& hip,
                                         double most_away, double ahead_s) const noexcept;
    [[nodiscard]] bool is_taken(std::size_t leg, double x, double z, double ahead_s) const noexcept;
    [[nodiscard]] Foothold look_at(double x, double z, double ahead_s) const noexcept;
    [[nodiscard]] SwingPoint foot_now(std::size_t leg) const noexcept;
    [[nodiscard]] std::optional<FootSwing> find_swing(std::size_t leg,
                                                      const SwingTask& task) noexcept;
    bool plan(std::size_t leg, const Vector3& aim, double land_s,
              Clear clear = Clear::of_ground) noexcept;
    [[nodiscard]] double highest_between(const Vector3& from, const Vector3& to,
                                         bool& is_even) const noexcept;
    [[nodiscard]] double height_in(double time_s, double aimed) const noexcept;
    [[nodiscard]] double height_for(std::size_t leg, const Body& body,
                                    const Vector3& spot) const noexcept;
    [[nodiscard]] OnWay on_way(std::size_t leg, const Vector3& local, double land_s,
                               const SwingTask& task, double time_s) const noexcept;
    [[nodiscard]] double clearance(const Vector3& place, const Vector3& normal,
                                   double ahead_s) const noexcept;
    [[nodiscard]] bool is_gentle(std::size_t leg, const FootSwing& swing,
                                 const SwingTask& task) const noexcept;
    [[nodiscard]] bool is_clear(std::size_t leg, const FootSwing& swing,
                                const SwingTask& task) const noexcept;

    [[nodiscard]] double neutral_speed(std::size_t leg) const noexcept;
    [[nodiscard]] double room_for_half_stride(const Vector3& velocity) const noexcept;
    void note_speed() noexcept;
    [[nodiscard]] double swing_at(double speed) const noexcept;
    [[nodiscard]] double half_stride_at(double speed, const Vector3& velocity,
                                        double swing_s) const noexcept;
    [[nodiscard]] double stance_at(const Vector3& velocity) const noexcept;
    [[nodiscard]] bool anyone_swings() const noexcept;
    [[nodiscard]] double longest_swing_left() const noexcept;
    [[nodiscard]] std::uint32_t group_of(std::size_t leg) const noexcept;
    [[nodiscard]] std::uint32_t group_count() const noexcept;
    [[nodiscard]] double gain_of(std::uint32_t group, double land_s) const noexcept;
    [[nodiscard]] double reach_to(double height) const noexcept;
    [[nodiscard]] double top() const noexcept;
    [[nodiscard]] double rounded_to_ticks(double time_s) const noexcept;
    /// How many ticks there are until a time.
    [[nodiscard]] int ticks_until(double time_s) const noexcept {
        constexpr double most = 1e6;
        const double ticks = (time_s - now_s_) / Walker::tick_s;
        return ticks < 0 ? 0 : static_cast<int>(ticks < most ? ticks + 0.5 : most);
    }

    Walker& w_;
    const WalkerSettings& set_;
    const WalkerLimits& lim_;
    const Ground& ground_;
    WalkCommand command_;
    double ahead_s_;
    double now_s_;
    Heading heading_{};
    double speed_ = 0.0;  ///< the fastest of the neutral spots
    double swing_s_ = 0.0;
    double half_stride_m_ = 0.0;
    Cadence cadence_{};  ///< of a gait
    double carried_turn_ = 0.0;
    Vector3 acceleration_{};
    std::array<Body, looks + 1> bodies_{};
};

}  // namespace hopcoil
