#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <limits>
#include <optional>
#include <span>
#include <vector>

#include <hopcoil/base/channel.hpp>
#include <hopcoil/base/dial.hpp>
#include <hopcoil/base/system.hpp>
#include <hopcoil/follow/key_curve.hpp>
#include <hopcoil/follow/motion.hpp>
#include <hopcoil/spring/free_motion.hpp>
#include <hopcoil/spring/tuning.hpp>

namespace hopcoil {

/// How a throw to a target should go.
///
/// Units   duration_s 0.02 to 20: from rest it is then within 2 % of its travel for good (at rest
///         exactly, where swings are given). overshoot_percent of the travel, 0 to 99.
///         swing_percent: instead, the height of every swing past (first, third, ...) and short
///         (second, ...) of the target, up to the first that is 0; each 0 to 100.
struct SettleTuning {
    static constexpr std::size_t most_swings = 6;

    double duration_s = 0.5;
    double overshoot_percent = 10.0;
    std::array<double, most_swings> swing_percent{};

    static constexpr std::size_t dial_count = 2;
    [[nodiscard]] static std::span<const Dial<SettleTuning>> dials() noexcept;
    friend bool operator==(const SettleTuning&, const SettleTuning&) = default;
};
void require_valid(const SettleTuning& tuning);
[[nodiscard]] bool is_valid(const SettleTuning& tuning) noexcept;

/// Stops that must not be struck, and what may be given up for that.
///
/// Model   first the damping is raised (swings are cut down), up to none passing; then the duration
///         is shortened, down to `least_duration_s`; then, if allowed, the travel. If none of that
///         is enough the duration is shortened further: the stops come first.
struct Stops {
    double low = -std::numeric_limits<double>::infinity();
    double high = std::numeric_limits<double>::infinity();
    double least_duration_s = 0.0;
    bool may_shorten_travel = false;

    friend bool operator==(const Stops&, const Stops&) = default;
};
/// Errors  InvalidValue unless low < high and least_duration_s >= 0.
void require_valid(const Stops& stops);

/// What a throw gave up for its stops.
struct ThrowReport {
    bool damping_raised = false;
    bool duration_gave = false;
    bool travel_gave = false;
    bool least_duration_gave = false;  ///< the duration is shorter than was allowed
    bool started_outside =
        false;  ///< it started outside a stop, or on one and flying out: that one is struck
    double target = 0.0;
    double duration_s = 0.0;
    double damping_ratio = 0.0;  ///< of the spring form
};

/// What all throws so far gave up for the stops.
struct ThrowLog {
    std::uint64_t throws = 0;
    std::uint64_t damping_raised = 0;
    std::uint64_t duration_gave = 0;
    std::uint64_t travel_gave = 0;
    std::uint64_t target_beyond_stop = 0;  ///< the target was taken to be the stop
};

/// A value thrown from where it is to a target, in a given time, with a wish for how far it goes
/// past.
///
///     SettleCurve needle{{.duration_s = 0.6, .overshoot_percent = 15}, 0.0};
///     needle.set_stops({.low = -1, .high = 1});
///     needle.throw_to(0.95);  // never strikes 1, whatever it was doing
///     needle.step(dt);
///
/// Model   one curve for all time, made anew at every throw from the value and velocity there: a
///         spring's free motion; or, with a height for each swing, cubics from turn to turn, evenly
///         spaced in time, at rest in the end.
/// Shapes  one number; the parts of a vector by a RangeMap over a curve from 0 to 1.
/// Units   seconds, lengths as the value's.
/// Source  docs/math/settle_curve.md. Exact: the same at every rate.
/// Errors  InvalidValue for invalid numbers; while stepping, what is not finite is ignored and
///         counted.
/// Cost    a throw with stops up to some hundred microseconds, a step one closed form.
class SettleCurve {
  public:
    using Inputs = double;
    using Parameters = SettleTuning;

    /// At rest at `start`, as if it had settled there.
    SettleCurve(const SettleTuning& tuning, double start);

    /// A new throw from the value and velocity now. A target beyond a stop is taken to the stop.
    /// Nothing is changed, and `rejected_inputs` counts, when the target is not finite.
    const ThrowReport& throw_to(double target) noexcept;
    /// The report of the last throw.
    [[nodiscard]] const ThrowReport& last_throw() const noexcept { return report_; }

    [[nodiscard]] const ThrowLog& throw_log() const noexcept { return log_; }

    StepStatus step(double dt) noexcept;
    /// The same, thrown anew first if the target is another.
    StepStatus step(double target, double dt) noexcept;
    StepStatus jump(double target) noexcept { return cut(target); }
    StepStatus cut(double target) noexcept;
    /// A sudden change of velocity: a new throw to the same target.
    StepStatus push(double delta_velocity) noexcept;
    StepStatus reset(double value) noexcept;
    /// Puts it at rest on its present target.
    StepStatus snap() noexcept { return reset(target_); }
    /// Takes over from another mover: thrown from its value and velocity to its target.
    StepStatus take_over(double value, double velocity, double target) noexcept;
    template <class M>
    StepStatus resume(const M& motion) noexcept {
        return take_over(motion.value(), motion.velocity, motion.target);
    }

