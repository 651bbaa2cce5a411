#pragma once

#include <concepts>
#include <cstddef>
#include <cstdint>
#include <span>

#include <hopcoil/base/build.hpp>
#include <hopcoil/base/components.hpp>
#include <hopcoil/base/math.hpp>
#include <hopcoil/follow/follower.hpp>

namespace hopcoil {

/// Errors  InvalidValue for a size that is not finite and above 0.
void require_size(double size);
/// target e^gap, so far out that it only keeps a wild swing from reaching 0 or infinity, within
/// e^-most_log to e^most_log.
[[nodiscard]] double size_from(double target, double log_gap, double most_log) noexcept;

inline namespace HOPCOIL_BITS {

/// A Follower of a size, or of sizes side by side: each stays above 0 however far it swings.
///
///     SizeFollower<float> bloom{{.frequency_hz = 2, .damping_ratio = 0.4}, 1.f};
///     bloom.step(1.5f, dt);
///
/// Model   a Follower of the natural logarithms, so that doubling feels like halving.
/// Shapes  any value whose numbers can be reached, all above 0.
/// Units   lengths as in T; for `at_rest` and `distance_to_target` parts of the size itself.
/// Errors  as Follower; a target that is not above 0 is rejected.
template <HasComponents T>
class SizeFollower {
    using Scalar = ScalarIn<T>;

  public:
    using Inputs = T;
    using Numbers = Tuning;

    /// Errors  InvalidValue for an invalid tuning, or a start that is not above 0.
    SizeFollower(const Tuning& tuning, const T& start)
        : inner_{tuning, logarithm(start)}, target_{start} {
        for (const double each : components_of(start))
            require_size(each);
    }

    StepStatus step(const T& target, double dt) noexcept {
        return moved(target, [&](Inner& next) { return next.step(logarithm(target), dt); });
    }
    StepStatus step(const T& target, const StepCoefficients& coefficients) noexcept {
        return moved(target,
                     [&](Inner& next) { return next.step(logarithm(target), coefficients); });
    }
    /// The target's velocity at the end of the step is known.
    StepStatus step(const T& target, const T& target_velocity, double dt) noexcept {
        return moved(target, [&](Inner& next) {
            return next.step(logarithm(target), rate(target_velocity, target), dt);
        });
    }
    StepStatus jump(const T& target) noexcept {
        return moved(target, [&](Inner& next) { return next.jump(logarithm(target)); });
    }
    StepStatus cut(const T& target) noexcept {
        return moved(target, [&](Inner& next) { return next.cut(logarithm(target)); });
    }
    StepStatus push(const T& delta_velocity) noexcept {
        return moved(target_,
                     [&](Inner& next) { return next.push(rate(delta_velocity, value())); });
    }
    StepStatus reset(const T& value) noexcept {
        return moved(value, [&](Inner& next) { return next.reset(logarithm(value)); });
    }
    /// At rest on its target, as that stands.
    StepStatus snap() noexcept { return inner_.snap(); }
    /// Takes over from another mover; a value or target that is not above 0 is rejected.
    StepStatus resume(const Motion<T>& motion) noexcept {
        const T target = logarithm(motion.target);
        const T gap = logarithm(motion.value()) - target;
        return moved(motion.target, [&](Inner& next) {
            return next.resume({target, gap, rate(motion.velocity, motion.value())});
        });
    }
    [[nodiscard]] Motion<T> motion() const noexcept {
        return {target_, value() - target_, velocity()};
    }

    /// Errors  InvalidValue, with nothing changed.
    void retune(const Tuning& tuning) { inner_.retune(tuning); }
    bool try_retune(const Tuning& tuning) noexcept {
        if (inner_.try_retune(tuning)) return true;
        ++rejected_inputs_;
        return false;
    }
    [[nodiscard]] const Tuning& tuning() const noexcept { return inner_.tuning(); }

    [[nodiscard]] T value() const noexcept { return value_of(inner_, target_); }
    [[nodiscard]] T velocity() const noexcept { return velocity_of(inner_, target_); }
    [[nodiscard]] T target() const noexcept { return target_; }
    /// Where the target is when `part` (0 to 1) of the time of a step to `target` has passed.
    [[nodiscard]] T target_on_way(const T& target, double part) const noexcept {
        const T log_target = inner_.target_on_way(logarithm(target), part);
        return each(log_target, log_target,
                    [](double log, double) { return size_from(1, log, most_log); });
    }
    [[nodiscard]] bool at_rest(double distance, double speed) const noexcept {
        return inner_.at_rest(distance, speed);
    }
    [[nodiscard]] double distance_to_target() const noexcept { return inner_.distance_to_target(); }
    [[nodiscard]] bool still() const noexcept { return inner_.still(); }
    [[nodiscard]] std::uint64_t rejected_inputs() const noexcept { return rejected_inputs_; }

    [[nodiscard]] static std::span<const Channel> channels() noexcept { return mover_channels<T>; }
    void read(std::span<double> numbers) const noexcept {
        read_components<T>({value(), velocity(), target()}, numbers);
    }
    [[nodiscard]] static std::span<const Dial<SizeFollower>> dials() noexcept {
        return dials_through_tuning<SizeFollower>();
    }

    /// For save_state and load_state (base/state.hpp).
    template <class Fields>
    void each_state(Fields& fields) {
        fields.begins("size 2");
        fields(inner_, target_, rejected_inputs_);
        for (const double size : components_of(target_))
            fields.require(size > 0);
    }

  private:
    using Inner = Follower<T>;
    static constexpr double most_log = std::same_as<Scalar, float> ? 87 : 700;

    template <class Change>
    static T each(const T& a, const T& b, const Change& change) noexcept {
        auto numbers = components_of(a);
        const auto others = components_of(b);
        for (std::size_t i = 0; i < numbers.size(); ++i) {
            numbers[i] = static_cast<Scalar>(
                change(static_cast<double>(numbers[i]), static_cast<double>(others[i])));
        }
        return with_components(a, numbers);
    }
    static T logarithm(const T& v) noexcept {
        return each(v, v, [](double size, double) { return math::log(size); });
    }
    static T rate(const T& velocity, const T& size) noexcept {
        return each(velocity, size, [](double v, double s) { return v / s; });
    }
    static T value_of(const Inner& inner, const T& target) noexcept {
        return each(target, inner.motion().gap,
                    [](double t, double gap) { return size_from(t, gap, most_log); });
    }
    static T velocity_of(const Inner& inner, const T& target) noexcept {
        return each(inner.velocity(), value_of(inner, target),
                    [](double v, double size) { return v * size; });
    }

    /// What is finite as a logarithm may not be so as a velocity: then nothing is changed.
    template <class Change>
    StepStatus moved(const T& target, const Change& change) noexcept {
        Inner next = inner_;
        const StepStatus status = change(next);
        if (status != StepStatus::stepped || !is_finite(velocity_of(next, target))) {
            ++rejected_inputs_;
            return StepStatus::rejected;
        }
        inner_ = next;
        target_ = target;
        return status;
    }

    Inner inner_;
    T target_;  ///< as it was given: it is reached exactly
    std::uint64_t rejected_inputs_ = 0;
};

}  // namespace HOPCOIL_BITS
}  // namespace hopcoil
