#include "tool/response_figures.hpp"

#include <cmath>

#include <fmt/format.h>

#include <hopcoil/base/math.hpp>
#include <hopcoil/scene/kinds/movers.hpp>
#include <hopcoil/scene/system_report.hpp>

namespace hopcoil::tool {
namespace {

/// A figure's reason is a view: these are all there are.
std::string_view reason_kept(std::string_view signal) {
    if (signal == "ramp") return "a ramp has no jump to answer";
    if (signal == "kick") return "a kick has no jump to answer";
    if (signal == "pulse") return "a pulse has no jump to answer";
    if (signal == "noise") return "noise has no jump to answer";
    return signal == "sine" ? "a sine has no jump to answer" : "a record has no jump to answer";
}

/// Collects the figures of one answer. The keys of a jump are in every answer; where the signal is
/// another, they are none and say why.
class AnswerMaker {
  public:
    AnswerMaker(const ResponseOptions& options, const scene::SystemSpec& spec)
        : options_{options}, responder_{*spec.step_responder()} {
        const std::size_t parts = spec.outputs().size();
        answer_.kind = spec.kind();
        answer_.name = parts == 1 ? spec.in_words(0)
                                  : fmt::format("{} of {} links, the last", spec.kind(), parts);
        part_ = parts - 1;
        // Of a follower by itself; what is bent or stepped has figures of its own.
        if (parts == 1 && answer_.name == tuning_in_words()) answer_.tuning = responder_.tuning(0);
        answer_.full_size = options.size;
    }

    ResponseFigures make(const Tracking& tracking) {
        if (options_.signal == "jump") {
            add_jump();
        } else if (options_.signal == "kick") {
            add_kick(responder_.kick(initial_velocity_of(options_)));
        } else {
            add_no_jump();
            if (options_.signal == "ramp" && answer_.tuning) add_ramp();
            if (options_.signal == "sine" && answer_.tuning) add_sine();
        }
        const bool linear = responder_.is_linear();
        const double size = std::abs(options_.size);
        const double rate_hz = options_.rate_hz.value();  // settled with the signal
        add("ramp_lag_s",
            linear ? "behind a steady mover" : fmt::format("behind one of {:.4g} per s", size),
            "s of its travel", responder_.ramp_lag_s(size));
        add("noise_left",
            fmt::format("noise{} left at {:.4g} Hz", linear ? "" : fmt::format(" of {:.4g}", size),
                        rate_hz),
            "of the target's, rms", responder_.noise_left(rate_hz, size));
        const bool answered = options_.signal == "jump" || options_.signal == "kick" ||
                              (answer_.tuning && has_closed_answer());
        if (!answered) add_tracking(tracking);
        return std::move(answer_);
    }

  private:
    /// Of a tuning: whether its answer is known without looking at it.
    [[nodiscard]] bool has_closed_answer() const {
        return options_.signal == "ramp" || options_.signal == "sine";
    }

    void add(const std::string& key, const std::string& name, const std::string& unit,
             const Figure& figure) {
        answer_.figures.push_back({key, name, unit, figure});
    }

    [[nodiscard]] std::string tuning_in_words() const {
        const auto tuning = responder_.tuning(0);
        return tuning ? scene::in_words(*tuning) : std::string{};
    }

    void add_jump() {
        const JumpResponse jump = responder_.jump(part_, options_.size);
        add("overshoot_percent", "overshoot", "%", jump.overshoot_percent);
        add("anticipation_percent", "anticipation", "%", jump.anticipation_percent);
        add("rise_time_s", "rise, 10 to 90 %", "s", jump.rise_time_s);
        add("peak_time_s", "peak at", "s", jump.peak_time_s);
        add("settling_time_s", "settled within 2 %", "s", jump.settling_time_s);
        add("reversals", "reversals beyond 2 %", "", jump.reversals);
        add("peak_velocity", "peak velocity", "per s", jump.peak_velocity);
        answer_.swings = jump.swings;
    }