    /// Parameters for the next throw; the one under way goes on.
    void retune(const SettleTuning& tuning);
    bool try_retune(const SettleTuning& tuning) noexcept;
    /// Errors  InvalidValue. A throw under way is made anew.
    void set_stops(const Stops& stops);

    /// All of it, to be handed to another mover's `resume`.
    template <class M = Motion<double>>
    [[nodiscard]] M motion() const noexcept {
        return {target_, now_.gap, now_.velocity};
    }
    [[nodiscard]] double value() const noexcept { return target_ + now_.gap; }
    [[nodiscard]] double velocity() const noexcept { return now_.velocity; }
    [[nodiscard]] double target() const noexcept { return target_; }
    [[nodiscard]] const SettleTuning& tuning() const noexcept { return tuning_; }
    [[nodiscard]] bool at_rest(double distance, double speed) const noexcept;
    [[nodiscard]] bool still() const noexcept { return at_rest(0, 0); }
    /// How far it is from its target.
    [[nodiscard]] double distance_to_target() const noexcept {
        return now_.gap < 0 ? -now_.gap : now_.gap;
    }
    /// A step takes its target to have been there from the start.
    [[nodiscard]] double target_on_way(double target, double /*part*/) const noexcept {
        return target;
    }
    [[nodiscard]] std::uint64_t rejected_inputs() const noexcept { return rejected_inputs_; }

    /// The throw under way from its start as keys: value and slope at every frame until it has
    /// settled, the last key on the target.
    /// Errors  InvalidValue unless rate_hz > 0 and the table has at most a million keys.
    [[nodiscard]] KeyCurve keys(double rate_hz) const;

    [[nodiscard]] static std::span<const Channel> channels() noexcept;
    void read(std::span<double> numbers) const noexcept;
    [[nodiscard]] static std::span<const Dial<SettleCurve>> dials() noexcept;

    /// For save_state and load_state (base/state.hpp).
    template <class Fields>
    void visit_state(Fields& fields) {
        fields.begins("settle curve 2");
        fields(log_.throws, log_.damping_raised, log_.duration_gave, log_.travel_gave,
               log_.target_beyond_stop);
        fields(report_.damping_raised, report_.duration_gave, report_.travel_gave,
               report_.least_duration_gave, report_.started_outside, report_.target,
               report_.duration_s, report_.damping_ratio);
        fields.unbounded(kept_low_);
        fields.unbounded(kept_high_);
        fields(asked_, target_, start_.gap, start_.velocity, now_.gap, now_.velocity, elapsed_s_);
        fields(spring_.frequency_hz, spring_.damping_ratio, spring_.lead);
        fields.require(is_valid(spring_));
        fields(turns_.gap, turns_.piece_s, turns_.first_velocity, rejected_inputs_);
        fields.up_to(turns_.gap.size() - 1, turns_.count);
    }

  private:
    /// From turn to turn, each a cubic; at rest on the target in the end.
    struct Turns {
        std::array<double, SettleTuning::most_swings + 2> gap{};
        std::size_t count = 0;  ///< of pieces
        double piece_s = 0.0;
        double first_velocity = 0.0;

        [[nodiscard]] GapState at(double time_s) const noexcept;
        /// The lowest and highest gap.
        [[nodiscard]] std::array<double, 2> extent() const noexcept;
    };

    [[nodiscard]] GapState at(double time_s) const noexcept;
    [[nodiscard]] bool has_swings() const noexcept { return tuning_.swing_percent[0] > 0; }
    [[nodiscard]] bool keeps_stops(const Tuning& tuning, double target) const noexcept;
    [[nodiscard]] bool keeps_stops(const Turns& turns, double target) const noexcept;
    [[nodiscard]] Turns turns_to(double target, double height_share,
                                 double duration_s) const noexcept;
    void plan_spring() noexcept;
    void plan_turns() noexcept;
    void add_to_log() noexcept;
    void start_again(double value, double velocity) noexcept;
    StepStatus reject() noexcept;

    SettleTuning tuning_;
    Stops stops_;
    Tuning wished_;  ///< the spring of the wish, from rest
    ThrowReport report_;
    ThrowLog log_;
    double kept_low_ = 0.0;  ///< of the stops, those that this throw can keep
    double kept_high_ = 0.0;
    double asked_ = 0.0;
    double target_ = 0.0;
    GapState start_;
    GapState now_;
    double elapsed_s_ = 0.0;
    Tuning spring_;
    Turns turns_;  ///< of the throw under way, when it has that form; no pieces otherwise
    std::uint64_t rejected_inputs_ = 0;
};

}  // namespace hopcoil
