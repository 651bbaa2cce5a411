#include <algorithm>
#include <cmath>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/stepping/frame_clock.hpp>

namespace hopcoil {
namespace {

/// Within this part of a step of its end, the end counts as reached.
constexpr double reached = 1e-6;

/// left + by, to twice a double's digits (Knuth's sum without loss).
void add(FrameClock& clock, double by) {
    const double sum = clock.left_s + by;
    const double second = sum - clock.left_s;
    clock.left_tail_s += (clock.left_s - (sum - second)) + (by - second);
    clock.left_s = sum;
}

/// left - steps * step_s, the product to twice a double's digits too.
void take(FrameClock& clock, double steps) {
    const double product = steps * clock.step_s;
    add(clock, -product);
    clock.left_tail_s -= std::fma(steps, clock.step_s, -product);
    // The two parts of what is left never overlap for long.
    const double sum = clock.left_s + clock.left_tail_s;
    clock.left_tail_s -= sum - clock.left_s;
    clock.left_s = sum;
}

double blend_of(const FrameClock& clock) {
    return std::clamp(clock.left_s / clock.step_s, 0.0, 1.0 - reached);
}

FrameSteps frame_by_hand(FrameClock& clock) {
    FrameSteps frame{.blend = blend_of(clock)};
    if (clock.steps_by_hand > 0) {
        --clock.steps_by_hand;
        ++clock.steps_taken;
        frame.steps = 1;
    }
    return frame;
}

}  // namespace

bool is_valid(const FrameClock& clock) noexcept {
    return clock.step_s > 0 && std::isfinite(clock.step_s) && clock.max_steps >= 1 &&
           clock.substeps >= 1 && clock.speed >= 0 && std::isfinite(clock.speed);
}

void require_valid(const FrameClock& clock) {
    require_above_zero("step_s", clock.step_s);
    if (clock.max_steps < 1) {
        throw InvalidValue{"max_steps", static_cast<double>(clock.max_steps), "1 or more"};
    }
    if (clock.substeps < 1) {
        throw InvalidValue{"substeps", static_cast<double>(clock.substeps), "1 or more"};
    }
    require_at_least_zero("speed", clock.speed);
}

FrameSteps FrameClock::advance(double frame_dt) noexcept {
    if (!is_valid(*this) || !(frame_dt >= 0) || !std::isfinite(frame_dt * speed)) {
        ++rejected_inputs;
        const double blend = is_valid(*this) ? blend_of(*this) : 0.0;
        return {.blend = blend, .status = StepStatus::rejected};
    }
    if (paused) return frame_by_hand(*this);
    FrameSteps frame;
    const double passed_s = frame_dt * speed;
    // A frame far beyond the cap: whole steps of it are dropped; what remains stays exact.
    const double room_s = step_s * (max_steps + 1.0);
    const double used_s =
        passed_s > room_s + step_s ? room_s + std::fmod(passed_s, step_s) : passed_s;
    frame.dropped_s = passed_s - used_s;
    add(*this, used_s);
    const double whole = std::floor(left_s / step_s + reached);
    const double beyond = std::max(0.0, whole - max_steps);
    take(*this, whole);
    frame.steps = static_cast<int>(whole - beyond);
    frame.dropped_s += beyond * step_s;
    steps_taken += static_cast<std::uint64_t>(frame.steps);
    dropped_s += frame.dropped_s;
    frame.blend = blend_of(*this);
    return frame;
}

double FrameClock::time_s() const noexcept {
    return static_cast<double>(steps_taken) * step_s;
}

}  // namespace hopcoil
