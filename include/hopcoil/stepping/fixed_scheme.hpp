#pragma once

#include <array>
#include <concepts>
#include <cstddef>
#include <span>
#include <vector>

#include <hopcoil/base/build.hpp>
#include <hopcoil/base/system.hpp>
#include <hopcoil/base/time_step.hpp>

namespace hopcoil {
inline namespace HOPCOIL_BITS {

/// What a scheme steps: a function that fills in the accelerations at a time, for positions and
/// velocities. It must not throw.
template <class A, class S>
concept Accelerations = requires(const A& a, double time_s, std::span<const S> positions,
                                 std::span<const S> velocities, std::span<S> accelerations) {
    a(time_s, positions, velocities, accelerations);
};

/// One step as its scheme sees it: from (x, v) at `time_s` to (x1, v1) at `time_s` + h.
template <class S>
struct OneStep {
    double time_s;
    double dt;
    S h;  ///< dt, rounded
    std::span<const S> x;
    std::span<const S> v;
    std::span<S> x1;
    std::span<S> v1;
};

/// out = a + s b, number by number.
template <class S>
void add_scaled(std::span<const S> a, S s, std::span<const S> b, std::span<S> out) noexcept {
    for (std::size_t i = 0; i < out.size(); ++i)
        out[i] = a[i] + s * b[i];
}

/// What the schemes with a fixed step share. A new one derives from this and defines `advance`:
///
///     template <class S>
///     class ExplicitEuler : public FixedScheme<ExplicitEuler<S>, S, 1> {
///       public:
///         using ExplicitEuler::FixedScheme::FixedScheme;
///         template <Accelerations<S> A>
///         bool advance(const A& accelerations, const OneStep<S>& step) noexcept;
///     };
///
/// `scratch` is how many more arrays as long as the state it needs. `advance` fills x1 and v1,
/// or returns false when it finds no solution.
template <class Derived, class S, std::size_t scratch_arrays>
class FixedScheme {
  public:
    using Scalar = S;

    /// For so many numbers of position, and as many of velocity.
    explicit FixedScheme(std::size_t size) : size_{size}, memory_((scratch_arrays + 2) * size) {}

    [[nodiscard]] std::size_t size() const noexcept { return size_; }

    /// Takes positions and velocities from `time_s` to `time_s` + `dt`.
    ///
    /// Errors  rejected, with nothing changed, when `dt` is negative or not finite, the spans are
    ///         not of `size()`, or the result is not finite.
    template <Accelerations<S> A>
    StepStatus step(const A& accelerations, double time_s, double dt, std::span<S> positions,
                    std::span<S> velocities) noexcept {
        const bool fits = positions.size() == size_ && velocities.size() == size_;
        if (!fits || !is_time_step(dt) || !is_finite(time_s)) return StepStatus::rejected;
        if (dt == 0) return StepStatus::stepped;
        const OneStep<S> step{time_s,   dt,      static_cast<S>(dt), positions, velocities,
                              array(0), array(1)};
        auto& self = static_cast<Derived&>(*this);
        if (!self.advance(accelerations, step) || !all_finite(step.x1) || !all_finite(step.v1)) {
            return StepStatus::rejected;
        }
        self.arrived(step);
        for (std::size_t i = 0; i < size_; ++i) {
            positions[i] = step.x1[i];
            velocities[i] = step.v1[i];
        }
        return StepStatus::stepped;
    }

    /// The same motion seen from elsewhere: adds to positions and velocities, also to those that
    /// the scheme remembers.
    void shift(std::span<S> positions, std::span<const S> by, std::span<S> velocities,
               std::span<const S> velocities_by) noexcept {
        for (std::size_t i = 0; i < positions.size(); ++i) {
            positions[i] += by[i];
            velocities[i] += velocities_by[i];
        }
    }

    /// Called just before a step's result is accepted, for schemes that remember earlier steps.
    void arrived(const OneStep<S>& /*step*/) noexcept {}

  protected:
    [[nodiscard]] std::span<S> scratch(std::size_t index) noexcept { return array(index + 2); }

  private:
    [[nodiscard]] std::span<S> array(std::size_t index) noexcept {
        return std::span<S>{memory_}.subspan(index * size_, size_);
    }
    [[nodiscard]] static bool all_finite(std::span<const S> numbers) noexcept {
        // Several sums, none of which waits for another; each stays 0 while all is finite.
        std::array<S, 8> sums{};
        std::size_t i = 0;
        for (; i + sums.size() <= numbers.size(); i += sums.size()) {
            for (std::size_t k = 0; k < sums.size(); ++k)
                sums[k] += numbers[i + k] - numbers[i + k];
        }
        S sum{};
        for (; i < numbers.size(); ++i)
            sum += numbers[i] - numbers[i];
        for (const S each : sums)
            sum += each;
        return sum == S{};
    }

    std::size_t size_;
    std::vector<S> memory_;
};

}  // namespace HOPCOIL_BITS
}  // namespace hopcoil
