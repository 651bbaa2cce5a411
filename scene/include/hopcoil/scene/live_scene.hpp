#pragma once

#include <cstddef>
#include <memory>
#include <span>
#include <vector>

#include <hopcoil/scene/run.hpp>
#include <hopcoil/scene/scene.hpp>
#include <hopcoil/scene/scene_dials.hpp>

namespace hopcoil::scene {

/// A scene that runs in a program: stepped frame by frame, while its dials are turned and its
/// targets are moved by hand.
///
///     LiveScene live{read_scene("boom.toml")};
///     live.set(dial, slider);
///     live.hold(hook, pointer);
///     live.step(frame_dt);
///     draw(live.output(lamp));
///
/// Model   that of `run`, to the same bits at the same times; frames are the program's own, so
///         [clock] is not used. A held target goes straight from where it was to where it is
///         held, in each step.
/// Units   seconds; values as in the scene.
/// Errors  as `run`; std::out_of_range for an index that is not there.
class LiveScene {
  public:
    explicit LiveScene(Scene scene);
    LiveScene(const LiveScene& other);  ///< a snapshot
    LiveScene(LiveScene&& other) noexcept;
    LiveScene& operator=(LiveScene other) noexcept;
    ~LiveScene();

    /// Errors  InvalidValue for a dt that is not finite and >= 0; Diverged.
    void step(double dt);
    /// Steps to a time of the scene, not before `time_s()`.
    void advance_to(double time_s);
    [[nodiscard]] double time_s() const noexcept;

    [[nodiscard]] const Scene& scene() const noexcept;

    /// Turns a dial; the motion goes on from where it is. `refused` as by set_value.
    DialStatus set(const SceneDial& dial, double value);

    /// Whether a target can be held: not one that only says where a coast will end.
    [[nodiscard]] bool can_hold(std::size_t target) const;
    /// From now on the target does not follow its own motion: by the end of the next step it has
    /// moved straight to `place`, and stays there until it is held elsewhere or let go.
    /// Errors  InvalidValue for a place that is not finite, a rotation that is zero, and a target
    ///         that cannot be held.
    void hold(std::size_t target, const ValueArray& place);
    /// Returns the target to its own motion at once.
    void let_go(std::size_t target);
    [[nodiscard]] bool is_held(std::size_t target) const;

    /// A sudden change of velocity of a system, or of one of its outputs; a coast is launched with
    /// it. False for what has no velocity that could change so.
    /// Units   the output's a second; of a rotation three numbers, radians per second.
    /// Errors  InvalidValue for a change that is not finite.
    bool push(std::size_t system, const ValueArray& delta_velocity, std::size_t port = 0);

    /// A hand pulls one value of an output toward a place, with the force of a hand, until it is
    /// given another place, or none. False for what cannot be pulled; points of nets and branches
    /// can.
    bool grab(std::size_t system, const std::optional<ValueArray>& place, std::size_t port = 0,
              std::size_t index = 0);

    [[nodiscard]] ValueArray target(std::size_t index) const;
    /// Value and velocity of a system, or of one of its outputs; of one of its several values.
    [[nodiscard]] ValueAndVelocity output(std::size_t system, std::size_t port = 0,
                                          std::size_t index = 0) const;

    /// The channels that `run` would record, but for what is watched; and their numbers now.
    [[nodiscard]] const std::vector<RecordedChannel>& channels() const noexcept;
    [[nodiscard]] std::span<const double> row();

    /// The state of everything in it: as save_state and load_state (base/state.hpp). It goes into
    /// a LiveScene of the same systems and targets, whatever their numbers are.
    [[nodiscard]] std::vector<std::byte> save() const;
    [[nodiscard]] bool load(std::span<const std::byte> blob);

  private:
    [[nodiscard]] bool restart(Scene changed);
    struct Inside;
    std::unique_ptr<Inside> inside_;
};

}  // namespace hopcoil::scene
