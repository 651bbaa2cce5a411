#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <span>
#include <vector>

#include <hopcoil/stepping/fixed_scheme.hpp>
#include <hopcoil/stepping/step_control.hpp>

namespace hopcoil {
inline namespace HOPCOIL_BITS {

/// One inner step of an adaptive scheme, with the motion at every time within it.
///
/// Source  docs/math/stepping.md (10): a polynomial of fourth order through both ends.
template <class S>
class DenseStretch {
  public:
    DenseStretch(double begin_s, double dt, std::span<const S> rows) noexcept
        : begin_s_{begin_s}, dt_{dt}, rows_{rows} {}

    [[nodiscard]] double begin_s() const noexcept { return begin_s_; }
    [[nodiscard]] double end_s() const noexcept { return begin_s_ + dt_; }

    /// Positions and velocities at a time within.
    void at(double time_s, std::span<S> positions, std::span<S> velocities) const noexcept {
        const std::size_t size = rows_.size() / 10;
        const S part = static_cast<S>((time_s - begin_s_) / dt_);
        const auto number = [&](std::size_t i) {
            const auto row = [&](std::size_t r) {
                return rows_[r * 2 * size + i];
            };
            const S rest = 1 - part;
            return row(0) + part * (row(1) + rest * (row(2) + part * (row(3) + rest * row(4))));
        };
        for (std::size_t i = 0; i < size; ++i) {
            positions[i] = number(i);
            velocities[i] = number(size + i);
        }
    }

  private:
    double begin_s_;
    double dt_;
    std::span<const S> rows_;  ///< five, each as long as positions and velocities together
};

/// Chooses its own steps so that the error of each stays within a tolerance: for motion that is
/// smooth at some times and abrupt at others, and as a reference for the other schemes.
///
///     AdaptiveRungeKutta<double> scheme{positions.size(), {.relative_tolerance = 1e-8}};
///     scheme.step(accelerations, time_s, dt, positions, velocities);
///
/// Model   an embedded pair of orders 5 and 4; goes on with the fifth. A step is taken when the
///         root mean square of error / (absolute + relative |state|) is at most 1.
/// Source  Dormand and Prince, A family of embedded Runge-Kutta formulae (1980);
///         docs/math/stepping.md (9), (10).
/// Errors  rejected, with nothing changed, for a bad `dt`, spans not of `size()`, and where
///         `most_steps` are not enough or the result is not finite.
/// Cost    six evaluations an inner step, one more a call.
template <class S>
class AdaptiveRungeKutta {
  public:
    using Scalar = S;

    /// Errors  InvalidValue for settings out of range.
    explicit AdaptiveRungeKutta(std::size_t size, const StepControl& control = {})
        : size_{size}, control_{control}, memory_(arrays * 2 * size) {
        require_valid(control);
    }

    [[nodiscard]] std::size_t size() const noexcept { return size_; }
    [[nodiscard]] const StepControl& control() const noexcept { return control_; }

    /// Takes positions and velocities from `time_s` to `time_s` + `dt`.
    template <Accelerations<S> A>
    StepStatus step(const A& accelerations, double time_s, double dt, std::span<S> positions,
                    std::span<S> velocities) noexcept {
        return step(accelerations, time_s, dt, positions, velocities,
                    [](const DenseStretch<S>& /*stretch*/) {});
    }

    /// The same; `on_stretch` is called with each inner step taken, to read any time within it.
    template <Accelerations<S> A, class OnStretch>
    StepStatus step(const A& accelerations, double time_s, double dt, std::span<S> positions,
                    std::span<S> velocities, const OnStretch& on_stretch) noexcept {
        const bool fits = positions.size() == size_ && velocities.size() == size_;
        if (!fits || !is_time_step(dt) || !is_finite(time_s)) return StepStatus::rejected;
        if (dt == 0) return StepStatus::stepped;
        for (std::size_t i = 0; i < size_; ++i) {
            here()[i] = positions[i];
            here()[size_ + i] = velocities[i];
        }
        if (!integrate(accelerations, time_s, dt, on_stretch)) return StepStatus::rejected;
        for (std::size_t i = 0; i < size_; ++i) {
            positions[i] = here()[i];
            velocities[i] = here()[size_ + i];
        }
        return StepStatus::stepped;
    }

    /// Since construction: inner steps taken, inner steps refused, evaluations of the
    /// accelerations.
    [[nodiscard]] std::uint64_t steps_taken() const noexcept { return taken_; }
    [[nodiscard]] std::uint64_t steps_refused() const noexcept { return refused_; }
    [[nodiscard]] std::uint64_t evaluations() const noexcept { return evaluations_; }

  private:
    static constexpr std::size_t stages = 7;
    static constexpr std::size_t dense_rows = 5;
    static constexpr std::size_t arrays = stages + 3 + dense_rows;

    [[nodiscard]] std::span<S> array(std::size_t index) noexcept {
        return std::span<S>{memory_}.subspan(index * 2 * size_, 2 * size_);
    }
    [[nodiscard]] std::span<S> rate(std::size_t stage) noexcept { return array(stage); }
    [[nodiscard]] std::span<S> here() noexcept { return array(stages); }
    [[nodiscard]] std::span<S> there() noexcept { return array(stages + 1); }
    [[nodiscard]] std::span<S> error() noexcept { return array(stages + 2); }
    [[nodiscard]] std::span<S> dense(std::size_t row) noexcept { return array(stages + 3 + row); }

    template <class A, class OnStretch>
    bool integrate(const A& accelerations, double time_s, double dt,
                   const OnStretch& on_stretch) noexcept {
        evaluate(accelerations, time_s, here(), rate(0));
        const double end_s = dt;
        double done_s = 0;
        double wanted_s = next_s_ > 0 ? next_s_ : control_.first_step_s;
        for (int i = 0; i < control_.most_steps; ++i) {
            wanted_s = wanted_s < control_.largest_step_s ? wanted_s : control_.largest_step_s;
            const double left_s = end_s - done_s;
            const bool last = wanted_s >= left_s * (1 - 1e-12);
            const double h = last ? left_s : wanted_s;
            if (!(time_s + done_s + h > time_s + done_s) && !last) return false;
            try_step(accelerations, time_s + done_s, h);
            const double size = error_size();
            wanted_s = h * step_factor(size);
            if (!(size <= 1)) {
                ++refused_;
                continue;
            }
            ++taken_;
            find_dense(static_cast<S>(h));
            on_stretch(DenseStretch<S>{time_s + done_s, h, dense_span()});
            copy(there(), here());
            copy(rate(stages - 1), rate(0));
            done_s += h;
            // A step cut short by the end says nothing about how long the next may be.
            if (!last || h > next_s_) next_s_ = wanted_s;
            if (last) return true;
        }
        return false;
    }

    /// The derivative (v, a) of a state.
    template <class A>
    void evaluate(const A& accelerations, double time_s, std::span<const S> state,
                  std::span<S> out) noexcept {
        ++evaluations_;
        const std::span<const S> velocities = state.subspan(size_);
        copy(velocities, out.first(size_));
        accelerations(time_s, state.first(size_), velocities, out.subspan(size_));
    }

    template <class A>
    void try_step(const A& accelerations, double time_s, double h) noexcept {
        const S step = static_cast<S>(h);
        for (std::size_t stage = 1; stage < stages; ++stage) {
            const auto& weights = pair_5_4::stage_weights[stage - 1];
            for (std::size_t i = 0; i < 2 * size_; ++i) {
                S sum{0};
                for (std::size_t j = 0; j < stage; ++j)
                    sum += static_cast<S>(weights[j]) * rate(j)[i];
                there()[i] = here()[i] + step * sum;
            }
            evaluate(accelerations, time_s + pair_5_4::stage_times[stage - 1] * h, there(),
                     rate(stage));
        }
        for (std::size_t i = 0; i < 2 * size_; ++i)
            error()[i] = step * weighted(pair_5_4::error_weights, i);
    }

    [[nodiscard]] S weighted(const std::array<double, stages>& weights, std::size_t i) noexcept {
        S sum{0};
        for (std::size_t j = 0; j < stages; ++j)
            sum += static_cast<S>(weights[j]) * rate(j)[i];
        return sum;
    }

    /// At most 1 where the step may be taken; NaN after an overflow.
    [[nodiscard]] double error_size() noexcept {
        double sum = 0;
        for (std::size_t i = 0; i < 2 * size_; ++i) {
            const double before = magnitude(here()[i]);
            const double after = magnitude(there()[i]);
            const double largest = before < after ? after : before;
            const double part =
                static_cast<double>(error()[i]) /
                (control_.absolute_tolerance + control_.relative_tolerance * largest);
            sum += part * part + (after - after);
        }
        return size_ == 0 ? 0 : math::sqrt(sum / static_cast<double>(2 * size_));
    }
    [[nodiscard]] static double magnitude(S number) noexcept {
        return static_cast<double>(number < 0 ? -number : number);
    }

    void find_dense(S h) noexcept {
        for (std::size_t i = 0; i < 2 * size_; ++i) {
            const S way = there()[i] - here()[i];
            const S start = h * rate(0)[i] - way;
            dense(0)[i] = here()[i];
            dense(1)[i] = way;
            dense(2)[i] = start;
            dense(3)[i] = (way - h * rate(stages - 1)[i]) - start;
            dense(4)[i] = h * weighted(pair_5_4::dense_weights, i);
        }
    }
    [[nodiscard]] std::span<const S> dense_span() const noexcept {
        return std::span<const S>{memory_}.subspan((stages + 3) * 2 * size_);
    }

    static void copy(std::span<const S> from, std::span<S> to) noexcept {
        for (std::size_t i = 0; i < from.size(); ++i)
            to[i] = from[i];
    }

    std::size_t size_;
    StepControl control_;
    std::vector<S> memory_;
    double next_s_ = 0;  ///< what the last inner step recommends; 0 before the first
    std::uint64_t taken_ = 0;
    std::uint64_t refused_ = 0;
    std::uint64_t evaluations_ = 0;
};

}  // namespace HOPCOIL_BITS
}  // namespace hopcoil
