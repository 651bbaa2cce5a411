#include "tool/response_figures.hpp"

#include <cmath>
#include <variant>

#include <fmt/format.h>

#include <hopcoil/base/math.hpp>
#include <hopcoil/follow/coast.hpp>
#include <hopcoil/scene/measured_jump.hpp>

namespace hopcoil::tool {
namespace {

constexpr std::string_view no_stiffness = "a frequency of 0 Hz is never carried along";

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
    AnswerMaker(const ResponseOptions& options, const scene::SceneMover& mover)
        : options_{options}, mover_{mover} {
        answer_.kind = scene::kind_of(mover.numbers);
        answer_.name = scene::in_words(mover.numbers);
        if (const auto* tuning = std::get_if<Tuning>(&mover.numbers)) answer_.tuning = *tuning;
        if (const auto* cascade = std::get_if<scene::CascadeParameters>(&mover.numbers)) {
            answer_.name = fmt::format("cascade of {} links, the last", cascade->tunings.size());
        }
        answer_.full_size = options.size;
    }

    ResponseFigures make(const Tracking& tracking) {
        if (options_.signal == "jump") {
            add_jump();
        } else if (options_.signal == "kick" && answer_.tuning) {
            add_kick(kick_response(*answer_.tuning, initial_velocity_of(options_)));
        } else if (const auto* coast = std::get_if<scene::CoastParameters>(&mover_.numbers)) {
            add_kick(throw_of(coast->tuning));
        } else if (options_.signal == "kick") {
            add_kick(scene::measured_kick(mover_));
        } else {
            add_no_jump();
            if (options_.signal == "ramp" && answer_.tuning) add_ramp();
            if (options_.signal == "sine" && answer_.tuning) add_sine();
        }
        add("ramp_lag_s", "behind a steady mover", "s of its travel", ramp_lag());
        if (const auto* glide = std::get_if<GlideTuning>(&mover_.numbers)) {
            add("noise_left", fmt::format("noise left at {:.4g} Hz", options_.rate_hz),
                "of the input's", smoothing_of(*glide, options_.rate_hz).noise_left);
        }
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

    [[nodiscard]] Figure ramp_lag() const {
        if (const auto* glide = std::get_if<GlideTuning>(&mover_.numbers)) {
            return glide->half_life_s == 0 ? 0.0 : 1 / glide_rate_per_s(*glide);
        }
        if (const auto* cascade = std::get_if<scene::CascadeParameters>(&mover_.numbers)) {
            double sum_s = 0;
            for (const Tuning& each : cascade->tunings) {
                if (each.frequency_hz == 0) return Figure::none(no_stiffness);
                sum_s += hopcoil::ramp_lag_s(each);
            }
            return sum_s;
        }
        if (std::holds_alternative<scene::CoastParameters>(mover_.numbers)) {
            return Figure::none("it has no target");
        }
        if (!answer_.tuning) return Figure::none("it depends on how fast the target is");
        if (answer_.tuning->frequency_hz == 0) return Figure::none(no_stiffness);
        return ramp_lag_s(*answer_.tuning);
    }

    void add_jump() {
        const JumpResponse jump = answer_.tuning ? jump_response(*answer_.tuning, options_.size,
                                                                 initial_velocity_of(options_))
                                                 : scene::measured_jump(mover_, options_.size);
        add("overshoot_percent", "overshoot", "%", jump.overshoot_percent);
        add("anticipation_percent", "anticipation", "%", jump.anticipation_percent);
        add("rise_time_s", "rise, 10 to 90 %", "s", jump.rise_time_s);
        add("peak_time_s", "peak at", "s", jump.peak_time_s);
        add("settling_time_s", "settled within 2 %", "s", jump.settling_time_s);
        add("reversals", "reversals beyond 2 %", "", jump.reversals);
        add("peak_velocity", "peak velocity", "per s", jump.peak_velocity);
        answer_.swings = jump.swings;
    }

    /// How far it goes is known in advance; it creeps up to it and stays.
    [[nodiscard]] KickResponse throw_of(const CoastTuning& tuning) {
        const double velocity = initial_velocity_of(options_);
        Coast<double> coast{tuning, 0.0};
        coast.launch(velocity);
        KickResponse kick;
        answer_.resting_place = coast.end();
        kick.furthest = coast.end();
        kick.furthest_time_s = Figure::none("it creeps up to it");
        kick.return_time_s = Figure::none("nothing brings it back");
        kick.settling_time_s = tuning.slowing_half_life_s * std::log2(100 / settling_band_percent);
        kick.peak_velocity = std::abs(velocity);
        return kick;
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
    const scene::SceneMover& mover_;
    ResponseFigures answer_;
};

}  // namespace

double initial_velocity_of(const ResponseOptions& options) {
    const double unless_given = options.signal == "kick" ? options.size : 0.0;
    return options.initial_velocity.value_or(unless_given);
}

ResponseFigures answer_of(const ResponseOptions& options, const scene::SceneMover& mover,
                          const Tracking& tracking) {
    return AnswerMaker{options, mover}.make(tracking);
}

}  // namespace hopcoil::tool
