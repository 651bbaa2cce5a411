#pragma once

#include <cstddef>
#include <cstdint>
#include <memory>
#include <span>

#include <hopcoil/base/components.hpp>
#include <hopcoil/base/instruction_set.hpp>
#include <hopcoil/base/system.hpp>
#include <hopcoil/follow/mover.hpp>
#include <hopcoil/spring/tuning.hpp>

namespace hopcoil {

/// Many followers at once, as structure of arrays, in groups that share a tuning.
///
///     FollowerBank<float> bank{3};  // values of three components
///     const std::size_t reeds = bank.add_group({.frequency_hz = 2, .damping_ratio = 0.3});
///     for (const Vector3f& root : roots) bank.add(reeds, {{root.x(), root.y(), root.z()}});
///     for (std::size_t c = 0; c < 3; ++c) fill(bank.next_targets(reeds, c));
///     bank.step_to_next(dt);
///
/// Model   each component of each is a Follower<S>: the same arithmetic in the same order, the same
///         bits, the same rules for what is rejected.
/// Shapes  S float or double; values of 1 to 4 components. Within a group they stand in slots 0, 1,
///         ...; removing one puts the last into its slot, so ask `slot_of` after that.
/// Units   as Follower.
/// Errors  InvalidValue for an invalid tuning or component count; std::out_of_range for a group, or
///         an id, that is not there. Stepping never throws and never allocates; `add` may.
/// Cost    docs/performance.md. Coefficients once per (tuning, dt).
template <class S>
class FollowerBank {
  public:
    using Id = std::uint32_t;

    explicit FollowerBank(std::size_t components = 1);
    FollowerBank(const FollowerBank& other);
    FollowerBank& operator=(const FollowerBank& other);
    FollowerBank(FollowerBank&&) noexcept;
    FollowerBank& operator=(FollowerBank&&) noexcept;
    ~FollowerBank();

    /// A group whose members share a tuning.
    std::size_t add_group(const Tuning& tuning);
    /// A group in which each has its own tuning: two to three times the cost of a shared one, and
    /// five times that when `dt` changes every step (eight times with the plain instruction set);
    /// a group for each of a few tunings is far better.
    std::size_t add_varied_group();

    /// Adds one at `start`, its target there too, at rest, with a shared group's tuning, or the
    /// default one.
    Id add(std::size_t group, std::span<const S> start);
    /// Adds one to a varied group.
    Id add(std::size_t group, std::span<const S> start, const Tuning& tuning);
    void remove(Id id);
    void reserve(std::size_t group, std::size_t count);

    /// Errors  InvalidValue for an invalid tuning, or for a varied group.
    void retune(std::size_t group, const Tuning& tuning);
    /// Retunes one of a varied group.
    void retune_one(Id id, const Tuning& tuning);

    /// Toward the targets as they stand.
    void step(double dt) noexcept;
    /// Toward the targets written into `next_targets`, straight from those before. All of them have
    /// to be written anew for each such step.
    void step_to_next(double dt) noexcept;

    /// The same with the work handed out: `run(count, task)` calls `task(i)` for every i below
    /// count, in any order, on any threads, and returns when all are done.
    template <class Run>
    void step(double dt, Run&& run) {
        const std::size_t count = begin_step(dt, false);
        run(count, [this](std::size_t block) { step_block(block); });
        end_step();
    }
    template <class Run>
    void step_to_next(double dt, Run&& run) {
        const std::size_t count = begin_step(dt, true);
        run(count, [this](std::size_t block) { step_block(block); });
        end_step();
    }

    [[nodiscard]] std::span<S> next_targets(std::size_t group, std::size_t component);

    /// One follower's own changes, as Follower has them; each takes one number a component.
    StepStatus jump(Id id, std::span<const S> target);
    StepStatus cut(Id id, std::span<const S> target);
    StepStatus push(Id id, std::span<const S> delta_velocity);
    StepStatus reset(Id id, std::span<const S> value);

    [[nodiscard]] S value(Id id, std::size_t component) const;
    [[nodiscard]] S velocity(Id id, std::size_t component) const;
    [[nodiscard]] S target(Id id, std::size_t component) const;
    /// Value minus target, velocity and target of all in a group, by slot.
    [[nodiscard]] std::span<const S> gaps(std::size_t group, std::size_t component) const;
    [[nodiscard]] std::span<const S> velocities(std::size_t group, std::size_t component) const;
    [[nodiscard]] std::span<const S> targets(std::size_t group, std::size_t component) const;

    [[nodiscard]] std::size_t components() const noexcept;
    [[nodiscard]] std::size_t size() const noexcept;
    [[nodiscard]] std::size_t size(std::size_t group) const;
    [[nodiscard]] bool contains(Id id) const noexcept;
    [[nodiscard]] std::size_t slot_of(Id id) const;

    /// Within `distance` of its target and no faster than `speed`, both by their lengths.
    [[nodiscard]] bool at_rest(Id id, double distance, double speed) const;
    /// Whether one is not exactly at rest on its target, or not at rest by those limits.
    [[nodiscard]] bool is_anything_moving() const noexcept;
    [[nodiscard]] bool is_anything_moving(double distance, double speed) const noexcept;
    [[nodiscard]] std::uint64_t rejected_inputs() const noexcept;

    /// Errors  InvalidValue for one that this processor does not have.
    void use(InstructionSet set);
    [[nodiscard]] InstructionSet instruction_set() const noexcept;

    /// For save_state and load_state (base/state.hpp), between banks with the same groups and the
    /// same followers in the same slots. `next_targets` are not kept.
    template <class Fields>
    void visit_state(Fields& fields) {
        fields.begins("follower bank 1");
        fields.count(layout_hash());
        constexpr std::uint8_t last_turn = steps_per_look - 1;
        Counts counts = this->counts();
        fields.up_to(last_turn, counts.steps);
        fields(counts.rejected);
        for (std::size_t group = 0; group < group_count(); ++group) {
            for (std::uint8_t& turn : turns(group))
                fields.up_to(last_turn, turn);
            for (std::size_t c = 0; c < components(); ++c) {
                StateView lives = this->state_view(group, c);
                fields(lives.targets, lives.gaps, lives.velocities);
                for (std::size_t i = 0; i < lives.gaps.size(); ++i)
                    fields.require(is_finite(lives.targets[i] + lives.gaps[i]));
            }
        }
        resume(counts);
    }

  private:
    /// What visit_state lists.
    struct Counts {
        std::uint8_t steps = 0;
        std::uint64_t rejected = 0;
    };
    struct StateView {
        std::span<S> targets;
        std::span<S> gaps;
        std::span<S> velocities;
    };
    [[nodiscard]] std::size_t group_count() const noexcept;
    /// Equal for banks of the same layout; almost never for others.
    [[nodiscard]] std::size_t layout_hash() const noexcept;
    [[nodiscard]] Counts counts() const noexcept;
    [[nodiscard]] StateView state_view(std::size_t group, std::size_t component);
    [[nodiscard]] std::span<std::uint8_t> turns(std::size_t group);
    void resume(const Counts& counts) noexcept;

    std::size_t begin_step(double dt, bool to_next) noexcept;
    void step_block(std::size_t index) noexcept;
    void end_step() noexcept;

    struct State;
    std::unique_ptr<State> state_;
};

extern template class FollowerBank<float>;
extern template class FollowerBank<double>;

}  // namespace hopcoil
