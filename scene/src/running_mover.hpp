#pragma once

#include <cstddef>
#include <memory>
#include <optional>

#include <hopcoil/base/state.hpp>
#include <hopcoil/scene/scene.hpp>
#include <hopcoil/stepping/divergence_watch.hpp>
#include <hopcoil/stepping/guard.hpp>

namespace hopcoil::scene {

/// A mover of whatever kind and value, and how far along its target it is.
class RunningMover {
  public:
    virtual ~RunningMover() = default;

    /// Up to `frame_end_s`; false when the state would leave the range of numbers.
    virtual bool advance(double frame_end_s) = 0;

    /// Its target is there, and moves so.
    virtual void meet(const ValueAndVelocity& point) = 0;

    /// On to `end_s` after a target that another mover leads, where that comes in by `before` and
    /// goes on by `after`.
    virtual bool advance_led(double end_s, const ValueAndVelocity& before,
                             const ValueAndVelocity& after) = 0;

    /// On to `end_s` after a target that goes straight to `place`, whatever its course is.
    virtual bool advance_straight(double end_s, const ValueArray& place) = 0;

    /// From now on it leads others, and keeps what it hands to them.
    virtual void begin_to_lead(std::size_t parts) = 0;
    /// What it hands to those it leads: coming up to where it is now, and from there on. An angle
    /// goes on past the seam.
    [[nodiscard]] virtual ValueAndVelocity output_before(std::size_t part) const = 0;
    [[nodiscard]] virtual ValueAndVelocity output_after(std::size_t part) const = 0;

    /// As it is shown: an angle in (-pi, pi].
    [[nodiscard]] virtual ValueAndVelocity shown(std::size_t part) const = 0;
    /// The target that it is going after; of a coast, where it will come to rest.
    [[nodiscard]] virtual ValueArray target() const = 0;

    /// The first of its kicks after a time; infinity when there is none.
    [[nodiscard]] virtual double next_kick_s(double time_s) const = 0;

    /// Of a follower stepped by a scheme: why it went no further, and what its guard did.
    [[nodiscard]] virtual std::optional<Divergence> divergence() const = 0;
    [[nodiscard]] virtual GuardLog guard_log() const = 0;

    virtual void save(StateWriter& out) = 0;
    virtual void load(StateReader& in) = 0;

  protected:
    RunningMover() = default;
    RunningMover(const RunningMover&) = default;
    RunningMover(RunningMover&&) = default;
    RunningMover& operator=(const RunningMover&) = default;
    RunningMover& operator=(RunningMover&&) = default;
};

/// Both have to outlive it.
[[nodiscard]] std::unique_ptr<RunningMover> make_running(const SceneMover& item,
                                                         const SceneTarget& target);

// For each type of value, in a source file of its own.
[[nodiscard]] std::unique_ptr<RunningMover> make_running_number(const SceneMover& item,
                                                                const SceneTarget& target);
[[nodiscard]] std::unique_ptr<RunningMover> make_running_vector(const SceneMover& item,
                                                                const SceneTarget& target);
[[nodiscard]] std::unique_ptr<RunningMover> make_running_rotation(const SceneMover& item,
                                                                  const SceneTarget& target);

/// A breakpoint this near to a frame's end is at its end: both are rounded.
inline constexpr double same_time_s = 1e-9;

}  // namespace hopcoil::scene
