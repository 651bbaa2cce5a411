#pragma once

#include <cstddef>
#include <span>
#include <vector>

#include <hopcoil/stepping/fixed_scheme.hpp>

namespace hopcoil {
inline namespace HOPCOIL_BITS {

/// Stores the position of the step before instead of a velocity. Second order and within a band of
/// energy where nothing damps; the accelerations see the velocity of the last step's chord, half a
/// step old, so with damping it is of first order.
///
/// The velocities it hands out are those at the end of the step, to second order. Change positions
/// or velocities between two steps, and it starts anew from them, with the acceleration at that
/// time taken for that of the half step before: one that lasts for a single step counts half there.
///
/// Model   c = (x - x_last) / h_last;  c1 = c + (h_last + h)/2 a(t, x, c);  x1 = x + h c1;
///         v1 = c1 + h/2 a
/// Source  docs/math/stepping.md (7); order 2, with damping 1. As a start x_last = x - h v + h^2/2
///         a.
template <class S>
class PositionVerlet : public FixedScheme<PositionVerlet<S>, S, 2> {
  public:
    explicit PositionVerlet(std::size_t size)
        : PositionVerlet::FixedScheme{size}, chord_(size), left_(2 * size) {}

    template <Accelerations<S> A>
    bool advance(const A& accelerations, const OneStep<S>& step) noexcept {
        const std::span<S> chord = this->scratch(0);
        const std::span<S> a = this->scratch(1);
        const bool anew = !goes_on_from(step);
        for (std::size_t i = 0; i < chord.size(); ++i)
            chord[i] = anew ? step.v[i] : chord_[i];
        if (anew) {
            accelerations(step.time_s, step.x, step.v, a);
            add_scaled<S>(step.v, -step.h / 2, a, chord);
        }
        accelerations(step.time_s, step.x, chord, a);
        const S between_middles = anew ? step.h : (last_h_ + step.h) / 2;
        for (std::size_t i = 0; i < chord.size(); ++i) {
            chord[i] = chord[i] + between_middles * a[i];
            step.x1[i] = step.x[i] + step.h * chord[i];
            step.v1[i] = chord[i] + step.h / 2 * a[i];
        }
        return true;
    }

    void shift(std::span<S> positions, std::span<const S> by, std::span<S> velocities,
               std::span<const S> velocities_by) noexcept {
        PositionVerlet::FixedScheme::shift(positions, by, velocities, velocities_by);
        const std::span<S> left{left_};
        PositionVerlet::FixedScheme::shift(left.first(by.size()), by, left.subspan(by.size()),
                                           velocities_by);
        for (std::size_t i = 0; i < by.size(); ++i)
            chord_[i] += velocities_by[i];
    }

    void arrived(const OneStep<S>& step) noexcept {
        const std::size_t size = this->size();
        for (std::size_t i = 0; i < size; ++i) {
            chord_[i] = this->scratch(0)[i];
            left_[i] = step.x1[i];
            left_[size + i] = step.v1[i];
        }
        last_h_ = step.h;
    }

    template <class Fields>
    void visit_state(Fields& fields) {
        fields(chord_, left_, last_h_);
        fields.require(last_h_ >= 0);
    }

  private:
    [[nodiscard]] bool goes_on_from(const OneStep<S>& step) const noexcept {
        if (last_h_ == 0) return false;
        const std::size_t size = this->size();
        for (std::size_t i = 0; i < size; ++i) {
            if (step.x[i] != left_[i] || step.v[i] != left_[size + i]) return false;
        }
        return true;
    }

    std::vector<S> chord_;  ///< (x - x_last) / h_last: the last place, as the way from it
    std::vector<S> left_;   ///< the state it handed out
    S last_h_ = 0;          ///< 0 before the first step
};

}  // namespace HOPCOIL_BITS
}  // namespace hopcoil
