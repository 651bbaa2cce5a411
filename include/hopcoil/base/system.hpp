#pragma once

#include <concepts>
#include <cstdint>
#include <span>

#include <hopcoil/base/channel.hpp>
#include <hopcoil/base/dial.hpp>

namespace hopcoil {

/// What a step did.
enum class StepStatus : std::uint8_t {
    stepped,   ///< time has passed
    rejected,  ///< an argument or result was not usable; nothing changed, and it was counted
    guarded,   ///< time has passed; the step was too large, so another way was taken
    diverged,  ///< the motion diverged; the last good state was kept
};

/// Whatever can be stepped, recorded and tuned.
///
/// Model   State is a value: a copy is a snapshot, and a copy assigned back continues bit for bit.
///         Inputs are arguments; a system holds no pointer to another.
/// Shapes  `read` fills one double per channel component, in the order of `channels()`.
/// Errors  stepping and reading never throw, never allocate, never leave a non-finite number.
template <class S>
concept System = std::copyable<S> &&
    requires(S system, const S& fixed, const typename S::Inputs& inputs, double dt,
             std::span<double> numbers) {
    { system.step(inputs, dt) } -> std::same_as<StepStatus>;
    { fixed.channels() }
    noexcept->std::convertible_to<std::span<const Channel>>;
    { fixed.read(numbers) }
    noexcept;
    { S::dials() }
    noexcept->std::convertible_to<std::span<const Dial<S>>>;
    { fixed.still() }
    noexcept->std::same_as<bool>;
};

/// A system whose energy is defined; in joules, or per kilogram where it has no mass.
template <class S>
concept HasEnergy = System<S> && requires(const S& fixed) {
    { fixed.energy() }
    noexcept->std::same_as<double>;
};

}  // namespace hopcoil
