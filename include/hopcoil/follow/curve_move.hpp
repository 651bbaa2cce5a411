#pragma once

#include <span>
#include <variant>

#include <hopcoil/base/build.hpp>
#include <hopcoil/base/components.hpp>
#include <hopcoil/base/dial.hpp>
#include <hopcoil/follow/ease.hpp>
#include <hopcoil/follow/key_curve.hpp>
#include <hopcoil/follow/mover.hpp>

namespace hopcoil {

/// How a move goes: a curve from 0 to 1 and the time it takes.
///
/// Units   duration_s above 0. A KeyCurve's own first and last times are stretched to it; it should
///         begin at 0 and end at 1.
struct CurveMoveTuning {
    double duration_s = 0.5;
    std::variant<Ease, KeyCurve> curve{Ease{EaseFamily::sine, EaseWay::in_out}};

    static constexpr std::size_t dial_count = 1;
    [[nodiscard]] static std::span<const Dial<CurveMoveTuning>> dials() noexcept;

    struct Place {
        double part = 0.0;   ///< of the way
        double speed = 0.0;  ///< of the way per second
    };
    [[nodiscard]] Place at(double time_s) const noexcept;
};
/// Errors  InvalidValue unless duration_s is finite and above 0.
void require_valid(const CurveMoveTuning& tuning);
[[nodiscard]] bool is_valid(const CurveMoveTuning& tuning) noexcept;

inline namespace HOPCOIL_BITS {

/// A value that goes from where it is to its target along a given curve.
///
///     CurveMove<Vector3f> lid{{.duration_s = 0.4, .curve = Ease{EaseFamily::power, EaseWay::out}},
///                             shut};
///     lid.cut(open);
///     lid.step(open, dt);
///
/// Model   value = start + (target - start) curve(time / duration_s); a new target starts a new
///         move from the value then.
/// Shapes  any value: a number, a vector, a colour; rotations by RotationCurve.
/// Units   seconds.
/// Source  exact: the same at every rate.
/// Errors  as Follower.
///
/// It has no velocity of its own: the value is continuous, the velocity leaps when the target does.
template <LinearSpace T>
class CurveMove : public Mover<T> {
    using Base = Mover<T>;

  public:
    using Scalar = ScalarIn<T>;
    static constexpr bool takes_target_at_once = true;
    using Parameters = CurveMoveTuning;

    CurveMove(const CurveMoveTuning& tuning, T start)
        : Base{start}, tuning_{tuning}, start_gap_{start - start} {
        require_valid(tuning);
    }

    StepStatus step(T target, double dt) noexcept {
        if (!is_time_step(dt) || !is_finite(target)) return this->reject();
        const T travel = target - this->motion().target;
        const T nothing = travel - travel;
        if (!is_same(travel, nothing)) begin(target, this->motion().gap - travel);
        const CurveMoveTuning::Place place = tuning_.at(elapsed_s_ + dt);
        const StepStatus status =
            this->arrive({target, scaled(start_gap_, static_cast<Scalar>(1 - place.part)),
                          scaled(start_gap_, static_cast<Scalar>(-place.speed))});
        if (status == StepStatus::stepped) elapsed_s_ += dt;
        return status;
    }

    StepStatus jump(T target) noexcept { return cut(target); }
    StepStatus cut(T target) noexcept {
        const T travel = target - this->motion().target;
        if (!is_finite(travel)) return this->reject();
        begin(target, this->motion().gap - travel);
        return StepStatus::stepped;
    }
    StepStatus reset(T value) noexcept {
        if (!is_finite(value)) return this->reject();
        begin(value, value - value);
        return StepStatus::stepped;
    }
    /// Puts it at rest on its present target.
    StepStatus snap() noexcept { return reset(this->target()); }
    /// Takes over from another mover at its value; its velocity is not kept.
    StepStatus resume(const Motion<T>& motion) noexcept {
        if (!is_finite(motion)) return this->reject();
        begin(motion.target, motion.gap);
        return StepStatus::stepped;
    }

    /// Also for a move in progress: it goes on along the new curve at the same part of its time,
    /// from the value where it is.
    void retune(const CurveMoveTuning& tuning) {
        require_valid(tuning);
        elapsed_s_ *= tuning.duration_s / tuning_.duration_s;
        tuning_ = tuning;
        const Motion<T> now = this->motion();
        const double left = 1 - tuning_.at(elapsed_s_).part;
        constexpr double least_left = 1e-3;
        if (left < least_left && left > -least_left) {
            begin(now.target, now.gap);
        } else {
            start_gap_ = scaled(now.gap, static_cast<Scalar>(1 / left));
        }
    }

    bool try_retune(const CurveMoveTuning& tuning) {
        if (!is_valid(tuning)) {
            this->reject();
            return false;
        }
        retune(tuning);
        return true;
    }

    [[nodiscard]] T target_on_way(const T& target, double /*part*/) const noexcept {
        return target;
    }

    [[nodiscard]] const CurveMoveTuning& tuning() const noexcept { return tuning_; }
    [[nodiscard]] static std::span<const Dial<CurveMove>> dials() noexcept {
        return dials_through_tuning<CurveMove>();
    }

    /// For save_state and load_state (base/state.hpp).
    template <class Fields>
    void visit_state(Fields& fields) {
        fields.begins("curve 1");
        Base::visit_state(fields);
        fields(start_gap_, elapsed_s_);
        CurveMoveTuning made_with = tuning_;
        fields(made_with.duration_s);
        fields.require(is_valid(made_with));
        if (made_with.duration_s == tuning_.duration_s || !is_valid(made_with)) return;
        std::swap(made_with, tuning_);
        retune(made_with);  // goes on at the same part of its way
    }

  protected:
    void express(const Motion<T>& motion) noexcept { begin(motion.target, motion.gap); }

  private:
    void begin(const T& target, const T& gap) noexcept {
        start_gap_ = gap;
        elapsed_s_ = 0;
        const T nothing = gap - gap;
        Base::express({target, gap, nothing});
    }

    CurveMoveTuning tuning_;
    T start_gap_;
    double elapsed_s_ = 0;
};

}  // namespace HOPCOIL_BITS
}  // namespace hopcoil