    void add_kick(const KickResponse& kick) {
        constexpr std::string_view reason = "a kick has no jump to answer";
        add("furthest", "furthest", "", kick.furthest);
        add("furthest_time_s", "furthest at", "s", kick.furthest_time_s);
        add("return_time_s", "back at", "s", kick.return_time_s);
        add("overshoot_percent", "overshoot", "%", Figure::none(reason));
        add("anticipation_percent", "anticipation", "%", Figure::none(reason));
        add("rise_time_s", "rise, 10 to 90 %", "s", Figure::none(reason));
        add("peak_time_s", "", "s", kick.furthest_time_s);  // in the table it is above
        add("settling_time_s", "settled within 2 %", "s", kick.settling_time_s);
        add("reversals", "reversals beyond 2 %", "", kick.reversals);
        add("peak_velocity", "peak velocity", "per s", kick.peak_velocity);
        answer_.swings = kick.swings;
        answer_.full_size = kick.furthest.value().value_or(1);
        // What is thrown stays where it has come to.
        if (!responder_.has_target()) answer_.resting_place = kick.furthest.value().value_or(0);
    }

    void add_no_jump() {
        const std::string_view reason = reason_kept(options_.signal);
        add("overshoot_percent", "overshoot", "%", Figure::none(reason));
        add("anticipation_percent", "anticipation", "%", Figure::none(reason));
        add("rise_time_s", "rise, 10 to 90 %", "s", Figure::none(reason));
        add("peak_time_s", "peak at", "s", Figure::none(reason));
        add("settling_time_s", "settled within 2 %", "s", Figure::none(reason));
        add("reversals", "reversals beyond 2 %", "", Figure::none(reason));
        // A follower's answers to a ramp and a sine know it; of the others it is read off the take.
        const bool known = answer_.tuning && has_closed_answer();
        if (!known) add("peak_velocity", "peak velocity", "per s", 0.0);
    }

    void add_ramp() {
        const RampResponse ramp =
            ramp_response(*answer_.tuning, options_.size, initial_velocity_of(options_));
        add("peak_velocity", "peak velocity", "per s", ramp.peak_velocity);
        add("steady_gap", "gap in the end", "", ramp.steady_gap);
        add("largest_gap", "largest gap", "", ramp.largest_gap);
        add("largest_gap_time_s", "largest gap at", "s", ramp.largest_gap_time_s);
    }

    void add_sine() {
        const SineResponse sine = sine_response(*answer_.tuning, options_.sine_hz);
        add("gain", "amplitude", "times the target's", sine.gain);
        add("phase_lag_rad", "phase lag", "rad", sine.phase_lag_rad);
        add("delay_s", "delay", "s", sine.delay_s);
        const auto& gain = sine.gain.value();
        const double target_peak = std::abs(options_.size) * 2 * math::pi * options_.sine_hz;
        add("peak_velocity", "peak velocity at last", "per s",
            gain ? Figure{*gain * target_peak} : Figure::none(sine.gain.reason()));
    }

    void add_tracking(const Tracking& tracking) {
        for (NamedFigure& each : answer_.figures) {
            if (each.key == "peak_velocity") each.figure = tracking.peak_velocity;
        }
        add("largest_gap", "largest gap", "", tracking.largest_gap);
        add("largest_gap_time_s", "largest gap at", "s", tracking.largest_gap_time_s);
        add("rms_gap", "gap, root mean square", "", tracking.rms_gap);
        add("sample_spacing_s", "read off samples every", "s", tracking.sample_spacing_s);
    }

    const ResponseOptions& options_;
    const scene::StepResponder& responder_;
    std::size_t part_ = 0;
    ResponseFigures answer_;
};

}  // namespace

double initial_velocity_of(const ResponseOptions& options) {
    const double unless_given = options.signal == "kick" ? options.size : 0.0;
    return options.initial_velocity.value_or(unless_given);
}

ResponseFigures answer_of(const ResponseOptions& options, const scene::SystemSpec& spec,
                          const Tracking& tracking) {
    return AnswerMaker{options, spec}.make(tracking);
}

}  // namespace hopcoil::tool
