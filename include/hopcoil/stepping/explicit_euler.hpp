#pragma once

#include <cstddef>

#include <hopcoil/stepping/fixed_scheme.hpp>

namespace hopcoil {
inline namespace HOPCOIL_BITS {

/// Position and velocity advance with their present rates. The simplest scheme, and the least
/// stable: without damping it diverges at any step.
///
/// Model   x1 = x + h v;  v1 = v + h a(t, x, v)
/// Source  docs/math/stepping.md (2); order 1.
template <class S>
class ExplicitEuler : public FixedScheme<ExplicitEuler<S>, S, 1> {
  public:
    using ExplicitEuler::FixedScheme::FixedScheme;

    template <Accelerations<S> A>
    bool advance(const A& accelerations, const OneStep<S>& step) noexcept {
        const std::span<S> a = this->scratch(0);
        accelerations(step.time_s, step.x, step.v, a);
        add_scaled<S>(step.x, step.h, step.v, step.x1);
        add_scaled<S>(step.v, step.h, a, step.v1);
        return true;
    }
};

}  // namespace HOPCOIL_BITS
}  // namespace hopcoil
