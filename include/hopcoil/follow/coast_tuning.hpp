#pragma once

#include <cstdint>
#include <span>

#include <hopcoil/base/dial.hpp>
#include <hopcoil/spring/tuning.hpp>

namespace hopcoil {

/// The input of a Coast's step: none.
struct NoInput {
    friend bool operator==(const NoInput&, const NoInput&) = default;
};

/// What happens at a bound.
enum class AtBound : std::uint8_t {
    stop,    ///< the motion ends there at once
    bounce,  ///< it is thrown back with a part of its speed
    spring,  ///< it goes past and a spring brings it back to the bound
};

/// How something slows down once it is thrown.
///
/// Units   seconds until the speed has halved, above 0, at most 1e6; resting_speed >= 0 in lengths
///         of the value per second; restitution 0 to 1, the part of the speed kept by a bounce.
struct CoastTuning {
    double slowing_half_life_s = 0.3;
    double resting_speed = 0.01;
    double restitution = 0.5;
    AtBound at_bound = AtBound::stop;
    Tuning spring{.frequency_hz = 2, .damping_ratio = 1};  ///< at bounds, and back to snap points

    static constexpr std::size_t dial_count = 3;
    [[nodiscard]] static std::span<const Dial<CoastTuning>> dials() noexcept;
    friend bool operator==(const CoastTuning&, const CoastTuning&) = default;
};
void require_valid(const CoastTuning& tuning);
/// Errors  InvalidValue unless low <= high; infinite ends are no bound.
void require_bounds(double low, double high);
[[nodiscard]] bool is_valid(const CoastTuning& tuning) noexcept;

}  // namespace hopcoil
