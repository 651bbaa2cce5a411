#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <limits>
#include <optional>
#include <span>

#include <hopcoil/follow/follower.hpp>
#include <hopcoil/stepping/any_scheme.hpp>
#include <hopcoil/stepping/divergence_watch.hpp>
#include <hopcoil/stepping/guard.hpp>
#include <hopcoil/stepping/spring_to_target.hpp>
#include <hopcoil/stepping/stability.hpp>

namespace hopcoil {

/// How a follower is to be stepped by a scheme instead of exactly.
struct Stepping {
    Scheme scheme = Scheme::semi_implicit_euler;
    GuardSettings guard{};
};

inline namespace HOPCOIL_BITS {

/// A follower that is stepped by a scheme, as physics is: beside other things stepped so, or to
/// see what a scheme does and how a guard keeps it stable.
///
///     SteppedFollower<double> vane{{.frequency_hz = 8}, {.scheme = Scheme::midpoint}, start};
///     if (vane.step(wind, dt) == StepStatus::guarded) ... vane.guard_log() ...
///
/// Model   as Follower, while the target goes straight; docs/math/stepping.md for the schemes.
/// Shapes  as Follower; whatever T, it is stepped in double.
/// Errors  none while stepping. With Guard::none, a motion that diverges is noticed
///         (DivergenceWatch): the step returns `diverged`, the last good state stays, and no step
///         is taken until `reset`, `resume` or `retune`.
template <HasComponents T>
class SteppedFollower : public Follower<T> {
    using Exact = Follower<T>;
    static constexpr std::size_t count = component_count<T>();

  public:
    using Scalar = ScalarIn<T>;
    using Parameters = Tuning;

    /// Errors  InvalidValue for an invalid tuning or guard.
    SteppedFollower(const Tuning& tuning, const Stepping& stepping, T start)
        : Exact{tuning, start}, stepping_{stepping}, scheme_{stepping.scheme, count} {
        require_valid(stepping.guard);
        apply_tuning();
    }

    /// The target has moved to `target` in a straight line during `dt`. `guarded` when the step was
    /// too large and the guard acted (`guard_log` counts how).
    StepStatus step(T target, double dt) noexcept {
        if (!is_time_step(dt) || !is_finite(target)) return this->reject();
        if (divergence_) return StepStatus::diverged;
        if (dt == 0) return Exact::step(target, dt);
        plan_ = plan_spring_step(largest_stable_s_, dt, stepping_.guard);
        const StepStatus status = step_as_planned(target, dt);
        if (status != StepStatus::rejected && status != StepStatus::diverged) time_s_ += dt;
        return status;
    }

    void retune(const Tuning& tuning) {
        Exact::retune(tuning);
        apply_tuning();
    }
    bool try_retune(const Tuning& tuning) noexcept {
        const bool done = Exact::try_retune(tuning);
        if (done) apply_tuning();
        return done;
    }
    StepStatus reset(T value) noexcept { return resume(resting_at(value)); }
    StepStatus snap() noexcept { return reset(this->target()); }
    StepStatus resume(const Motion<T>& motion) noexcept {
        const StepStatus status = Exact::resume(motion);
        if (status == StepStatus::stepped) divergence_.reset();
        return status;
    }

    [[nodiscard]] const Stepping& stepping() const noexcept { return stepping_; }
    /// How the last step was taken.
    [[nodiscard]] const StepPlan& last_plan() const noexcept { return plan_; }
    [[nodiscard]] const GuardLog& guard_log() const noexcept { return log_; }
    /// What is known of its divergence, if it diverged.
    [[nodiscard]] const std::optional<Divergence>& divergence() const noexcept {
        return divergence_;
    }

    [[nodiscard]] static std::span<const Dial<SteppedFollower>> dials() noexcept {
        return dials_through_tuning<SteppedFollower>();
    }

    /// For save_state and load_state (base/state.hpp).
    template <class Fields>
    void visit_state(Fields& fields) {
        fields.begins("stepped 1");
        Exact::visit_state(fields);
        fields(scheme_, gap_, velocity_, plan_, log_, watch_, last_energy_, divergence_, time_s_);
    }

  private:
    void apply_tuning() noexcept {
        largest_stable_s_ = step_limits(this->tuning(), stepping_.scheme).largest_stable_s;
        divergence_.reset();
    }

    StepStatus step_as_planned(const T& target, double dt) noexcept {
        switch (plan_.used) {
            case Guard::refuse:
                ++log_.guarded_steps;
                ++log_.refused_steps;
                return this->reject();
            case Guard::exact:
                return note(Exact::step(target, dt), [this] { ++log_.exact_steps; });
            case Guard::none:
                return stepping_.guard.guard == Guard::none ? step_watched(target, dt)
                                                            : step_by_scheme(target, dt);
            default:
                break;
        }
        return note(step_calmed(target, dt), [this] {
            if (plan_.substeps > 1) log_.substeps += static_cast<std::uint64_t>(plan_.substeps);
            if (plan_.frequency_factor < 1) ++log_.softened_steps;
            if (plan_.frequency_factor < log_.least_frequency_factor)
                log_.least_frequency_factor = plan_.frequency_factor;
        });
    }

    template <class Count>
    StepStatus note(StepStatus status, const Count& count_it) noexcept {
        if (status != StepStatus::stepped) return status;
        ++log_.guarded_steps;
        count_it();
        return StepStatus::guarded;
    }

    /// Steps near the limit, each under another spring, could together gain energy: a guarded one
    /// leaves no more than there was, or than the exact one would.
    StepStatus step_calmed(const T& target, double dt) noexcept {
        const double before = this->energy();
        const double exact = energy_after_exact(target, dt);
        const double most = exact > before ? exact : before;
        const StepStatus status = step_by_scheme(target, dt);
        const double energy = this->energy();
        if (status != StepStatus::stepped || energy <= most) return status;
        ++log_.calmed_steps;
        const auto share = static_cast<Scalar>(math::sqrt(most / energy));
        const Motion<T>& now = this->motion();
        return Exact::resume({now.target, scaled(now.gap, share), scaled(now.velocity, share)});
    }

    [[nodiscard]] double energy_after_exact(const T& target, double dt) const noexcept {
        Exact exact = static_cast<const Exact&>(*this);
        exact.step(target, dt);
        return exact.energy();
    }

    /// Watches the energy: what the exact solution gains is the work of the target.
    StepStatus step_watched(const T& target, double dt) noexcept {
        const Motion<T> before = this->motion();
        const double energy_before = this->energy();
        // Whatever else happened since the last step (a push, new numbers) put this in.
        if (energy_before > last_energy_) watch_.add_work(energy_before - last_energy_);
        const double work = energy_after_exact(target, dt) - energy_before;
        const StepStatus status = step_by_scheme(target, dt);
        const double energy = status == StepStatus::stepped
                                  ? this->energy()
                                  : std::numeric_limits<double>::infinity();
        if (watch_.accepts(energy, work)) {
            last_energy_ = energy;
            return status;
        }
        Exact::resume(before);
        divergence_ = {time_s_ + dt, dt, largest_stable_s_, energy, watch_.most_allowed()};
        return StepStatus::diverged;
    }

    StepStatus step_by_scheme(const T& target, double dt) noexcept {
        apply_motion();
        const double w = angular_frequency_rad_per_s(this->tuning()) * plan_.frequency_factor;
        const SpringToTarget<count> spring{.stiffness = w * w,
                                           .damping = 2 * this->tuning().damping_ratio * w,
                                           .lead = this->tuning().lead,
                                           .dt = dt,
                                           .travel = doubles_of(target - this->target())};
        const auto gap_before = gap_;
        const auto velocity_before = velocity_;
        StepStatus status = StepStatus::stepped;
        for (int i = 0; i < plan_.substeps && status == StepStatus::stepped; ++i) {
            const double part = dt / plan_.substeps;
            status = scheme_.step(spring, i * part, part, gap_, velocity_);
        }
        scheme_.shift(gap_, spring.to_gap(), velocity_, spring.to_velocity());
        status = status == StepStatus::stepped ? hand_over(target) : this->reject();
        if (status != StepStatus::stepped) {
            gap_ = gap_before;
            velocity_ = velocity_before;
        }
        return status;
    }

    /// The scheme's numbers are its own as long as nothing else has moved the follower: a scheme
    /// that remembers would start anew at every rounding.
    void apply_motion() noexcept {
        const auto gap = components_of(this->motion().gap);
        const auto velocity = components_of(this->motion().velocity);
        for (std::size_t i = 0; i < count; ++i) {
            if (static_cast<Scalar>(gap_[i]) != gap[i]) gap_[i] = static_cast<double>(gap[i]);
            if (static_cast<Scalar>(velocity_[i]) != velocity[i])
                velocity_[i] = static_cast<double>(velocity[i]);
        }
    }

    StepStatus hand_over(const T& target) noexcept {
        std::array<Scalar, count> gap{};
        std::array<Scalar, count> velocity{};
        for (std::size_t i = 0; i < count; ++i) {
            gap[i] = static_cast<Scalar>(gap_[i]);
            velocity[i] = static_cast<Scalar>(velocity_[i]);
        }
        return Exact::resume(
            {target, with_components(target, gap), with_components(target, velocity)});
    }

    [[nodiscard]] static std::array<double, count> doubles_of(const T& value) noexcept {
        std::array<double, count> numbers{};
        const auto components = components_of(value);
        for (std::size_t i = 0; i < count; ++i)
            numbers[i] = static_cast<double>(components[i]);
        return numbers;
    }

    Stepping stepping_;
    AnyScheme<double> scheme_;
    std::array<double, count> gap_{};  ///< the scheme's own, from the target
    std::array<double, count> velocity_{};
    StepPlan plan_{};
    double largest_stable_s_ = 0;
    GuardLog log_{};
    DivergenceWatch watch_{};
    double last_energy_ = 0;
    std::optional<Divergence> divergence_{};
    double time_s_ = 0;
};

}  // namespace HOPCOIL_BITS
}  // namespace hopcoil
