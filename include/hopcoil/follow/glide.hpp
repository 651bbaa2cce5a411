#pragma once

#include <span>

#include <hopcoil/base/build.hpp>
#include <hopcoil/base/components.hpp>
#include <hopcoil/base/dial.hpp>
#include <hopcoil/base/system.hpp>
#include <hopcoil/follow/mover.hpp>

namespace hopcoil {

/// How soon a Glide has covered half of what is left.
///
/// Units   seconds, >= 0; 0 is there at once.
struct GlideTuning {
    double half_life_s = 0.1;

    static constexpr std::size_t dial_count = 1;
    [[nodiscard]] static std::span<const Dial<GlideTuning>> dials() noexcept;
    friend bool operator==(const GlideTuning&, const GlideTuning&) = default;
};

/// "This fraction of the gap each frame", which has one meaning at one frame rate only.
struct FractionPerFrame {
    double fraction = 0.1;
    double rate_hz = 60.0;
};

/// The glide that moves at every rate as the recipe does at its own.
///
/// Errors  InvalidValue unless 0 < fraction < 1 (from 1 on nothing would glide) and rate_hz > 0.
[[nodiscard]] GlideTuning tuning_from(const FractionPerFrame& recipe);

void require_valid(const GlideTuning& tuning);
[[nodiscard]] bool is_valid(const GlideTuning& tuning) noexcept;

/// How a glide smooths a noisy input that is sampled `rate_hz` times a second.
struct Smoothing {
    double noise_left = 1.0;  ///< standard deviation of the output over that of the input
    double lag_s = 0.0;       ///< how far it trails behind a steady mover, in seconds of its travel
};

/// Model   noise independent from sample to sample, each sample handed to `step`.
/// Errors  InvalidValue for an invalid tuning, or unless rate_hz > 0.
[[nodiscard]] Smoothing smoothing_of(const GlideTuning& tuning, double rate_hz);

/// One step of a glide: gap <- gap_of_gap gap + gap_of_travel D.
struct GlideRows {
    double gap_of_gap = 1.0;
    double gap_of_travel = -1.0;
};
[[nodiscard]] GlideRows glide_rows(const GlideTuning& tuning, double dt) noexcept;
/// ln 2 over the half-life, per second; infinite for a half-life of 0.
[[nodiscard]] double glide_rate_per_s(const GlideTuning& tuning) noexcept;

inline namespace HOPCOIL_BITS {

/// A value that covers half of the gap to its target in every half-life, never past it.
///
///     Glide<Vector2f> panel{{.half_life_s = 0.08}, closed};
///     panel.step(open, dt);
///
/// Model   y' = k (x - y), k = ln 2 / half_life_s.
/// Shapes  value, velocity and target are one T each.
/// Units   seconds; behind a target of speed s it trails by s / k.
/// Source  exact while the target moves straight: over a step of u = k dt in which the target
///         travels D, gap <- e^-u gap - D (1 - e^-u) / u.
/// Errors  none while stepping: a non-finite target or a bad dt is ignored and counted.
/// Cost    at an unchanged dt, one short linear combination.
///
/// It has no velocity of its own: the value is continuous, the velocity leaps when the target does.
/// So there is nothing to `push`, and `jump` and `cut` are the same.
template <LinearSpace T>
class Glide : public Mover<T> {
    using Base = Mover<T>;
    using Base::arrive;

  protected:
    using Base::reject;

  public:
    using Scalar = ScalarIn<T>;
    using Parameters = GlideTuning;

    /// At `start`, its target there too.
    /// Errors  InvalidValue for an invalid tuning.
    Glide(const GlideTuning& tuning, T start) : Base{start} { retune(tuning); }

    /// The target has moved to `target` in a straight line during the `dt` seconds that pass.
    StepStatus step(T target, double dt) noexcept {
        if (!is_time_step(dt)) return reject();
        if (dt != dt_) {
            rows_ = glide_rows(tuning_, dt);
            dt_ = dt;
        }
        const Motion<T>& now = this->motion();
        const T travel = target - now.target;
        return go_to(target, scaled(now.gap, static_cast<Scalar>(rows_.gap_of_gap)) +
                                 scaled(travel, static_cast<Scalar>(rows_.gap_of_travel)));
    }

    /// The target is elsewhere at once.
    StepStatus jump(T target) noexcept { return cut(target); }
    StepStatus cut(T target) noexcept {
        return go_to(target, this->motion().gap - (target - this->motion().target));
    }

    /// New numbers from here on; the value carries over.
    /// Errors  InvalidValue, with nothing changed.
    void retune(const GlideTuning& tuning) {
        require_valid(tuning);
        adopt(tuning);
    }
    bool try_retune(const GlideTuning& tuning) noexcept {
        if (!is_valid(tuning)) {
            reject();
            return false;
        }
        adopt(tuning);
        return true;
    }

    StepStatus reset(T value) noexcept { return arrive(resting_at(value)); }
    /// Puts it at rest on its present target.
    StepStatus snap() noexcept { return reset(this->target()); }

    /// Takes over from another mover at its value; its velocity is not kept.
    StepStatus resume(const Motion<T>& motion) noexcept { return go_to(motion.target, motion.gap); }

    [[nodiscard]] const GlideTuning& tuning() const noexcept { return tuning_; }
    [[nodiscard]] static std::span<const Dial<Glide>> dials() noexcept {
        return dials_through_tuning<Glide>();
    }

    /// For save_state and load_state (base/state.hpp).
    template <class Fields>
    void visit_state(Fields& fields) {
        fields.begins("glide 1");
        Mover<T>::visit_state(fields);
    }

  private:
    void adopt(const GlideTuning& tuning) noexcept {
        tuning_ = tuning;
        const double rate = glide_rate_per_s(tuning);
        velocity_of_gap_ = rate < 1e30 ? -static_cast<Scalar>(rate) : Scalar{0};
        dt_ = -1;
    }

    StepStatus go_to(const T& target, T gap) noexcept {
        drop_below(gap, static_cast<Scalar>(least_gap<Scalar>));
        T velocity = scaled(gap, velocity_of_gap_);
        drop_below(velocity, static_cast<Scalar>(least_gap<Scalar>));
        return arrive({target, gap, velocity});
    }

    GlideTuning tuning_;
    GlideRows rows_;
    Scalar velocity_of_gap_ = 0;
    double dt_ = -1;
};

}  // namespace HOPCOIL_BITS
}  // namespace hopcoil
