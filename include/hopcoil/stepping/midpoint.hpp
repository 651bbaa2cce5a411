#pragma once

#include <cstddef>

#include <hopcoil/stepping/fixed_scheme.hpp>

namespace hopcoil {
inline namespace HOPCOIL_BITS {

/// Uses the rates in the middle of the step.
///
/// Model   xm = x + h/2 v, vm = v + h/2 a(t, x, v);  x1 = x + h vm, v1 = v + h a(t + h/2, xm, vm)
/// Source  docs/math/stepping.md (5); order 2. Without damping it diverges, though slowly.
template <class S>
class Midpoint : public FixedScheme<Midpoint<S>, S, 3> {
  public:
    using Midpoint::FixedScheme::FixedScheme;

    template <Accelerations<S> A>
    bool advance(const A& accelerations, const OneStep<S>& step) noexcept {
        const std::span<S> a = this->scratch(0);
        const std::span<S> xm = this->scratch(1);
        const std::span<S> vm = this->scratch(2);
        const S half = step.h / 2;
        accelerations(step.time_s, step.x, step.v, a);
        add_scaled<S>(step.x, half, step.v, xm);
        add_scaled<S>(step.v, half, a, vm);
        accelerations(step.time_s + step.dt / 2, xm, vm, a);
        add_scaled<S>(step.x, step.h, vm, step.x1);
        add_scaled<S>(step.v, step.h, a, step.v1);
        return true;
    }
};

}  // namespace HOPCOIL_BITS
}  // namespace hopcoil
