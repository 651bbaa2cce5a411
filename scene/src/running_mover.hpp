#pragma once

#include <cstddef>
#include <optional>

#include <hopcoil/scene/any_mover.hpp>
#include <hopcoil/scene/scene.hpp>

namespace hopcoil::scene {

/// A mover and how far along its target it is.
class RunningMover {
  public:
    RunningMover(const SceneMover& item, const SceneTarget& target);

    /// Up to `frame_end_s`; false when the state would leave the range of numbers.
    bool advance(double frame_end_s);

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

    const Target* target_;
    bool angle_;
    AnyMover mover_;
    double time_s_ = 0.0;
};

/// A knot this near to a frame's end is at its end: both are rounded.
inline constexpr double same_time_s = 1e-9;

}  // namespace hopcoil::scene
