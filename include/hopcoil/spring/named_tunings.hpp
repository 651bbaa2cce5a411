#pragma once

#include <optional>
#include <span>
#include <string_view>

#include <hopcoil/spring/tuning.hpp>

namespace hopcoil {

/// A feel with a name and a line about it.
struct NamedTuning {
    std::string_view name{};
    std::string_view description{};
    Tuning tuning{};
};

/// The feels that come with the library, in order of their names.
[[nodiscard]] std::span<const NamedTuning> named_tunings() noexcept;

/// The tuning of that name; nothing when there is none.
[[nodiscard]] std::optional<Tuning> find_tuning(std::string_view name) noexcept;

/// A tuning between two: the first at amount 0, the second at 1. Retuned with it every frame, a
/// mover changes from one feel to the other without a jump in value or velocity.
///
/// Model   frequency_hz = calm^(1 - amount) alarmed^amount; damping ratio and lead in proportion.
/// Units   amount 0 to 1.
/// Errors  InvalidValue for an invalid tuning, an amount outside, or a frequency of 0: the
///         geometric mean does not exist.
[[nodiscard]] Tuning blend(const Tuning& calm, const Tuning& alarmed, double amount);

}  // namespace hopcoil
