#pragma once

#include <cstddef>

#include <hopcoil/stepping/fixed_scheme.hpp>

namespace hopcoil {
inline namespace HOPCOIL_BITS {

/// Second order, keeps energy within a band where nothing damps, and stays second order where
/// something does: the velocity at the end, which damping needs, is predicted first.
///
/// Model   a = a(t, x, v);  x1 = x + h v + h^2/2 a;  a1 = a(t + h, x1, v + h a);
///         v1 = v + h/2 (a + a1)
/// Source  docs/math/stepping.md (6); order 2.
template <class S>
class VelocityVerlet : public FixedScheme<VelocityVerlet<S>, S, 2> {
  public:
    using VelocityVerlet::FixedScheme::FixedScheme;

    template <Accelerations<S> A>
    bool advance(const A& accelerations, const OneStep<S>& step) noexcept {
        const std::span<S> a = this->scratch(0);
        const std::span<S> a1 = this->scratch(1);
        const S half = step.h / 2;
        accelerations(step.time_s, step.x, step.v, a);
        add_scaled<S>(step.v, half, a, step.v1);
        add_scaled<S>(step.x, step.h, step.v1, step.x1);
        add_scaled<S>(step.v, step.h, a, step.v1);
        accelerations(step.time_s + step.dt, step.x1, step.v1, a1);
        for (std::size_t i = 0; i < a.size(); ++i)
            step.v1[i] = step.v[i] + half * (a[i] + a1[i]);
        return true;
    }
};

}  // namespace HOPCOIL_BITS
}  // namespace hopcoil
