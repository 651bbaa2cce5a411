#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <optional>
#include <span>

#include <hopcoil/base/build.hpp>
#include <hopcoil/base/components.hpp>
#include <hopcoil/base/dial.hpp>
#include <hopcoil/base/system.hpp>
#include <hopcoil/follow/detail/coast_axis.hpp>
#include <hopcoil/follow/motion.hpp>
#include <hopcoil/follow/mover.hpp>

namespace hopcoil {
inline namespace HOPCOIL_BITS {

/// A value that is thrown, slowed by friction, and kept within bounds.
///
///     Coast<float> needle{{.slowing_half_life_s = 0.4, .at_bound = AtBound::spring}, 0.f};
///     needle.set_bounds(-1.f, 1.f);
///     needle.launch(6.f);
///     draw_mark(needle.end());  // known before it gets there
///     needle.step(dt);
///
/// Model   v' = -k v, k = ln 2 / slowing_half_life_s: unhindered it goes v / k further. Each number
///         meets its own bounds. A velocity leaps only where a bound stops it or throws it back.
/// Shapes  any value whose numbers can be reached; kept in double whatever its scalar.
/// Units   seconds, lengths as in T.
/// Source  exact, events inside a step included: the motion is the same at every rate.
/// Errors  InvalidValue for invalid numbers; while stepping, what is not finite is ignored and
///         counted.
/// Cost    an exponential a number and step.
template <HasComponents T>
class Coast {
    using Scalar = ScalarIn<T>;
    static constexpr std::size_t size = component_count<T>();

  public:
    using Inputs = NoInput;
    using Parameters = CoastTuning;

    Coast(const CoastTuning& tuning, T start) : like_{start} {
        retune(tuning);
        place_at(start);
    }

    StepStatus step(double dt) noexcept {
        if (!is_time_step(dt)) return reject();
        for (std::size_t i = 0; i < size; ++i)
            axes_[i].step(dt, tuning_, ranges_[i]);
        return StepStatus::stepped;
    }
    StepStatus step(NoInput, double dt) noexcept { return step(dt); }

    /// Thrown from where it is, with this velocity.
    StepStatus launch(T velocity) noexcept {
        if (!is_usable(velocity)) return reject();
        const auto numbers = components_of(velocity);
        for (std::size_t i = 0; i < size; ++i)
            axes_[i].launch(static_cast<double>(numbers[i]), tuning_, ranges_[i]);
        return StepStatus::stepped;
    }

    /// Thrown so that it comes to rest exactly on one of these points: the one nearest to where it
    /// would have ended. It bounces and springs at bounds as usual; the half-life is changed as
    /// little as necessary (`slowing_half_life_s`). A point out of reach is met by the spring.
    /// Returns the index of the point; nothing, with nothing thrown, if none is inside the bounds.
    std::optional<std::size_t> launch(T velocity, std::span<const T> snap_points) noexcept {
        if (!is_usable(velocity) || snap_points.empty()) return refuse_snap();
        Coast free = *this;
        free.launch(velocity);
        const T natural = free.end();
        std::size_t best = snap_points.size();
        double nearest = 0;
        for (std::size_t i = 0; i < snap_points.size(); ++i) {
            if (!is_usable(snap_points[i]) || !is_inside(snap_points[i])) continue;
            const double distance = length_of(T{snap_points[i] - natural});
            if (best < snap_points.size() && distance >= nearest) continue;
            best = i;
            nearest = distance;
        }
        if (best == snap_points.size()) return refuse_snap();
        const auto speeds = components_of(velocity);
        const auto ends = components_of(snap_points[best]);
        for (std::size_t i = 0; i < size; ++i) {
            axes_[i].launch_to(static_cast<double>(ends[i]), static_cast<double>(speeds[i]),
                               tuning_, ranges_[i]);
        }
        return best;
    }

    /// A sudden change of velocity: a new throw.
    StepStatus push(T delta_velocity) noexcept { return launch(velocity() + delta_velocity); }

    /// Puts it at rest there.
    StepStatus reset(T value) noexcept {
        if (!is_usable(value)) return reject();
        place_at(value);
        return StepStatus::stepped;
    }
    /// Takes over from a mover: its value, thrown with its velocity.
    StepStatus resume(const Motion<T>& motion) noexcept {
        if (!is_usable(motion.value()) || !is_usable(motion.velocity)) return reject();
        place_at(motion.value());
        return launch(motion.velocity);
    }

    /// New numbers from here on; value and velocity carry over.
    /// Errors  InvalidValue, with nothing changed.
    void retune(const CoastTuning& tuning) {
        require_valid(tuning);
        tuning_ = tuning;
        throw_on();
    }
    bool try_retune(const CoastTuning& tuning) noexcept {
        if (!is_valid(tuning)) return reject() == StepStatus::stepped;
        tuning_ = tuning;
        throw_on();
        return true;
    }

    /// Keeps each number between these. A value outside is brought to its bound by the spring.
    /// Errors  InvalidValue unless low <= high in every number.
    void set_bounds(const T& low, const T& high) {
        const auto lows = components_of(low);
        const auto highs = components_of(high);
        for (std::size_t i = 0; i < size; ++i)
            require_bounds(static_cast<double>(lows[i]), static_cast<double>(highs[i]));
        for (std::size_t i = 0; i < size; ++i) {
            ranges_[i] = {static_cast<double>(lows[i]), static_cast<double>(highs[i])};
            axes_[i].adapt(tuning_, ranges_[i]);
        }
    }
    void remove_bounds() noexcept {
        ranges_ = {};
        throw_on();
    }

    [[nodiscard]] T value() const noexcept {
        return assembled([](const CoastAxis& axis) { return axis.place(); });
    }
    [[nodiscard]] T velocity() const noexcept {
        return assembled([](const CoastAxis& axis) { return axis.velocity(); });
    }
    /// Where it will come to rest.
    [[nodiscard]] T end() const noexcept {
        T result = like_;
        auto numbers = components_of(result);
        for (std::size_t i = 0; i < size; ++i)
            numbers[i] = static_cast<Scalar>(axes_[i].end(tuning_, ranges_[i]));
        return with_components(result, numbers);
    }
    [[nodiscard]] T target() const noexcept { return end(); }
    /// The half-life of the present throw, for each number; 0 at rest or on a spring.
    [[nodiscard]] T slowing_half_life_s() const noexcept {
        return assembled([](const CoastAxis& axis) { return axis.slowing_half_life_s(); });
    }
    /// How long until no number of it is faster than the resting speed, for good.
    [[nodiscard]] double time_to_rest_s() const noexcept {
        double latest_s = 0;
        for (std::size_t i = 0; i < size; ++i) {
            const double time_s = axes_[i].time_below_s(tuning_.resting_speed, tuning_, ranges_[i]);
            latest_s = time_s > latest_s ? time_s : latest_s;
        }
        return latest_s;
    }

    [[nodiscard]] Motion<T> motion() const noexcept { return {end(), value() - end(), velocity()}; }
    /// Within `distance` of where it will end and no faster than `speed`.
    [[nodiscard]] bool at_rest(double distance, double speed) const noexcept {
        return is_within(T{value() - end()}, distance) && is_within(velocity(), speed);
    }
    [[nodiscard]] bool still() const noexcept { return at_rest(0, 0); }
    /// How far it still has to go.
    [[nodiscard]] double distance_to_target() const noexcept { return length_of(motion().gap); }
    [[nodiscard]] NoInput target_on_way(NoInput, double /*part*/) const noexcept { return {}; }
    [[nodiscard]] const CoastTuning& tuning() const noexcept { return tuning_; }
    [[nodiscard]] std::uint64_t rejected_inputs() const noexcept { return rejected_inputs_; }

    [[nodiscard]] static std::span<const Channel> channels() noexcept { return mover_channels<T>; }
    void read(std::span<double> numbers) const noexcept {
        read_components<T>({value(), velocity(), end()}, numbers);
    }
    [[nodiscard]] static std::span<const Dial<Coast>> dials() noexcept {
        return dials_through_tuning<Coast>();
    }

    /// For save_state and load_state (base/state.hpp).
    template <class Fields>
    void visit_state(Fields& fields) {
        fields.begins("coast 1");
        fields(axes_, rejected_inputs_);
    }

  private:
    /// Whether v is small enough that nothing computed from it overflows.
    [[nodiscard]] static bool is_usable(const T& v) noexcept {
        const double largest = std::is_same_v<Scalar, float> ? 1e18 : 1e150;
        return is_finite(v) && length_of(v) < largest;
    }
    [[nodiscard]] bool is_inside(const T& point) const noexcept {
        bool inside = true;
        const auto numbers = components_of(point);
        for (std::size_t i = 0; i < size; ++i)
            inside = inside && ranges_[i].contains(static_cast<double>(numbers[i]));
        return inside;
    }
    StepStatus reject() noexcept {
        ++rejected_inputs_;
        return StepStatus::rejected;
    }
    std::optional<std::size_t> refuse_snap() noexcept {
        reject();
        return std::nullopt;
    }
    void place_at(const T& value) noexcept {
        const auto numbers = components_of(value);
        for (std::size_t i = 0; i < size; ++i) {
            axes_[i] = CoastAxis{static_cast<double>(numbers[i])};
            axes_[i].adapt(tuning_, ranges_[i]);
        }
    }

    void throw_on() noexcept {
        for (std::size_t i = 0; i < size; ++i) {
            if (axes_[i].is_snapped()) continue;
            axes_[i].launch(axes_[i].velocity(), tuning_, ranges_[i]);
        }
    }

    template <class Read>
    [[nodiscard]] T assembled(const Read& read_axis) const noexcept {
        auto numbers = components_of(like_);
        for (std::size_t i = 0; i < size; ++i)
            numbers[i] = static_cast<Scalar>(read_axis(axes_[i]));
        return with_components(like_, numbers);
    }

    T like_;
    CoastTuning tuning_;
    std::array<CoastAxis, size> axes_{};
    std::array<CoastAxis::Range, size> ranges_{};
    std::uint64_t rejected_inputs_ = 0;
};

}  // namespace HOPCOIL_BITS
}  // namespace hopcoil
