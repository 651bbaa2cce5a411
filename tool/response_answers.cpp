#include "tool/response_answers.hpp"

#include <fmt/format.h>

#include "tool/made_by.hpp"

namespace hopcoil::tool {
namespace {

/// Collects the figures of one answer. The keys of a jump are in every answer; where the signal is
/// another, they are none and say why.
class AnswerMaker {
  public:
    AnswerMaker(const ResponseOptions& options, const Tuning& tuning)
        : options_{options}, tuning_{tuning} {
        answer_.tuning = tuning;
        answer_.name = in_words(tuning);
        answer_.full_size = options.size;
    }

    ResponseAnswer make(const std::optional<Tracking>& tracking) {
        if (options_.signal == "jump") {
            add_jump();
        } else if (options_.signal == "kick") {
            add_kick();
        } else {
            add_no_jump(options_.signal == "ramp" ? "a ramp has no jump to answer"
                                                  : "this signal has no jump to answer");
            if (options_.signal == "ramp") add_ramp();
            if (options_.signal == "sine") add_sine();
        }
        add("ramp_lag_s", "behind a steady mover", "s of its travel", ramp_lag());
        if (tracking) add_tracking(*tracking);
        return std::move(answer_);
    }

  private:
    void add(const std::string& key, const std::string& name, const std::string& unit,
             const Figure& figure) {
        answer_.figures.push_back({key, name, unit, figure});
    }

    [[nodiscard]] Figure ramp_lag() const {
        if (tuning_.frequency_hz == 0) {
            return Figure::none("a frequency of 0 Hz is never carried along");
        }
        return ramp_lag_s(tuning_);
    }

    void add_jump() {
        const JumpAnswer jump =
            answer_to_jump(tuning_, options_.size, initial_velocity_of(options_));
        add("overshoot_percent", "overshoot", "%", jump.overshoot_percent);
        add("anticipation_percent", "anticipation", "%", jump.anticipation_percent);
        add("rise_time_s", "rise, 10 to 90 %", "s", jump.rise_time_s);
        add("peak_time_s", "peak at", "s", jump.peak_time_s);
        add("settling_time_s", "settled within 2 %", "s", jump.settling_time_s);
        add("reversals", "reversals beyond 2 %", "", jump.reversals);
        add("peak_velocity", "peak velocity", "per s", jump.peak_velocity);
        answer_.swings = jump.swings;
    }

    void add_kick() {
        const KickAnswer kick = answer_to_kick(tuning_, initial_velocity_of(options_));
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
    }

    void add_no_jump(std::string_view reason) {
        add("overshoot_percent", "overshoot", "%", Figure::none(reason));
        add("anticipation_percent", "anticipation", "%", Figure::none(reason));
        add("rise_time_s", "rise, 10 to 90 %", "s", Figure::none(reason));
        add("peak_time_s", "peak at", "s", Figure::none(reason));
        add("settling_time_s", "settled within 2 %", "s", Figure::none(reason));
        add("reversals", "reversals beyond 2 %", "", Figure::none(reason));
        if (options_.signal == "ramp") return;
        add("peak_velocity", "peak velocity", "per s",
            Figure::none("it depends on the stretch looked at: see largest_gap and the CSV"));
    }

    void add_ramp() {
        const RampAnswer ramp =
            answer_to_ramp(tuning_, options_.size, initial_velocity_of(options_));
        add("peak_velocity", "peak velocity", "per s", ramp.peak_velocity);
        add("steady_gap", "gap in the end", "", ramp.steady_gap);
        add("largest_gap", "largest gap", "", ramp.largest_gap);
        add("largest_gap_time_s", "largest gap at", "s", ramp.largest_gap_time_s);
    }

    void add_sine() {
        const SineAnswer sine = answer_to_sine(tuning_, options_.sine_hz);
        add("gain", "amplitude", "times the target's", sine.gain);
        add("phase_lag_rad", "phase lag", "rad", sine.phase_lag_rad);
        add("delay_s", "delay", "s", sine.delay_s);
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
    Tuning tuning_;
    ResponseAnswer answer_;
};

}  // namespace

double initial_velocity_of(const ResponseOptions& options) {
    const double unless_given = options.signal == "kick" ? options.size : 0.0;
    return options.initial_velocity.value_or(unless_given);
}

ResponseAnswer answer_of(const ResponseOptions& options, const Tuning& tuning,
                         const std::optional<Tracking>& tracking) {
    return AnswerMaker{options, tuning}.make(tracking);
}

}  // namespace hopcoil::tool
