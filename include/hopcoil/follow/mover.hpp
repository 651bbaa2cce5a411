#pragma once

#include <array>
#include <concepts>
#include <cstddef>
#include <cstdint>
#include <initializer_list>
#include <span>
#include <type_traits>
#include <utility>

#include <hopcoil/base/build.hpp>
#include <hopcoil/base/channel.hpp>
#include <hopcoil/base/components.hpp>
#include <hopcoil/base/dial.hpp>
#include <hopcoil/base/dials_through.hpp>
#include <hopcoil/base/system.hpp>
#include <hopcoil/base/time_step.hpp>
#include <hopcoil/follow/motion.hpp>

namespace hopcoil {
inline namespace HOPCOIL_BITS {

/// The channels of every mover of a T: value, velocity, target.
template <HasComponents T>
inline constexpr std::array<Channel, 3> mover_channels = [] {
    constexpr auto kind = std::floating_point<T> ? ChannelKind::scalar : ChannelKind::vector;
    constexpr std::size_t count = component_count<T>();
    return std::array<Channel, 3>{
        {{.name = "value", .kind = kind, .components = count, .unit = ""},
         {.name = "velocity", .kind = kind, .components = count, .unit = "per_s"},
         {.name = "target", .kind = kind, .components = count, .unit = ""}}};
}();

/// The components of some values one after the other, as many as `numbers` has room for.
template <HasComponents T>
void read_components(std::initializer_list<T> values, std::span<double> numbers) noexcept {
    std::size_t i = 0;
    for (const T& value : values) {
        for (const auto component : components_of(value)) {
            if (i < numbers.size()) numbers[i++] = static_cast<double>(component);
        }
    }
}

/// A smaller gap is set to 0, since steps with subnormal numbers are slow.
template <class Scalar>
inline constexpr double least_gap = std::is_same_v<Scalar, float> ? 0x1p-100 : 0x1p-963;

/// A follower looks for it at every 16th of its steps: in a bank, looking each time would
/// cost as much as stepping.
inline constexpr std::uint8_t steps_per_look = 16;

/// What every mover of a T has: a value on the way to a target, its velocity, and a count of the
/// inputs it refused.
template <LinearSpace T>
class Mover {
  public:
    using Scalar = ScalarIn<T>;
    using Inputs = T;  ///< of a step, as a System: the target
    /// Whether a step takes its target to have been there from the start, or to go there straight.
    static constexpr bool takes_target_at_once = false;

    [[nodiscard]] T value() const noexcept { return motion_.value(); }
    [[nodiscard]] T velocity() const noexcept { return motion_.velocity; }
    [[nodiscard]] T target() const noexcept { return motion_.target; }

    /// The whole motion, for another mover's `resume`.
    [[nodiscard]] const Motion<T>& motion() const noexcept { return motion_; }

    /// Within `distance` of the target and no faster than `speed`.
    [[nodiscard]] bool at_rest(double distance, double speed) const noexcept requires HasLength<T> {
        return is_within(motion_.gap, distance) && is_within(motion_.velocity, speed);
    }

    /// How far it is from its target, as `at_rest` measures.
    [[nodiscard]] double distance_to_target() const noexcept requires HasLength<T> {
        return length_of(motion_.gap);
    }

    /// Where the target is when `part` (0 to 1) of the time of a step to `target` has passed.
    [[nodiscard]] T target_on_way(const T& target, double part) const noexcept {
        const T travel = target - motion_.target;
        return motion_.target + scaled(travel, static_cast<Scalar>(part));
    }

    /// Exactly at rest on its target: a step toward the same target would change no bit.
    [[nodiscard]] bool still() const noexcept requires HasLength<T> { return at_rest(0, 0); }

    /// How many calls were ignored because an argument or the result was not finite, or the time
    /// step negative.
    [[nodiscard]] std::uint64_t rejected_inputs() const noexcept { return rejected_inputs_; }

    // What makes it a System (base/system.hpp), with `step` and `dials`.

    [[nodiscard]] static std::span<const Channel> channels() noexcept requires HasComponents<T> {
        return mover_channels<T>;
    }
    void read(std::span<double> numbers) const noexcept requires HasComponents<T> {
        read_components<T>({value(), velocity(), target()}, numbers);
    }

    /// For save_state and load_state (base/state.hpp).
    template <class Fields>
    void visit_state(Fields& fields) {
        fields(motion_.target, motion_.gap, motion_.velocity, rejected_inputs_);
        fields.require(is_finite(motion_));
    }

  protected:
    explicit Mover(const T& start) : motion_{resting_at(start)} {}

    StepStatus reject() noexcept {
        ++rejected_inputs_;
        return StepStatus::rejected;
    }

    /// Goes on from there, if it can be.
    StepStatus arrive(const Motion<T>& motion) noexcept {
        if (!is_finite(motion)) return reject();
        motion_ = motion;
        return StepStatus::stepped;
    }

    /// The same motion seen from elsewhere: target and value move together.
    void shift_target(const T& target) noexcept { motion_.target = target; }

    /// The same for a gap and velocity expressed anew.
    void express(const Motion<T>& motion) noexcept { motion_ = motion; }

  private:
    Motion<T> motion_;
    std::uint64_t rejected_inputs_ = 0;
};

/// Of what has `tuning()`.
struct ReadTuning {
    template <class Moving>
    [[nodiscard]] auto operator()(const Moving& mover) const noexcept {
        return mover.tuning();
    }
};

/// The dials of a mover's numbers, as dials of the mover.
template <class Moving>
[[nodiscard]] std::span<const Dial<Moving>> dials_through_tuning() noexcept {
    return dials_through<Moving, typename Moving::Parameters, ReadTuning>();
}

}  // namespace HOPCOIL_BITS
}  // namespace hopcoil
