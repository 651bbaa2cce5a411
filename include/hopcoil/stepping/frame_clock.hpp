#pragma once

#include <cstdint>

#include <hopcoil/base/system.hpp>

namespace hopcoil {

/// What a frame is to do.
struct FrameSteps {
    int steps = 0;           ///< to take now, each of the clock's step_s
    double blend = 0.0;      ///< how far to draw between the last two steps: [0, 1)
    double dropped_s = 0.0;  ///< time this frame gave up because the cap was reached
    StepStatus status = StepStatus::stepped;  ///< rejected: the frame's time was not usable
};

/// Fixed steps under frames that vary: how many to take now, and where between two to draw.
///
///     FrameClock clock{.step_s = 1.0 / 120, .max_steps = 8};
///     const FrameSteps frame = clock.advance(frame_dt);
///     for (int i = 0; i < frame.steps; ++i) { before = now; now.step(target, clock.step_s); }
///     draw(before + (now - before) * frame.blend);
///
/// What is drawn is one step late; in return nothing has to be extrapolated.
///
/// Model   Time left over is kept to twice a double's digits, so nothing drifts: frames of k steps
///         give k steps each, without end. Within 1e-6 of a step counts as reached.
/// Units   seconds. step_s > 0, max_steps >= 1, speed >= 0 (0.25: slow motion), substeps >= 1.
/// Errors  a negative or non-finite frame, or a setting out of range: rejected and counted, no
///         steps.
struct FrameClock {
    double step_s = 1.0 / 60;
    int max_steps = 8;      ///< in a frame; time beyond that is dropped, so a lag spike ends
    int substeps = 1;       ///< equal parts of each step, of substep_s() each
    double speed = 1.0;     ///< of this clock's time, against the frames'
    bool paused = false;    ///< frames pass, steps do not
    int steps_by_hand = 0;  ///< single steps asked for while paused: one is taken each frame

    // Its state. Copying the clock copies it.
    double left_s = 0.0;       ///< not yet stepped
    double left_tail_s = 0.0;  ///< what rounding left_s lost
    std::uint64_t steps_taken = 0;
    double dropped_s = 0.0;  ///< in all
    std::uint64_t rejected_inputs = 0;

    FrameSteps advance(double frame_dt) noexcept;

    /// For save_state and load_state (base/state.hpp): what it remembers.
    template <class Fields>
    void visit_state(Fields& fields) {
        fields.begins("frame clock 1");
        fields(left_s, left_tail_s, steps_taken, dropped_s, rejected_inputs);
        fields.require(left_s >= -step_s && dropped_s >= 0);
    }

    [[nodiscard]] double substep_s() const noexcept { return step_s / substeps; }

    /// The clock's own time: that of the end of its last step.
    [[nodiscard]] double time_s() const noexcept;
};

/// Errors  InvalidValue names the setting, its value and its range.
void require_valid(const FrameClock& clock);
[[nodiscard]] bool is_valid(const FrameClock& clock) noexcept;

}  // namespace hopcoil
