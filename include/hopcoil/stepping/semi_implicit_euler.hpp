#pragma once

#include <cstddef>

#include <hopcoil/stepping/fixed_scheme.hpp>

namespace hopcoil {
inline namespace HOPCOIL_BITS {

/// The velocity first, then the position with the new velocity: the cheapest scheme, and without
/// damping its energy stays within a band.
///
/// Model   v1 = v + h a(t, x, v);  x1 = x + h v1
/// Source  docs/math/stepping.md (3); order 1.
template <class S>
class SemiImplicitEuler : public FixedScheme<SemiImplicitEuler<S>, S, 1> {
  public:
    using SemiImplicitEuler::FixedScheme::FixedScheme;

    template <Accelerations<S> A>
    bool advance(const A& accelerations, const OneStep<S>& step) noexcept {
        const std::span<S> a = this->scratch(0);
        accelerations(step.time_s, step.x, step.v, a);
        add_scaled<S>(step.v, step.h, a, step.v1);
        add_scaled<S>(step.x, step.h, step.v1, step.x1);
        return true;
    }
};

}  // namespace HOPCOIL_BITS
}  // namespace hopcoil
