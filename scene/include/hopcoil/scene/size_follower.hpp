#pragma once

#include <cmath>
#include <span>

#include <hopcoil/base/components.hpp>
#include <hopcoil/base/math.hpp>
#include <hopcoil/follow/follower.hpp>

namespace hopcoil::scene {

/// A Follower of a size, or of sizes side by side: each stays above 0 however far it swings.
///
/// Model   a Follower of the natural logarithms.
/// Errors  as Follower; a target that is not above 0 is rejected.
template <HasComponents T>
class SizeFollower {
  public:
    /// Errors  InvalidValue for an invalid tuning, or a start that is not above 0.
    SizeFollower(const Tuning& tuning, const T& start) : inner_{tuning, logarithm(start)} {}

    StepStatus step(const T& target, double dt) noexcept {
        return inner_.step(logarithm(target), dt);
    }
    StepStatus step(const T& target, const T& target_velocity, double dt) noexcept {
        return inner_.step(logarithm(target), rate(target_velocity, target), dt);
    }
    StepStatus jump(const T& target) noexcept { return inner_.jump(logarithm(target)); }
    StepStatus cut(const T& target) noexcept { return inner_.cut(logarithm(target)); }
    StepStatus push(const T& delta_velocity) noexcept {
        return inner_.push(rate(delta_velocity, value()));
    }

    [[nodiscard]] T value() const noexcept { return exponential(inner_.value()); }
    [[nodiscard]] T velocity() const noexcept {
        return each(inner_.velocity(), value(), [](double v, double size) { return v * size; });
    }
    [[nodiscard]] T target() const noexcept { return exponential(inner_.target()); }

    /// For save_state and load_state (base/state.hpp).
    template <class Fields>
    void each_state(Fields& fields) {
        fields.begins("size 1");
        inner_.each_state(fields);
    }

  private:
    template <class Change>
    static T each(const T& a, const T& b, const Change& change) noexcept {
        auto numbers = components_of(a);
        const auto others = components_of(b);
        for (std::size_t i = 0; i < numbers.size(); ++i)
            numbers[i] = change(numbers[i], others[i]);
        return with_components(a, numbers);
    }
    static T logarithm(const T& v) noexcept {
        return each(v, v, [](double size, double) { return math::log(size); });
    }
    static T exponential(const T& v) noexcept {
        return each(v, v, [](double log_size, double) { return math::exp(log_size); });
    }
    static T rate(const T& velocity, const T& size) noexcept {
        return each(velocity, size, [](double v, double s) { return v / s; });
    }

    Follower<T> inner_;
};

}  // namespace hopcoil::scene
