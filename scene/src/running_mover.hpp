#pragma once

#include <cstddef>
#include <optional>
#include <vector>

#include <hopcoil/scene/any_mover.hpp>
#include <hopcoil/scene/scene.hpp>

namespace hopcoil::scene {

/// A mover and how far along its target it is.
class RunningMover {
  public:
    RunningMover(const SceneMover& item, const SceneTarget& target);

    /// Up to `frame_end_s`; false when the state would leave the range of numbers.
    bool advance(double frame_end_s);

    /// Its target is there, and moves so.
    void meet(const TargetPoint& point) { take_up(point); }

    /// On to `end_s` after a target that another mover leads, where that comes in by `before` and
    /// goes on by `after`.
    bool advance_led(double end_s, const TargetPoint& before, const TargetPoint& after);

    /// From now on it leads others, and keeps what it hands to them.
    void begin_to_lead(std::size_t parts);
    /// What it hands to those it leads: coming up to where it is now, and from there on. An angle
    /// goes on past the seam.
    [[nodiscard]] TargetPoint output_before(std::size_t part) const { return arrivals_.at(part); }
    [[nodiscard]] TargetPoint output_after(std::size_t part) const;

    [[nodiscard]] double value(std::size_t part) const;
    [[nodiscard]] double velocity(std::size_t part) const;

    /// Of a follower stepped by a scheme: why it went no further, and what its guard did.
    [[nodiscard]] std::optional<Divergence> divergence() const;
    [[nodiscard]] GuardLog guard_log() const;

  private:
    StepStatus step_to(const TargetPoint& point, double dt);
    void take_up(const TargetPoint& point);
    [[nodiscard]] double as_target(double value) const;
    [[nodiscard]] bool was_refused() const;
    /// One step, in which the target goes straight or by a cubic; false when it cannot be.
    bool go_on(const TargetPoint& point, double end_s);

    const Target* target_;
    bool is_led_;
    bool angle_;
    AnyMover mover_;
    std::vector<TargetPoint> arrivals_;  ///< of each part that may lead, before the events of now
    double time_s_ = 0.0;
};

/// A knot this near to a frame's end is at its end: both are rounded.
inline constexpr double same_time_s = 1e-9;

}  // namespace hopcoil::scene
