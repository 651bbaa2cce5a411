#pragma once

#include <cstddef>

#include <hopcoil/stepping/fixed_scheme.hpp>

namespace hopcoil {
inline namespace HOPCOIL_BITS {

/// The classical scheme with four evaluations: for smooth motion whose error matters. It loses a
/// little energy.
///
/// Model   k1 = f(t, s), k2 = f(t + h/2, s + h/2 k1), k3 = f(t + h/2, s + h/2 k2),
///         k4 = f(t + h, s + h k3);  s1 = s + h/6 (k1 + 2 k2 + 2 k3 + k4), with s = (x, v)
/// Source  docs/math/stepping.md (8); order 4.
template <class S>
class RungeKutta4 : public FixedScheme<RungeKutta4<S>, S, 5> {
  public:
    using RungeKutta4::FixedScheme::FixedScheme;

    template <Accelerations<S> A>
    bool advance(const A& accelerations, const OneStep<S>& step) noexcept {
        const std::span<S> a = this->scratch(0);
        const std::span<S> x = this->scratch(1);
        const std::span<S> v = this->scratch(2);
        const std::span<S> sum_of_v = this->scratch(3);
        const std::span<S> sum_of_a = this->scratch(4);
        const S h = step.h;
        // Each evaluation: its state, how far it advances from the start, its weight in the sum.
        const auto look = [&](double time_s, std::span<const S> at_x, std::span<const S> at_v,
                              S reach, S weight) {
            accelerations(time_s, at_x, at_v, a);
            for (std::size_t i = 0; i < a.size(); ++i) {
                sum_of_v[i] += weight * at_v[i];
                sum_of_a[i] += weight * a[i];
                const S velocity = at_v[i];
                x[i] = step.x[i] + reach * velocity;
                v[i] = step.v[i] + reach * a[i];
            }
        };
        for (std::size_t i = 0; i < a.size(); ++i)
            sum_of_v[i] = sum_of_a[i] = S{0};
        const double middle_s = step.time_s + step.dt / 2;
        look(step.time_s, step.x, step.v, h / 2, S{1});
        look(middle_s, x, v, h / 2, S{2});
        look(middle_s, x, v, h, S{2});
        look(step.time_s + step.dt, x, v, S{0}, S{1});
        add_scaled<S>(step.x, h / 6, sum_of_v, step.x1);
        add_scaled<S>(step.v, h / 6, sum_of_a, step.v1);
        return true;
    }
};

}  // namespace HOPCOIL_BITS
}  // namespace hopcoil
