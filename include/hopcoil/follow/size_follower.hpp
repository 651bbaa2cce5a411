#pragma once

#include <concepts>
#include <cstddef>
#include <limits>
#include <span>

#include <hopcoil/base/build.hpp>
#include <hopcoil/base/components.hpp>
#include <hopcoil/base/math.hpp>
#include <hopcoil/follow/follower.hpp>

namespace hopcoil {

/// Errors  InvalidValue for a size that is not finite and above 0.
void require_size(double size);
/// target e^gap, kept between 1 / most and most (or the target, where that is beyond), limits so
/// far out that they only keep a large swing from 0 and infinity.
[[nodiscard]] double size_from(double target, double log_gap, double most) noexcept;

inline namespace HOPCOIL_BITS {

/// A Follower of a size, or of sizes side by side: each stays above 0 however far it swings.
///
///     SizeFollower<float> bloom{{.frequency_hz = 2, .damping_ratio = 0.4}, 1.f};
///     bloom.step(1.5f, dt);
///
/// Model   a Follower of the natural logarithms, so that doubling feels like halving.
///         A velocity beyond the range of numbers is shown as the largest there is.
/// Shapes  any value whose numbers can be reached, all above 0.
/// Units   lengths as in T; for `at_rest` and `distance_to_target` parts of the size itself.
/// Errors  as Follower; a target that is not above 0 is rejected.
template <HasComponents T>
class SizeFollower : private Follower<T> {
    using Base = Follower<T>;
    using Scalar = ScalarIn<T>;

  public:
    using Inputs = T;
    using Parameters = Tuning;
    using Base::at_rest;
    using Base::distance_to_target;
    using Base::rejected_inputs;
    using Base::retune;
    using Base::snap;
    using Base::still;
    using Base::try_retune;

    /// Errors  InvalidValue for an invalid tuning, or a start that is not above 0.
    SizeFollower(const Tuning& tuning, const T& start)
        : Base{tuning, logarithm(start)}, target_{start} {
        for (const double each : components_of(start))
            require_size(each);
    }

    StepStatus step(const T& target, double dt) noexcept {
        return toward(target, Base::step(logarithm(target), dt));
    }
    StepStatus step(const T& target, const StepCoefficients& coefficients) noexcept {
        return toward(target, Base::step(logarithm(target), coefficients));
    }
    /// The target's velocity at the end of the step is known.
    StepStatus step(const T& target, const T& target_velocity, double dt) noexcept {
        return toward(target, Base::step(logarithm(target), rate(target_velocity, target), dt));
    }
    StepStatus jump(const T& target) noexcept {
        return toward(target, Base::jump(logarithm(target)));
    }
    StepStatus cut(const T& target) noexcept {
        return toward(target, Base::cut(logarithm(target)));
    }
    StepStatus push(const T& delta_velocity) noexcept {
        return Base::push(rate(delta_velocity, value()));
    }
    StepStatus reset(const T& value) noexcept {
        return toward(value, Base::reset(logarithm(value)));
    }
    /// Takes over from another mover; a value or target that is not above 0 is rejected.
    StepStatus resume(const Motion<T>& motion) noexcept {
        const T target = logarithm(motion.target);
        const T gap = logarithm(motion.value()) - target;
        return toward(motion.target,
                      Base::resume({target, gap, rate(motion.velocity, motion.value())}));
    }
    [[nodiscard]] Motion<T> motion() const noexcept {
        return {target_, value() - target_, velocity()};
    }

    [[nodiscard]] T value() const noexcept {
        return each(target_, Base::motion().gap,
                    [](double t, double gap) { return size_from(t, gap, most_size); });
    }
    [[nodiscard]] T velocity() const noexcept {
        constexpr double most = std::numeric_limits<Scalar>::max();
        return each(Base::velocity(), value(), [](double v, double size) {
            const double velocity = v * size;
            return velocity > most ? most : velocity < -most ? -most : velocity;
        });
    }
    [[nodiscard]] T target() const noexcept { return target_; }
    /// Where the target is when `part` (0 to 1) of the time of a step to `target` has passed.
    [[nodiscard]] T target_on_way(const T& target, double part) const noexcept {
        const T log_target = Base::target_on_way(logarithm(target), part);
        return each(log_target, log_target,
                    [](double log, double) { return size_from(1, log, most_size); });
    }

    [[nodiscard]] const Tuning& tuning() const noexcept { return Base::tuning(); }

    [[nodiscard]] static std::span<const Channel> channels() noexcept { return mover_channels<T>; }
    void read(std::span<double> numbers) const noexcept {
        read_components<T>({value(), velocity(), target()}, numbers);
    }
    [[nodiscard]] static std::span<const Dial<SizeFollower>> dials() noexcept {
        return dials_through_tuning<SizeFollower>();
    }

    /// For save_state and load_state (base/state.hpp).
    template <class Fields>
    void visit_state(Fields& fields) {
        fields.begins("size 2");
        Base::visit_state(fields);
        fields(target_);
        for (const double size : components_of(target_))
            fields.require(size > 0);
    }

  private:
    static constexpr double most_size = std::same_as<Scalar, float> ? 1e37 : 1e304;

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

    StepStatus toward(const T& target, StepStatus status) noexcept {
        if (status == StepStatus::stepped) target_ = target;
        return status;
    }

    T target_;  ///< as it was given: it is reached exactly
};

}  // namespace HOPCOIL_BITS
}  // namespace hopcoil
