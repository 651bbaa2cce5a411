#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <span>
#include <vector>

#include <hopcoil/base/channel.hpp>
#include <hopcoil/base/dial.hpp>
#include <hopcoil/base/quaternion.hpp>
#include <hopcoil/base/state.hpp>
#include <hopcoil/base/system.hpp>
#include <hopcoil/base/vector3.hpp>
#include <hopcoil/follow/follower.hpp>
#include <hopcoil/gait/brachiator_settings.hpp>
#include <hopcoil/gait/detail/hand_path.hpp>

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
    Vector3 foot{};
};

struct BrachiatorLog {
    std::uint64_t catches = 0;
    double most_force_n = 0.0;       ///< of one hand
    double most_acceleration = 0.0;  ///< of the centre of mass, m/s^2
    double drawn_in_m = 0.0;         ///< most that the body was drawn in for the length of an arm
};

/// A body that goes hand over hand along a row of holds, as fast as it is told.
///
///     Brachiator rigger{{}, hooks};
///     rigger.step(1.4, dt);          // m/s along the row; below 0 it comes back
///
/// Model   in ticks of 1/240 s: a path is planned about a second ahead, as arcs below the holds
///         from change-over to change-over, timed as a pendulum where there is time for that, then
///         smoothed three times over and lifted where an arm would be too short. What lies between
///         the holds is not looked at. docs/math/brachiator.md.
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

    StepStatus step(double speed, double dt) noexcept;
    StepStatus step(const Inputs& inputs, double dt) noexcept { return step(inputs.speed, dt); }
    /// A sudden change of its velocity.
    StepStatus push(const Vector3& delta_velocity) noexcept;

    [[nodiscard]] const BrachiatorSettings& settings() const noexcept { return settings_; }
    /// Numbers for the next step. Refused for other sizes.
    bool try_retune(const BrachiatorSettings& settings) noexcept;
    [[nodiscard]] std::span<const Vector3> holds() const noexcept { return holds_; }

    /// Of the centre of mass.
    [[nodiscard]] Vector3 position() const noexcept { return position_; }
    [[nodiscard]] Vector3 velocity() const noexcept { return velocity_; }
    [[nodiscard]] Vector3 acceleration() const noexcept { return acceleration_; }
    [[nodiscard]] const Quaternion& rotation() const noexcept { return rotation_; }
    [[nodiscard]] const std::array<BrachiatorHand, 2>& hands() const noexcept { return hands_; }
    [[nodiscard]] const std::array<BrachiatorLeg, 2>& legs() const noexcept { return legs_; }
    /// The hold that it goes for next, and looks at.
    [[nodiscard]] std::uint32_t next_hold() const noexcept { return next_hold_; }
    /// Whether the row ends here: there is no further hold in reach on its way.
    [[nodiscard]] bool is_at_end() const noexcept { return path_.is_at_end(); }
    [[nodiscard]] const BrachiatorLog& log() const noexcept { return log_; }
    [[nodiscard]] std::uint64_t ticks() const noexcept { return ticks_; }
    [[nodiscard]] bool still() const noexcept;
    [[nodiscard]] std::uint64_t rejected_inputs() const noexcept { return rejected_inputs_; }

    [[nodiscard]] std::span<const Channel> channels() const noexcept { return channels_; }
    void read(std::span<double> numbers) const noexcept;
    [[nodiscard]] static std::span<const Dial<Brachiator>> dials() noexcept;

    /// For save_state and load_state (base/state.hpp).
    template <class Fields>
    void visit_state(Fields& fields) {
        fields.begins("brachiator 1");
        fields.count(holds_.size());
        fields(path_, offset_, folds_[0], folds_[1], ticks_, time_left_s_, rejected_inputs_);
        fields(log_.catches, log_.most_force_n, log_.most_acceleration, log_.drawn_in_m, held_[0],
               held_[1]);
        fields.require(path_.fits(holds_.size()));
        pose();
    }

  private:
    void tick(double speed) noexcept;
    void pose() noexcept;
    void place_hands(double time_s) noexcept;
    void place_legs() noexcept;
    void share_force() noexcept;
    void draw_in(double time_s) noexcept;
    [[nodiscard]] Vector3 shoulder(std::size_t side) const noexcept;

    BrachiatorSettings settings_;
    std::vector<Vector3> holds_;
    std::array<Channel, 4> channels_{};
    detail::HandPath path_;
    Follower<Vector3> offset_;               ///< what pushes have left
    std::array<Follower<double>, 2> folds_;  ///< of the legs
    std::array<bool, 2> held_{true, true};   ///< at the last tick
    std::uint64_t ticks_ = 0;
    double time_left_s_ = 0.0;  ///< since the last tick
    std::uint64_t rejected_inputs_ = 0;
    BrachiatorLog log_;
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
